"""What can be done to the picture of a block: where it lies, its colours; and titles."""

from __future__ import annotations

from dataclasses import dataclass

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


@dataclass(frozen=True, slots=True)
class Title:
    """Text as a picture: ``size`` is the height of a line in parts of the frame's height; ``face`` one of FACES,
    ``spot`` one of SPOTS."""

    text: str = "Title"
    face: str = "plain"
    size: float = 0.09
    spot: str = "lower middle"

    def checked(self) -> Title:
        """Itself; raises ValueError for what is not known."""
        if self.face not in FACES or self.spot not in SPOTS or not 0.005 <= self.size <= 1:
            raise ValueError(f"no such title: {self}")
        return self
