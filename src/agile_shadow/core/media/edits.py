"""What the media library does not follow of edit lists of MP4 and MOV files: other speeds, frames held, timecode."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import BinaryIO

from ..errors import MediaError

_MOST = 10_000  # boxes and edits looked at: more are no footage's
_ORDINARY = 0x00010000  # a speed of 1, 16.16

Edit = tuple[int, int, int]


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


def timecode_shift(path: Path) -> Fraction:
    """Seconds by which the first frame that is shown lies after the value that a file's timecode track begins with.

    The track may be edited like the picture (its first edit begins inside it), and a picture may begin late (its first
    edit shows nothing). Raises OSError.
    """
    with path.open("rb") as file:
        size = file.seek(0, 2)
        for moov in _within(file, 0, size, b"moov"):
            scale = _scale(file, *moov, b"mvhd")
            late = dict.fromkeys((b"vide", b"tmcd"), 0)
            inside = Fraction(0)
            seen: set[bytes] = set()
            for trak in _within(file, *moov, b"trak"):
                kind, own, edits = _track(file, *trak)
                if kind not in late or kind in seen or not edits:
                    seen.add(kind)
                    continue
                seen.add(kind)
                late[kind] = edits[0][0] if edits[0][1] < 0 else 0
                if kind == b"tmcd":
                    first = next((one for one in edits if one[1] >= 0), (0, 0, 0))
                    inside = Fraction(first[1], own) if own else Fraction(0)
            return inside + (Fraction(late[b"vide"] - late[b"tmcd"], scale) if scale else 0)
    return Fraction(0)


def _track(file: BinaryIO, begin: int, end: int) -> tuple[bytes, int, list[Edit]]:
    """What a track is, its ticks a second, and its edits."""
    kind, scale = b"", 0
    for mdia in _within(file, begin, end, b"mdia"):
        scale = _scale(file, *mdia, b"mdhd")
        for hdlr in _within(file, *mdia, b"hdlr"):
            file.seek(hdlr[0] + 8)
            kind = file.read(4)
    lists = [elst for edts in _within(file, begin, end, b"edts") for elst in _within(file, *edts, b"elst")]
    return kind, scale, [edit for elst in lists for edit in _edits(file, *elst)]


def _scale(file: BinaryIO, begin: int, end: int, wanted: bytes) -> int:
    """Ticks a second, as the head of a movie or of its media says; 0 where it says none."""
    for head in _within(file, begin, end, wanted):
        file.seek(head[0])
        content = file.read(32)
        place = 20 if content[:1] == b"\x01" else 12
        return int.from_bytes(content[place : place + 4], "big")
    return 0


def _speeds(file: BinaryIO) -> Iterator[int]:
    size = file.seek(0, 2)
    for moov in _within(file, 0, size, b"moov"):
        for trak in _within(file, *moov, b"trak"):
            for edts in _within(file, *trak, b"edts"):
                for elst in _within(file, *edts, b"elst"):
                    yield from (speed for _lasts, first, speed in _edits(file, *elst) if first >= 0)


def _edits(file: BinaryIO, begin: int, end: int) -> Iterator[Edit]:
    """How long each edit of a list lasts, where it begins in its track (-1: it shows nothing), and its speed."""
    file.seek(begin)
    head = file.read(8)
    if len(head) < 8:
        return
    layout = struct.Struct(">QqI" if head[0] == 1 else ">IiI")
    (count,) = struct.unpack(">I", head[4:])
    whole = min(count, _MOST, (end - begin - 8) // layout.size)
    content = file.read(whole * layout.size)
    yield from layout.iter_unpack(content[: len(content) // layout.size * layout.size])


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
