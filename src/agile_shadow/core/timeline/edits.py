"""Putting footage onto a timeline and taking it off. Each edit takes a timeline and gives the next one."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction

from .model import Block, Timeline, Track, new_id
from .rows import closed, opened, parted, put, settled, without


@dataclass(frozen=True)
class ClipPiece:
    """A stretch of a clip: ``first`` and ``length`` in seconds of it, ``room`` its whole length (0: a still)."""

    clip: str
    room: Fraction
    first: Fraction
    length: Fraction
    picture: bool = True
    sound: bool = True


@dataclass(frozen=True)
class Targets:
    """The tracks a piece goes to, by identity; "" for none: that side of it is left out."""

    picture: str = ""
    sound: str = ""


def first_targets(line: Timeline) -> Targets:
    """The lowest picture track and the first sound track that are not locked."""
    picture = next((track.id for track in line.pictures if not track.locked), "")
    return Targets(picture, next((track.id for track in line.sounds if not track.locked), ""))


def append(line: Timeline, piece: ClipPiece, targets: Targets | None = None) -> Timeline:
    """Put a piece after the last block of the tracks it goes to."""
    targets = targets or first_targets(line)
    at = max((track.end for track in _tracks(line, piece, targets)), default=0)
    return overwrite(line, piece, at, targets)


def insert(line: Timeline, piece: ClipPiece, at: int, targets: Targets | None = None) -> Timeline:
    """Put a piece in at a frame; what lies there is parted and everything behind moves later."""
    targets = targets or first_targets(line)
    tracks = _tracks(line, piece, targets)
    if not tracks:
        return line
    blocks = new_blocks(line, piece, max(0, at), [track.kind for track in tracks])
    line = opened(parted(line, blocks[0].start, tracks), blocks[0].start, blocks[0].length)
    return _laid(line, tracks, blocks)


def overwrite(line: Timeline, piece: ClipPiece, at: int, targets: Targets | None = None) -> Timeline:
    """Lay a piece over what is at a frame; nothing else moves."""
    tracks = _tracks(line, piece, targets or first_targets(line))
    return _laid(line, tracks, new_blocks(line, piece, max(0, at), [track.kind for track in tracks]))


def exchange(line: Timeline, piece: ClipPiece, identity: str) -> Timeline:
    """Another stretch of footage in the place of a block and those that belong to it: as long as they are, with their
    effects; shorter where the footage ends."""
    block = line.block(identity)
    if block is None:
        return line
    for one in (block, *line.linked(block)):
        track = line.track_of(one.id)
        fits = track is not None and not track.locked and (piece.picture if track.kind == "picture" else piece.sound)
        if not fits or track is None:
            continue
        there = line.track(track.id)
        assert there is not None
        fresh = replace(one, clip=piece.clip, room=piece.room, source_start=piece.first, speed=Fraction(1), title=None)
        over = -min(0, fresh.handles(line.rate)[1])
        fresh = replace(fresh, length=max(1, fresh.length - over))
        row = tuple(fresh if other.id == one.id else other for other in there.blocks)
        line = line.with_tracks(replace(there, blocks=row))
    return settled(line)


def _tracks(line: Timeline, piece: ClipPiece, targets: Targets) -> list[Track]:
    wanted = ((targets.picture, piece.picture), (targets.sound, piece.sound))
    found = [line.track(identity) for identity, has in wanted if has and identity]
    return [track for track in found if track is not None and not track.locked]


def new_blocks(line: Timeline, piece: ClipPiece, start: int, kinds: Iterable[str]) -> list[Block]:
    """Blocks of a piece for tracks of those kinds, linked when they are several."""
    if line.rate <= 0:
        raise ValueError("the timeline has no frame rate yet")
    length = max(1, math.ceil(piece.length * line.rate))  # the last frame still begins within the stretch
    kinds = list(kinds)
    link = new_id() if len(kinds) > 1 else ""
    return [Block(piece.clip, start, length, piece.first, piece.room, link=link) for _kind in kinds]


def _laid(line: Timeline, tracks: list[Track], blocks: list[Block]) -> Timeline:
    changed = []
    for track, block in zip(tracks, blocks, strict=True):
        there = line.track(track.id)
        assert there is not None
        changed.append(replace(there, blocks=put(there.blocks, block, line.rate)))
    return settled(line.with_tracks(*changed))


def cut(line: Timeline, at: int, tracks: Iterable[str] | None = None) -> Timeline:
    """Part the blocks under a frame, on some tracks (default: all that are not locked)."""
    wanted = None if tracks is None else set(tracks)
    chosen = [track for track in line.tracks if not track.locked and (wanted is None or track.id in wanted)]
    return parted(line, at, chosen)


def whole(line: Timeline, identities: Iterable[str]) -> list[Block]:
    """Blocks and all that belong to them, where their tracks are not locked, in order of start."""
    found: dict[str, Block] = {}
    for identity in identities:
        block = line.block(identity)
        for one in (block, *line.linked(block)) if block is not None else ():
            track = line.track_of(one.id)
            if track is not None and not track.locked:
                found[one.id] = one
    return sorted(found.values(), key=lambda block: block.start)


def lift(line: Timeline, identities: Iterable[str]) -> Timeline:
    """Take blocks out, with what belongs to them; nothing else moves."""
    return settled(without(line, {block.id for block in whole(line, identities)}))


def remove(line: Timeline, identities: Iterable[str]) -> Timeline:
    """Take blocks out, with what belongs to them; what follows moves up on all unlocked tracks.

    The time that goes is that of the pictures among them, or of the sounds where there is no picture.
    """
    blocks = whole(line, identities)
    kinds = {block.id: track.kind for block in blocks if (track := line.track_of(block.id)) is not None}
    leading = [block for block in blocks if kinds[block.id] == "picture"] or blocks
    line = lift(line, [block.id for block in blocks])
    for start, end in reversed(_stretches(leading)):
        line = closed(line, start, end)
    return settled(line)


def _stretches(blocks: list[Block]) -> list[tuple[int, int]]:
    """Stretches of time that blocks cover, in order and apart."""
    found: list[tuple[int, int]] = []
    for block in blocks:
        if found and block.start <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], block.end))
        else:
            found.append((block.start, block.end))
    return found


def lift_stretch(line: Timeline, start: int, end: int) -> Timeline:
    """Empty a stretch on all unlocked tracks; nothing moves."""
    for at in (start, end):
        line = cut(line, at)
    unlocked = [track for track in line.tracks if not track.locked]
    return settled(without(line, {block.id for track in unlocked for block in track.between(start, end)}))


def remove_stretch(line: Timeline, start: int, end: int) -> Timeline:
    """Take a stretch of time out of all unlocked tracks."""
    return settled(closed(lift_stretch(line, start, end), start, end))


def close_gap(line: Timeline, track: str, at: int) -> Timeline:
    """Take out the empty time around a frame of a track; nothing where there is a block."""
    there = line.track(track)
    if there is None or there.locked or there.block_at(at) is not None or at >= there.end:
        return line
    number = there.place_at(at)
    start = there.blocks[number].end if number >= 0 else 0
    return settled(closed(line, start, there.blocks[number + 1].start))
