"""Two cuts that began as one: what only one side changed is taken over, what both changed otherwise is asked.

Blocks, tracks and timelines are known by their identities, which a kit keeps.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from ..project import Cut
from ..project.cut import tidy_tags
from ..timeline import Block, Timeline, Track
from ..timeline.rows import settled

_SETTINGS = ("name", "rate", "width", "height", "mark_in", "mark_out", "start", "drop", "shape")
_TRACK = tuple(name for name in Track.__dataclass_fields__ if name not in ("blocks", "id"))


@dataclass(frozen=True)
class Conflict:
    """What both sides changed: ``key`` names it when the other side is chosen; ``what``: a few words. ``line``: the
    timeline's identity, "" for what is of no timeline."""

    key: str
    what: str
    line: str = ""


@dataclass(frozen=True)
class Merged:
    """The cut of both; where both changed the same, mine stands unless theirs was chosen. ``taken``: sentences about
    what came over from them."""

    cut: Cut
    conflicts: tuple[Conflict, ...]
    taken: tuple[str, ...]


def merge_cuts(base: Cut, mine: Cut, theirs: Cut, chosen: Collection[str] = ()) -> Merged:
    """``chosen``: keys of conflicts where theirs is to stand."""
    merging = _Merging(frozenset(chosen))
    lines = merging.lines(_lines(base), _lines(mine), _lines(theirs))
    open_ = next((line for line in lines if line.id == mine.timeline.id), lines[0])
    rest = tuple(line for line in lines if line is not open_)
    decisions = merging.decisions(base, mine, theirs)
    cut = replace(mine, timeline=open_, others=rest, decisions=decisions)
    return Merged(mine if cut == mine else cut, tuple(merging.conflicts), tuple(merging.taken))


def _lines(cut: Cut) -> dict[str, Timeline]:
    return {line.id: line for line in (cut.timeline, *cut.others)}


