"""The way of a file as a table: every fault at every step, with an executor that runs at once."""

from __future__ import annotations

import errno
import pickle
import shutil
from collections.abc import Callable
from concurrent.futures import Future
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from av.video.frame import VideoFrame

from agile_shadow.core.errors import (
    Cancelled,
    CopyError,
    MediaError,
    NoRoom,
    ShadowError,
    WorkerDied,
    WorkerStalled,
    from_os_error,
)
from agile_shadow.core.estimates import Headroom, Measurements, kept_headroom
from agile_shadow.core.estimates.headroom import headroom_under, keep_pace
from agile_shadow.core.files import is_partial
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import Inline, JobStore, Machine
from agile_shadow.core.media import probe
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.presets.model import Takes
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.proxies import pace
from agile_shadow.core.proxies.pace import Pace
from tests.conftest import hashes

STEPS = {
    "look": "copy", "copy_and_prove": "copy", "measure_headroom": "proxy", "make_proven_proxy": "proxy",
    "copy_again": "second copy",
}  # fmt: skip
WHOLE = Preset(
    name="Whole",
    takes=Takes(longer_than=0.01),
    originals=Originals(second_copy=True, checksum="xxh128"),
    proxies=Proxies(
        codec="mjpeg", scale=Fraction(1, 2), make="where-needed", headroom_below=1.5, second_copy=True
    ),
)  # fmt: skip


class Faulty(Inline):
    """Raises what it is told to at a step of one file, the first ``times`` that step comes."""

    def __init__(self, step: str, name: str, fault: Callable[[], Exception], times: int) -> None:
        super().__init__()
        self.step, self.name, self.fault, self.times = step, name, fault, times
        self.seen: list[str] = []

    def end(self) -> None:
        """All ranks share this one: it is not ended with the first of them."""

    def submit(self, task: Any, request: Any, *more: Any, **named: Any) -> Future[Any]:
        step = task.__name__
        if step in STEPS:
            self.seen.append(step)
        if step == self.step and self.name in str(request) and self.times:
            self.times -= 1

            def fail(_request: Any, _report: Any) -> None:
                raise self.fault()

            return super().submit(fail, request, *more, **named)
        if step == "measure_headroom":
            return super().submit(lambda _request, _report: Headroom(0.5, 10, 1.0), request, *more, **named)
        return super().submit(task, request, *more, **named)


def draw(path: Path, shade: int) -> None:
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mjpeg", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuvj420p"
        for number in range(6):
            pixels = np.full((64, 96, 3), (shade + number * 9) % 256, np.uint8)
            container.mux(stream.encode(VideoFrame.from_ndarray(pixels, format="rgb24")))
        container.mux(stream.encode(None))


@pytest.fixture(scope="module")
def two_clips(tmp_path_factory: pytest.TempPathFactory) -> Path:
    card = tmp_path_factory.mktemp("way") / "CARD"
    card.mkdir()
    for number, name in enumerate(("VICTIM", "OTHER")):
        draw(card / f"{name}.mov", 40 + number * 90)
    return card


class Ran:
    """One run over the two clips, with a fault planted."""

    preset = WHOLE

    def __init__(self, two_clips: Path, folder: Path, executor: Faulty, again: bool = False) -> None:
        self.folder, self.executor = folder, executor
        self.card = folder / "CARD"
        if not again:
            shutil.copytree(two_clips, self.card)
        before = hashes(self.card)
        self.session = ProjectSession.open(folder / "p.otio")
        roots = [folder / name for name in ("o", "p", "s")]
        request = IngestRequest(self.card, roots[0], roots[1], self.preset, roots[2])
        self.store = JobStore()
        machine = Machine(2, lambda size, stalled_after, room, changed: executor)
        self.run = IngestRun(request, self.session, self.store, now=True, machine=machine)
        self.report = self.run.run()
        self.session.close()
        self.items = {Path(item.path).stem: item for item in self.run.board.items()}
        self.pieces = {(Path(p.path).stem, p.kind): p.state for p in self.run.board.pieces()}
        assert hashes(self.card) == before  # originals are never written to
        left = [path for root in roots if root.is_dir() for path in root.rglob("*") if is_partial(path.name)]
        assert left == []


