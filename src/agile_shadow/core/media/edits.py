"""Edit lists of MP4 and MOV files that the media library does not follow: other speeds and frames held."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from ..errors import MediaError

_MOST = 10_000  # boxes and edits looked at: more are no footage's
_ORDINARY = 0x00010000  # a speed of 1, 16.16


def refuse_other_speeds(path: Path) -> None:
    """Raises MediaError for a file that is to be played at another speed in parts, or held; OSError.

    Reads the heads of boxes and the edit lists only (ISO/IEC 14496-12, 8.6.6).
    """
    with path.open("rb") as file:
        for speed in _speeds(file):
            if speed != _ORDINARY:
                raise MediaError(
                    "plays a part at another speed by its edit list, which cannot be shown as it is meant", path,
                    "Have it written anew without that, by what made it.",
                )  # fmt: skip


def _speeds(file: BinaryIO) -> Iterator[int]:
    size = file.seek(0, 2)
    for moov in _within(file, 0, size, b"moov"):
        for trak in _within(file, *moov, b"trak"):
            for edts in _within(file, *trak, b"edts"):
                for elst in _within(file, *edts, b"elst"):
                    yield from _of_list(file, *elst)


def _of_list(file: BinaryIO, begin: int, end: int) -> Iterator[int]:
    """Speeds of the edits of a list that show something."""
    file.seek(begin)
    head = file.read(8)
    if len(head) < 8:
        return
    layout = struct.Struct(">QqI" if head[0] == 1 else ">IiI")
    (count,) = struct.unpack(">I", head[4:])
    whole = min(count, _MOST, (end - begin - 8) // layout.size)
    content = file.read(whole * layout.size)
    for _lasts, first, speed in layout.iter_unpack(content[: len(content) // layout.size * layout.size]):
        if first >= 0:
            yield speed


def _within(file: BinaryIO, begin: int, end: int, wanted: bytes) -> Iterator[tuple[int, int]]:
    """Where the boxes of a kind begin and end, without their heads, in a stretch of the file."""
    for _ in range(_MOST):
        if begin + 8 > end:
            return
        file.seek(begin)
        head = file.read(16)
        if len(head) < 8:
            return
        size, kind = struct.unpack(">I4s", head[:8])
        inside = 8
        if size == 1 and len(head) == 16:
            (size,) = struct.unpack(">Q", head[8:])
            inside = 16
        if size == 0:
            size = end - begin
        if size < inside:
            return
        if kind == wanted:
            yield begin + inside, min(begin + size, end)
        begin += size
