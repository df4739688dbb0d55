"""Picture geometry: the size of a proxy, and where a picture sits in a rectangle."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from .info import MediaInfo

TOLERANCE = Fraction(3, 100)


@dataclass(frozen=True)
class Rectangle:
    """Whole pixels; ``x`` and ``y`` of the upper left corner."""

    x: int
    y: int
    width: int
    height: int


def proxy_size(width: int, height: int, scale: Fraction) -> tuple[int, int]:
    """Even (width, height) in pixels of a proxy with the shape of ``width`` x ``height`` (square pixels, upright).

    The size nearest to ``scale`` times the original's that has exactly its aspect, if one lies within 3 %; else the
    even size within 3 % with the least error of aspect. Raises ValueError for sizes or scales that are not positive.
    """
    if width <= 0 or height <= 0 or scale <= 0:
        raise ValueError(f"no proxy of {width} x {height} at {scale}")
    wanted_width, wanted_height = width * scale, height * scale
    aspect = Fraction(width, height)
    step = 2 * aspect.numerator
    count = max(1, math.ceil(wanted_width / step - Fraction(1, 2)))
    if abs(step * count - wanted_width) <= TOLERANCE * wanted_width:
        return step * count, 2 * aspect.denominator * count
    return _least_error(wanted_width, wanted_height, aspect)


def _least_error(wanted_width: Fraction, wanted_height: Fraction, aspect: Fraction) -> tuple[int, int]:
    widths = _even_near(wanted_width)
    heights = _even_near(wanted_height)

    def cost(size: tuple[int, int]) -> tuple[Fraction, Fraction]:
        error = abs(Fraction(size[0], size[1]) / aspect - 1)
        return error, abs(size[0] - wanted_width) + abs(size[1] - wanted_height)

    candidates = {(w, h) for w in widths for h in (_nearest_even(w / aspect), *heights[:1]) if h in heights}
    candidates |= {(w, h) for h in heights for w in (_nearest_even(h * aspect),) if w in widths}
    return min(candidates or {(w, h) for w in widths for h in heights}, key=cost)


def _nearest_even(value: Fraction) -> int:
    return max(2, 2 * math.floor(value / 2 + Fraction(1, 2)))


def _even_near(wanted: Fraction) -> list[int]:
    low = math.ceil(wanted * (1 - TOLERANCE) / 2) * 2
    high = math.floor(wanted * (1 + TOLERANCE) / 2) * 2
    return list(range(max(2, low), high + 1, 2)) or [_nearest_even(wanted)]


def proxy_size_for(info: MediaInfo, scale: Fraction) -> tuple[int, int]:
    """:func:`proxy_size` of a probed original: rotation applied, pixels made square."""
    return proxy_size(info.display_width, info.display_height, scale)


def fit_rectangle(aspect: Fraction, width: int, height: int) -> Rectangle:
    """The largest rectangle of that width-to-height ratio inside ``width`` x ``height`` pixels, centred."""
    if Fraction(width, max(1, height)) > aspect:
        inner_height = height
        inner_width = max(1, round(height * aspect))
    else:
        inner_width = width
        inner_height = max(1, round(width / aspect))
    return Rectangle((width - inner_width) // 2, (height - inner_height) // 2, inner_width, inner_height)
