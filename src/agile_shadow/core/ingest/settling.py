"""What only opening the files tells of a source: recordings in several files, cameras' small copies, separate sound."""

from __future__ import annotations

import itertools
import os
import re
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from fractions import Fraction
from pathlib import Path

from ..errors import ShadowError
from ..jobs import Report
from ..media.brief import Brief, brief
from ..media.joined import joined_name
from ..media.probe import is_small_copy_name
from ..media.recording import JOINT
from ..project.report import Problem
from ..time import frame_of, nominal_rate
from .belonging import MOST_ADDED, may_share, stem_of
from .source import SourceFile, SourceListing

_FULL = 0.97  # of the largest part: less than that is not a file that ran into its limit
_CLOCK = 3.0  # seconds by which cameras' clocks and file times may be off
_SMALLER = 0.8  # of its clip's bytes at most
_NUMBER = re.compile(r"^(.*?)(\d+)(\D{0,4})$")
Briefs = Mapping[str, Brief | None]


@dataclass(frozen=True)
class BriefRequest:
    """A file of a source."""

    path: Path


def brief_of(request: BriefRequest, report: Report) -> Brief | None:
    """The brief of a file, None when it cannot be opened: a task for a worker."""
    try:
        return brief(request.path)
    except (ShadowError, OSError):
        return None


def to_be_opened(listing: SourceListing) -> list[str]:
    """Paths of the files that must be opened to :func:`settle` a listing."""
    wanted = {file.path for run in _runs(listing) for file in run}
    for small, clip in _maybe_copies(listing):
        wanted |= {small.path, clip.path}
    return sorted(wanted)


def settle(listing: SourceListing, briefs: Briefs, join: bool = True) -> SourceListing:
    """The listing with parts joined (if so wished) and small copies under their clips.

    What ``briefs`` does not hold stays as it is.
    """
    files = {file.path: file for file in listing.files}
    passed = list(listing.passed_over)
    for small, clip in _maybe_copies(listing):
        if small.path in files and clip.path in files:
            _put_under(files, small, clip, briefs)
    for file in list(files.values()):
        if is_small_copy_name(file.path):
            del files[file.path]
            passed.append(Problem(file.path, "camera proxy without its clip"))
    for run in _runs(replace(listing, files=tuple(files.values()))) if join else ():
        for parts in _recordings(run, briefs):
            for part in parts:
                del files[part.path]
            whole = _joined(parts)
            files[whole.path] = whole
    ordered = tuple(files[path] for path in sorted(files))
    return SourceListing(ordered, tuple(sorted(passed, key=lambda one: one.path)), listing.unreadable)


# Small copies and separate sound


def _maybe_copies(listing: SourceListing) -> list[tuple[SourceFile, SourceFile]]:
    """(smaller file, clip) by names and sizes."""
    by_stem: dict[str, list[SourceFile]] = defaultdict(list)
    for file in listing.files:
        if file.kind == "video" and not file.members:
            by_stem[stem_of(file.path)].append(file)
    found = []
    for stem, group in by_stem.items():
        for file in group:
            clips = [clip for clip in _of_that_name(stem, by_stem) if _may_be_copy(file, clip)]
            if clips:
                found.append((file, max(clips, key=lambda clip: clip.size)))
    return found


def _of_that_name(stem: str, by_stem: Mapping[str, list[SourceFile]]) -> list[SourceFile]:
    names = [stem, *(stem[:-cut] for cut in range(1, MOST_ADDED + 1) if len(stem) - cut >= 3)]
    return [file for name in names for file in by_stem.get(name, ())]


def _may_be_copy(file: SourceFile, clip: SourceFile) -> bool:
    return (
        file.path != clip.path and file.size < _SMALLER * clip.size and may_share(file.path, clip.path)
        and not is_small_copy_name(clip.path)
    )  # fmt: skip


def _put_under(files: dict[str, SourceFile], small: SourceFile, clip: SourceFile, briefs: Briefs) -> None:
    mine, its = briefs.get(small.path), briefs.get(clip.path)
    if its is None or not its.has_picture:
        return
    owner = files[clip.path]
    if mine is not None and is_small_copy(mine, its):
        owner = replace(owner, copies=(*owner.copies, small.path))
    elif is_small_copy_name(small.path) or (mine is not None and not mine.has_picture):
        owner = replace(owner, sidecars=tuple(sorted((*owner.sidecars, small.path))))
    else:
        return
    files[clip.path] = replace(owner, sidecars=tuple(sorted((*owner.sidecars, *files[small.path].sidecars))))
    del files[small.path]


