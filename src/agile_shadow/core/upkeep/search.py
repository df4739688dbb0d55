"""Looking through files for the other halves of a project's clips: proxies for originals, and originals for proxies."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np

from ..errors import Cancelled, ShadowError
from ..estimates.measurements import key_of
from ..jobs import Executor
from ..matching.alignment import standing_table
from ..matching.assignment import Candidate, Match, Matching, Verdict
from ..matching.evidence import Sign, Traits, same_rate
from ..matching.names import Addition
from ..media import MediaInfo
from ..media.fingerprint import Fingerprint
from ..media.sequence import status
from ..media.signature import signature_as
from ..pairs import FileRef
from ..pairs.half import Half
from ..project import Clip, Project
from .listing import Found, Left, files_at
from .prints import Prints
from .probing import ProbeRequest, probe_or_reason
from .tasks import LooksRequest, Opposite, PrintRequest, looks_of, print_of

Role = Literal["proxy", "original"]
_BY_DATA, _BY_PICTURE = 6, 8  # originals whose pictures are looked at for one file
_SETTLED = 16.0  # evidence with which nothing else is looked at
_MORE = 1.3  # times the pixels of a clip's file: its original


@dataclass(frozen=True)
class Offer:
    """A file and the clip it seems to belong to. ``role``: what the file would be. ``offset``: frames of the original
    before the proxy's first one."""

    path: Path
    info: MediaInfo
    size: int
    modified: int
    clip: str
    role: Role
    offset: int
    verdict: Verdict
    findings: tuple[Sign, ...]
    says: str = ""

    @property
    def weight(self) -> float:
        """All evidence together, as a natural logarithm of odds."""
        return sum(finding.weight for finding in self.findings)


@dataclass(frozen=True)
class Offers:
    """The outcome: pairs to take, and files that are left alone."""

    pairs: tuple[Offer, ...] = ()
    left: tuple[Left, ...] = ()


@dataclass
class _Side:
    """One direction of the search: files against originals, with what was seen of them."""

    matching: Matching
    files: list[int]
    originals: list[int]
    candidates: dict[tuple[int, int], Candidate] = field(default_factory=dict)


