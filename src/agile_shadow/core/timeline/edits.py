"""Edits: each takes a timeline and gives the next one. Frames are frames of the timeline."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction

from .model import Block, Timeline, new_id


def block_at(timeline: Timeline, frame: int) -> Block | None:
    """The block that shows at a frame, or None in a gap."""
    return next((block for block in timeline.blocks if block.start <= frame < block.end), None)


def append(timeline: Timeline, clip: str, room: Fraction, first: Fraction, length: Fraction) -> Timeline:
    """Put a stretch of a clip (``first`` and ``length`` in seconds of it) after the last block."""
    block = _new_block(timeline, clip, room, first, length, timeline.length)
    return replace(timeline, blocks=(*timeline.blocks, block)).checked()


def insert(timeline: Timeline, at: int, clip: str, room: Fraction, first: Fraction, length: Fraction) -> Timeline:
    """Put a stretch of a clip at a frame; what lies there is cut and everything behind moves later."""
    block = _new_block(timeline, clip, room, first, length, max(0, at))
    parted = cut(timeline, block.start)
    before = tuple(other for other in parted.blocks if other.start < block.start)
    after = tuple(replace(other, start=other.start + block.length) for other in parted.blocks[len(before) :])
    return replace(timeline, blocks=(*before, block, *after)).checked()


def _new_block(timeline: Timeline, clip: str, room: Fraction, first: Fraction, length: Fraction, start: int) -> Block:
    if timeline.rate <= 0:
        raise ValueError("the timeline has no frame rate yet")
    frames = max(1, _whole_frames(length, timeline.rate))
    return Block(clip=clip, start=start, length=frames, source_start=first, room=room)


def _whole_frames(seconds: Fraction, rate: Fraction) -> int:
    """Frames of the timeline that fit: the last one still begins within the stretch."""
    return math.ceil(seconds * rate)


def cut(timeline: Timeline, at: int) -> Timeline:
    """Part the block under a frame in two; the same timeline where there is nothing to part."""
    block = block_at(timeline, at)
    if block is None or at == block.start:
        return timeline
    before = replace(block, length=at - block.start)
    after = replace(
        block,
        id=new_id(),
        start=at,
        length=block.end - at,
        source_start=block.source_start + Fraction(at - block.start) / timeline.rate,
    )
    return _with(timeline, block, (before, after)).checked()


def remove(timeline: Timeline, identity: str) -> Timeline:
    """Take a block out; what follows moves up by its length."""
    block = timeline.block(identity)
    if block is None:
        return timeline
    blocks = tuple(
        replace(other, start=other.start - block.length) if other.start > block.start else other
        for other in timeline.blocks
        if other.id != identity
    )
    return replace(timeline, blocks=blocks).checked()


def move(timeline: Timeline, identity: str, to: int) -> Timeline:
    """Take a block out and put it in at frame ``to``: before or after the block there, at the nearer edge."""
    block = timeline.block(identity)
    if block is None:
        return timeline
    rest = remove(timeline, identity)
    target = max(0, min(to, rest.length))
    under = block_at(rest, target)
    if under is not None:  # between blocks: at the nearer edge of the one under the pointer
        target = under.start if target - under.start < under.end - target else under.end
    before = tuple(other for other in rest.blocks if other.end <= target)
    after = tuple(replace(other, start=other.start + block.length) for other in rest.blocks[len(before) :])
    return replace(timeline, blocks=(*before, replace(block, start=target), *after)).checked()


def trim_start(timeline: Timeline, identity: str, by: int) -> Timeline:
    """Let a block begin ``by`` frames later in its clip (earlier if negative); what follows closes up or makes room."""
    block = timeline.block(identity)
    if block is None:
        return timeline
    earliest = -math.floor(block.source_start * timeline.rate)
    by = min(max(by, earliest), block.length - 1)
    source_start = max(Fraction(0), block.source_start + Fraction(by) / timeline.rate)
    trimmed = replace(block, source_start=source_start, length=block.length - by)
    return _shifted(timeline, block, trimmed)


def trim_end(timeline: Timeline, identity: str, by: int) -> Timeline:
    """Let a block end ``by`` frames later (earlier if negative), within its footage; what follows moves along."""
    block = timeline.block(identity)
    if block is None:
        return timeline
    longest = _whole_frames(block.room - block.source_start, timeline.rate)
    trimmed = replace(block, length=max(1, min(block.length + by, longest)))
    return _shifted(timeline, block, trimmed)


def _shifted(timeline: Timeline, block: Block, trimmed: Block) -> Timeline:
    change = trimmed.length - block.length
    blocks = tuple(
        trimmed if other.id == block.id
        else replace(other, start=other.start + change) if other.start > block.start
        else other
        for other in timeline.blocks
    )  # fmt: skip
    return replace(timeline, blocks=blocks).checked()


def _with(timeline: Timeline, old: Block, new: tuple[Block, ...]) -> Timeline:
    position = timeline.blocks.index(old)
    return replace(timeline, blocks=(*timeline.blocks[:position], *new, *timeline.blocks[position + 1 :]))
