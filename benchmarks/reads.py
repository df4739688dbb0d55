"""What is read from the drives while a card is taken in: counted by the system, for this process and all it starts."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

from agile_shadow.core.ingest import InspectRequest, inspect, read_source
from agile_shadow.core.presets import Originals, Preset, Proxies, save_preset
from footage import demo_card

Measured = Iterator[tuple[str, float, float, str]]
_QUARTER = Proxies(codec="dnxhr-lb", scale=Fraction(1, 4))


def measure_reads(folder: Path) -> Measured:
    """A card whose files lie on a drive and not in memory: looked through, copied, read back, proxies made."""
    card = folder / "read card"
    shutil.copytree(demo_card(), card)
    size = _forget(card)
    if not _counts(card):
        print("  the drive of this folder is not one whose reads the system counts", flush=True)
        return
    with tempfile.TemporaryDirectory(dir=folder) as place:
        _ingest(card / "PHONE", Path(place), "warm", Preset(name="Warm", proxies=_QUARTER))  # libraries and program
    _forget(card)
    before = _read()
    for file in read_source(card).files:
        inspect(InspectRequest(file.at(card), picture=True), lambda done: None)
    yield "looking through a card in the list, with pictures: read, of its bytes", (_read() - before) / size, 0.5, ""
    kinds = {
        "copied": (Preset(name="Copied", proxies=None), 2),
        "copied, with proxies": (Preset(name="Both", proxies=_QUARTER), 2),
        "left in place, with proxies": (Preset(name="In place", originals=Originals(do="leave"), proxies=_QUARTER), 1),
    }
    for name, (preset, wanted) in kinds.items():
        _forget(card)
        with tempfile.TemporaryDirectory(dir=folder) as place:
            read = _ingest(card, Path(place), "run", preset)
        yield f"a card {name}: read from drives, times its bytes", read / size, wanted * 1.05, ""


def _forget(card: Path) -> int:
    """Have the system drop what it holds of the files in memory; their bytes."""
    size = 0
    for path in card.rglob("*"):
        if path.is_file():
            handle = os.open(path, os.O_RDONLY)
            os.fsync(handle)
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
            size += os.fstat(handle).st_size
            os.close(handle)
    return size


def _counts(card: Path) -> bool:
    """Whether reading a file is seen in the system's count."""
    path = max((one for one in card.rglob("*") if one.is_file()), key=lambda one: one.stat().st_size)
    before = _read()
    path.read_bytes()
    return _read() - before > path.stat().st_size // 2


def _read() -> int:
    """Bytes that this process, and those it has waited for, had fetched from drives (proc_pid_io(5), read_bytes)."""
    lines = dict(line.split(": ") for line in Path("/proc/self/io").read_text().splitlines())
    return int(lines["read_bytes"])


def _ingest(card: Path, base: Path, name: str, preset: Preset) -> int:
    """Run an ingest as a command; the bytes that were fetched from drives meanwhile."""
    chosen = save_preset(preset, base / "preset.json")
    command = [sys.executable, "-m", "agile_shadow.cli", "ingest", str(card), "--project", str(base / "film.otio"),
               "--preset", str(chosen), "--originals", str(base / "o"), "--proxies", str(base / "p"),
               "--now"]  # fmt: skip
    before = _read()
    subprocess.run(command, capture_output=True, check=False, env={**os.environ, "AGILE_SHADOW_HOME": str(base / name)})
    return _read() - before
