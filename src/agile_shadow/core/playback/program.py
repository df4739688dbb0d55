"""What is played: one clip, or a timeline, as a row of frames."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

from ..compositing import Layer, Step, picture_steps, sound_steps
from ..project import Clip, Project
from ..timeline import Block, Timeline
from .baking import Baked, baked_now


class Program(Protocol):
    """A row of ``length`` frames at ``rate`` per second; ``aspect`` is width to height of its picture,
    ``pixels`` its size (width, height).

    ``steps`` are the layers of a frame's picture, ``sounds`` those of its sound.
    """

    @property
    def rate(self) -> Fraction: ...
    @property
    def length(self) -> int: ...
    @property
    def aspect(self) -> Fraction: ...
    @property
    def pixels(self) -> tuple[int, int]: ...
    def steps(self, frame: int) -> tuple[Step, ...]: ...
    def sounds(self, frame: int) -> tuple[Layer, ...]: ...
    def baked(self, frame: int) -> Baked | None: ...


@dataclass(frozen=True)
class ClipProgram:
    """One clip from its first frame to its last; variable-rate clips on the even grid of their nominal rate."""

    clip: str
    rate: Fraction
    length: int
    aspect: Fraction
    pixels: tuple[int, int] = (1920, 1080)
    has_picture: bool = True

    @classmethod
    def of(cls, clip: Clip) -> ClipProgram:
        """The program of a clip. Sound files count 25 frames per second; a still is one frame."""
        info = clip.original.info
        pixels = (info.display_width, info.display_height)
        if info.kind == "still":
            return cls(clip.id, Fraction(25), 1, info.display_aspect, pixels)
        if info.kind == "sound" or not info.frame_rate:
            return cls(clip.id, Fraction(25), max(1, math.ceil(info.duration * 25)), Fraction(16, 9), has_picture=False)
        length = math.ceil(info.duration * info.frame_rate) if info.variable_rate else info.frames
        return cls(clip.id, info.frame_rate, length, info.display_aspect, pixels)

    def _layer(self, frame: int) -> Layer:
        block = Block(self.clip, 0, self.length, Fraction(0), self.length / self.rate, id=self.clip)
        return Layer(block, frame / self.rate)

    def steps(self, frame: int) -> tuple[Step, ...]:
        """The clip's picture; nothing outside the clip."""
        return ((self._layer(frame),),) if self.has_picture and 0 <= frame < self.length else ()

    def baked(self, frame: int) -> Baked | None:
        """A clip is never baked."""
        return None

    def sounds(self, frame: int) -> tuple[Layer, ...]:
        """The clip's sound."""
        return (self._layer(frame),) if 0 <= frame < self.length else ()


@dataclass(frozen=True)
class TimelineProgram:
    """A timeline from frame 0 to the end of its last block; ``bakes`` play instead of what they were drawn from."""

    timeline: Timeline
    bakes: tuple[Baked, ...] = ()

    @classmethod
    def of(cls, project: Project) -> TimelineProgram:
        """The program of a project's open timeline."""
        return cls(project.timeline, baked_now(project) if project.bakes else ())

    def baked(self, frame: int) -> Baked | None:
        """The baked stretch that a frame lies in."""
        return next((one for one in self.bakes if one.start <= frame < one.end), None)

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

    @property
    def pixels(self) -> tuple[int, int]:
        """Width and height of the frame."""
        return self.timeline.width or 1920, self.timeline.height or 1080

    def steps(self, frame: int) -> tuple[Step, ...]:
        """The layers that show at a frame; none in a gap."""
        return picture_steps(self.timeline, frame)

    def sounds(self, frame: int) -> tuple[Layer, ...]:
        """The layers that are heard at a frame."""
        return sound_steps(self.timeline, frame)
