"""The best assignment of files to originals for the whole set at once, and how sure each pair of it is."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from ..late import csgraph, sparse
from .alignment import NONE, PictureFit, SoundFit
from .evidence import (
    MOVES_ALIKE,
    Sign,
    Traits,
    about_channels,
    about_date,
    about_length,
    about_name,
    about_picture,
    about_rate,
    about_reel,
    about_shape,
    about_sound,
    about_timecode,
    same_rate,
)
from .names import Addition, match_names

Verdict = Literal["certain", "likely"]
_LEAST = 4.0  # evidence without which two files are no candidates of each other
_CERTAIN = 11.5
_LEAD = 4.0  # evidence by which a certain pair is ahead of any other choice
_PICTURE_LEAD = 0.15  # correlation by which the right picture is ahead of others
_MANY = 20  # originals that a timecode may point at
_WORN = 0.2  # of the files: a timecode that so many share says nothing
_DEAR = 1000.0


@dataclass(frozen=True)
class Looks:
    """What was seen and heard of a file and an original: the fits of pictures and sound; the exact offset in frames
    where the pictures were laid over each other frame by frame, and whether they tell it from its neighbours."""

    picture: PictureFit | None = None
    sound: SoundFit | None = None
    exact: int | None = None
    sure: bool = False


@dataclass(frozen=True)
class Candidate:
    """A file and an original (by number) that may be a pair, and why."""

    file: int
    original: int
    findings: tuple[Sign, ...]
    looks: Looks = field(default_factory=Looks)

    @property
    def weight(self) -> float:
        """All evidence together."""
        return sum(finding.weight for finding in self.findings)


@dataclass(frozen=True)
class Match:
    """One pair of the assignment. ``offset``: frames of the original before the file's first one. ``says``: why it is
    no more than likely, or what else is worth knowing."""

    file: int
    original: int
    verdict: Verdict
    offset: int
    findings: tuple[Sign, ...]
    says: str = ""


@dataclass(frozen=True)
class Matches:
    """``pairs`` in the order of the files; ``left``: (number of the file, why no original was found for it)."""

    pairs: tuple[Match, ...]
    left: tuple[tuple[int, str], ...]


class Matching:
    """Of one set of originals and files. Look at :meth:`candidates` first, and at their pictures, then :meth:`decide`.

    ``taught``: what is added to names according to pairs confirmed by hand.
    """

    def __init__(self, originals: Sequence[Traits], files: Sequence[Traits], taught: Collection[Addition] = ()) -> None:
        self.originals, self.files = originals, files
        self._names = match_names([one.path for one in originals], [one.path for one in files], taught)
        starts = Counter(one.start for one in files if one.start is not None)
        worn = max(2, _WORN * len(files))
        self._worn = {start for start, count in starts.items() if count > worn}
        self._by_start: dict[int, list[int]] = defaultdict(list)
        for number, one in enumerate(originals):
            if one.start is not None:
                self._by_start[one.start].append(number)
        self._containing = _Containing(originals)

    def candidates(self) -> dict[tuple[int, int], Candidate]:
        """By what names and data say, (number of file, number of original)."""
        wanted: dict[tuple[int, int], None] = dict.fromkeys(self._names)
        for number, file in enumerate(self.files):
            if file.start is not None and file.start not in self._worn:
                for original in self._pointed_at(file):
                    wanted[number, original] = None
        found = {key: self.candidate(*key) for key in wanted}
        return {key: one for key, one in found.items() if one.weight > 0}

    def _pointed_at(self, file: Traits) -> list[int]:
        exact = self._by_start.get(file.start or 0, [])
        if 0 < len(exact) <= _MANY:
            return exact
        inside = self._containing.of(file)
        return inside if len(inside) <= _MANY else []

    def candidate(self, file: int, original: int, looks: Looks = Looks()) -> Candidate:
        """All evidence of two files."""
        mine, its = self.originals[original], self.files[file]
        name = self._names.get((file, original))
        delta = its.start == mine.start
        alike = len(self._by_start.get(its.start or 0, [])) if delta else len(self._containing.of(its))
        findings = (
            about_name(name) if name is not None else None,
            about_timecode(mine, its, alike, its.start not in self._worn),
            about_length(mine, its),
            about_rate(mine, its),
            about_shape(mine, its),
            about_channels(mine, its),
            about_reel(mine, its),
            about_date(mine, its),
            about_sound(looks.sound, mine.info.frame_rate),
            about_picture(looks.picture),
        )
        return Candidate(file, original, tuple(one for one in findings if one is not None), looks)

    def decide(self, candidates: Iterable[Candidate], settled: Mapping[int, int] | None = None) -> Matches:
        """The best assignment. ``settled``: originals (by number of the file) that a person has chosen."""
        kept = [one for one in candidates if one.weight >= _LEAST]
        by_file: dict[int, list[Candidate]] = defaultdict(list)
        by_original: dict[int, list[Candidate]] = defaultdict(list)
        for one in kept:
            by_file[one.file].append(one)
            by_original[one.original].append(one)
        chosen = _assigned(kept, len(self.originals), settled or {})
        pairs: list[Match] = []
        left: list[tuple[int, str]] = []
        taken = {one.original: one for one in chosen.values()}
        for number in range(len(self.files)):
            given = chosen.get(number)
            if given is not None:
                pairs.append(self._match(given, by_file[number], by_original[given.original], chosen))
            elif by_file.get(number):
                best = max(by_file[number], key=lambda c: c.weight)
                other = self.files[taken[best.original].file].path if best.original in taken else ""
                pairs.append(self._second(best, other))
            else:
                left.append((number, self._why_left(number)))
        return Matches(tuple(pairs), tuple(left))

    def _match(
        self, one: Candidate, of_file: Sequence[Candidate], of_original: Sequence[Candidate],
        chosen: Mapping[int, Candidate],
    ) -> Match:  # fmt: skip
        offset, known = self._offset(one)
        doubt = self._doubt(one, of_file, of_original, chosen, known)
        return Match(one.file, one.original, "likely" if doubt else "certain", offset, one.findings, doubt)

    def _doubt(
        self, one: Candidate, of_file: Sequence[Candidate], of_original: Sequence[Candidate],
        chosen: Mapping[int, Candidate], known: bool,
    ) -> str:  # fmt: skip
        """Why a pair is no more than likely; empty for a certain one."""
        if one.weight < _CERTAIN:
            return "too little evidence to pair it without asking"
        rival = max((c for c in of_file if c is not one), key=lambda c: c.weight, default=None)
        if rival is not None and one.weight - rival.weight < _LEAD:
            return f"{self.originals[rival.original].path} fits nearly as well"
        others = [c for c in of_original if c is not one and one.weight - c.weight < _LEAD]
        others = [c for c in others if chosen.get(c.file) is None or chosen[c.file] is c]
        if others:
            return f"{self.files[others[0].file].path} fits that original nearly as well"
        picture = one.looks.picture
        if picture is not None and picture.moving > NONE:
            if picture.moving < MOVES_ALIKE:
                return f"the picture moves only partly alike (likeness {picture.moving:.2f})"
            ahead = [c.looks.picture.moving for c in of_file if c is not one and c.looks.picture is not None]
            supported = sum(f.weight for f in one.findings if f.kind in ("names", "timecode", "sound")) >= _LEAD
            if ahead and picture.moving - max(ahead) < _PICTURE_LEAD and not supported:
                return "another take moves nearly alike"
        if not known:
            return "its start in the original is not certain to the frame"
        if not same_rate(self.originals[one.original], self.files[one.file]):
            return "it runs at another rate"
        return ""

    def _second(self, best: Candidate, other: str) -> Match:
        offset, _known = self._offset(best)
        says = f"the original has {other} already; this may be another proxy of it" if other else "nothing else fits"
        return Match(best.file, best.original, "likely", offset, best.findings, says)

    def _offset(self, one: Candidate) -> tuple[int, bool]:
        """Frames of the original before the file's first one, and whether that is known rather than guessed."""
        original, file = self.originals[one.original], self.files[one.file]
        looks = one.looks
        if looks.exact is not None and looks.sure:
            return looks.exact, True
        sound = next((f for f in one.findings if f.kind == "sound" and f.weight > 0), None)
        if sound is not None and looks.sound is not None:
            return looks.sound.offset(original.info.frame_rate), True
        if any(f.kind == "timecode" and f.weight > 0 for f in one.findings):
            return (file.start or 0) - (original.start or 0), True
        whole = file.frames == original.frames
        if looks.exact is not None:
            return looks.exact, whole and looks.exact == 0
        if looks.picture is not None and looks.picture.moving >= MOVES_ALIKE:
            return looks.picture.offset, whole and looks.picture.offset == 0
        return 0, abs(file.frames - original.frames) <= 1

    def _why_left(self, number: int) -> str:
        names = [original for file, original in self._names if file == number]
        if names:
            return f"it is named like {self.originals[names[0]].path}, but nothing else fits"
        return "no original is like it in name, timecode, picture or sound"


