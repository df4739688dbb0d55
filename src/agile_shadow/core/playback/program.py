"""What is played: one clip, or a timeline, as a row of frames each pointing into a clip."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

from ..project import Clip
from ..timeline import Timeline, block_at


@dataclass(frozen=True)
class Point:
    """A moment of a clip: ``seconds`` after its first frame, exact."""

    clip: str
    seconds: Fraction


class Program(Protocol):
    """A row of ``length`` frames at ``rate`` per second; ``aspect`` is width to height of its picture."""

    @property
    def rate(self) -> Fraction: ...
    @property
    def length(self) -> int: ...
    @property
    def aspect(self) -> Fraction: ...
    def at(self, frame: int) -> Point | None: ...


@dataclass(frozen=True)
class ClipProgram:
    """One clip from its first frame to its last; variable-rate clips on the even grid of their nominal rate."""

    clip: str
    rate: Fraction
    length: int
    aspect: Fraction

    @classmethod
    def of(cls, clip: Clip) -> ClipProgram:
        """The program of a video clip."""
        info = clip.original.info
        length = math.ceil(info.duration * info.frame_rate) if info.variable_rate else info.frames
        return cls(clip.id, info.frame_rate, length, info.display_aspect)

    def at(self, frame: int) -> Point | None:
        """The moment of a frame; None outside the clip."""
        return Point(self.clip, frame / self.rate) if 0 <= frame < self.length else None


@dataclass(frozen=True)
class TimelineProgram:
    """A timeline from frame 0 to the end of its last block."""

    timeline: Timeline

    @property
    def rate(self) -> Fraction:
        """Frames per second."""
        return self.timeline.rate or Fraction(25)

    @property
    def length(self) -> int:
        """Frames."""
        return self.timeline.length

    @property
    def aspect(self) -> Fraction:
        """Width to height of the frame of the timeline."""
        return Fraction(self.timeline.width or 16, self.timeline.height or 9)

    def at(self, frame: int) -> Point | None:
        """The moment of the clip that shows at a frame; None in a gap."""
        block = block_at(self.timeline, frame)
        if block is None:
            return None
        return Point(block.clip, block.source_start + Fraction(frame - block.start) / self.rate)
