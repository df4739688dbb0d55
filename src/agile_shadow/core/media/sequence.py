"""Numbered image sequences: one clip of many files, named by a pattern such as ``SHOT_%04d.dpx``."""

from __future__ import annotations

import itertools
import os
import re
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import MediaError
from .joined import parts_of
from .recording import is_sequence

DEFAULT_RATE = Fraction(25)
_PATTERN = re.compile(r"%0(\d{1,2})d")
_NUMBERED = re.compile(r"^(.*?)(\d{2,10})(\.[A-Za-z0-9]{1,5})$")


@dataclass(frozen=True)
class Numbered:
    """A numbered file name: ``pattern`` of its sequence, and its ``number``."""

    pattern: str
    number: int


def numbered(name: str) -> Numbered | None:
    """The pattern and number of a file name such as ``SHOT_0001.dpx``, or None."""
    match = _NUMBERED.match(name)
    if match is None or "%" in name:
        return None
    before, digits, ending = match.groups()
    return Numbered(f"{before}%0{len(digits)}d{ending}", int(digits))


def member_name(pattern: str, number: int) -> str:
    """The name of one file of a sequence."""
    return _PATTERN.sub(lambda digits: f"{number:0{int(digits[1])}d}", pattern, count=1)


def members(path: Path) -> list[Path]:
    """The files of a sequence or recording in their order; a plain file is its only member. Raises OSError.

    Links and whatever else is no ordinary file are no members of a sequence.
    """
    if not is_sequence(path):
        return parts_of(path)
    found = []
    with os.scandir(path.parent) as entries:
        for entry in entries:
            one = numbered(entry.name)
            if one is not None and one.pattern == path.name and entry.is_file(follow_symlinks=False):
                found.append((one.number, path.with_name(entry.name)))
    return [member for _number, member in sorted(found)]


def first_number(path: Path) -> int:
    """Number of a sequence's first file. Raises MediaError when there is none, or where some are missing between."""
    numbers = [found.number for member in members(path) if (found := numbered(member.name)) is not None]
    if not numbers:
        raise MediaError("there is no file of this sequence", path, "Check that its drive is connected.")
    for before, after in itertools.pairwise(numbers):
        if after != before + 1:
            raise MediaError(f"frame {before + 1} of the sequence is missing", path, "Copy the sequence again.")
    return numbers[0]


def status(path: Path) -> tuple[int, int]:
    """(bytes, modification time in nanoseconds) of a file, or of all files of a clip together and the latest.

    Raises OSError, FileNotFoundError for a sequence without files.
    """
    found = [member.stat() for member in members(path)]
    if not found:
        raise FileNotFoundError(2, "No such file", str(path))
    return sum(one.st_size for one in found), max(one.st_mtime_ns for one in found)


def exists(path: Path) -> bool:
    """Whether the file, any file of the sequence, or every file of the recording is there."""
    try:
        return bool(members(path)) if is_sequence(path) else all(part.exists() for part in parts_of(path))
    except OSError:
        return False
