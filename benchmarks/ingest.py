"""The ingest measured: reading a source, two copies, memory, copying beside making, a long queue, a fuzz."""

from __future__ import annotations

import os
import random
import shutil
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import psutil

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.ingest import (
    BriefRequest,
    IngestRequest,
    IngestRun,
    Inspection,
    InspectRequest,
    brief_of,
    inspect,
    read_source,
    settle,
    to_be_opened,
)
from agile_shadow.core.ingest.copying import copy_file
from agile_shadow.core.ingest.looking import LookRequest, look
from agile_shadow.core.jobs import JobStore, WorkerPool
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import ProjectSession
from footage import demo_card

Measured = Iterator[tuple[str, float, float, str]]
_LARGE = 1 << 30


def measure_listing(folder: Path) -> Measured:
    """10,000 files in 500 folders."""
    source = folder / "many"
    for number in range(10_000):
        path = source / f"ROLL_{number // 20:03d}" / f"C{number:05d}.{('MOV', 'XML')[number % 2]}"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"1" * (number % 90 + 1))
    begun = time.perf_counter()
    read_source(source)
    yield "listing a source of 10,000 files", time.perf_counter() - begun, 3, " s"
    shutil.rmtree(source)


def measure_two_copies(folder: Path, rounds: int = 3) -> Measured:
    """Speed of two copies with hash and reread, as a part of plain copies to both with a reread of each."""
    source = folder / "large.bin"
    with source.open("wb") as handle:
        for _ in range(_LARGE >> 24):
            handle.write(os.urandom(1 << 24))
        os.fsync(handle.fileno())
    ratios = []
    for number in range(rounds + 1):  # the first one does not count, as with one copy
        plain = [folder / f"plain{number}{side}.bin" for side in "ab"]
        ours = tuple(folder / f"ours{number}{side}.bin" for side in "ab")
        begun = time.perf_counter()
        for target in plain:
            plain_copy(source, target)
        theirs = time.perf_counter() - begun
        for path in plain:
            path.unlink()
        begun = time.perf_counter()
        copy_file(source, ours, "xxh128")
        ratios.append(theirs / (time.perf_counter() - begun))
        for path in ours:
            path.unlink()
    source.unlink()
    yield (
        "speed of two copies with hash and reread, as a part of plain copies to both and a reread",
        -statistics.median(ratios[1:]), -0.95, "",
    )  # fmt: skip


def plain_copy(source: Path, target: Path) -> None:
    """cp, a flush to the drive and a reread past the cache."""
    subprocess.run(["cp", source, target], check=True)
    handle = os.open(target, os.O_RDONLY)
    os.fsync(handle)
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    os.close(handle)
    with target.open("rb", buffering=0) as reader:
        buffer = bytearray(4 << 20)
        while reader.readinto(buffer):
            pass


class Memory:
    """The most memory that this process and its workers hold together above what they hold now, in MB."""

    def __init__(self) -> None:
        self._process = psutil.Process()
        self._idle = self._now()
        self.most = 0.0
        self._stop = threading.Event()
        threading.Thread(target=self._watch, daemon=True).start()

    def _now(self) -> float:
        total = 0.0
        for process in (self._process, *self._process.children(recursive=True)):
            try:
                total += process.memory_full_info().uss / 1e6
            except psutil.Error:
                continue
        return total

    def _watch(self) -> None:
        while not self._stop.wait(0.1):
            self.most = max(self.most, self._now() - self._idle)

    def stop(self) -> None:
        self._stop.set()


def run_over(source: Path, folder: Path, name: str, preset: Preset) -> float:
    """Seconds that an ingest takes."""
    session = ProjectSession.open(folder / name / "film.otio")
    begun = time.perf_counter()
    try:
        request = IngestRequest(source, folder / name / "o", folder / name / "p", preset)
        report = IngestRun(request, session, JobStore()).run()
    finally:
        session.close()
    if report.copied != report.found:
        print(f"  {report.headline()}", file=sys.stderr)
    return time.perf_counter() - begun


