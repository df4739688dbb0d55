"""Changing where blocks begin and end, and which part of their footage they show. Frames are frames of the timeline."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Literal

from .edits import whole
from .model import Block, Timeline
from .rows import closed, laid_back, opened, settled, without

Edge = Literal["start", "end"]


def trim(line: Timeline, identity: str, edge: Edge, by: int, ripple: bool = True) -> Timeline:
    """Move an edge of a block ``by`` frames later (earlier if negative), within its footage, with what belongs to it
    and has the same edge. ``ripple``: what follows closes up or makes room; else it stops at the neighbour."""
    block = line.block(identity)
    if block is None:
        return line
    group = [one for one in whole(line, [identity]) if getattr(one, edge) == getattr(block, edge)]
    if not any(one.id == identity for one in group):
        return line
    limit = min if by > 0 else max
    for one in group:
        by = limit(by, _furthest(line, one, edge, by, ripple))
    if not by:
        return line
    if ripple:
        return _rippled(line, block, group, edge, by)
    return _changed(line, group, lambda b: _edged(line, b, edge, by))


def _furthest(line: Timeline, block: Block, edge: Edge, by: int, ripple: bool) -> int:
    before, after = block.handles(line.rate)
    if edge == "end":
        furthest = min(by, after) if by > 0 else max(by, 1 - block.length)
        return min(furthest, _free(line, block, 1)) if by > 0 and not ripple else furthest
    furthest = min(by, block.length - 1) if by > 0 else max(by, -before)
    return max(furthest, -_free(line, block, -1)) if by < 0 and not ripple else furthest


def _free(line: Timeline, block: Block, side: int) -> int:
    """Empty frames after (1) or before (-1) a block."""
    track = line.track_of(block.id)
    assert track is not None
    number = track.place_at(block.start) + side
    if side > 0:
        return track.blocks[number].start - block.end if number < len(track.blocks) else 1 << 40
    return block.start - (track.blocks[number].end if number >= 0 else 0)


def _edged(line: Timeline, block: Block, edge: Edge, by: int) -> Block:
    if edge == "end":
        return replace(block, length=block.length + by)
    start = block.start + by
    return replace(block, start=start, length=block.length - by, source_start=block.moment(start, line.rate))


def _rippled(line: Timeline, block: Block, group: Sequence[Block], edge: Edge, by: int) -> Timeline:
    """The group keeps its start; time is put in or taken out at the moving edge on all other tracks."""
    grown = by if edge == "end" else -by
    at = block.end if edge == "end" else block.start
    ids = {one.id for one in group}
    bare = line
    if grown < 0:  # the group must not be touched by what happens to its neighbours
        start = block.end + grown if edge == "end" else block.start
        bare = closed(without(line, ids), start, start - grown)
    else:
        bare = opened(without(line, ids), at, grown)
    trimmed = [_edged(line, one, edge, by).at(one.start) for one in group]
    return settled(laid_back(bare, line, trimmed))


def _changed(line: Timeline, group: Sequence[Block], change: Callable[[Block], Block]) -> Timeline:
    new = {block.id: change(block) for block in group}
    tracks = {track.id: track for block in group if (track := line.track_of(block.id)) is not None}
    rows = [replace(track, blocks=tuple(new.get(b.id, b) for b in track.blocks)) for track in tracks.values()]
    return settled(line.with_tracks(*rows))


def roll(line: Timeline, identity: str, by: int) -> Timeline:
    """Move the cut at the start of a block ``by`` frames later: the block before grows or shrinks by as much as this
    one shrinks or grows. With those that belong to them and have the same cut."""
    pairs = _cuts(line, identity)
    for left, right in pairs:
        limit = (
            min(by, left.handles(line.rate)[1], right.length - 1)
            if by > 0
            else max(by, 1 - left.length, -right.handles(line.rate)[0])
        )
        by = limit
    if not by or not pairs:
        return line
    lefts, rights = {left.id for left, _right in pairs}, [right for _left, right in pairs]
    group = [*(left for left, _right in pairs), *rights]
    return _changed(line, group, lambda b: _edged(line, b, "end" if b.id in lefts else "start", by))


def _cuts(line: Timeline, identity: str) -> list[tuple[Block, Block]]:
    block = line.block(identity)
    found = []
    for one in whole(line, [identity]) if block is not None else ():
        track = line.track_of(one.id)
        left = track.before(one) if track is not None else None
        if left is not None and block is not None and one.start == block.start:
            found.append((left, one))
    return found if any(right.id == identity for _left, right in found) else []


def slip(line: Timeline, identity: str, by: int) -> Timeline:
    """Show footage ``by`` frames later in the same place, as far as there is footage."""
    group = whole(line, [identity])
    for one in group:
        before, after = one.handles(line.rate)
        by = min(by, after) if by > 0 else max(by, -before)
    if not by or not any(one.id == identity for one in group):
        return line
    return _changed(line, group, lambda b: replace(b, source_start=b.moment(b.start + by, line.rate)))


def slide(line: Timeline, identity: str, by: int) -> Timeline:
    """Move a block ``by`` frames later over its neighbours: the one before grows, the one after shrinks."""
    group = whole(line, [identity])
    if not any(one.id == identity for one in group):
        return line
    for one in group:
        by = _slidable(line, one, by)
    if not by:
        return line
    changes: dict[str, Block] = {}
    together = {one.id for one in group}  # may be neighbours themselves
    for one in group:
        track = line.track_of(one.id)
        assert track is not None
        changes[one.id] = one.at(one.start + by)
        left, right = track.before(one), track.after(one)
        if left is not None and left.id not in together:
            changes[left.id] = _edged(line, changes.get(left.id, left), "end", by)
        if right is not None and right.id not in together:
            changes[right.id] = _edged(line, changes.get(right.id, right), "start", by)
    blocks = [block for identity in changes if (block := line.block(identity)) is not None]
    return _changed(line, blocks, lambda b: changes[b.id])


def _slidable(line: Timeline, block: Block, by: int) -> int:
    track = line.track_of(block.id)
    assert track is not None
    left, right = track.before(block), track.after(block)
    if by > 0:
        room = right.length - 1 if right is not None else _free(line, block, 1)
        return min(by, room, left.handles(line.rate)[1] if left is not None else by)
    room = left.length - 1 if left is not None else _free(line, block, -1)
    return max(by, -room, -right.handles(line.rate)[0] if right is not None else by)
