"""What is set on blocks, tracks and the timeline itself: effects, speed, dissolves, links, markers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

from .edits import whole
from .effects import Title
from .model import Block, Dissolve, Effects, Kind, Marker, Side, Timeline, Track, new_id
from .rows import closed, laid_back, opened, put, settled, without

SLOWEST, FASTEST = Fraction(1, 20), Fraction(20)


def changed(
    line: Timeline, identities: Iterable[str], change: Callable[[Block], Block], locked_too: bool = False
) -> Timeline:
    """Blocks changed each by itself, where their tracks are not locked; start and length must stay."""
    wanted = set(identities)
    rows = []
    for track in line.tracks:
        if (locked_too or not track.locked) and any(block.id in wanted for block in track.blocks):
            rows.append(replace(track, blocks=tuple(change(b) if b.id in wanted else b for b in track.blocks)))
    return settled(line.with_tracks(*rows)) if rows else line


def with_effects(line: Timeline, identities: Iterable[str], change: Callable[[Effects], Effects]) -> Timeline:
    """Effects of blocks changed; raises ValueError for values without a meaning."""

    def one(block: Block) -> Block:
        effects = change(block.effects)
        effects.placement.checked()
        if effects.move is not None:
            effects.move.checked()
        effects.colour.checked()
        return replace(block, effects=effects)

    return changed(line, identities, one)


def with_pin(line: Timeline, identities: Iterable[str], pin: Side | None) -> Timeline:
    """Blocks pinned to a side, or following the switch."""
    return changed(line, identities, lambda block: replace(block, pin=pin))


def with_title(line: Timeline, identity: str, title: Title) -> Timeline:
    """A title's text, face, size and spot changed."""
    title.checked()
    return changed(line, [identity], lambda block: replace(block, title=title) if block.title is not None else block)


def add_title(line: Timeline, track: str, at: int, length: int, title: Title) -> Timeline:
    """A title laid onto a picture track, over what is there."""
    there = line.track(track)
    if there is None or there.locked or there.kind != "picture":
        return line
    block = Block("", max(0, at), max(1, length), Fraction(0), Fraction(0), title=title.checked())
    return settled(line.with_tracks(replace(there, blocks=put(there.blocks, block, line.rate))))


def with_speed(line: Timeline, identity: str, speed: Fraction, ripple: bool = True) -> Timeline:
    """A block and what belongs to it at another speed, showing the same footage: slower ones get longer.

    ``ripple``: what follows moves; else the block keeps its length as far as there is footage, and a longer one is cut
    off at its neighbour. Negative speeds run backward. Raises ValueError for 0 and beyond SLOWEST and FASTEST.
    """
    if not SLOWEST <= abs(speed) <= FASTEST:
        raise ValueError(f"a speed must be between {float(SLOWEST):g}x and {float(FASTEST):g}x, not {float(speed):g}x")
    block = line.block(identity)
    if block is None or not block.room:
        return line
    for one in sorted(whole(line, [identity]), key=lambda b: b.id != identity):
        if line.block(one.id) is not None:  # else it lay in the time that was taken out
            line = _resped(line, one, speed, ripple and one.id == identity)
    return settled(line)


def _resped(line: Timeline, block: Block, speed: Fraction, ripple: bool) -> Timeline:
    new = _at_speed(block, speed, line.rate)
    grown = new.length - block.length
    bare = without(line, {block.id})
    if ripple and grown:
        followers = [one for one in line.linked(block) if (one.start, one.end) == (block.start, block.end)]
        bare = without(bare, {one.id for one in followers})
        bare = opened(bare, block.end, grown) if grown > 0 else closed(bare, new.end, block.end)
        bare = laid_back(bare, line, followers)
    was = line.track_of(block.id)
    there = bare.track(was.id) if was is not None else None
    assert there is not None
    place = there.place_at(block.start) + 1
    if place < len(there.blocks):
        new = replace(new, length=min(new.length, there.blocks[place].start - new.start))
    return bare.with_tracks(replace(there, blocks=put(there.blocks, new, line.rate)))


def _at_speed(block: Block, speed: Fraction, rate: Fraction) -> Block:
    """The same footage at another speed."""
    step, new_step = abs(block.speed) / rate, abs(speed) / rate
    span = block.length * step
    first = block.source_start if block.speed > 0 else max(Fraction(0), block.source_start + step - span)
    end = min(first + span, block.room)
    begin = first if speed > 0 else max(Fraction(0), end - new_step)
    new = replace(block, speed=speed, source_start=begin, length=max(1, round(span / new_step)), dissolve=None)
    return replace(new, length=max(1, new.length + min(0, new.handles(rate)[1])))


def with_dissolve(line: Timeline, identity: str, length: int) -> Timeline:
    """A dissolve of ``length`` frames about the cut at the start of a block, as far as both sides have handles; 0 takes
    it away. The sound that belongs to the block and has the same cut is cross-faded."""
    block = line.block(identity)
    if block is None:
        return line
    group = [one for one in whole(line, [identity]) if one.start == block.start]
    for one in group:
        track = line.track_of(one.id)
        left = track.before(one) if track is not None else None
        if left is None and length:
            continue
        dissolve = _about_the_cut(line, left, one, length) if left is not None and length > 0 else None
        line = changed(line, [one.id], lambda b, dissolve=dissolve: replace(b, dissolve=dissolve))  # type: ignore[misc]
    return line