def measure_memory(folder: Path, gigabytes: int = 20) -> Measured:
    """A large source (sparse files: the reading is real, the drive is spared), copied by worker and all."""
    source = folder / "huge"
    source.mkdir()
    for number in range(4):
        with (source / f"C{number * 10:04d}.MOV").open("wb") as handle:
            handle.truncate(gigabytes * 250_000_000)
            handle.write(number.to_bytes(4, "big"))
    copy_only = Preset(name="Copy", proxies=None)
    with WorkerPool(1) as pool:  # what a worker holds when it has done something small counts as idle
        pool.submit(brief_of, BriefRequest(source / "C0000.MOV")).result()
        memory = Memory()
        run_over(source, folder, "huge-film", copy_only)
        memory.stop()
        worker = max((p.memory_full_info().uss / 1e6 for p in psutil.Process().children(recursive=True)), default=0)
    shutil.rmtree(source)
    shutil.rmtree(folder / "huge-film", ignore_errors=True)
    yield (
        f"memory above idle while {gigabytes} GB are ingested, an idle worker taken off",
        memory.most - worker,
        100,
        " MB",
    )


def measure_overlap(folder: Path, rounds: int = 2) -> Measured:
    """Ingest with proxies against the longer of copying alone and making alone."""
    card = demo_card()
    proxies = Proxies(codec="dnxhr-lb", scale=Fraction(1, 4))
    both = Preset(name="Both", proxies=proxies)
    ratios = []
    for number in range(rounds):
        copying = run_over(card, folder, f"copy{number}", Preset(name="Copy", proxies=None))
        make_only = Preset(name="Make", originals=Originals(do="leave", checksum="size"), proxies=proxies)
        making = run_over(card, folder, f"make{number}", make_only)
        ratios.append(run_over(card, folder, f"both{number}", both) / max(copying, making))
        for name in ("copy", "make", "both"):
            shutil.rmtree(folder / f"{name}{number}", ignore_errors=True)
    yield "ingest with proxies, against the longer of copying alone and making alone", min(ratios), 1.15, ""