def test_the_whole_way_without_a_fault(two_clips: Path, tmp_path: Path) -> None:
    ran = Ran(two_clips, tmp_path, Faulty("", "", Cancelled, 0))
    assert ran.executor.seen.count("look") == 2 and set(ran.executor.seen) == set(STEPS)
    assert {item.phase for item in ran.items.values()} == {"paired"} and ran.report.all_well
    assert set(ran.pieces.values()) == {"done"} and len(ran.pieces) == 6
    assert (ran.report.copied, ran.report.proved, ran.report.paired, ran.report.second_copies) == (2, 2, 2, 4)


def test_the_headroom_that_the_making_told_is_kept(
    two_clips: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pace, "told", lambda *_more: Pace(5, 2.0))
    always = Proxies(codec="mjpeg", scale=Fraction(1, 2))
    monkeypatch.setattr(Ran, "preset", WHOLE.model_copy(update={"proxies": always}))
    seen = Measurements()
    original = tmp_path / "o" / "VICTIM.mov"
    assert headroom_under("nothing", seen) is None  # it has read what there is, and hears of what comes
    ran = Ran(two_clips, tmp_path, Faulty("", "", Cancelled, 0))
    assert "measure_headroom" not in ran.executor.seen
    for known in (seen, Measurements()):
        kept = kept_headroom(original, known)
        assert kept is not None and (kept.ratio, kept.frames) == (0.1, 5)  # of 25 frames a second
    keep_pace(original, probe(original), Pace(50, 1.0), seen)
    keep_pace(tmp_path / "gone.mov", probe(original), Pace(50, 1.0), seen)
    assert kept_headroom(original, seen) == kept  # what is known stays


FAULTS: dict[str, tuple[Callable[[], Exception], int]] = {
    "damaged": (lambda: MediaError("is damaged", Path("VICTIM.mov"), "Check the file."), 1),
    "refused": (lambda: CopyError("cannot be copied", Path("VICTIM.mov"), "Retry."), 1),
    "the system's": (lambda: OSError(errno.EIO, "Input/output error"), 1),
    "no room": (lambda: NoRoom("is full", Path("VICTIM.mov"), "Free some room."), 1),
    "unforeseen": (lambda: ValueError("planted"), 1),
    "died once": (lambda: WorkerDied("ended", None, ""), 1),
    "died twice": (lambda: WorkerDied("ended", None, ""), 2),
    "stalled once": (lambda: WorkerStalled("stood still", None, ""), 1),
    "stalled twice": (lambda: WorkerStalled("stood still", None, ""), 2),
    "away once": (lambda: away(errno.ENOENT), 1),  # the card was out when it was opened, and is back
    "away twice": (lambda: away(errno.ENOENT), 2),
    "gone while read": (lambda: away(errno.ENODEV), 1),
    "words alone": (lambda: CopyError("it is not there", Path("VICTIM.mov"), ""), 1),  # says so, and is none of these
    "taken back": (Cancelled, 1),
}


def away(number: int) -> ShadowError:
    """As it comes out of a worker."""
    error = from_os_error(OSError(number, ""), Path("VICTIM.mov"), CopyError)
    came = pickle.loads(pickle.dumps(error))
    assert isinstance(came, CopyError) and str(came) == str(error)
    return came


