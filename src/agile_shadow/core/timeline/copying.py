"""Copies of blocks, to be put in elsewhere or into another timeline."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from .edits import whole
from .model import Block, Kind, Timeline, new_id
from .rows import opened, parted, put, settled


@dataclass(frozen=True)
class Copied:
    """One block: the kind of its track, how many tracks of the kind it lies above the lowest one copied."""

    kind: Kind
    above: int
    block: Block


def copied(line: Timeline, identities: Iterable[str]) -> tuple[Copied, ...]:
    """Blocks with what belongs to them, their starts counted from the first of them."""
    group = whole(line, identities)
    if not group:
        return ()
    begin = min(block.start for block in group)
    places = []
    for block in group:
        track = line.track_of(block.id)
        assert track is not None
        row = line.pictures if track.kind == "picture" else line.sounds
        places.append((track.kind, row.index(track), block.at(block.start - begin)))
    lowest = {kind: min(place for k, place, _block in places if k == kind) for kind, _place, _block in places}
    return tuple(Copied(kind, place - lowest[kind], block) for kind, place, block in places)


def paste(
    line: Timeline, pieces: tuple[Copied, ...], at: int, picture: str, sound: str, insert: bool = False
) -> Timeline:
    """Copies laid down at a frame from the tracks ``picture`` and ``sound`` upward, over what is there; ``insert``:
    what is there moves later. The same timeline where a track is missing or locked."""
    placed = []
    links: dict[str, str] = {}
    for piece in pieces:
        row = line.pictures if piece.kind == "picture" else line.sounds
        base = next((n for n, t in enumerate(row) if t.id == (picture if piece.kind == "picture" else sound)), None)
        if base is None or base + piece.above >= len(row) or row[base + piece.above].locked:
            return line
        link = links.setdefault(piece.block.link, new_id()) if piece.block.link else ""
        block = replace(piece.block, id=new_id(), link=link, start=piece.block.start + max(0, at))
        placed.append((row[base + piece.above].id, block))
    if insert and placed:
        length = max(block.end for _track, block in placed) - max(0, at)
        line = opened(parted(line, at, [t for t in line.tracks if not t.locked]), at, length)
    for identity, block in placed:
        track = line.track(identity)
        assert track is not None
        line = line.with_tracks(replace(track, blocks=put(track.blocks, block, line.rate)))
    return settled(line)
