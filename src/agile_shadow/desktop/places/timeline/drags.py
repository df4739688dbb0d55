"""What the mouse does to blocks. A drag shows the timeline as it would be; the document changes when it is let go."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction

from ....core.timeline import (
    FASTEST,
    SLOWEST,
    Block,
    Timeline,
    move,
    reorder,
    roll,
    slide,
    slip,
    trim,
    with_effects,
    with_speed,
)

Way = str  # "move", "order", "slip", "slide", "trim", "plain trim", "roll"

LABELS = {
    "move": "Move", "order": "Reorder", "slip": "Slip", "slide": "Slide", "start": "Trim the start",
    "end": "Trim the end", "plain start": "Trim the start", "plain end": "Trim the end", "roll": "Roll the cut",
    "fade in": "Fade in", "fade out": "Fade out", "speed": "Speed of a block",
}  # fmt: skip


@dataclass(frozen=True)
class Drag:
    """A gesture that began at frame ``begun`` on ``block``; ``ids`` are the blocks that are chosen with it."""

    way: str
    block: str
    ids: tuple[str, ...]
    begun: int
    track: str

    @property
    def label(self) -> str:
        """What undo calls it."""
        return LABELS[self.way]

    def apply(self, line: Timeline, by: int, tracks: int, at: int) -> Timeline:
        """The timeline with the gesture so far: ``by`` frames later, ``tracks`` tracks up, the pointer at ``at``."""
        if self.way == "move":
            return move(line, self.ids, by, tracks)
        if self.way == "order":
            return reorder(line, self.block, at)
        if self.way == "slip":
            return slip(line, self.block, -by)  # the footage goes with the pointer
        if self.way == "slide":
            return slide(line, self.block, by)
        if self.way == "roll":
            return roll(line, self.block, by)
        if self.way.startswith("fade"):
            return self._faded(line, by)
        if self.way == "speed":
            return self._sped(line, by)
        ripple = not self.way.startswith("plain")
        return trim(line, self.block, "start" if self.way.endswith("start") else "end", by, ripple)

    def _faded(self, line: Timeline, by: int) -> Timeline:
        """A fade is at most as long as the block leaves it room beside the other one."""
        block = line.block(self.block)
        if block is None:
            return line
        effects = block.effects
        if self.way == "fade in":
            frames = min(max(0, effects.fade_in + by), block.length - effects.fade_out)
            return with_effects(line, [self.block], lambda e: replace(e, fade_in=frames))
        frames = min(max(0, effects.fade_out - by), block.length - effects.fade_in)
        return with_effects(line, [self.block], lambda e: replace(e, fade_out=frames))

    def _sped(self, line: Timeline, by: int) -> Timeline:
        """The same footage in more or fewer frames."""
        block = line.block(self.block)
        if block is None or not block.room:
            return line
        wanted = abs(block.speed) * block.length / max(1, block.length + by)
        speed = Fraction(round(min(FASTEST, max(SLOWEST, wanted)) * 1000), 1000)
        return with_speed(line, self.block, speed if block.speed > 0 else -speed)

    def edges(self, line: Timeline) -> tuple[int, ...]:
        """The frames that catch on others while it goes on."""
        block = line.block(self.block)
        if block is None or self.way in ("slip", "order", "fade in", "fade out"):
            return ()
        if self.way in ("move", "slide"):
            chosen = [one for identity in self.ids if (one := line.block(identity)) is not None] or [block]
            return min(one.start for one in chosen), max(one.end for one in chosen)
        return (block.start if self.way in ("start", "plain start", "roll") else block.end,)


def way_of(part: str, shift: bool, control: bool, has_left: bool, alt: bool = False) -> str:
    """What a drag does by where it began and the keys held: in an upper corner it fades; at an edge it trims (Ctrl:
    leaving a gap, Shift: rolling the cut, Alt at the end: changing the speed), elsewhere it
    moves (Ctrl: into another order, Shift: slips, both: slides)."""
    if part.startswith("fade"):
        return part
    if alt and part == "end":
        return "speed"
    if part == "body":
        return {(False, False): "move", (False, True): "order", (True, False): "slip", (True, True): "slide"}[
            (shift, control)
        ]
    if shift and (part == "end" or has_left):
        return "roll"
    return f"plain {part}" if control else part


def caught(edges: Iterable[int], by: int, catches: Iterable[int], reach: float) -> tuple[int, int | None]:
    """``by`` changed so that an edge falls on the nearest of ``catches`` within ``reach`` frames, and where that is."""
    best: tuple[float, int, int] | None = None
    for edge in edges:
        for catch in catches:
            away = abs(edge + by - catch)
            if away <= reach and (best is None or away < best[0]):
                best = (away, catch - edge, catch)
    return (best[1], best[2]) if best is not None else (by, None)


def catches_of(line: Timeline, but: Iterable[str], playhead: int) -> list[int]:
    """Frames that drags catch on: edges of blocks, markers, the marked stretch, the playhead, the beginning."""
    without = set(but)
    found = {0, playhead, *(marker.frame for marker in line.markers)}
    if line.mark_in is not None:
        found.add(line.mark_in)
    if line.mark_out is not None:
        found.add(line.mark_out + 1)
    for block in line.blocks:
        if block.id not in without:
            found.update((block.start, block.end))
    return sorted(found)


def told(drag: Drag, before: Timeline, after: Timeline, by: int) -> str:
    """The gesture in words, for beside the pointer."""
    old, new = before.block(drag.block), after.block(drag.block)
    if old is None or new is None:
        return ""
    if drag.way == "slip":
        frames = round((new.source_start - old.source_start) * before.rate / old.speed)
        return f"{_frames(frames)} later in the clip" if frames >= 0 else f"{_frames(-frames)} earlier in the clip"
    if drag.way in ("move", "slide", "order"):
        shift = new.start - old.start
        track = after.track_of(new.id)
        return f"{_later(shift)}, {track.name}" if track is not None else _later(shift)
    if drag.way.startswith("fade"):
        frames = new.effects.fade_in if drag.way == "fade in" else new.effects.fade_out
        return f"{drag.way}, {_frames(frames)}"
    if drag.way == "speed":
        return f"{float(new.speed):.3g}x, {_frames(new.length)}"
    if drag.way == "roll":
        return f"cut {_later(new.start - old.start)}"
    return f"{_frames(new.length)} long"


def _frames(count: int) -> str:
    return f"{count} frame" if abs(count) == 1 else f"{count} frames"


def _later(by: int) -> str:
    return f"{_frames(by)} later" if by >= 0 else f"{_frames(-by)} earlier"


def rolled(line: Timeline, block: Block, part: str) -> Block | None:
    """The block whose start is the cut at an edge of a block."""
    track = line.track_of(block.id)
    if track is None:
        return None
    if part == "start":
        return block if track.before(block) is not None else None
    return track.after(block)
