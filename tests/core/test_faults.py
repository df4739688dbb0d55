"""Cards pulled out, full drives, faulty places, workers that die or hang: and what is left afterwards."""

import os
import signal
import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest

from agile_shadow.core.desk import Desk
from agile_shadow.core.drives import drives
from agile_shadow.core.errors import Cancelled, WorkerStalled
from agile_shadow.core.files import is_partial
from agile_shadow.core.ingest import IngestReport, IngestRequest, IngestRun, SourceListing, finding
from agile_shadow.core.jobs import JobStore, Report, WorkerPool, pool
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import ProjectSession, load_project
from agile_shadow.stand_ins.reader import StandInDrive
from tests.conftest import hashes
from tests.drawn import draw
from tests.until import until

CHOSEN = Preset(
    name="T", originals=Originals(second_copy=True), proxies=Proxies(codec="h264", scale=Fraction(1, 2))
)  # fmt: skip


@pytest.fixture
def card(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> StandInDrive:
    """A card of four clips in a simulated reader."""
    drive = StandInDrive(tmp_path / "reader" / "CARD", tmp_path / "drives.json")
    for number in range(4):
        draw(drive.root / f"TRN_{number * 10:04d}.MOV", 20 + number, number * 30)
    for name, value in drive.environment().items():
        monkeypatch.setenv(name, value)
    drives.cache_clear()
    return drive


@pytest.fixture(autouse=True)
def real_drives_again() -> None:
    drives.cache_clear()


class Film:
    """A project, its shelves, and runs over the card."""

    def __init__(self, folder: Path, card: StandInDrive) -> None:
        self.folder, self.card = folder, card

    def run(
        self, patient: bool = False, meanwhile: Callable[[IngestRun], None] | None = None, stalled: float = 600.0
    ) -> IngestReport:
        session = ProjectSession.open(self.folder / "p.otio")
        request = IngestRequest(
            self.card.root, self.folder / "o", self.folder / "p", CHOSEN, self.folder / "s"
        )  # fmt: skip
        run = IngestRun(request, session, JobStore(), patient=patient, stalled_after=stalled)
        beside = threading.Thread(target=meanwhile or (lambda run: None), args=(run,))
        beside.start()
        try:
            return run.run()
        finally:
            session.close()
            beside.join()

    def files(self) -> dict[str, str]:
        found = {f"{name}/{path}": value for name in "ops" for path, value in hashes(self.folder / name).items()}
        return {path: value for path, value in found.items() if not is_partial(Path(path).name)}


@pytest.fixture
def calm(card: StandInDrive, tmp_path: Path) -> tuple[IngestReport, dict[str, str]]:
    film = Film(tmp_path / "calm", card)
    return film.run(), film.files()


def same(report: IngestReport, folder: str, calm: IngestReport) -> bool:
    return str(report.to_json() | {"took": 0}).replace(f"/{folder}/", "/calm/") == str(calm.to_json() | {"took": 0})


def test_a_card_pulled_out_is_waited_for(card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path) -> None:
    card.behave(speed=8_000)
    waits: list[str] = []

    def pull(run: IngestRun) -> None:
        until(lambda: run.progress().copied >= 1)
        card.pull_out()
        until(lambda: bool(run.waits_for_a_person))
        waits.append(run.waits_for_a_person)
        until(lambda: run.progress().proxies_done >= 1)  # what is proven goes on without the card
        card.insert()

    film = Film(tmp_path / "pulled", card)
    report = film.run(patient=True, meanwhile=pull)
    assert "CARD" in waits[0]
    assert same(report, "pulled", calm[0]) and film.files() == calm[1]


def test_without_patience_it_ends_and_goes_on_later_even_without_the_card(
    card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path
) -> None:
    card.behave(speed=8_000)
    film = Film(tmp_path / "later", card)

    def pull(run: IngestRun) -> None:
        until(lambda: run.progress().copied >= 2)
        run.stop(for_good=False)

    film.run(meanwhile=pull)
    card.pull_out()
    report = film.run()
    assert report.found == 4 and report.paired >= 2 and "taken out" in report.failed[0].reason
    card.insert()
    assert same(film.run(), "later", calm[0]) and film.files() == calm[1]


def test_another_card_in_its_place_is_not_taken_for_it(card: StandInDrive, tmp_path: Path) -> None:
    card.behave(speed=8_000)
    film = Film(tmp_path / "swapped", card)
    film.run(meanwhile=lambda run: (until(lambda: run.progress().copied >= 1), run.stop(for_good=False))[0])
    for path in card.root.iterdir():
        path.unlink()
    draw(card.root / "TRN_0030.MOV", 9, 70)
    report = film.run()
    assert not report.as_many_as_shot
    assert any("another file of that name" in one.reason for one in report.failed)
    assert any("no longer on the source" in one.reason for one in report.failed)


def test_a_place_that_cannot_be_read_is_named_and_the_rest_goes_on(
    card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path
) -> None:
    card.behave(unreadable=("TRN_0010.MOV", 1234))
    film = Film(tmp_path / "fault", card)
    report = film.run()
    (failed,) = report.failed
    assert failed.path == "TRN_0010.MOV" and "from byte 0 on" in failed.reason and failed.step == "retry"
    assert report.paired == 3 and "3 of 4 clips complete; 1 needs attention" in report.one_number()
    card.behave(unreadable=("TRN_0010.MOV", 1234), fails=2)  # a fault that passes is tried through
    assert same(film.run(), "fault", calm[0]) and film.files() == calm[1]


@pytest.mark.parametrize("shelf", ["o", "s"])
def test_a_full_drive_is_waited_for(
    card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path, shelf: str
) -> None:
    full = StandInDrive(tmp_path / "full" / shelf, tmp_path / "drives.json")
    full.root.mkdir(parents=True)
    largest = max(path.stat().st_size for path in card.root.iterdir())

    def fill(run: IngestRun) -> None:
        until(lambda: bool(run.files))
        full.behave(room=largest + 100)
        until(lambda: bool(run.waits_for_a_person))
        assert "free space on" in run.waits_for_a_person and shelf in run.waits_for_a_person
        full.behave(room=None)

    film = Film(tmp_path / "full", card)
    assert same(film.run(patient=True, meanwhile=fill), "full", calm[0]) and film.files() == calm[1]


def test_two_at_once_never_double_a_file(card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path) -> None:
    card.behave(speed=8_000)
    first, second = Film(tmp_path / "both", card), Film(tmp_path / "both", card)
    done: list[IngestReport] = []

    def other(run: IngestRun) -> None:
        session = ProjectSession.open(tmp_path / "both" / "other.otio")
        done.append(IngestRun(run.request, session, JobStore()).run())
        session.close()

    done.append(first.run(meanwhile=other))
    assert all(same(report, "both", calm[0]) for report in done) and second.files() == calm[1]


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGSTOP])
def test_a_worker_that_dies_or_hangs_costs_nothing(
    card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path, how: signal.Signals,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    monkeypatch.setattr(pool, "_START", 8.0)  # one that is struck while it starts is not waited for as long
    card.behave(speed=8_000)
    film = Film(tmp_path / "died", card)

    def strike(run: IngestRun) -> None:
        until(lambda: any(item.phase == "copying" for item in run.board.items()))
        os.kill(run._s.copies.process_ids[0], how)  # type: ignore[attr-defined]

    assert same(film.run(meanwhile=strike, stalled=2.0), "died", calm[0]) and film.files() == calm[1]
    assert list(film.folder.rglob("*.part")) == []


def _hang(request: object, report: Report) -> None:
    threading.Event().wait(60)


def _slowly(request: float, report: Report) -> float:
    for number in range(40):
        report(number / 40)
        threading.Event().wait(request)
    return request


def _at_once(request: str, report: Report) -> str:
    return request


def test_a_task_that_hangs_is_ended_and_the_next_one_is_served() -> None:
    with WorkerPool(1, stalled_after=4.0) as pool:
        hung, next_one = pool.submit(_hang, None), pool.submit(_at_once, "served")
        with pytest.raises(WorkerStalled):
            hung.result(timeout=30)
        assert next_one.result(timeout=30) == "served"


def test_order_standing_still_and_taking_back() -> None:
    ended: list[str] = []
    with WorkerPool(1) as pool:
        first = pool.submit(_slowly, 0.01)
        futures = {name: pool.submit(_at_once, name) for name in ("a", "b", "c", "d")}
        for name, future in futures.items():
            future.add_done_callback(lambda _done, name=name: ended.append(name))
        pool.prefer(futures["c"], 5)
        pool.hold(futures["a"], True)
        pool.cancel(futures["b"])
        assert futures["d"].result(timeout=30) == "d" and first.done()
        with pytest.raises(Cancelled):
            futures["b"].result(timeout=30)
        assert "a" not in ended and ended.index("c") < ended.index("d")
        pool.hold(futures["a"], False)
        assert futures["a"].result(timeout=30) == "a"


def test_a_running_task_stands_still_while_others_take_its_turn() -> None:
    parts: list[float] = []
    with WorkerPool(1) as pool:
        slow = pool.submit(_slowly, 0.02, parts.append)
        until(lambda: bool(parts))
        pool.hold(slow, True)
        assert pool.submit(_at_once, "past it").result(timeout=30) == "past it"
        assert not slow.done()
        pool.hold(slow, False)
        assert slow.result(timeout=30) == 0.02


def test_a_killed_run_leaves_jobs_that_stand_as_they_were_asked_to(card: StandInDrive, tmp_path: Path) -> None:
    card.behave(speed=8_000)
    film = Film(tmp_path / "asked", card)
    film.run(meanwhile=lambda run: (until(lambda: run.progress().copied >= 1), run.stop(for_good=False))[0])
    store = JobStore()
    pieces = {(piece.kind, piece.path): piece for piece in store.pieces(project=film.folder / "p.otio")}
    store.ask(pieces["copy", "TRN_0030.MOV"].id, "cancel")
    store.ask(pieces["copy", "TRN_0020.MOV"].id, "first")
    report = film.run()
    assert (report.found, report.paired) == (3, 3)
    assert [one.path for one in report.passed_over] == ["TRN_0030.MOV"]
    assert {clip.name for clip in load_project(film.folder / "p.otio").clips} == {"TRN_0000", "TRN_0010", "TRN_0020"}
    states = {(piece.kind, piece.path): piece.state for piece in store.pieces(project=film.folder / "p.otio")}
    assert states["copy", "TRN_0030.MOV"] == "cancelled" and states["proxy", "TRN_0020.MOV"] == "done"


def test_a_run_that_cannot_go_on_is_told_once_and_not_begun_again(card: StandInDrive, tmp_path: Path) -> None:
    (tmp_path / "film").mkdir()
    (tmp_path / "film" / "o").write_bytes(b"a file where the shelf should be")
    session, store = ProjectSession.open(tmp_path / "film" / "p.otio"), JobStore()
    desk, told = Desk(session, store, quiet=0.1), []
    desk.ended.connect(lambda end: told.append(end.problem))
    request = IngestRequest(card.root, tmp_path / "film" / "o", tmp_path / "p", CHOSEN, tmp_path / "s")
    desk.start(request)
    desk.wait()
    assert len(told) == 1 and str(tmp_path / "film" / "o") in told[0]
    assert store.open_jobs(session.path) == [] and desk.go_on() == [] and not desk.runs
    session.close()


def test_a_file_that_vanishes_while_the_source_is_read_is_not_a_card_pulled_out(
    card: StandInDrive, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    draw(card.root / "TRN_0041.MOV", 5)
    draw(card.root / "TRN_0042.MOV", 5)
    real = finding.to_be_opened

    def then_gone(listing: SourceListing) -> list[str]:
        (card.root / "TRN_0042.MOV").unlink(missing_ok=True)
        return [*real(listing), "TRN_0042.MOV"]

    monkeypatch.setattr(finding, "to_be_opened", then_gone)
    report = Film(tmp_path / "gone", card).run(patient=True)
    assert report.paired == 5 and [one.path for one in report.failed] == ["TRN_0042.MOV"]


def test_sources_are_copied_side_by_side_and_their_proxies_made_in_turn(card: StandInDrive, tmp_path: Path) -> None:
    other = tmp_path / "other"
    for number in range(3):
        draw(other / f"OTH_{number * 10:04d}.MOV", 30 + number, 100 + number * 40)
    card.behave(speed=6_000)
    session = ProjectSession.open(tmp_path / "film" / "p.otio")
    desk = Desk(session, JobStore())
    folders = (tmp_path / "film" / "o", tmp_path / "film" / "p", CHOSEN, tmp_path / "film" / "s")
    first, second = desk.start(IngestRequest(card.root, *folders)), desk.start(IngestRequest(other, *folders))
    until(lambda: second.progress().copied == 3)
    until(lambda: first.progress().copied == 4)
    until(lambda: not first.making or "until CARD has its proxies" in second.progress().waits)
    desk.wait()
    assert first.report and second.report and first.report.paired == 4 and second.report.paired == 3
    made = [clip.name for clip in session.project.clips if clip.proxies]
    assert len(made) == 7
    session.close()


def test_the_report_names_the_second_copies(
    card: StandInDrive, calm: tuple[IngestReport, dict], tmp_path: Path
) -> None:
    assert [row.second for row in calm[0].rows] == [path.name for path in sorted(card.root.iterdir())]
    assert all((tmp_path / "calm" / "s" / row.second).is_file() for row in calm[0].rows)
