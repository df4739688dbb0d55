"""Colour tables (.cube, three-dimensional), checked before anything is made with them.

Format: the published "Cube LUT Specification", version 1.0.
"""

from __future__ import annotations

from dataclasses import dataclass

LARGEST_SIDE = 129


@dataclass(frozen=True)
class CubeInfo:
    """``side``: entries along each axis of the table; ``title`` as in the file."""

    side: int
    title: str = ""


def read_cube(content: bytes) -> CubeInfo:
    """What a .cube file is; raises ValueError with the reason when it is not one that can be used."""
    try:
        lines = content.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise ValueError("is not a .cube table: it is not text") from error
    side, title, rows = 0, "", 0
    for number, line in enumerate(lines, 1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        if words[0] == "LUT_3D_SIZE":
            side = _side(words, number)
        elif words[0] == "TITLE":
            title = line.partition("TITLE")[2].strip().strip('"')
        elif words[0] == "LUT_1D_SIZE":
            raise ValueError("is a one-dimensional table; a three-dimensional one is needed")
        elif words[0].startswith(("DOMAIN_", "LUT_3D_INPUT_RANGE")):
            continue
        else:
            rows += _is_row(words, number)
    if not side:
        raise ValueError("is not a .cube table: the line LUT_3D_SIZE is missing")
    if rows != side**3:
        raise ValueError(f"has {rows} rows where a table of {side} needs {side**3}")
    return CubeInfo(side, title)


def _side(words: list[str], number: int) -> int:
    side = int(words[1]) if len(words) == 2 and words[1].isdigit() else 0
    if not 2 <= side <= LARGEST_SIDE:
        raise ValueError(f"line {number}: LUT_3D_SIZE must be between 2 and {LARGEST_SIDE}")
    return side


def _is_row(words: list[str], number: int) -> int:
    try:
        red, green, blue = map(float, words)
    except ValueError as error:
        raise ValueError(f"line {number} is not three numbers") from error
    if not all(-1e6 < value < 1e6 for value in (red, green, blue)):
        raise ValueError(f"line {number} has a number out of all range")
    return 1