class _Containing:
    """Originals by the timecode they hold."""

    def __init__(self, originals: Sequence[Traits]) -> None:
        self._originals = originals
        held = sorted((one.start, number) for number, one in enumerate(originals) if one.start is not None)
        self._starts = np.array([start for start, _number in held], np.int64)
        self._numbers = [number for _start, number in held]
        self._longest = max((one.frames for one in originals if one.start is not None), default=0)
        self._known: dict[tuple[int, int], list[int]] = {}

    def of(self, file: Traits) -> list[int]:
        """Those that hold the whole of a file's timecode."""
        if file.start is None:
            return []
        key = file.start, file.frames
        if key not in self._known:
            high = int(np.searchsorted(self._starts, file.start, side="right"))
            low = int(np.searchsorted(self._starts, file.start - self._longest))
            self._known[key] = [
                number for number in self._numbers[low:high]
                if file.end <= self._originals[number].end + 2 and same_rate(self._originals[number], file)
            ]  # fmt: skip
        return self._known[key]


def _assigned(kept: Sequence[Candidate], originals: int, settled: Mapping[int, int]) -> dict[int, Candidate]:
    """The assignment with the most evidence, each file and each original once: by number of the file."""
    files = sorted({one.file for one in kept})
    if not files:
        return {}
    row_of = {file: row for row, file in enumerate(files)}
    edges: dict[tuple[int, int], Candidate] = {(row_of[one.file], one.original): one for one in kept}
    rows = [row for row, _column in edges]
    columns = [column for _row, column in edges]
    costs = [_DEAR - (one.weight - _LEAST) - (500.0 if settled.get(one.file) == one.original else 0.0)
             for one in edges.values()]  # fmt: skip
    for row in range(len(files)):  # each file may stay alone
        rows.append(row)
        columns.append(originals + row)
        costs.append(_DEAR)
    table = sparse.csr_matrix((costs, (rows, columns)), shape=(len(files), originals + len(files)))
    found = csgraph.min_weight_full_bipartite_matching(table)
    return {
        files[row]: edges[row, column]
        for row, column in zip(*(side.tolist() for side in found), strict=True)
        if column < originals
    }