def is_small_copy(small: Brief, clip: Brief) -> bool:
    """Whether a file has its clip's frames, and fewer pixels."""
    same = small.frames == clip.frames and small.rate == clip.rate
    return small.has_picture and same and small.width * small.height < clip.width * clip.height


# Recordings in several files


def _runs(listing: SourceListing) -> list[list[SourceFile]]:
    """Video files of one folder, numbered on from each other, where one could be followed by its next part."""
    numbered: dict[tuple[str, str, str], list[tuple[int, SourceFile]]] = defaultdict(list)
    for file in listing.files:
        stem, ending = os.path.splitext(os.path.basename(file.path))
        match = _NUMBER.match(stem)
        if file.kind == "video" and not file.members and match is not None and JOINT not in file.path:
            folder = os.path.dirname(file.path)
            numbered[(f"{folder}/{match[1]}", match[3], ending.casefold())].append((int(match[2]), file))
    runs = []
    for group in numbered.values():
        group.sort(key=lambda item: item[0])
        run: list[SourceFile] = []
        last = None
        for number, file in group:
            if run and not (number - 1 == last and run[-1].size >= _FULL * file.size):
                runs.append(run)
                run = []
            run.append(file)
            last = number
        runs.append(run)
    return [run for run in runs if len(run) > 1]


def _recordings(run: list[SourceFile], briefs: Briefs) -> list[list[SourceFile]]:
    found, parts = [], run[:1]
    for before, after in itertools.pairwise(run):
        full = all(part.size >= _FULL * run[0].size for part in parts) if parts[0] is run[0] else True
        if full and continues(before, after, briefs.get(before.path), briefs.get(after.path)):
            parts = [*parts, after]
        else:
            found.append(parts)
            parts = [after]
    return [one for one in (*found, parts) if len(one) > 1]


def continues(before: SourceFile, after: SourceFile, first: Brief | None, second: Brief | None) -> bool:
    """Whether a file goes on where another ends: its timecode to the frame, and the clock of the camera or the card.

    Timecode alone does not tell: cameras let it run on from clip to clip.
    """
    if first is None or second is None or not first.alike(second) or not first.timecode or not second.timecode:
        return False
    try:
        day = frame_of("23:59:59:00", first.rate) + nominal_rate(first.rate)
        end = frame_of(first.timecode, first.rate) + first.frames
        goes_on = end % day == frame_of(second.timecode, second.rate)
    except ValueError:
        return False
    return goes_on and _clock_goes_on(before, after, first, second)


def _clock_goes_on(before: SourceFile, after: SourceFile, first: Brief, second: Brief) -> bool:
    if first.recorded and second.recorded:
        passed = (_moment(second.recorded) - _moment(first.recorded)).total_seconds()
        return passed == 0 or abs(passed - float(first.seconds)) <= _CLOCK
    written = Fraction(after.modified - before.modified, 10**9)
    return abs(written - second.seconds) <= _CLOCK


def _moment(text: str) -> datetime:
    return datetime.strptime(text, "%Y-%m-%d %H:%M:%S")


def _joined(parts: list[SourceFile]) -> SourceFile:
    folder = os.path.dirname(parts[0].path)
    name = joined_name([os.path.basename(part.path) for part in parts])
    return SourceFile(
        f"{folder}/{name}" if folder else name, "video", sum(part.size for part in parts),
        max(part.modified for part in parts), tuple(sorted(path for part in parts for path in part.sidecars)),
        tuple(part.path for part in parts), tuple(path for part in parts for path in part.copies),
    )  # fmt: skip


def settled(
    source: Path, listing: SourceListing, look: Callable[[Path], Brief | None] = lambda path: brief_of(
        BriefRequest(path), lambda done: None
    )
) -> SourceListing:  # fmt: skip
    """The listing settled, its files opened one after the other by ``look``."""
    return settle(listing, {path: look(source / path) for path in to_be_opened(listing)})
