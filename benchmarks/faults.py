"""Faults at random moments: what is left at once, and what the report says after going on.

``faults.py FOLDER [COUNT]`` runs all kinds, two side by side; ``faults.py FOLDER COUNT KIND`` one of them.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from agile_shadow.core.files import is_partial
from agile_shadow.core.ingest import IngestReport, IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import Originals, Preset, Proxies, Takes, save_preset
from agile_shadow.core.project import ProjectSession, load_project
from agile_shadow.core.shelves import MARK
from agile_shadow.stand_ins.reader import StandInDrive

KINDS = (
    "window killed", "worker killed", "window and worker killed", "card pulled out", "drive full", "read error",
    "write error", "two ingests at once",
)  # fmt: skip
PRESET = Preset(
    name="Faults", takes=Takes(), originals=Originals(checksum="xxh128", second_copy=True),
    proxies=Proxies(codec="h264", scale=Fraction(1, 2), second_copy=True),
)  # fmt: skip
SPEED = 2_000_000  # bytes a second at which the card is read: so that moments fall into the copying
LIMIT = 120.0  # seconds after which a trial counts as hung


def draw(path: Path, frames: int, start: str, seed: int) -> None:
    """A small clip with noise in it, so that it has some bytes."""
    path.parent.mkdir(parents=True, exist_ok=True)
    noise = np.random.default_rng(seed)
    with av.open(str(path), "w", format="mov") as out:
        stream = out.add_stream("libx264", rate=25, options={"preset": "ultrafast", "crf": "20"})
        stream.width, stream.height, stream.pix_fmt = 192, 108, "yuv420p"
        stream.metadata["timecode"] = start
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(noise.integers(0, 255, (108, 192, 3), np.uint8))
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


def draw_card(card: Path) -> None:
    """Four clips, a recording in two files, sound, a sidecar and a note."""
    for number in range(4):
        draw(card / "DCIM" / f"TRN_{number * 10:04d}.MOV", 8 + 2 * number, f"0{number}:00:00:00", number)
    for number, start in ((51, "10:00:00:00"), (52, "10:00:00:12")):
        draw(card / "DCIM" / f"TRN_{number:04d}.MOV", 12, start, 99)
        os.utime(card / "DCIM" / f"TRN_{number:04d}.MOV", (1_700_000_000 + number, 1_700_000_000 + number))
    with av.open(str(card / "SOUND.WAV"), "w") as out:
        stream = out.add_stream("pcm_s16le", rate=48_000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 48_000), np.int16), layout="mono")
        frame.sample_rate = 48_000
        out.mux(stream.encode(frame))
    (card / "DCIM" / "TRN_0010.XML").write_text("<clip/>")
    (card / "NOTE.TXT").write_text("ferry")


def hashes(folder: Path) -> dict[str, str]:
    """Of every file with a final name; the mark of a shelf is another in each trial."""
    found = {}
    for path in sorted(folder.rglob("*")):
        with suppress(OSError):
            if path.is_file() and not is_partial(path.name) and path.name != MARK:
                found[path.relative_to(folder).as_posix()] = hashlib.sha256(path.read_bytes()).hexdigest()
    return found


class Trial:
    """One place to work in, with the card of all trials."""

    def __init__(self, base: Path, name: str, card: StandInDrive) -> None:
        self.folder = base / name
        self.card = card
        shutil.rmtree(self.folder, ignore_errors=True)
        self.project = self.folder / "film.otio"
        self.folder.mkdir(parents=True)

    @property
    def request(self) -> IngestRequest:
        return IngestRequest(
            self.card.root, self.folder / "o", self.folder / "p", PRESET, self.folder / "s"
        )  # fmt: skip

    def command(self, project: Path | None = None) -> list[str]:
        chosen = save_preset(PRESET, self.folder / "preset.json")
        return [
            sys.executable, "-m", "agile_shadow.cli", "ingest", str(self.card.root), "--preset", str(chosen),
            "--project", str(project or self.project), "--originals", str(self.folder / "o"), "--proxies",
            str(self.folder / "p"), "--second", str(self.folder / "s"), "--json",
        ]  # fmt: skip

    def run(self, patient: bool = False, meanwhile: Callable[[IngestRun], None] = lambda run: None) -> IngestReport:
        """An ingest in this process; ``meanwhile`` runs beside it."""
        session = ProjectSession.open(self.project)
        run = IngestRun(self.request, session, JobStore(), patient=patient)
        beside = threading.Thread(target=meanwhile, args=(run,), daemon=True)
        beside.start()
        watch = threading.Timer(LIMIT, lambda: run.stop(for_good=True))
        watch.start()
        try:
            return run.run()
        finally:
            watch.cancel()
            session.close()
            beside.join(LIMIT)

    def files(self) -> dict[str, str]:
        found = {}
        for shelf in ("o", "p", "s"):
            found.update({f"{shelf}/{path}": value for path, value in hashes(self.folder / shelf).items()})
        return found

    def plain(self, report: IngestReport | dict[str, Any]) -> str:
        values = dict(report if isinstance(report, dict) else report.to_json())
        values.pop("took", None)
        return json.dumps(values, sort_keys=True).replace(str(self.folder), "")


class Bench:
    """All trials of one kind."""

    def __init__(self, base: Path, kind: str, seed: int) -> None:
        self.base = base / kind.replace(" ", "-")
        self.base.mkdir(parents=True, exist_ok=True)
        os.environ["AGILE_SHADOW_HOME"] = str(self.base / "profile")
        self.moments = random.Random(f"{kind} {seed}")
        control = self.base / "drives.json"
        self.card = StandInDrive(self.base / "reader" / "CARD", control)
        os.environ.update(self.card.environment())
        if not self.card.root.exists():
            draw_card(self.card.root)
        self.card.behave(speed=SPEED)
        self.control = control
        self.on_card = hashes(self.card.root)
        calm = Trial(self.base, "calm", self.card)
        begun = time.monotonic()
        self.expected = calm.plain(calm.run())
        self.length = time.monotonic() - begun
        self.whole = calm.files()
        self.clips = self._clips(calm.project)

    def _clips(self, project: Path) -> list[tuple[str, str, tuple[str, ...]]]:
        document = load_project(project)
        return sorted((c.name, c.original.file.path, tuple(p.file.path for p in c.proxies)) for c in document.clips)

    def moment(self) -> float:
        return self.length * 1.05 * self.moments.random()

    def wrong(self, trial: Trial) -> Iterator[str]:
        """What must never be, at any moment."""
        for path, value in trial.files().items():
            if self.whole.get(path) != value:
                yield f"{path} is not a file of the calm run, or has other bytes"
        on_card = hashes(self.card.root) if self.card.is_in else self.on_card
        if on_card != self.on_card:
            yield "the card changed"
        if trial.project.exists():
            load_project(trial.project)

    def differs(self, trial: Trial, report: IngestReport | dict[str, Any]) -> Iterator[str]:
        """What must hold in the end."""
        yield from self.wrong(trial)
        if trial.files() != self.whole:
            yield f"files missing: {sorted(set(self.whole) - set(trial.files()))}"
        if self._clips(trial.project) != self.clips:
            yield "the project's clips differ"
        if trial.plain(report) != self.expected:
            mine, calm = json.loads(trial.plain(report)), json.loads(self.expected)
            keys = [key for key in calm if mine.get(key) != calm[key]]
            rows = [one for one, other in zip(mine["rows"], calm["rows"], strict=False) if one != other]
            yield f"the report differs in {keys}: {str([mine[k] for k in keys if k != 'rows'])[:200]} {str(rows)[:300]}"
        left = [str(p) for p in trial.folder.rglob("*.part")]
        if left:
            yield f"left behind: {left}"

    def trial(self, kind: str, name: str) -> list[str]:
        trial = Trial(self.base, name, self.card)
        try:
            return list(DO[kind](self, trial))
        except Exception as error:  # a trial that breaks is a finding, not the end of the bench
            return [f"{type(error).__name__}: {error}"]
        finally:
            self.card.insert()
            self.control.unlink(missing_ok=True)
            self.card.behave(speed=SPEED)
            shutil.rmtree(trial.folder, ignore_errors=True)


def children(process: int) -> list[int]:
    with suppress(OSError):
        return [int(one) for one in Path(f"/proc/{process}/task/{process}/children").read_text().split()]
    return []


def workers_of(process: int) -> list[int]:
    """Numbers of a program's workers, which give way to others; the process that they come from does not."""
    found = []
    for task in Path(f"/proc/{process}/task").iterdir():
        with suppress(OSError):
            found += [int(one) for one in (task / "children").read_text().split()]
    return [one for one in found if os.getpriority(os.PRIO_PROCESS, one) > 0]


