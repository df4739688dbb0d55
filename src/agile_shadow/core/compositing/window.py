"""The part of a frame that is in sight, at any zoom."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ..media import fit_rectangle


@dataclass(frozen=True)
class Window:
    """A frame drawn ``whole`` pixels large (width, height), of which ``size`` pixels from ``left`` and ``top`` on are
    wanted."""

    whole: tuple[int, int]
    size: tuple[int, int]
    left: int = 0
    top: int = 0

    @classmethod
    def all_of(cls, size: tuple[int, int]) -> Window:
        """The whole frame at a size (width, height)."""
        return cls(size, size)

    def at_detail(self, detail: Fraction) -> Window:
        """The same part with fewer pixels: ``detail`` of its width and height."""
        if detail == 1:
            return self
        wide, high = (max(2, round(one * detail)) for one in self.size)
        whole = (max(2, round(self.whole[0] * detail)), max(2, round(self.whole[1] * detail)))
        return Window(
            whole, (min(wide, whole[0]), min(high, whole[1])), round(self.left * detail), round(self.top * detail)
        )


def window_of(
    aspect: Fraction, pixels: tuple[int, int], view: tuple[int, int], zoom: Fraction, centre: tuple[float, float]
) -> Window:
    """What is to be drawn in a view of ``view`` pixels.

    ``aspect`` of the frame, its own ``pixels``; ``zoom``: screen pixels to one of the frame's, 0 fits the frame into
    the view; ``centre``: the point of the frame (0 to 1) that is to lie in the middle, as far as its edges allow.
    """
    if not zoom:
        fitted = fit_rectangle(aspect, *view)
        return Window.all_of((fitted.width, fitted.height))
    whole = (max(1, round(pixels[1] * aspect * zoom)), max(1, round(pixels[1] * zoom)))
    size = (min(view[0], whole[0]), min(view[1], whole[1]))
    left = round(min(max(0.0, centre[0] * whole[0] - size[0] / 2), whole[0] - size[0]))
    top = round(min(max(0.0, centre[1] * whole[1] - size[1] / 2), whole[1] - size[1]))
    return Window(whole, size, left, top)
