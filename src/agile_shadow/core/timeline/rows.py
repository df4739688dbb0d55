"""Rows of blocks: what edits are made of. Frames are frames of the timeline."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction

from .effects import Move
from .model import Block, Dissolve, Marker, Timeline, Track, moved, new_id

Blocks = tuple[Block, ...]


def head(block: Block, length: int) -> Block:
    """The first ``length`` frames of a block."""
    effects = block.effects
    if effects.fade_out or effects.move is not None:
        effects = replace(effects, fade_out=0, move=_moved_on(block, 0))
    return replace(block, length=length, effects=effects)


def tail(block: Block, at: int, rate: Fraction) -> Block:
    """What a block shows from frame ``at`` on."""
    effects = block.effects
    if effects.fade_in or effects.move is not None:
        effects = replace(effects, fade_in=0, move=_moved_on(block, at - block.start))
    return replace(
        block,
        start=at,
        length=block.end - at,
        source_start=block.moment(at, rate),
        dissolve=None,
        effects=effects,
    )


def _moved_on(block: Block, by: int) -> Move | None:
    """The block's movement for a part of it that begins ``by`` frames later: a cut does not change it."""
    move = block.effects.move
    return move.from_frame(by, block.length) if move is not None else None


def cleared(blocks: Blocks, start: int, end: int, rate: Fraction) -> Blocks:
    """Nothing from ``start`` to before ``end``; what reaches in is cut off, what reaches through is parted."""
    first = bisect_right(blocks, start, key=_start) - 1
    first += first < 0 or blocks[first].end <= start
    last = bisect_left(blocks, end, key=_start)
    kept: list[Block] = []
    for block in blocks[first:last]:
        if block.start < start:
            kept.append(head(block, start - block.start))
        if block.end > end:
            rest = tail(block, end, rate)
            kept.append(replace(rest, id=new_id()) if block.start < start else rest)
    return (*blocks[:first], *kept, *blocks[last:])


def put(blocks: Blocks, block: Block, rate: Fraction) -> Blocks:
    """With a block laid over what is there."""
    return _among(cleared(blocks, block.start, block.end, rate), block)


def _among(blocks: Blocks, block: Block) -> Blocks:
    place = bisect_left(blocks, block.start, key=_start)
    return (*blocks[:place], block, *blocks[place:])


def _start(block: Block) -> int:
    return block.start


def parted(line: Timeline, at: int, tracks: Iterable[Track]) -> Timeline:
    """The blocks under a frame parted in two on some tracks, and what belongs to them where it lies there too.

    The second parts belong together as the first parts do.
    """
    cut = {block.id: track for track in tracks if (block := _across(track, at)) is not None}
    for identity in list(cut):
        block = line.block(identity)
        assert block is not None
        for other in line.linked(block):
            track = line.track_of(other.id)
            if track is not None and not track.locked and other.start < at < other.end:
                cut[other.id] = track
    links: dict[str, str] = {}
    changed = []
    for track in cut.values():
        block = _across(track, at)
        assert block is not None
        link = links.setdefault(block.link, new_id()) if block.link else ""
        second = replace(tail(block, at, line.rate), id=new_id(), link=link)
        place = track.blocks.index(block)
        row = (*track.blocks[:place], head(block, at - block.start), second, *track.blocks[place + 1 :])
        changed.append(replace(track, blocks=row))
    return line.with_tracks(*changed) if changed else line


def _across(track: Track, at: int) -> Block | None:
    block = track.block_at(at)
    return block if block is not None and block.start < at else None


def opened(line: Timeline, at: int, by: int) -> Timeline:
    """Time put in at a frame: on all unlocked tracks what begins there or later moves, and markers with it."""

    def row(track: Track) -> Blocks:
        first = track.first_from(at)
        return (*track.blocks[:first], *moved(track.blocks[first:], by))

    return _rows(line, row, lambda frame: frame + by if frame >= at else frame)