def window_killed(bench: Bench, trial: Trial, worker_too: bool = False) -> Iterator[str]:
    save_preset(PRESET, trial.folder / "preset.json")
    command = [sys.executable, str(Path(__file__).with_name("fault_window.py")), *map(str, (
        trial.project, bench.card.root, trial.folder))]  # fmt: skip
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    process.stdout.readline()  # the window is there and the ingest begins
    time.sleep(bench.moment())
    if worker_too:
        for worker in workers_of(process.pid)[:1]:
            with suppress(ProcessLookupError):
                os.kill(worker, signal.SIGKILL)
        time.sleep(0.2 * bench.moments.random())
    process.kill()
    process.wait()
    yield from bench.wrong(trial)
    yield from bench.differs(trial, trial.run())


def both_killed(bench: Bench, trial: Trial) -> Iterator[str]:
    yield from window_killed(bench, trial, worker_too=True)


def worker_killed(bench: Bench, trial: Trial) -> Iterator[str]:
    def meanwhile(run: IngestRun) -> None:
        time.sleep(bench.moment())
        workers = workers_of(os.getpid())
        if workers:
            with suppress(ProcessLookupError):
                os.kill(bench.moments.choice(workers), signal.SIGKILL)

    yield from bench.differs(trial, trial.run(meanwhile=meanwhile))


