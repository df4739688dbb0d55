"""Two timelines beside each other: what was added, removed, moved, trimmed; each difference can be taken or left."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

from ..amounts import counted
from ..project import Project
from ..timeline import Block, Kind, Timeline, Track
from ..timeline.rows import put, settled

Change = Literal["added", "removed", "moved", "trimmed", "speed", "dissolve", "title"]


@dataclass(frozen=True)
class Difference:
    """One difference between ``mine`` and ``theirs``: blocks of one track in the order of time; of a moved run several.

    ``track``: its number among those of its ``kind``; ``by`` frames for a move, and for a trim of beginning and end.
    """

    change: Change
    kind: Kind
    track: int
    mine: tuple[Block, ...]
    theirs: tuple[Block, ...]
    by: tuple[int, ...] = ()

    @property
    def start(self) -> int:
        """Frame at which it begins, on whichever timeline has it."""
        return (self.mine or self.theirs)[0].start

    def words(self, name_of: Callable[[Block], str]) -> str:
        """The difference in a few words; ``name_of`` names a block's clip."""
        one = (self.theirs or self.mine)[0]
        name = name_of(one).replace("\n", " / ")
        if len(self.mine) > 1:
            return f"{counted(len(self.mine), 'block')} from {name} on {_moved(self.by[0])}"
        if self.change == "added":
            return f"{name} added, {_frames(one.length)}"
        if self.change == "removed":
            return f"{name} removed, {_frames(one.length)}"
        if self.change == "moved":
            return f"{name} {_moved(self.by[0])}"
        if self.change == "trimmed":
            return f"{name} {_trimmed(*self.by) if one.room else _longer(self.by[1], self.by[2])}"
        if self.change == "speed":
            return f"{name} runs at {float(one.speed):g}x instead of {float(self.mine[0].speed):g}x"
        if self.change == "title":
            return f"{name}: another text"
        return f"{name}: {_dissolve(one)} instead of {_dissolve(self.mine[0])}"


def _dissolve(block: Block) -> str:
    return f"a dissolve of {_frames(block.dissolve.length)}" if block.dissolve is not None else "a cut"


def block_names(project: Project) -> Callable[[Block], str]:
    """What blocks are called in words: by their clip, or by what a title says."""

    def name_of(block: Block) -> str:
        clip = project.clip(block.clip)
        if clip is not None:
            return clip.name
        return f'title "{block.title.text}"' if block.title is not None else "a block"

    return name_of


def _frames(count: int) -> str:
    return f"{count} {'frame' if count == 1 else 'frames'}"


def _moved(by: int) -> str:
    return f"moved {_frames(abs(by))} {'later' if by > 0 else 'earlier'}"


def _longer(frames: int, by: int) -> str:
    """Of a title or a still, which have no footage that could begin or end elsewhere."""
    parts = [f"{_frames(abs(frames))} {'longer' if frames > 0 else 'shorter'}"] + ([_moved(by)] if by else [])
    return ", ".join(parts)


def _trimmed(begin: int, end: int, by: int = 0) -> str:
    parts = []
    if begin:
        parts.append(f"begins {_frames(abs(begin))} {'later' if begin > 0 else 'earlier'} in its footage")
    if end:
        where = "in it" if begin else "in its footage"
        parts.append(f"ends {_frames(abs(end))} {'later' if end > 0 else 'earlier'} {where}")
    if by:
        parts.append(_moved(by))
    return ", ".join(parts)


@dataclass(frozen=True)
class _Edges:
    """A block as it is seen, whichever side of its dissolves the cut is put on."""

    start: int
    end: int
    source: Fraction  # seconds at its first frame


def compare_timelines(mine: Timeline, theirs: Timeline) -> tuple[Difference, ...]:
    """All differences, in the order of time. Timelines of two rates are compared by their frames."""
    found: list[Difference] = []
    kinds: tuple[Kind, ...] = ("picture", "sound")
    for kind in kinds:
        rows = [[track for track in line.tracks if track.kind == kind] for line in (mine, theirs)]
        for number in range(max(map(len, rows))):
            left, right = (row[number] if number < len(row) else Track(kind, "") for row in rows)
            found += _of_track(kind, number, left, right, mine.rate, theirs.rate)
    return tuple(sorted(found, key=lambda one: (one.start, one.kind, one.track)))


