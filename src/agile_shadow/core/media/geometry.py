"""Picture geometry: the size of a proxy, and where a picture sits in a rectangle."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from .info import MediaInfo

TOLERANCE = Fraction(3, 100)
_SHAPE = Fraction(3, 1000)


@dataclass(frozen=True)
class Rectangle:
    """Whole pixels; ``x`` and ``y`` of the upper left corner."""

    x: int
    y: int
    width: int
    height: int


def proxy_size(
    width: int, height: int, scale: Fraction, aspect: Fraction | None = None, multiple: tuple[int, int] = (2, 2)
) -> tuple[int, int]:
    """(width, height) in square pixels, upright, of a proxy of ``width`` x ``height`` at ``scale``.

    ``aspect``: the exact width to height as shown, where whole pixels only come near it. ``multiple``: what the width
    and the height must be divisible by. The size nearest to the wanted one that has exactly the aspect, if one lies
    within 3 %; else the one within 3 % with the least error of aspect. Raises ValueError for what is not positive.
    """
    if width <= 0 or height <= 0 or scale <= 0:
        raise ValueError(f"no proxy of {width} x {height} at {scale}")
    aspect = aspect or Fraction(width, height)
    wanted_height = height * scale
    wanted_width = wanted_height * aspect
    common = math.lcm(*(m // math.gcd(m, n) for m, n in zip(multiple, aspect.as_integer_ratio(), strict=True)))
    step = aspect.numerator * common
    count = max(1, math.ceil(wanted_width / step - Fraction(1, 2)))
    if abs(step * count - wanted_width) <= TOLERANCE * wanted_width:
        return step * count, aspect.denominator * common * count
    return _least_error(wanted_width, wanted_height, aspect, multiple)


def _least_error(
    wanted_width: Fraction, wanted_height: Fraction, aspect: Fraction, multiple: tuple[int, int]
) -> tuple[int, int]:
    widths, heights = _near(wanted_width, multiple[0]), _near(wanted_height, multiple[1])

    def cost(size: tuple[int, int]) -> tuple[Fraction, Fraction]:
        error = abs(Fraction(size[0], size[1]) / aspect - 1)
        return error, abs(size[0] - wanted_width) + abs(size[1] - wanted_height)

    # For a given height the error grows with the distance from height * aspect: the widths on both sides of it suffice.
    candidates = {
        (wide, high)
        for high in heights
        for wide in (int(high * aspect) // multiple[0] * multiple[0] + step for step in (0, multiple[0]))
        if wide in widths
    }
    return min(candidates or {(wide, high) for wide in widths for high in heights}, key=cost)


def _near(wanted: Fraction, multiple: int) -> range | list[int]:
    low = math.ceil(wanted * (1 - TOLERANCE) / multiple) * multiple
    high = math.floor(wanted * (1 + TOLERANCE) / multiple) * multiple
    return range(low, high + 1, multiple) or [max(multiple, multiple * math.floor(wanted / multiple + Fraction(1, 2)))]


def proxy_size_for(info: MediaInfo, scale: Fraction, multiple: tuple[int, int] = (2, 2)) -> tuple[int, int]:
    """:func:`proxy_size` of a probed original: rotation applied, pixels made square."""
    return proxy_size(info.display_width, info.display_height, scale, info.display_aspect, multiple)


def size_of_height(info: MediaInfo, lines: int, multiple: tuple[int, int] = (2, 2)) -> tuple[int, int]:
    """(width, height) nearest to ``lines`` among the sizes of the original's shape, to 0.3 %, within 3 % of them.

    Where the codec's ``multiple`` allows none, the size with the least error of shape.
    """
    aspect = info.display_aspect
    sizes = [
        (width, height)
        for height in _near(Fraction(lines), multiple[1])
        for width in (math.floor(height * aspect / multiple[0]) * multiple[0] + step for step in (0, multiple[0]))
        if width > 0 and abs(Fraction(width, height) / aspect - 1) <= _SHAPE
    ]
    if not sizes:
        return proxy_size_for(info, Fraction(lines, max(1, info.display_height)), multiple)
    return min(sizes, key=lambda size: (abs(size[1] - lines), abs(Fraction(*size) / aspect - 1)))


def fit_rectangle(aspect: Fraction, width: int, height: int) -> Rectangle:
    """The largest rectangle of that width-to-height ratio inside ``width`` x ``height`` pixels, centred."""
    if Fraction(width, max(1, height)) > aspect:
        inner_height = height
        inner_width = max(1, round(height * aspect))
    else:
        inner_width = width
        inner_height = max(1, round(width / aspect))
    return Rectangle((width - inner_width) // 2, (height - inner_height) // 2, inner_width, inner_height)