def card_pulled(bench: Bench, trial: Trial) -> Iterator[str]:
    moment, patient = bench.moment(), bench.moments.random() < 0.5

    def meanwhile(run: IngestRun) -> None:
        time.sleep(moment)
        bench.card.pull_out()
        if patient:
            time.sleep(0.5)
            bench.card.insert()

    try:
        report = trial.run(patient, meanwhile)
    except Exception:
        if patient and moment > 0.3:
            raise
        report = None
    yield from bench.wrong(trial)
    if not patient or report is None:
        bench.card.insert()
        report = trial.run()
    yield from bench.differs(trial, report)


def drive_full(bench: Bench, trial: Trial) -> Iterator[str]:
    with small_drive(trial.folder / "p", bench.moments) as more:
        shelf = StandInDrive(trial.folder / bench.moments.choice("os"), bench.control)
        shelf.root.mkdir(exist_ok=True)
        total = sum(path.stat().st_size for path in bench.card.root.rglob("*") if path.is_file())

        def meanwhile(run: IngestRun) -> None:
            while not run.progress().files and run.report is None:
                time.sleep(0.01)  # before that, the ingest would refuse to begin
            shelf.behave(room=int(total * bench.moments.random()))
            end = time.monotonic() + LIMIT
            while time.monotonic() < end and run.report is None:
                if run.waits_for_a_person:
                    wrong.extend(bench.wrong(trial))
                    shelf.behave(room=None)
                    more()
                time.sleep(0.05)

        wrong: list[str] = []
        report = trial.run(True, meanwhile)
        yield from wrong
        yield from bench.differs(trial, report)