def _of_track(
    kind: Kind, number: int, left: Track, right: Track, rate: Fraction, other: Fraction
) -> list[Difference]:
    pairs = _in_place(left, right, rate, other)
    pairs += _paired(*_without(left.blocks, right.blocks, pairs))
    seen = {id(block) for _mine, block in pairs}
    kept = {id(block) for block, _theirs in pairs}
    found = [Difference("removed", kind, number, (one,), ()) for one in left.blocks if id(one) not in kept]
    found += [Difference("added", kind, number, (), (one,)) for one in right.blocks if id(one) not in seen]
    moved: list[Difference] = []
    for mine, theirs in pairs:
        one = _between(kind, number, mine, theirs, _edges(left, mine, rate), _edges(right, theirs, other), rate)
        if one is None:
            continue
        (moved if one.change == "moved" else found).append(one)
    return found + _runs(moved, left)


def _in_place(left: Track, right: Track, rate: Fraction, other: Fraction) -> list[tuple[Block, Block]]:
    """Uses of the same clip that begin at the same frame with the same one of their footage, to half a frame of slow
    motion: whatever else was done to them, they are the same."""
    known = {block.id for block in left.blocks} & {block.id for block in right.blocks}
    there = {(block.clip, edges.start): (block, edges) for block in right.blocks
             if block.id not in known and (edges := _edges(right, block, other))}  # fmt: skip
    pairs = []
    for block in left.blocks:
        if block.title is not None or block.id in known:
            continue
        edges = _edges(left, block, rate)
        found = there.get((block.clip, edges.start))
        if found is not None and found[0].speed == block.speed and abs(found[1].source - edges.source) * rate < 1:
            pairs.append((block, found[0]))
    return pairs


def _without(
    mine: Sequence[Block], theirs: Sequence[Block], pairs: list[tuple[Block, Block]]
) -> tuple[list[Block], list[Block]]:
    """The blocks of both sides that are in no pair yet."""
    done = {id(block) for pair in pairs for block in pair}
    return [block for block in mine if id(block) not in done], [block for block in theirs if id(block) not in done]


def _edges(track: Track, block: Block, rate: Fraction) -> _Edges:
    before = block.dissolve.before if block.dissolve is not None and track.before(block) is not None else 0
    after = track.after(block)
    given = after.dissolve.before if after is not None and after.dissolve is not None else 0
    start = block.start - before
    return _Edges(start, block.end - given, block.moment(start, rate))


def _between(
    kind: Kind, number: int, mine: Block, theirs: Block, left: _Edges, right: _Edges, rate: Fraction
) -> Difference | None:
    both = ((mine,), (theirs,))
    if mine.title != theirs.title:
        return Difference("title", kind, number, *both)
    if mine.speed != theirs.speed:
        return Difference("speed", kind, number, *both)
    step = mine.speed / rate
    begin = round((right.source - left.source) / step) if mine.room else 0
    longer = (right.end - right.start) - (left.end - left.start)
    by = right.start - left.start
    if not begin and not longer:
        if by:
            return Difference("moved", kind, number, *both, by=(by,))
        lengths = [one.dissolve.length if one.dissolve is not None else 0 for one in (mine, theirs)]
        return Difference("dissolve", kind, number, *both) if lengths[0] != lengths[1] else None
    rest = by - begin if mine.room else by
    return Difference("trimmed", kind, number, *both, by=(begin, begin + longer, rest))


def _runs(moved: Sequence[Difference], track: Track) -> list[Difference]:
    """Blocks one after another that moved by the same are one difference, as an inserted shot moves all behind it."""
    places = {block.id: place for place, block in enumerate(track.blocks)}
    runs: list[Difference] = []
    for one in sorted(moved, key=lambda difference: difference.start):
        last = runs[-1] if runs else None
        follows = last is not None and places[one.mine[0].id] == places[last.mine[-1].id] + 1
        if last is not None and follows and last.by == one.by:
            runs[-1] = replace(last, mine=last.mine + one.mine, theirs=last.theirs + one.theirs)
        else:
            runs.append(one)
    return runs