def tiny_clips(source: Path, count: int) -> None:
    """Clips of ten small frames, each with bytes of its own."""
    source.mkdir(parents=True)
    one = source / "seed.mov"
    with av.open(str(one), "w", format="mov") as out:
        stream = out.add_stream("libx264", rate=25, options={"preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = 64, 36, "yuv420p"
        for number in range(10):
            frame = av.VideoFrame.from_ndarray(np.full((36, 64, 3), number * 20, np.uint8))
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    data = one.read_bytes()
    one.unlink()
    for number in range(count):
        tail = (8 + number % 50 + 8).to_bytes(4, "big") + b"free" + number.to_bytes(8, "big") + bytes(number % 50)
        (source / f"C{number * 2:05d}.MOV").write_bytes(data + tail)


def measure_queue(folder: Path, clips: int = 2500) -> Measured:
    """A window with 5,000 jobs: copies and proxies of 2,500 clips."""
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from agile_shadow.desktop.folders import Folders
    from agile_shadow.desktop.starting import make_app
    from agile_shadow.desktop.window import MainWindow
    from agile_shadow.desktop.work import Work
    from window import Stretch, pause, until

    source = folder / "queue"
    tiny_clips(source, clips)
    app = make_app(["bench"])
    project = folder / "queue-film" / "Queue.otio"
    preset = Preset(name="Queue", proxies=Proxies(codec="h264", scale=Fraction(1, 2)))
    request = IngestRequest(source, folder / "queue-film" / "o", folder / "queue-film" / "p", preset)
    for again in (False, True):
        begun = time.perf_counter()
        work = Work(ProjectSession.open(project))
        window = MainWindow(work, Folders(source, request.originals, request.proxies, folder), False, measure=False)
        window.show()
        work.resume_open_jobs()
        until(lambda window=window: window.isVisible())
        app.processEvents()
        if again:
            yield "start of the window with the queue of 5,000 jobs", time.perf_counter() - begun, 2, " s"
        pause(0.7)  # the start is measured above
        watch = Stretch()
        if not again:
            work.asked.start_ingest(request)
        window.command("jobs")
        until(lambda work=work: bool(work.ingest and work.ingest.progress().copied > 3), 60)
        for key in (Qt.Key.Key_3, Qt.Key.Key_2, Qt.Key.Key_4, Qt.Key.Key_3, Qt.Key.Key_2):
            pause(2.0)
            QTest.keyClick(window, key, Qt.KeyboardModifier.AltModifier)
            QTest.keyClick(window, Qt.Key.Key_Q)
        pause(4.0)
        gaps = sorted(watch.gaps)
        when = "after a new start" if again else "from its beginning"
        yield f"longest busy stretch of the window with 5,000 jobs, {when}", watch.longest, 50, " ms"
        yield f"  the same, 99.9th percentile, {when}", gaps[int(len(gaps) * 0.999)], 50, " ms"
        yield f"memory of the window with 5,000 jobs, {when}", watch.memory, 700, " MB"
        work.desk.stop(for_good=False)
        until(lambda work=work: not work.desk.runs, 60)
        watch.stop()
        window.close()
        app.processEvents()


def measure_fuzz(folder: Path, count: int = 2000) -> Measured:
    """Mutated media and sidecars through scan, settling, head, poster and probe: lost ones, worst time."""
    source = folder / "fuzz"
    seeds = _seeds(folder)
    moments = random.Random(11)
    names = []
    for number in range(count):
        seed = moments.choice(seeds)
        path = source / f"D{number // 100:02d}" / f"F{number:04d}{seed.suffix}"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(mutated(seed.read_bytes(), moments))
        names.append(path.relative_to(source).as_posix())
    listing = read_source(source)
    worst, lost = 0.0, 0
    with WorkerPool(2, 20.0) as pool:
        heads = {}
        for path in to_be_opened(listing):
            try:
                heads[path] = pool.submit(brief_of, BriefRequest(source / path)).result(90)
            except ShadowError:
                heads[path] = None
        listing = settle(listing, heads)
        told = {problem.path for problem in (*listing.passed_over, *listing.unreadable)}
        told |= {path for file in listing.files for path in (*file.sidecars, *file.copies)}
        for file in listing.files:
            for path in file.files:
                begun = time.perf_counter()
                if _answer(pool, source / path):
                    told.add(path)
                worst = max(worst, time.perf_counter() - begun)
    lost = sum(1 for name in names if name not in told)
    shutil.rmtree(source)
    yield f"of {count} mutated files, those neither taken nor passed over with a reason", float(lost), 0, ""
    yield "the longest that one of them took", worst, 45, " s"


def _answer(pool: WorkerPool, path: Path) -> bool:
    """Whether a file is taken or refused in words; a worker that dies or stalls is such a reason too."""
    try:
        seen = pool.submit(inspect, InspectRequest(path)).result(90)
        pool.submit(look, LookRequest(path)).result(90)
        return isinstance(seen, Inspection) and (seen.head is not None or bool(seen.problem))
    except ShadowError as error:
        return bool(str(error))


def _seeds(folder: Path) -> list[Path]:
    """Small files of many kinds."""
    out = folder / "seeds"
    out.mkdir()
    card = demo_card()
    small = [path for path in sorted(card.rglob("*")) if path.is_file() and 0 < path.stat().st_size < 1_000_000]
    for number, path in enumerate(small):
        (out / f"s{number}{path.suffix}").write_bytes(path.read_bytes())
    for codec, ending, pixels in (
        ("mjpeg", ".avi", "yuvj420p"), ("mpeg2video", ".mxf", "yuv420p"), ("ffv1", ".mkv", "yuv420p"),
        ("prores_ks", ".mov", "yuv422p10le"), ("libx264", ".mp4", "yuv420p"), ("mpeg2video", ".ts", "yuv420p"),
    ):  # fmt: skip
        with av.open(str(out / f"{codec}{ending}"), "w") as container:
            stream = container.add_stream(codec, rate=25)
            stream.width, stream.height, stream.pix_fmt = 128, 72, pixels
            for number in range(12):
                frame = av.VideoFrame.from_ndarray(np.full((72, 128, 3), number * 9, np.uint8)).reformat(format=pixels)
                frame.pts, frame.time_base = number, Fraction(1, 25)
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))
    (out / "side.xml").write_text("<clip name='x'/>")
    return sorted(out.iterdir())


def mutated(data: bytes, moments: random.Random) -> bytes:
    """Bytes changed, cut off, doubled or filled, at random places."""
    buffer = bytearray(data)
    for _ in range(moments.randrange(1, 12)):
        place = moments.randrange(max(1, len(buffer)))
        how = moments.randrange(5)
        if how == 0:
            buffer[place : place + 1] = bytes([moments.randrange(256)])
        elif how == 1:
            buffer = buffer[:place]
        elif how == 2:
            buffer[place:place] = buffer[place : place + moments.randrange(64)]
        elif how == 3:
            buffer[place : place + 4] = moments.choice([b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", b"\x80\0\0\0"])
        else:
            head = moments.randrange(min(512, max(1, len(buffer))))
            buffer[head : head + 1] = bytes([moments.randrange(256)])
    return bytes(buffer)
