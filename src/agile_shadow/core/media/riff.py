"""The chunks of a RIFF file (wave files, also RF64 and BW64): where they lie, by their heads alone."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from ..below import open_ordinary

_KINDS = (b"RIFF", b"RF64", b"BW64")
_MOST = 200  # chunks looked at
UNSAID = 0xFFFFFFFF  # a size that another chunk says


@dataclass(frozen=True)
class Chunk:
    """A chunk: its name, where its content begins, and how many bytes its head says it has."""

    name: bytes
    begin: int
    size: int


@contextmanager
def wave_chunks(path: Path) -> Iterator[tuple[int, Iterator[Chunk]]]:
    """An open handle and the chunks of a wave file; none where it is none. Raises OSError."""
    handle = open_ordinary(os.path.realpath(path))
    try:
        head = os.pread(handle, 12, 0)
        yield handle, _chunks(handle) if head[:4] in _KINDS and head[8:] == b"WAVE" else iter(())
    finally:
        os.close(handle)


def _chunks(handle: int) -> Iterator[Chunk]:
    at = 12
    for _number in range(_MOST):
        head = os.pread(handle, 8, at)
        if len(head) < 8:
            return
        size = int.from_bytes(head[4:], "little")
        yield Chunk(head[:4], at + 8, size)
        at += 8 + size + size % 2


def missing_from_wave(path: Path) -> int:
    """Bytes of sound that a wave file's head says and that are not there. Raises OSError."""
    with wave_chunks(path) as (handle, chunks):
        data = next((one for one in chunks if one.name == b"data"), None)
        if data is None or data.size == UNSAID:
            return 0
        return max(0, data.begin + data.size - os.fstat(handle).st_size)