@contextmanager
def small_drive(folder: Path, moments: random.Random) -> Iterator[Callable[[], None]]:
    """Half the time a real drive in memory that is too small for the proxies, where this machine lets us mount one."""
    folder.mkdir(exist_ok=True)
    size = moments.randrange(16, 400)
    mount = ["mount", "-t", "tmpfs", "-o", f"size={size}k", "tmpfs", str(folder)]
    if moments.random() < 0.5 or subprocess.run(mount, capture_output=True).returncode:
        yield lambda: None
        return
    try:
        yield lambda: subprocess.run(["mount", "-o", "remount,size=200m", str(folder)], check=True) and None
    finally:
        subprocess.run(["umount", "-l", str(folder)])


def read_error(bench: Bench, trial: Trial) -> Iterator[str]:
    path = bench.moments.choice(sorted(p for p in bench.on_card if p.endswith((".MOV", ".WAV"))))
    byte = bench.moments.randrange((bench.card.root / path).stat().st_size)
    fails = bench.moments.choice([None, None, 1, 2])
    bench.card.behave(unreadable=(path, byte), fails=fails)
    report = trial.run()
    yield from bench.wrong(trial)
    if fails is None:
        failed = [one for one in report.failed if path in one.reason or path in one.path]
        if len(failed) != 1 or "byte" not in failed[0].reason:
            yield f"the fault in {path} is not told: {report.failed}"
        bench.card.behave(unreadable=None)
        report = trial.run()
    yield from bench.differs(trial, report)


def write_error(bench: Bench, trial: Trial) -> Iterator[str]:
    shelf = StandInDrive(trial.folder / bench.moments.choice("os"), bench.control)
    largest = max((bench.card.root / path).stat().st_size for path in bench.on_card)
    shelf.behave(unwritable=bench.moments.randrange(largest))
    report = trial.run()
    yield from bench.wrong(trial)
    if report.all_well:
        yield "the fault was not told"
    shelf.behave(unwritable=None)
    yield from bench.differs(trial, trial.run())


def two_at_once(bench: Bench, trial: Trial) -> Iterator[str]:
    same = bench.moments.random() < 0.5
    other = trial.project if same else trial.folder / "other.otio"
    first = subprocess.Popen(trial.command(), stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    time.sleep(bench.moment() / 2)
    second = subprocess.Popen(trial.command(other), stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
    answers = [json.loads(process.communicate(timeout=LIMIT)[0] or "{}") for process in (first, second)]
    for answer in answers:
        yield from bench.differs(trial, answer)
    if bench._clips(other) != bench.clips:
        yield "the other project's clips differ"


DO: dict[str, Callable[[Bench, Trial], Iterator[str]]] = dict(
    zip(
        KINDS,
        (window_killed, worker_killed, both_killed, card_pulled, drive_full, read_error, write_error, two_at_once),
        strict=True,
    )
)


def one_kind(base: Path, kind: str, count: int) -> None:
    bench = Bench(base, kind, 4)
    bad = 0
    for number in range(count):
        problems = bench.trial(kind, f"trial-{number}")
        bad += bool(problems)
        for problem in problems:
            print(f"  {kind}, trial {number}: {problem}", file=sys.stderr, flush=True)
    print(f"{kind}: {count - bad} of {count} held", flush=True)


def measure_faults(base: Path, count: int) -> bool:
    """All kinds, two side by side; whether all held."""
    waiting, running, good = list(KINDS), [], True
    while waiting or running:
        while waiting and len(running) < 2:
            command = [sys.executable, __file__, str(base), str(count), waiting.pop(0)]
            running.append(subprocess.Popen(command, stdout=subprocess.PIPE, text=True))
        for process in [process for process in running if process.poll() is not None]:
            running.remove(process)
            said = (process.stdout.read() if process.stdout else "").strip() or "a bench ended without an answer"
            print(said, flush=True)
            good = good and f"{count} of {count} held" in said
        time.sleep(0.2)
    return good


if __name__ == "__main__":
    where, how_many = Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 100
    if len(sys.argv) > 3:
        one_kind(where, sys.argv[3], how_many)
    else:
        sys.exit(not measure_faults(where, how_many))
