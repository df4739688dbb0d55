"""Recordings that a camera split over several files: one clip, named by its files in order, ``A_1.MOV + A_2.MOV``."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer

from .demuxers import FOOTAGE
from .recording import JOINT, is_joined

_MICRO = 1_000_000  # ticks a second in which the reader of lists counts


def joined_name(names: Sequence[str]) -> str:
    """The name of a recording by the names of its files; a single file keeps its own."""
    return JOINT.join(names)


def parts_of(path: Path) -> list[Path]:
    """The files of a recording in order; of any other path itself alone. Touches no drive."""
    return [path.with_name(name) for name in path.name.split(JOINT)] if is_joined(path) else [path]


def open_joined(path: Path, lengths: Sequence[Fraction]) -> InputContainer:
    """Open a recording as one; ``lengths``: seconds of each file. Raises FFmpegError."""
    lines = ["ffconcat version 1.0"]
    for part, length in zip(parts_of(path), lengths, strict=True):
        name = str(part.absolute()).replace("'", "'\\''")
        lines += [f"file 'file:{name}'", f"duration {micro(length) / _MICRO:.6f}"]
    text = base64.b64encode("\n".join(lines).encode()).decode()
    options = {"safe": "0", "protocol_whitelist": "data,file", "format_whitelist": f"concat,{FOOTAGE}"}
    return av.open(f"data:text/plain;base64,{text}", format="concat", options=options, metadata_errors="replace")


def micro(seconds: Fraction) -> int:
    """Whole microseconds, the unit in which the joints lie."""
    return round(seconds * _MICRO)


def joint_ticks(lengths: Sequence[Fraction], starts: Sequence[int], time_base: Fraction) -> list[int]:
    """What is added to each file's times, in ticks, when they are read as one; ``starts``: microseconds of each file's
    own beginning."""
    shifts, joint = [], 0
    for length, start in zip(lengths, starts, strict=True):
        shifts.append(_nearest((joint - start) / (_MICRO * time_base)))
        joint += micro(length)
    return shifts


def _nearest(value: Fraction) -> int:
    """Rounded, halves away from zero, as the reader does it."""
    return int(abs(value) + Fraction(1, 2)) * (1 if value >= 0 else -1)