def _paired(mine: Sequence[Block], theirs: Sequence[Block]) -> list[tuple[Block, Block]]:
    """Blocks that are the same use of a clip: by identity, else those of a clip that share most of its footage."""
    by_id = {block.id: block for block in theirs}
    pairs = [(one, by_id[one.id]) for one in mine if one.id in by_id and by_id[one.id].clip == one.clip]
    left = {id(one) for one, _other in pairs}
    right = {id(other) for _one, other in pairs}
    groups: dict[tuple[str, str], tuple[list[Block], list[Block]]] = defaultdict(lambda: ([], []))
    for side, blocks, done in ((0, mine, left), (1, theirs, right)):
        for block in blocks:
            if id(block) not in done:
                groups[block.clip, block.title.text if block.title is not None else ""][side].append(block)
    for ours, others in groups.values():
        pairs += _nearest(*_without_equal(ours, others, pairs))
    return pairs


def _without_equal(
    mine: list[Block], theirs: list[Block], pairs: list[tuple[Block, Block]]
) -> tuple[list[Block], list[Block]]:
    """Of one clip: those that show the very same footage are paired in the order of time; the others are left."""
    same: dict[tuple[Fraction, int, Fraction], list[Block]] = defaultdict(list)
    for block in reversed(theirs):
        same[block.source_start, block.length, block.speed].append(block)
    left = []
    for block in mine:
        others = same[block.source_start, block.length, block.speed]
        if others:
            pairs.append((block, others.pop()))
        else:
            left.append(block)
    paired = {id(other) for _one, other in pairs}
    return left, [block for block in theirs if id(block) not in paired]


def _nearest(mine: list[Block], theirs: list[Block]) -> list[tuple[Block, Block]]:
    """Of one clip: the two that share most, then the next; nothing that shares nothing."""
    ranked = sorted(
        ((-_shared(one, other), abs(one.start - other.start), number, place)
         for number, one in enumerate(mine) for place, other in enumerate(theirs) if _shared(one, other) > 0)
    )  # fmt: skip
    pairs, left, right = [], set(), set()
    for _shared_frames, _away, number, place in ranked:
        if number not in left and place not in right:
            left.add(number)
            right.add(place)
            pairs.append((mine[number], theirs[place]))
    return pairs


def _shared(one: Block, other: Block) -> float:
    """Seconds of footage that two blocks have in common, reckoned at one frame a step; titles share all."""
    if not one.room or not other.room:
        return float(min(one.length, other.length))
    spans = []
    for block in (one, other):
        length = block.length * abs(block.speed)
        begin = block.source_start * 25 if block.speed > 0 else block.source_start * 25 - length
        spans.append((begin, begin + length))
    return float(min(spans[0][1], spans[1][1]) - max(spans[0][0], spans[1][0]))


def with_differences(mine: Timeline, differences: Collection[Difference]) -> Timeline:
    """My timeline with some differences taken from theirs. What is taken lies over what was there; effects, pins and
    what belongs together stay as I have them."""
    gone = {block.id for one in differences for block in one.mine}
    line = mine.with_tracks(*(
        replace(track, blocks=tuple(block for block in track.blocks if block.id not in gone))
        for track in mine.tracks if any(block.id in gone for block in track.blocks)
    ))  # fmt: skip
    for one in sorted(differences, key=lambda difference: difference.start):
        for place, block in enumerate(one.theirs):
            old = one.mine[place] if place < len(one.mine) else None
            line = _laid(line, one, block if old is None else _taken(old, block))
    return settled(line).checked()


def _taken(mine: Block, theirs: Block) -> Block:
    return replace(theirs, id=mine.id, effects=mine.effects, link=mine.link, pin=mine.pin)


def _laid(line: Timeline, difference: Difference, block: Block) -> Timeline:
    tracks = [track for track in line.tracks if track.kind == difference.kind]
    while len(tracks) <= difference.track:
        word = "Picture" if difference.kind == "picture" else "Sound"
        new = Track(difference.kind, f"{word} {len(tracks) + 1}")
        pictures = [track for track in line.tracks if track.kind == "picture"]
        sounds = [track for track in line.tracks if track.kind == "sound"]
        pictures, sounds = ([*pictures, new], sounds) if difference.kind == "picture" else (pictures, [*sounds, new])
        line = replace(line, tracks=(*pictures, *sounds))
        tracks = [track for track in line.tracks if track.kind == difference.kind]
    track = tracks[difference.track]
    return line.with_tracks(replace(track, blocks=put(track.blocks, block, line.rate)))