def fitting_dissolve(line: Timeline, identity: str, wanted: int) -> int:
    """How long a dissolve at the start of a block should be so that it is centred on the cut and takes no more than
    half of either block: ``wanted`` frames at the most; shorter and off the centre where only one side has handles."""
    block = line.block(identity)
    track = line.track_of(identity)
    left = track.before(block) if track is not None and block is not None else None
    if block is None or left is None:
        return wanted
    most = max(1, min(left.length, block.length) // 2)
    before, after = block.handles(line.rate)[0], left.handles(line.rate)[1]
    centred = 2 * min(before, after, most, wanted // 2)
    return centred if centred >= 2 else min(wanted, most)


def _about_the_cut(line: Timeline, left: Block, right: Block, length: int) -> Dissolve | None:
    most_before = min(right.handles(line.rate)[0], left.length)
    most_after = min(left.handles(line.rate)[1], right.length)
    before = min(length // 2, most_before)
    after = min(length - before, most_after)
    before = min(length - after, most_before)
    return Dissolve(before, after) if before + after else None


def cut_near(line: Timeline, track: str, frame: int) -> Block | None:
    """The block whose start is the cut nearest to a frame of a track."""
    there = line.track(track)
    cuts = [right for left, right in pairwise(there.blocks) if left.end == right.start] if there is not None else []
    return min(cuts, key=lambda block: abs(block.start - frame), default=None)


def linked(line: Timeline, identities: Iterable[str]) -> Timeline:
    """Blocks made to belong together."""
    link = new_id()
    return changed(line, identities, lambda block: replace(block, link=link))


def unlinked(line: Timeline, identities: Iterable[str]) -> Timeline:
    """Blocks and what belongs to them, each by itself."""
    return changed(line, [b.id for b in whole(line, identities)], lambda block: replace(block, link=""))


def out_of_step(line: Timeline, block: Block) -> int:
    """Frames by which a block is late against the picture (or sound) of the same clip that belongs to it; 0 in step.

    The picture nearest in time counts where there are several.
    """
    if not block.link or not block.room:
        return 0
    track = line.track_of(block.id)
    kind = track.kind if track is not None else "picture"
    others = [
        one for one in line.linked(block)
        if one.clip == block.clip and (t := line.track_of(one.id)) is not None and t.kind != kind
    ]  # fmt: skip
    if not others:
        return 0
    other = min(others, key=lambda one: abs(one.start - block.start))
    if other.speed != block.speed:
        return 1 if block.start >= other.start else -1
    if other.start == block.start and other.source_start == block.source_start:
        return 0  # as nearly all are: of thousands of blocks while they are drawn
    return round((other.moment(block.start, line.rate) - block.source_start) * line.rate / block.speed)


def in_step(line: Timeline, identity: str) -> Timeline:
    """A block whose step was lost is moved back beside what belongs to it, over what is there."""
    block = line.block(identity)
    if block is None:
        return line
    track = line.track_of(identity)
    late = out_of_step(line, block)
    if not late or track is None or track.locked or block.start - late < 0:
        return line
    bare = replace(track, blocks=tuple(b for b in track.blocks if b.id != identity))
    return settled(line.with_tracks(replace(bare, blocks=put(bare.blocks, block.at(block.start - late), line.rate))))


def add_track(line: Timeline, kind: Kind) -> Timeline:
    """With one more track: pictures above the others, sounds below."""
    row = line.pictures if kind == "picture" else line.sounds
    names = {track.name for track in line.tracks}
    number = next(n for n in range(len(row) + 1, 1000) if f"{kind.capitalize()} {n}" not in names)
    track = Track(kind, f"{kind.capitalize()} {number}")
    return replace(line, tracks=(*line.pictures, track, *line.sounds) if kind == "picture" else (*line.tracks, track))


def remove_track(line: Timeline, identity: str) -> Timeline:
    """Without a track and what is on it; a locked one and the last of its kind stay."""
    track = line.track(identity)
    if track is None or track.locked or sum(one.kind == track.kind for one in line.tracks) == 1:
        return line
    return replace(line, tracks=tuple(one for one in line.tracks if one.id != identity))


def with_track(line: Timeline, identity: str, **values: object) -> Timeline:
    """A track's ``name``, ``locked`` or ``off`` set."""
    track = line.track(identity)
    return line.with_tracks(replace(track, **values)) if track is not None else line  # type: ignore[arg-type]


def add_marker(line: Timeline, frame: int, note: str = "") -> Timeline:
    """A marker at a frame; the one there gets the note instead."""
    others = tuple(one for one in line.markers if one.frame != frame)
    there = next((one for one in line.markers if one.frame == frame), None)
    new = replace(there, note=note) if there is not None else Marker(frame, note)
    return replace(line, markers=tuple(sorted((*others, new), key=lambda one: one.frame)))


def remove_marker(line: Timeline, identity: str) -> Timeline:
    """Without a marker."""
    return replace(line, markers=tuple(one for one in line.markers if one.id != identity))


def with_marks(line: Timeline, first: int | None, last: int | None) -> Timeline:
    """First and last frame of the marked stretch; one that contradicts the other takes it away."""
    if first is not None and last is not None and first > last:
        raise ValueError(f"a range from {first} to {last}")
    return replace(line, mark_in=first, mark_out=last)
