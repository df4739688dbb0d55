"""What can be done to the picture of a block: where it lies, its colours; and titles."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace

from ..presets import Attached

FACES = ("plain", "bold", "fixed width")
SHAPES = ("fit", "fill", "pixels")  # whole in the frame; over all of it; a pixel for a pixel
SPOTS = (
    "upper left", "upper middle", "upper right",
    "middle left", "centre", "middle right",
    "lower left", "lower middle", "lower right",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Placement:
    """Where the picture lies in the frame.

    ``x`` and ``y``: how far its middle is moved right and down, in parts of the frame's width and height; ``scale``: 1
    fits it into the frame; ``rotation`` in degrees clockwise; ``left`` to ``bottom``: parts of its width or height that
    are cropped; ``opacity`` from 0 to 1. ``shape``: how footage of another shape than the frame's lies in it, one of
    SHAPES; "" as the timeline has it.
    """

    x: float = 0.0
    y: float = 0.0
    scale: float = 1.0
    rotation: float = 0.0
    left: float = 0.0
    top: float = 0.0
    right: float = 0.0
    bottom: float = 0.0
    opacity: float = 1.0
    shape: str = ""

    @property
    def fills(self) -> bool:
        """Whether the whole picture shows, where it falls by itself."""
        return self == PLAIN or self == Placement(opacity=self.opacity)

    def checked(self) -> Placement:
        """Itself; raises ValueError for values without a meaning."""
        crops = (self.left, self.top, self.right, self.bottom)
        ok = 0.01 <= self.scale <= 50 and 0 <= self.opacity <= 1 and all(0 <= crop < 1 for crop in crops)
        if self.shape and self.shape not in SHAPES:
            raise ValueError(f"footage is not laid {self.shape!r}")
        if not ok or self.left + self.right >= 1 or self.top + self.bottom >= 1 or abs(self.x) > 50 or abs(self.y) > 50:
            raise ValueError(f"no place for a picture: {self}")
        return self


PLAIN = Placement()


@dataclass(frozen=True, slots=True)
class Move:
    """A slow movement from a block's placement to another: ``x``, ``y``, ``scale``, ``opacity`` at its end, as in
    Placement. ``begin``: frames after the block's start at which it begins, below 0 where it began before a cut;
    ``length``: its frames, 0 for as long as the block is. ``ease``: begins and ends gently.
    """

    x: float = 0.0
    y: float = 0.0
    scale: float = 1.0
    opacity: float = 1.0
    ease: bool = True
    begin: int = 0
    length: int = 0

    def checked(self) -> Move:
        """Itself; raises ValueError for values without a meaning."""
        Placement(self.x, self.y, self.scale, opacity=self.opacity).checked()
        if self.length < 0:
            raise ValueError(f"no movement takes {self.length} frames")
        return self

    def part(self, frame: int, length: int) -> float:
        """How far it is, from 0 to 1, at a frame after the start of a block of ``length`` frames."""
        steps = (self.length or length) - 1
        part = min(1.0, max(0.0, (frame - self.begin) / steps)) if steps > 0 else 1.0
        return part * part * (3 - 2 * part) if self.ease else part

    def placed(self, first: Placement, part: float) -> Placement:
        """The placement at a part of the way from ``first``; size changes by equal ratios."""
        if part <= 0:
            return first
        return replace(
            first,
            x=first.x + (self.x - first.x) * part,
            y=first.y + (self.y - first.y) * part,
            scale=math.exp(math.log(first.scale) * (1 - part) + math.log(self.scale) * part),
            opacity=first.opacity + (self.opacity - first.opacity) * part,
        )

    def from_frame(self, frame: int, length: int) -> Move:
        """The same movement seen from another first frame, of a block that was ``length`` frames long."""
        return replace(self, begin=self.begin - frame, length=self.length or length)


@dataclass(frozen=True, slots=True)
class Colour:
    """Changes of colour, in this order: ``exposure`` in stops, ``temperature`` from -1 (cold) to 1 (warm), the table
    ``lut``, ``contrast`` and ``saturation`` (1 is unchanged)."""

    exposure: float = 0.0
    temperature: float = 0.0
    contrast: float = 1.0
    saturation: float = 1.0
    lut: Attached | None = None

    def checked(self) -> Colour:
        """Itself; raises ValueError for values without a meaning."""
        ok = abs(self.exposure) <= 8 and abs(self.temperature) <= 1
        if not ok or not 0 <= self.contrast <= 4 or not 0 <= self.saturation <= 4:
            raise ValueError(f"no such colour: {self}")
        return self


NO_COLOUR = Colour()


EDGES = ("outline", "shadow", "none")
ALIGNMENTS = ("as the position", "left", "centre", "right")
_COLOUR_TEXT = re.compile(r"#[0-9a-f]{6}", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Title:
    """Text as a picture: ``size`` is the height of a line in parts of the frame's height; ``face`` one of FACES,
    ``spot`` one of SPOTS; ``colour`` as #rrggbb; ``edge`` one of EDGES, ``align`` of ALIGNMENTS; ``roll``: it rolls
    from below the frame to above it while its block lasts."""

    text: str = "Title"
    face: str = "plain"
    size: float = 0.09
    spot: str = "lower middle"
    colour: str = "#faf6ec"
    edge: str = "outline"
    align: str = "as the position"
    roll: bool = False

    def checked(self) -> Title:
        """Itself; raises ValueError for what is not known."""
        known = self.face in FACES and self.spot in SPOTS and self.edge in EDGES and self.align in ALIGNMENTS
        if not known or not 0.005 <= self.size <= 1 or _COLOUR_TEXT.fullmatch(self.colour) is None:
            raise ValueError(f"no such title: {self}")
        return self


NEW_TITLE = Title()