def closed(line: Timeline, start: int, end: int) -> Timeline:
    """Time taken out: on all unlocked tracks what begins in the stretch goes with it, what began before it stays as far
    as what follows leaves room, and what begins after it moves up. Markers of the stretch move to its start."""
    by = end - start

    def row(track: Track) -> Blocks:
        first, second = track.first_from(start), track.first_from(end)
        before = list(track.blocks[:first])
        inside = [tail(one, end, line.rate).at(start) for one in track.blocks[first:second] if one.end > end]
        after = [*inside, *moved(track.blocks[second:], -by)]
        if before and after and before[-1].end > after[0].start:
            before[-1] = head(before[-1], after[0].start - before[-1].start)
        return (*before, *after)

    return _rows(line, row, lambda frame: frame - by if frame >= end else min(frame, start))


def _rows(line: Timeline, row: Callable[[Track], Blocks], moved: Callable[[int], int]) -> Timeline:
    tracks = tuple(track if track.locked else _with_row(track, row(track)) for track in line.tracks)
    markers = tuple(_marker_at(marker, moved(marker.frame)) for marker in line.markers)
    return replace(line, tracks=tracks, markers=markers)


def _with_row(track: Track, blocks: Blocks) -> Track:
    same = len(blocks) == len(track.blocks) and all(map(_is, blocks, track.blocks))
    return track if same else replace(track, blocks=blocks)


def _is(one: Block, other: Block) -> bool:
    return one is other


def _marker_at(marker: Marker, frame: int) -> Marker:
    return marker if frame == marker.frame else replace(marker, frame=frame)


def without(line: Timeline, ids: set[str]) -> Timeline:
    """Without blocks; their places stay empty."""
    rows = [
        replace(track, blocks=tuple([block for block in track.blocks if block.id not in ids]))
        for track in line.tracks
        if not ids.isdisjoint(track.by_id)
    ]
    return line.with_tracks(*rows) if rows else line


def laid_back(line: Timeline, before: Timeline, blocks: Iterable[Block]) -> Timeline:
    """Blocks put where there is room for them, each on the track it was on ``before``."""
    for block in blocks:
        was = before.track_of(block.id)
        track = line.track(was.id) if was is not None else None
        assert track is not None
        line = line.with_tracks(replace(track, blocks=_among(track.blocks, block)))
    return line


def settled(line: Timeline) -> Timeline:
    """After an edit: dissolves and fades that have lost their ground are shortened or gone."""
    changed = []
    for track in line.tracks:
        if not track.is_delicate:
            continue
        row = list(track.blocks)
        for number, block in enumerate(row):
            effects = block.effects
            if block.dissolve is not None:
                row[number] = block = _grounded(block, row[number - 1] if number else None, line.rate)
            if effects.fade_in or effects.fade_out:
                row[number] = _faded(block)
        if any(map(_differs, row, track.blocks)):
            changed.append(replace(track, blocks=tuple(row)))
    return line.with_tracks(*changed) if changed else line


def _differs(one: Block, other: Block) -> bool:
    return one is not other


def _grounded(block: Block, before: Block | None, rate: Fraction) -> Block:
    assert block.dissolve is not None
    if before is None or before.end != block.start:
        return replace(block, dissolve=None)
    own_before = before.dissolve.after if before.dissolve is not None else 0
    early = min(block.dissolve.before, before.length - own_before, block.handles(rate)[0])
    late = min(block.dissolve.after, block.length, before.handles(rate)[1])
    if (early, late) == (block.dissolve.before, block.dissolve.after):
        return block
    return replace(block, dissolve=Dissolve(max(0, early), max(0, late)) if early + late > 0 else None)


def _faded(block: Block) -> Block:
    effects = block.effects
    fade_in = min(effects.fade_in, block.length)
    fade_out = min(effects.fade_out, block.length - fade_in)
    if (fade_in, fade_out) == (effects.fade_in, effects.fade_out):
        return block
    return replace(block, effects=replace(effects, fade_in=fade_in, fade_out=fade_out))
