"""Amounts of data for a person."""

from __future__ import annotations


def amount(size: float) -> str:
    """Bytes in GB with one decimal; small amounts in the unit that shows them: ``3.2 GB``, ``41.0 MB``, ``7 bytes``."""
    for unit, one, least in (("GB", 1e9, 50e6), ("MB", 1e6, 50e3), ("kB", 1e3, 1e3)):
        if size >= least:
            return f"{size / one:.1f} {unit}"
    return f"{size:.0f} bytes"


def counted(number: int, one: str, many: str = "") -> str:
    """``1 clip``, ``3 clips``; ``many`` where the plural is not the word with an s."""
    return f"{number:,} {one if number == 1 else many or f'{one}s'}"


def needing(number: int) -> str:
    """``1 needs attention``, ``3 need attention``."""
    return f"{number:,} {'needs' if number == 1 else 'need'} attention"
