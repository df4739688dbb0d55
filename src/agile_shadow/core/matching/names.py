"""Which files are named alike, after what the set itself shows to be added to every name is taken off."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Literal

from ..media import is_known_media_name

_MOST_BEFORE, _MOST_AFTER = 12, 16  # letters that may have been added
_LEAST_CORE = 3  # letters of a name that mean something
_SYSTEMATIC = 2  # names that show the same addition
_DIGITS = re.compile(r"\d+")
Kind = Literal["same", "systematic", "taught", "within"]


@dataclass(frozen=True)
class Addition:
    """What was added before and after a name; runs of digits stand as ``#``."""

    before: str
    after: str

    @property
    def words(self) -> str:
        """For a person."""
        return " and ".join(f'"{part}"' for part in (self.before, self.after) if part)


@dataclass(frozen=True)
class NameMatch:
    """``kind``: the same name; the same after a systematic addition, or one taught by hand, is taken off; the name lies
    within the other. ``shared``: how many originals have that name; ``folders``: how many folders above are named
    alike, beginning with the nearest."""

    kind: Kind
    addition: Addition
    shared: int
    folders: int


def core_of(path: str) -> str:
    """A file's name in small letters without its extensions, also doubled ones: ``A001.MOV.mov`` is ``a001``."""
    name = PurePosixPath(path).name
    while is_known_media_name(name) or PurePosixPath(name).suffix.lower() in (".lrv", ".lrf"):
        name = PurePosixPath(name).stem
    return name.casefold()


def addition_between(original: str, file: str) -> Addition | None:
    """What was added to an original's name to give a file's, None when it is not contained."""
    core, name = core_of(original), core_of(file)
    at = name.find(core)
    if at < 0 or not core:
        return None
    return Addition(_open(name[:at]), _open(name[at + len(core) :]))


def _open(text: str) -> str:
    return _DIGITS.sub("#", text)


def match_names(
    originals: Sequence[str], files: Sequence[str], taught: Collection[Addition] = ()
) -> dict[tuple[int, int], NameMatch]:
    """(number of the file, number of the original) of all that are named alike. Paths have ``/`` between folders."""
    by_core: dict[str, list[int]] = defaultdict(list)
    for number, path in enumerate(originals):
        by_core[core_of(path)].append(number)
    ways = [list(_ways(core_of(path), by_core)) for path in files]
    systematic = _systematic(ways)
    found: dict[tuple[int, int], NameMatch] = {}
    for number, path in enumerate(files):
        for core, addition in _best(ways[number], systematic, taught):
            kind = _kind(addition, systematic, taught)
            shared = by_core[core]
            for original in shared:
                folders = _folders_alike(originals[original], path)
                found[number, original] = NameMatch(kind, addition, len(shared), folders)
    return found


def _ways(name: str, by_core: dict[str, list[int]]) -> Iterator[tuple[str, Addition]]:
    """All (core, addition) of which a name can be made."""
    for before in range(min(_MOST_BEFORE, len(name)) + 1):
        for after in range(min(_MOST_AFTER, len(name) - before) + 1):
            core = name[before : len(name) - after]
            if core in by_core and (len(core) >= _LEAST_CORE or before + after == 0) and _whole(name, before, after):
                yield core, Addition(_open(name[:before]), _open(name[len(name) - after :] if after else ""))


def _whole(name: str, before: int, after: int) -> bool:
    """Whether a number is not cut in two: 12 is not within 4123."""
    end = len(name) - after
    left = before and name[before - 1].isdigit() and name[before].isdigit()
    right = after and name[end - 1].isdigit() and name[end].isdigit()
    return not (left or right)


def _systematic(ways: Sequence[Sequence[tuple[str, Addition]]]) -> Counter[Addition]:
    """How many different names show each addition."""
    cores: dict[Addition, set[str]] = defaultdict(set)
    for way in ways:
        for core, addition in way:
            cores[addition].add(core)
    return Counter({addition: len(names) for addition, names in cores.items()})


def _best(
    ways: Sequence[tuple[str, Addition]], systematic: Counter[Addition], taught: Collection[Addition]
) -> list[tuple[str, Addition]]:
    """Of several ways to read a name those that are seen most; the whole name before any part of it."""
    if not ways:
        return []

    def rank(way: tuple[str, Addition]) -> tuple[bool, bool, bool, int, int]:
        plain = not way[1].before and not way[1].after
        count = systematic[way[1]]
        return way[1] in taught, plain, count >= _SYSTEMATIC, len(way[0]), count

    best = max(rank(way) for way in ways)
    return [way for way in ways if rank(way)[:4] == best[:4]]


def _kind(addition: Addition, systematic: Counter[Addition], taught: Collection[Addition]) -> Kind:
    if addition in taught:
        return "taught"
    if not addition.before and not addition.after:
        return "same"
    return "systematic" if systematic[addition] >= _SYSTEMATIC else "within"


def _folders_alike(first: str, second: str) -> int:
    mine, theirs = PurePosixPath(first).parent.parts[::-1], PurePosixPath(second).parent.parts[::-1]
    count = 0
    for one, other in zip(mine, theirs, strict=False):
        if one.casefold() != other.casefold():
            break
        count += 1
    return count
