"""A search in titles: which of them fit what was typed, the best first."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

T = TypeVar("T")


def fit(title: str, typed: str) -> float:
    """How well a title fits what was typed: 0 when a word of it is nowhere in the title, else more for beginnings.

    A word that begins a word of the title counts 3, one within a word 1; a title that begins with all that was typed
    gets 5 more, and shorter titles come before longer ones.
    """
    whole, wanted = title.casefold(), typed.casefold().split()
    if not wanted:
        return 0.0
    words = whole.replace("_", " ").replace("-", " ").split()
    points = 0.0
    for word in wanted:
        if any(one.startswith(word) for one in words) or whole.startswith(word):
            points += 3
        elif word in whole:
            points += 1
        else:
            return 0.0
    if whole.startswith(" ".join(wanted)):
        points += 5
    return points + 1 / (1 + len(whole))


def best(things: Iterable[T], title: Callable[[T], str], typed: str, most: int = 60) -> list[T]:
    """Those that fit, the best first; equal ones in the order they came."""
    rated = [(fit(title(one), typed), one) for one in things]
    found = sorted((pair for pair in rated if pair[0] > 0), key=lambda pair: -pair[0])
    return [one for _points, one in found[:most]]
