"""A night of many clips: whether the last ones take as long as the first, what they leave, and proving them again."""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import psutil
import xxhash

from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import Originals, Preset, Proxies
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.state import state_file
from ingest import tiny_clips

Line = tuple[str, float, float, str]
_SOME = 100  # clips compared at both ends


def measure_night(folder: Path, clips: int = 2000) -> Iterator[Line]:
    """Small clips, copied, proven and with proxies, by an ingest without a window."""
    source, out = folder / "night", folder / "night-film"
    tiny_clips(source, clips)
    session = ProjectSession.open(out / "Night.otio")
    memory: list[tuple[float, float]] = []
    process, looked = psutil.Process(), [0.0]

    def heard() -> None:
        if time.monotonic() - looked[0] > 0.2:
            looked[0] = time.monotonic()
            memory.append((looked[0], process.memory_full_info().uss / 1e6))

    session.changed.connect(heard)
    preset = Preset(
        name="Night", originals=Originals(manifest=True), proxies=Proxies(codec="h264", scale=Fraction(1, 2))
    )
    store = JobStore()
    run = IngestRun(IngestRequest(source, out / "o", out / "p", preset), session, store)
    run.run()
    assert run.job is not None
    for kind, what in (("copy", "copied"), ("proxy", "with its proxy")):
        ended = sorted(piece.ended for piece in store.pieces(run=run.job) if piece.kind == kind and piece.ended)
        first, last = ended[_SOME] - ended[0], ended[-1] - ended[-1 - _SOME]
        yield f"a night of {clips:,} clips: the last {_SOME} {what}, against the first", last / first, 1.1, ""
    half = [size for _when, size in memory[len(memory) // 10 : len(memory) // 2]]
    later = [size for _when, size in memory[-len(memory) // 10 :]]
    yield "the same: memory of the run at its end above that of its first half", max(later) - max(half), 40, " MB"
    session.close()
    yield "the project file, for each clip", (out / "Night.otio").stat().st_size / clips / 1e3, 10, " kB"
    yield "machine.sqlite, for each clip", state_file().stat().st_size / clips / 1e3, 10, " kB"
    yield from _verified(out / "o", clips)


def _verified(copies: Path, clips: int) -> Iterator[Line]:
    root = next(path.parent for path in sorted(copies.rglob("ascmhl")))
    begun = time.perf_counter()
    for path in root.rglob("*.MOV"):
        handle = os.open(path, os.O_RDONLY)
        os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
        xxhash.xxh3_128(os.read(handle, 1 << 20)).hexdigest()
        os.close(handle)
    plain = time.perf_counter() - begun
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    begun = time.perf_counter()
    subprocess.run(
        [sys.executable, "-m", "agile_shadow.cli", "verify", str(root)], check=True, stdout=subprocess.DEVNULL
    )
    took, after = time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_CHILDREN)
    used = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    print(f"  verify of {clips:,} files: {took:.1f} s, {used:.1f} s of processors; reading them alone {plain:.2f} s")
    yield f"verify of {clips:,} small files, processor time", used, 5, " s"