class _Merging:
    def __init__(self, chosen: frozenset[str]) -> None:
        self._chosen = chosen
        self.conflicts: list[Conflict] = []
        self.taken: list[str] = []

    def lines(
        self, base: Mapping[str, Timeline], mine: Mapping[str, Timeline], theirs: Mapping[str, Timeline]
    ) -> list[Timeline]:
        """All timelines of both. One that a side removed and the other did not change goes; the last one stays."""
        found = []
        for key in (*mine, *(one for one in theirs if one not in mine)):
            old, left, right = base.get(key), mine.get(key), theirs.get(key)
            if left is not None and right is not None and old is not None:
                found.append(self._line(old, left, right))
            elif left is None and right is not None:
                found += self._theirs_only(old, right)
            elif left is not None:
                found += self._mine_only(old, left)
        return found or list(mine.values())

    def _theirs_only(self, old: Timeline | None, right: Timeline) -> list[Timeline]:
        if old is None:
            self.taken.append(f"the timeline {right.name}, which is new")
            return [right]
        if old == right or not self._asked(f"line {right.id}", f"{right.name} was removed here and changed there", ""):
            return []
        return [right]

    def _mine_only(self, old: Timeline | None, left: Timeline) -> list[Timeline]:
        if old is None:
            return [left]
        if old == left:
            self.taken.append(f"that the timeline {left.name} was removed")
            return []
        gone = self._asked(f"line {left.id}", f"{left.name} was changed here and removed there", "")
        return [] if gone else [left]

    def _asked(self, key: str, what: str, line: str) -> bool:
        """Note a conflict; whether theirs was chosen."""
        self.conflicts.append(Conflict(key, what, line))
        return key in self._chosen

    def _line(self, old: Timeline, left: Timeline, right: Timeline) -> Timeline:
        if right == old or left == right:
            return left
        if left == old:
            self.taken.append(f"the timeline {right.name} as it was cut there")
            return right
        tracks = self._tracks(old, left, right)
        values = {name: self._value(name, old, left, right, left.id, f"{left.name}: its {name.replace('_', ' ')}")
                  for name in _SETTINGS}  # fmt: skip
        markers = _of_sets(old.markers, left.markers, right.markers)
        merged = replace(left, tracks=tracks, markers=tuple(sorted(markers, key=lambda one: one.frame)), **values)
        merged = self._without_overlaps(merged, left, right)
        if merged != left:
            self.taken.append(f"changes of {right.name} that were made there")
        return merged

    def _value(self, name: str, old: Any, left: Any, right: Any, line: str, what: str) -> Any:
        one, two, three = (getattr(side, name) for side in (old, left, right))
        if three == one or two == three:
            return two
        if two == one:
            return three
        return three if self._asked(f"{line} {what}", f"{what} was changed on both sides", line) else two

    def _tracks(self, old: Timeline, left: Timeline, right: Timeline) -> tuple[Track, ...]:
        sides = [{track.id: track for track in line.tracks} for line in (old, left, right)]
        found: list[Track] = []
        for key in (*sides[1], *(one for one in sides[2] if one not in sides[1])):
            base, mine, theirs = (side.get(key) for side in sides)
            if mine is not None and theirs is not None:
                found.append(self._track(base or replace(mine, blocks=()), mine, theirs, left))
            elif mine is None and theirs is not None and (base is None or base.blocks != theirs.blocks):
                found.append(theirs)  # new there, or changed there and removed here: nothing that was cut is lost
            elif mine is not None and (base is None or base.blocks != mine.blocks):
                found.append(mine)
        pictures = [track for track in found if track.kind == "picture"]
        return (*pictures, *(track for track in found if track.kind != "picture"))

    def _track(self, old: Track, left: Track, right: Track, line: Timeline) -> Track:
        sides = [{block.id: block for block in track.blocks} for track in (old, left, right)]
        blocks: list[Block] = []
        for key in (*sides[1], *(one for one in sides[2] if one not in sides[1])):
            base, mine, theirs = (side.get(key) for side in sides)
            kept = self._block(base, mine, theirs, line)
            if kept is not None:
                blocks.append(kept)
        values = {name: self._value(name, old, left, right, line.id, f"{line.name}, {left.name}: {name}")
                  for name in _TRACK}  # fmt: skip
        return replace(left, blocks=tuple(sorted(blocks, key=lambda block: block.start)), **values)

    def _block(self, old: Block | None, left: Block | None, right: Block | None, line: Timeline) -> Block | None:
        if right == old or left == right:
            return left
        if left == old:
            return right
        one = left or right
        assert one is not None
        what = f"{line.name}: {_at(line, left or right)} was changed on both sides"
        if left is None or right is None:
            what = f"{line.name}: {_at(line, one)} was removed on one side and changed on the other"
        return right if self._asked(f"block {one.id}", what, line.id) else left

    def _without_overlaps(self, merged: Timeline, left: Timeline, right: Timeline) -> Timeline:
        """Blocks of both that would lie over each other: mine stand, and the whole timeline is asked for."""
        if not any(_overlaps(track.blocks) for track in merged.tracks):
            return settled(merged)
        key = f"line {left.id}"
        what = f"{left.name}: what was added or moved on one side overlaps what was on the other"
        return right if self._asked(key, what, left.id) else left

    def decisions(self, base: Cut, mine: Cut, theirs: Cut) -> Mapping[str, Any]:
        """Pins, and tags of both sides: whatever else was decided there is of the kit's own files."""
        found = dict(mine.decisions)
        for clip in {*theirs.decisions, *base.decisions}:
            old, left, right = (cut.decision(clip) for cut in (base, mine, theirs))
            if right.tags not in (old.tags, left.tags):
                gone = {tag for tag in old.tags if tag not in left.tags or tag not in right.tags}
                both = {*left.tags, *right.tags} - gone
                found[clip] = left = replace(left, tags=tidy_tags(both))
                self.taken.append("tags of a clip")
            if right.pin == old.pin or right.pin == left.pin:
                continue
            if left.pin == old.pin or self._asked(f"pin {clip}", "a clip was pinned differently on both sides", ""):
                found[clip] = replace(left, pin=right.pin)
                self.taken.append("a pin of a clip")
        return found


def _of_sets(old: Iterable[Any], left: Iterable[Any], right: Iterable[Any]) -> list[Any]:
    before, mine, theirs = list(old), list(left), list(right)
    kept = [one for one in mine if one in theirs or one not in before]
    return kept + [one for one in theirs if one not in before and one not in kept]


def _overlaps(blocks: tuple[Block, ...]) -> bool:
    ordered = sorted(blocks, key=lambda block: block.start)
    return any(one.end > two.start for one, two in pairwise(ordered))


def _at(line: Timeline, block: Block | None) -> str:
    return f"the block at {line.timecode(block.start)}" if block is not None else "a block"

