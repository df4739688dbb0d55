"""Numbered image sequences: one clip of many files, named by a pattern such as ``SHOT_%04d.dpx``."""

from __future__ import annotations

import itertools
import os
import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import MediaError
from .joined import parts_of
from .recording import is_sequence

DEFAULT_RATE = Fraction(25)
_PATTERN = re.compile(r"%0(\d{1,2})d")
_NUMBERED = re.compile(r"^(.*?)(\d{1,10})(\.[A-Za-z0-9]{1,5})$")


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


def grouped(names: Iterable[str]) -> dict[str, list[str]]:
    """Numbered names by the pattern of their sequence, in the order of their numbers.

    Numbers that grow a digit (``9999`` to ``10000``, or ``9`` to ``10``) go on in one sequence, whose pattern has the
    least number of digits.
    """
    rows: dict[tuple[str, str], dict[int, dict[int, str]]] = defaultdict(lambda: defaultdict(dict))
    for name in names:
        match = _NUMBERED.match(name)
        if match is not None and "%" not in name:
            before, digits, ending = match.groups()
            rows[before, ending][len(digits)][int(digits)] = name
    found = {}
    for (before, ending), widths in rows.items():
        for width in sorted(widths):
            if (row := widths.pop(width, None)) is not None:
                row = _grown(row, width, widths)
                found[f"{before}%0{width}d{ending}"] = [row[number] for number in sorted(row)]
    return found


def _grown(row: dict[int, str], width: int, widths: dict[int, dict[int, str]]) -> dict[int, str]:
    """With what follows with more digits, which is taken out of ``widths``."""
    longer = widths.get(width + 1)
    least = 10**width
    if not longer or least - 1 not in row or least not in longer or min(longer) < least:
        return row
    return _grown({**row, **widths.pop(width + 1)}, width + 1, widths)


def member_name(pattern: str, number: int) -> str:
    """The name of one file of a sequence."""
    return _PATTERN.sub(lambda digits: f"{number:0{int(digits[1])}d}", pattern, count=1)


def members(path: Path) -> list[Path]:
    """The files of a sequence or recording in their order; a plain file is its only member. Raises OSError.

    Links and whatever else is no ordinary file are no members of a sequence.
    """
    if not is_sequence(path):
        return parts_of(path)
    before = path.name.partition("%0")[0]
    with os.scandir(path.parent) as entries:
        names = [one.name for one in entries if one.name.startswith(before) and one.is_file(follow_symlinks=False)]
    return [path.with_name(name) for name in grouped(names).get(path.name, ())]


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
