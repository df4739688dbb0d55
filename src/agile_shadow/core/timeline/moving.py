"""Moving blocks: elsewhere in time, onto other tracks, into another order."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from .edits import remove, whole
from .model import Timeline, Track
from .rows import opened, put, settled, without


def move(line: Timeline, identities: Iterable[str], by: int, tracks: int = 0) -> Timeline:
    """Move blocks ``by`` frames later and, those named, ``tracks`` tracks further of their kind. They cover what is
    there. What belongs to them moves along in time. Nothing before frame 0; the same timeline where a track is missing
    or locked."""
    named = list(identities)
    group = whole(line, named)
    by = max(by, -min((block.start for block in group), default=0))
    targets: dict[str, Track] = {}
    for block in group:
        source = line.track_of(block.id)
        assert source is not None
        target = _further(line, source, tracks if block.id in named else 0)
        if target is None or target.locked:
            return line
        targets[block.id] = target
    if not group or (not by and all(line.track_of(block.id) is targets[block.id] for block in group)):
        return line
    line = without(line, {block.id for block in group})
    for block in group:
        track = line.track(targets[block.id].id)
        assert track is not None
        moved = replace(block.at(block.start + by), dissolve=block.dissolve if not tracks else None)
        line = line.with_tracks(replace(track, blocks=put(track.blocks, moved, line.rate)))
    return settled(line)


def _further(line: Timeline, track: Track, by: int) -> Track | None:
    row = line.pictures if track.kind == "picture" else line.sounds
    number = row.index(track) + by
    return row[number] if 0 <= number < len(row) else None


def reorder(line: Timeline, identity: str, to: int) -> Timeline:
    """Take a block and what belongs to it out and put it in at the edge nearest to frame ``to``; the others close up
    and make room."""
    block = line.block(identity)
    track = line.track_of(identity)
    if block is None or track is None or track.locked:
        return line
    group = [(line.track_of(one.id), one) for one in whole(line, [identity])]
    rest = remove(line, [identity])
    home = rest.track(track.id)
    assert home is not None
    target = max(0, min(to, home.end))
    under = home.block_at(target)
    if under is not None:
        target = under.start if target - under.start < under.end - target else under.end
    room = opened(rest, target, block.length)
    for where, one in group:
        there = room.track(where.id) if where is not None else None
        assert there is not None
        moved = one.at(max(0, one.start - block.start + target))
        room = room.with_tracks(replace(there, blocks=put(there.blocks, moved, line.rate)))
    return settled(room)


def neighbour(line: Timeline, identity: str, side: int) -> Timeline:
    """Let a block and the next one (``side`` 1) or the one before it (-1) change places."""
    track, block = line.track_of(identity), line.block(identity)
    if track is None or block is None:
        return line
    number = track.blocks.index(block) + side
    if not 0 <= number < len(track.blocks):
        return line
    other = track.blocks[number]
    return reorder(line, identity, other.start if side < 0 else other.end - block.length)