def expected(step: str, fault: str) -> tuple[str, str]:
    """(phase of the file, state of the job that met the fault)."""
    if fault in ("died once", "stalled once", "away once", "gone while read"):
        return "paired", "done"  # tried again
    if fault == "taken back":
        return ("cancelled" if STEPS[step] == "copy" else "in place"), "cancelled"
    if fault == "died twice" and step == "look":
        return "paired", "done"  # it is not opened to be looked at; the copy holds
    if fault == "died twice" and step == "copy_and_prove":
        return "failed", "done"  # copied and proved, and not opened any more
    return "failed", "failed"


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_at_a_step_costs_that_file_what_it_must_and_no_other_anything(
    two_clips: Path, tmp_path: Path, step: str, fault: str
) -> None:
    make, times = FAULTS[fault]
    ran = Ran(two_clips, tmp_path, Faulty(step, "VICTIM", make, times))
    assert ran.executor.times == 0  # the fault was met
    phase, state = expected(step, fault)
    victim = ran.items["VICTIM"]
    assert (victim.phase, ran.pieces["VICTIM", STEPS[step]]) == (phase, state), victim.note
    assert ran.items["OTHER"].phase == "paired"
    assert {value for (name, _kind), value in ran.pieces.items() if name == "OTHER"} == {"done"}
    after_copying = STEPS[step] != "copy"
    if after_copying:  # the copy was proved before: that stays true
        assert victim.copied and victim.proved and ran.report.proved == 2
    told = [problem for problem in ran.report.failed if "VICTIM" in problem.path]
    assert bool(told) == (phase == "failed") and not any("OTHER" in one.path for one in ran.report.failed)
    if phase == "failed" and state == "failed":
        assert victim.note and "Traceback" not in victim.note
    assert ran.store.job(ran.run.job or 0)[0] == "done"


@pytest.mark.parametrize("step", STEPS)
def test_what_failed_is_done_by_the_next_run_and_nothing_twice(two_clips: Path, tmp_path: Path, step: str) -> None:
    Ran(two_clips, tmp_path, Faulty(step, "VICTIM", FAULTS["unforeseen"][0], 1))
    again = Ran(two_clips, tmp_path, Faulty("", "", Cancelled, 0), again=True)
    assert {item.phase for item in again.items.values()} == {"paired"} and again.report.all_well
    project = again.session.project
    assert len(project.clips) == 2 and all(len(clip.proxies) == 1 for clip in project.clips)
    names = sorted(path.name for path in (tmp_path / "o").rglob("*.mov"))
    assert names == ["OTHER.mov", "VICTIM.mov"]


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize("for_good", [True, False])
def test_it_stops_at_every_step(two_clips: Path, tmp_path: Path, step: str, for_good: bool) -> None:
    """Stopped in the middle of a step: nothing half made stays, and it goes on where it was unless it was for good."""
    stopping: list[IngestRun] = []

    def stop() -> Exception:
        stopping[0].stop(for_good)
        return Cancelled()

    executor = Faulty(step, "VICTIM", stop, 1)
    work = IngestRun._work

    def began(run: IngestRun, listing: Any) -> None:
        stopping.append(run)
        work(run, listing)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(IngestRun, "_work", began)
        ran = Ran(two_clips, tmp_path, executor)
    assert ran.run.was_stopped
    state = ran.pieces["VICTIM", STEPS[step]]
    assert state == ("cancelled" if for_good else "waiting")
    assert len(ran.store.open_jobs(ran.session.path)) == (0 if for_good else 1)
    assert ran.session.project.reports == ()


def test_many_files_of_one_size_whose_card_is_gone_end_one_after_the_other(
    tmp_path: Path,
) -> None:
    """Each waits for the one before, since it may be the same: thousands of them must not go round in circles."""
    card = tmp_path / "CARD"
    card.mkdir()
    for number in range(1500):
        (card / f"S{number:04d}.wav").write_bytes(b"RIFF" + number.to_bytes(4, "big"))
    session = ProjectSession.open(tmp_path / "p.otio")
    preset = Preset(name="Plain", proxies=None)
    executor = Faulty("copy_and_prove", "S", FAULTS["unforeseen"][0], 10_000)
    machine = Machine(2, lambda size, stalled_after, room, changed: executor)
    run = IngestRun(IngestRequest(card, tmp_path / "o", tmp_path / "p", preset), session, JobStore(), machine=machine)
    report = run.run()
    session.close()
    assert len(report.failed) == 1500 and {item.phase for item in run.board.items()} == {"failed"}
