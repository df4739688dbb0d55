"""What a frame of a timeline is made of: the layers of its picture and of its sound."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from ..timeline import PLAIN, Block, Placement, Timeline, Track


@dataclass(frozen=True)
class Layer:
    """A block as it shows (or sounds) in one frame: ``seconds`` of its clip; ``weight`` from 0 to 1 of fades and
    dissolves, without its own opacity or gain. ``placement``: where its picture is in this frame; ``part``: how much of
    the block has passed, from 0 to 1. ``shape``: how its picture lies in a frame of ``across`` pixels."""

    block: Block
    seconds: Fraction
    weight: float = 1.0
    shape: str = "fit"
    across: int = 0
    placement: Placement = PLAIN
    part: float = 0.0

    @property
    def moves(self) -> bool:
        """Whether it is elsewhere in the next frame."""
        return self.block.effects.move is not None


Step = tuple[Layer, ...]  # one layer, or the two of a dissolve, whose weights add up


def picture_steps(line: Timeline, frame: int) -> tuple[Step, ...]:
    """The layers of a frame's picture, the lowest first."""
    steps = (_step(track, frame, line) for track in line.tracks if track.kind == "picture" and not track.off)
    return tuple(step for step in steps if step)


def sound_steps(line: Timeline, frame: int) -> tuple[Layer, ...]:
    """The layers of a frame's sound, with their weights at its beginning."""
    steps = (_step(track, frame, line) for track in line.tracks if track.kind == "sound" and not track.off)
    return tuple(layer for step in steps for layer in step)


def _step(track: Track, frame: int, line: Timeline) -> Step:
    number = track.place_at(frame)
    block = track.blocks[number] if number >= 0 and frame < track.blocks[number].end else None
    if block is not None and block.dissolve is not None and frame < block.start + block.dissolve.after:
        return _dissolve(track.blocks[number - 1], block, frame, line)
    coming = track.blocks[number + 1] if number + 1 < len(track.blocks) else None
    if coming is not None and coming.dissolve is not None and frame >= coming.start - coming.dissolve.before:
        return _dissolve(track.blocks[number], coming, frame, line)
    return (_layer(block, frame, line),) if block is not None else ()


def _dissolve(leaving: Block, coming: Block, frame: int, line: Timeline) -> Step:
    assert coming.dissolve is not None
    part = (frame - coming.start + coming.dissolve.before + 1) / (coming.dissolve.length + 1)
    first, second = _layer(leaving, frame, line), _layer(coming, frame, line)
    return replace(first, weight=first.weight * (1 - part)), replace(second, weight=second.weight * part)


def _layer(block: Block, frame: int, line: Timeline) -> Layer:
    shape = block.effects.placement.shape or line.shape
    since = frame - block.start
    placement = block.effects.placed(since, block.length)
    part = since / (block.length - 1) if block.length > 1 else 1.0
    return Layer(block, block.moment(frame, line.rate), _fade(block, frame), shape, line.width, placement, part)


def _fade(block: Block, frame: int) -> float:
    effects = block.effects
    weight = 1.0
    if effects.fade_in and block.start <= frame < block.start + effects.fade_in:
        weight *= (frame - block.start + 1) / (effects.fade_in + 1)
    if effects.fade_out and block.end - effects.fade_out <= frame < block.end:
        weight *= (block.end - frame) / (effects.fade_out + 1)
    return weight
