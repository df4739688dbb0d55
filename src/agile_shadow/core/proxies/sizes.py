"""The pixels a preset gives for an original."""

from __future__ import annotations

from fractions import Fraction

from ..media import MediaInfo, proxy_size_for
from ..media.geometry import size_of_height
from ..presets import Proxies, codec_named

_STEP, _LARGER = Fraction(21, 20), Fraction(5, 4)
_OFF_SHAPE = 0.005


def wanted_scale(original: MediaInfo, settings: Proxies) -> Fraction:
    """The fraction of the original's size that is wanted: never more than all of it."""
    if settings.height is None:
        assert settings.scale is not None
        return settings.scale
    return min(Fraction(1), Fraction(settings.height, max(1, original.display_height)))


def proxy_pixels(original: MediaInfo, settings: Proxies) -> tuple[int, int] | None:
    """(width, height) of a proxy: as wanted, or the least size above it that the codec can hold.

    Of that one up to a quarter larger is taken where it has exactly the original's shape; so it is of any size that is
    off by more than 0.5 %, where the larger is not. None when even the original's own size is too small for the codec.
    """
    if original.kind == "still":
        fraction = wanted_scale(original, settings)
        return max(1, round(original.display_width * fraction)), max(1, round(original.display_height * fraction))
    codec = codec_named(settings.codec)
    if settings.height is not None and settings.height < original.display_height:
        size = size_of_height(original, settings.height, codec.multiple)
        if _fits(size, codec.smallest) and shape_error(size, original) <= _OFF_SHAPE:
            return size
    fraction = wanted_scale(original, settings)
    size = proxy_size_for(original, fraction, codec.multiple)
    forced = not _fits(size, codec.smallest)
    while not _fits(size, codec.smallest):
        if fraction >= 1:
            return None
        fraction = min(Fraction(1), fraction * _STEP)
        size = proxy_size_for(original, fraction, codec.multiple)
    return _in_shape(original, size, fraction, codec.multiple, 0.0 if forced else _OFF_SHAPE)


def _in_shape(
    original: MediaInfo, size: tuple[int, int], fraction: Fraction, multiple: tuple[int, int], room: float
) -> tuple[int, int]:
    """The size, or one up to a quarter larger whose error of shape is no more than ``room`` where the size's is."""
    best, most = size, min(Fraction(1), fraction * _LARGER)
    while shape_error(best, original) > room and fraction < most:
        fraction = min(most, fraction * _STEP)
        larger = proxy_size_for(original, fraction, multiple)
        best = min(best, larger, key=lambda one: shape_error(one, original))
    return best if shape_error(best, original) <= room else size


def _fits(size: tuple[int, int], smallest: tuple[int, int]) -> bool:
    return size[0] >= smallest[0] and size[1] >= smallest[1]


def shape_error(size: tuple[int, int], original: MediaInfo) -> float:
    """By how much a size's width to height differs from the original's: 0 for exactly the same, 0.01 for 1 %."""
    return abs(float(Fraction(size[0], size[1]) / original.display_aspect - 1))