class Search:
    """Of one project as it is now and some places. :meth:`run` reads files and may take minutes: not for the interface
    thread. :meth:`decide` is quick and may be asked again after a pair was confirmed by hand.

    ``pictures``: whether files are looked at and listened to, or only their names and data compared.
    """

    def __init__(
        self, project: Project, places: Iterable[Path], pool: Executor, pictures: bool = True,
        report: Callable[[str, float], None] = lambda what, part: None, stopped: Callable[[], bool] = lambda: False,
    ) -> None:  # fmt: skip
        self._project = project
        self._places = list(places)
        self._pool = pool
        self._pictures = pictures
        self._report = report
        self._stopped = stopped
        self._prints = Prints()
        self.clips: list[Clip] = []
        self._clip_paths: list[Path] = []
        self._stamps: dict[Path, tuple[int, int]] = {}
        self.files: list[Found] = []
        self._infos: list[MediaInfo] = []
        self._left: list[Left] = []
        self._made_prints: dict[Path, Fingerprint | None] = {}

    def run(self) -> Offers:
        """Read everything that is needed and decide. Raises ShadowError for a place that is not there."""
        self._list_clips()
        self._list_files()
        self._make_sides()
        if self._pictures:
            self._look_by_data()
            self._look_by_picture()
        return self.decide()

    # What there is

    def _list_clips(self) -> None:
        for clip in self._project.clips:
            path = _place(self._project, clip.original.file)
            if clip.original.info.kind == "video" and path is not None:
                self.clips.append(clip)
                self._clip_paths.append(path)
                self._stamps[path] = clip.original.size, clip.original.modified

    def _refuse_if_stopped(self) -> None:
        if self._stopped():
            raise Cancelled

    def _list_files(self) -> None:
        self._report("Listing files", 0.0)
        found, self._left = files_at(self._places, self._refuse_if_stopped)
        known = {path.absolute() for path in self._clip_paths}
        proxies = {_place(self._project, proxy.file) for clip in self._project.clips for proxy in clip.proxies}
        fresh = []
        for one in found:
            if one.path.absolute() in known:
                self._left.append(Left(str(one.path), "it is an original of this project"))
            elif one.path.absolute() in proxies:
                self._left.append(Left(str(one.path), "it is paired already"))
            else:
                fresh.append(one)
        requests = [(probe_or_reason, ProbeRequest(one.path)) for one in fresh]
        for one, info in zip(fresh, self._each("Opening files", requests), strict=True):
            if not isinstance(info, MediaInfo):
                self._left.append(Left(str(one.path), info if isinstance(info, str) else "it cannot be opened"))
            elif info.kind != "video":
                self._left.append(Left(str(one.path), f"it is {info.kind}, not video"))
            else:
                self.files.append(one)
                self._infos.append(info)

    def _each(self, what: str, requests: list[tuple[Any, Any]]) -> list[Any]:
        """Run tasks in the workers; None for those that failed."""
        futures: list[Future[Any]] = [self._pool.submit(task, request) for task, request in requests]
        answers: list[Any] = []
        for number, future in enumerate(futures):
            self._report(what, number / len(futures))
            self._refuse_if_stopped()
            try:
                answers.append(future.result())
            except ShadowError:
                answers.append(None)
        return answers

    def _make_sides(self) -> None:
        clips = [_traits_of_clip(clip) for clip in self.clips]
        files = [Traits.of(one.name, info) for one, info in zip(self.files, self._infos, strict=True)]
        most = max((_pixels(clip.original.info) for clip in self.clips), default=0)
        small = [number for number, info in enumerate(self._infos) if _pixels(info) <= most]
        proxies = _Side(Matching(clips, [files[number] for number in small]), small, list(range(len(clips))))
        without = [number for number, clip in enumerate(self.clips) if not clip.proxies]
        least = min((_pixels(self.clips[number].original.info) for number in without), default=0)
        large = [number for number, info in enumerate(self._infos) if least and _pixels(info) >= _MORE * least]
        originals = _Side(
            Matching([files[number] for number in large], [clips[number] for number in without]), without, large
        )
        self._sides: dict[Role, _Side] = {"proxy": proxies, "original": originals}
        for role, side in self._sides.items():
            found = side.matching.candidates()
            side.candidates = {key: one for key, one in found.items() if self._may_be(role, key)}

    def _may_be(self, role: Role, key: tuple[int, int]) -> bool:
        """Whether the one that would be the original has the more pixels."""
        side = self._sides[role]
        file, original = side.matching.files[key[0]].info, side.matching.originals[key[1]].info
        more = _MORE if role == "original" else 1.0
        return _pixels(file) * more <= _pixels(original)

    # Looking

    def _look_by_data(self) -> None:
        """At the files that names and data lead to."""
        for role in self._sides:
            wanted: dict[int, list[int]] = {}
            for file, original in sorted(known := self._sides[role].candidates, key=lambda key: -known[key].weight):
                if len(wanted.setdefault(file, [])) < _BY_DATA:
                    wanted[file].append(original)
            self._look(role, wanted)

    def _look_by_picture(self) -> None:
        """At whatever looks alike, for files that are not settled yet."""
        for role, side in self._sides.items():
            settled = {one.file for one in self._decided(role) if one.verdict == "certain"}
            taken = {one.original for one in self._decided(role) if one.verdict == "certain"}
            if role == "original":  # what was found to be a proxy is nobody's original
                known = {self._sides["proxy"].files[one.file] for one in self._decided("proxy")}
            else:
                known = set()
            open_files = [number for number in range(len(side.files)) if number not in settled]
            open_originals = [
                number for number in range(len(side.originals))
                if number not in taken and side.originals[number] not in known
            ]  # fmt: skip
            if open_files and open_originals:
                self._look(role, self._alike(role, open_files, open_originals))

    def _alike(self, role: Role, files: list[int], originals: list[int]) -> dict[int, list[int]]:
        """For each file the originals that stand most alike, of its rate."""
        side = self._sides[role]
        possible = [number for number in originals if any(self._fits(role, file, number) for file in files)]
        prints = self._fingerprints([self._half(role, "file", n) for n in files])
        others = self._fingerprints([self._half(role, "original", n) for n in possible])
        files = [number for number, one in zip(files, prints, strict=True) if one is not None]
        possible = [number for number, one in zip(possible, others, strict=True) if one is not None]
        if not files or not possible:
            return {}
        table = standing_table([one for one in others if one], [one for one in prints if one])
        wanted: dict[int, list[int]] = {}
        for column, file in enumerate(files):
            ranked = [possible[row] for row in np.argsort(-table[:, column])]
            fresh = [n for n in ranked if self._fits(role, file, n) and not self._looked(side, file, n)]
            wanted[file] = fresh[:_BY_PICTURE]
        return wanted

    @staticmethod
    def _looked(side: _Side, file: int, original: int) -> bool:
        one = side.candidates.get((file, original))
        return one is not None and one.looks.picture is not None

    def _fits(self, role: Role, file: int, original: int) -> bool:
        matching = self._sides[role].matching
        first, second = matching.originals[original], matching.files[file]
        return same_rate(first, second) and second.frames <= first.frames + 2 and self._may_be(role, (file, original))

    def _look(self, role: Role, wanted: Mapping[int, list[int]]) -> None:
        """Lay files over originals, and weigh what is seen."""
        side = self._sides[role]
        files = [number for number, originals in wanted.items() if originals]
        needed = sorted({original for number in files for original in wanted[number]})
        prints = dict(zip(files, self._fingerprints([self._half(role, "file", n) for n in files]), strict=True))
        others = dict(zip(needed, self._fingerprints([self._half(role, "original", n) for n in needed]), strict=True))
        requests = []
        for number in files:
            mine = prints[number]
            opposites = tuple(
                self._opposite(role, number, original, its)
                for original in wanted[number] if (its := others[original]) is not None
            )  # fmt: skip
            if mine is not None and opposites:
                requests.append((number, LooksRequest(self._half(role, "file", number), mine, opposites)))
        answers = self._each("Comparing pictures", [(looks_of, request) for _number, request in requests])
        for (number, _request), looks in zip(requests, answers, strict=True):
            for original, one in (looks or {}).items():
                side.candidates[number, original] = side.matching.candidate(number, original, one)

    def _opposite(self, role: Role, file: int, original: int, its: Fingerprint) -> Opposite:
        half = self._half(role, "original", original)
        return Opposite(original, half, its, self._expected(role, file, original), self._stamps.get(half.path))

    def _expected(self, role: Role, file: int, original: int) -> int | None:
        matching = self._sides[role].matching
        first, second = matching.originals[original], matching.files[file]
        if first.start is not None and second.start is not None and 0 <= second.start - first.start < first.frames:
            return second.start - first.start
        return 0 if first.frames == second.frames else None

    def _half(self, role: Role, part: Literal["file", "original"], number: int) -> Half:
        side = self._sides[role]
        of_clip = (role == "proxy") == (part == "original")
        which = side.originals[number] if part == "original" else side.files[number]
        if of_clip:
            return Half(self._clip_paths[which], self.clips[which].original.info)
        return Half(self.files[which].path, self._infos[which])

    def _fingerprints(self, halves: list[Half]) -> list[Fingerprint | None]:
        missing = [half for half in halves if half.path not in self._made_prints]
        keys: dict[Path, str] = {}
        there: set[Path] = set()
        for half in missing:
            try:
                keys[half.path] = key_of(half.path, *status(half.path))
                there.add(half.path)
            except OSError:  # an original whose drive is away may have been looked at before
                if half.path in self._stamps:
                    keys[half.path] = key_of(half.path, *self._stamps[half.path])
            self._made_prints[half.path] = self._kept(half, keys.get(half.path), half.path not in there)
        fresh = [half for half in missing if half.path in there and self._made_prints[half.path] is None]
        answers = self._each("Comparing pictures", [(print_of, PrintRequest(half)) for half in fresh])
        for half, made in zip(fresh, answers, strict=True):
            self._made_prints[half.path] = made
            if made is not None:
                self._prints.keep(keys[half.path], made)
        return [self._made_prints[half.path] for half in halves]

    def _kept(self, half: Half, key: str | None, away: bool) -> Fingerprint | None:
        """What was seen of a file earlier; of an original that is away also while its proxy was made."""
        found = self._prints.kept(key) if key is not None else None
        if found is None and away and half.path in self._stamps:
            signature = signature_as(half.path, *self._stamps[half.path])
            found = signature.fingerprint() if signature is not None else None
        return found

    # Deciding

    def _decided(self, role: Role) -> tuple[Match, ...]:
        side = self._sides[role]
        return side.matching.decide(side.candidates.values()).pairs

    def decide(self, taught: Collection[Addition] = (), confirmed: Mapping[Path, str] | None = None) -> Offers:
        """The best assignment by all that is known. ``taught``: additions to names confirmed by hand; ``confirmed``:
        clips (by identity) that a person chose for files: they are certain."""
        confirmed = confirmed or {}
        pairs: dict[Path, Offer] = {}
        reasons: dict[Path, str] = {}
        for role, side in self._sides.items():
            matching = Matching(side.matching.originals, side.matching.files, taught) if taught else side.matching
            candidates = [self._again(matching, key, one) for key, one in side.candidates.items()]
            if taught:
                known = set(side.candidates)
                fresh = matching.candidates()
                candidates += [one for key, one in fresh.items() if key not in known and self._may_be(role, key)]
            matches = matching.decide(candidates, self._settled(role, confirmed))
            for match in matches.pairs:
                offer = self._offer(role, side, match, confirmed)
                if offer.path not in pairs:
                    pairs[offer.path] = offer
            if role == "proxy":
                reasons.update({self.files[side.files[number]].path: text for number, text in matches.left})
        left = [*self._left]
        for one in self.files:
            if one.path not in pairs:
                left.append(Left(str(one.path), reasons.get(one.path, "no clip of this project is like it")))
        return Offers(tuple(pairs.values()), tuple(left))

    @staticmethod
    def _again(matching: Matching, key: tuple[int, int], one: Candidate) -> Candidate:
        return matching.candidate(*key, one.looks)

    def _settled(self, role: Role, confirmed: Mapping[Path, str]) -> dict[int, int]:
        side = self._sides[role]
        clip_at = {clip.id: number for number, clip in enumerate(self.clips)}
        file_at = {one.path: number for number, one in enumerate(self.files)}
        found = {}
        for path, clip in confirmed.items():
            file, number = file_at.get(path), clip_at.get(clip)
            if file is None or number is None:
                continue
            first, second = (file, number) if role == "proxy" else (number, file)
            if first in side.files and second in side.originals:
                found[side.files.index(first)] = side.originals.index(second)
        return found

    def _offer(self, role: Role, side: _Side, match: Match, confirmed: Mapping[Path, str]) -> Offer:
        first, second = side.files[match.file], side.originals[match.original]
        file, clip = (first, second) if role == "proxy" else (second, first)
        found, chosen = self.files[file], self.clips[clip]
        by_hand = confirmed.get(found.path) == chosen.id
        return Offer(
            found.path, self._infos[file], found.size, found.modified, chosen.id, role, match.offset,
            "certain" if by_hand else match.verdict, match.findings, "" if by_hand else match.says,
        )  # fmt: skip


def _place(project: Project, file: FileRef) -> Path | None:
    try:
        path = project.place(file)
    except ShadowError:
        return None
    return path.absolute() if path is not None else None


def _traits_of_clip(clip: Clip) -> Traits:
    """A clip is known by the path of its original below its shelf."""
    return Traits.of(clip.original.file.path, clip.original.info)


def _pixels(info: MediaInfo) -> int:
    return info.display_width * info.display_height
