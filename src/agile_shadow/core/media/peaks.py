"""How loud a file is over its length, for drawing: a row of peaks, kept on this machine."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import MediaError
from ..files import written_atomically
from ..log import cache_folder
from .probe import probe
from .sound import SAMPLE_RATE, SoundReader

PER_SECOND = 50
_BLOCK = SAMPLE_RATE // PER_SECOND  # samples
_AT_ONCE = 500  # peaks
Peaks = NDArray[np.uint8]


def measure_peaks(path: Path) -> Peaks:
    """The largest sample of each fiftieth of a second, both sides together: uint8 (peaks,), 255 is full scale.

    Raises MediaError.
    """
    seconds = probe(path).duration
    reader = SoundReader(path)
    rows = []
    try:
        count = int(seconds * PER_SECOND) + 1
        for first in range(0, count, _AT_ONCE):
            blocks = min(_AT_ONCE, count - first)
            samples = np.abs(reader.read(first * _BLOCK, blocks * _BLOCK)).max(axis=1)
            rows.append(samples.reshape(blocks, _BLOCK).max(axis=1))
    finally:
        reader.close()
    whole = np.concatenate(rows) if rows else np.zeros(0, np.float32)
    loud: Peaks = np.clip(np.round(whole * 255), 0, 255).astype(np.uint8)
    return loud


def kept_peaks(path: Path) -> Peaks | None:
    """Peaks measured earlier of the file as it is now, None when there are none. Raises OSError for no such file."""
    place = _place(path)
    try:
        return np.frombuffer(place.read_bytes(), np.uint8) if place.exists() else None
    except OSError:
        return None


def peaks(path: Path, report: Callable[[float], None] = lambda done: None) -> Peaks:
    """The peaks of a file, from this machine's store or measured now: a task for a worker. Raises MediaError."""
    try:
        known = kept_peaks(path)
        if known is not None:
            return known
        found = measure_peaks(path)
        report(0.9)
        _place(path).parent.mkdir(exist_ok=True)
        with written_atomically(_place(path)) as partial:
            partial.write_bytes(found.tobytes())
    except OSError as error:
        raise MediaError("its sound could not be measured", path, "Check the file.") from error
    return found


def _place(path: Path) -> Path:
    status = path.stat()
    key = hashlib.sha1(f"{path.absolute()}\n{status.st_size}\n{status.st_mtime_ns}".encode()).hexdigest()
    return cache_folder() / "waves" / f"{key}.peaks"
