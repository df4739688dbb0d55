"""The pixels a preset gives for an original."""

from __future__ import annotations

from fractions import Fraction

from ..media import MediaInfo, proxy_size_for
from ..presets import Proxies, codec_named


def wanted_scale(original: MediaInfo, settings: Proxies) -> Fraction:
    """The fraction of the original's size that is wanted: never more than all of it."""
    if settings.height is None:
        assert settings.scale is not None
        return settings.scale
    return min(Fraction(1), Fraction(settings.height, max(1, original.display_height)))


def proxy_pixels(original: MediaInfo, settings: Proxies) -> tuple[int, int] | None:
    """(width, height) of a proxy, or the least size above the wanted one that the codec can hold.

    None when even the original's own size is too small for the codec.
    """
    codec = codec_named(settings.codec)
    fraction = wanted_scale(original, settings)
    while True:
        size = proxy_size_for(original, fraction, codec.multiple)
        if size[0] >= codec.smallest[0] and size[1] >= codec.smallest[1]:
            return size
        if fraction >= 1:
            return None
        fraction = min(Fraction(1), fraction * Fraction(21, 20))


def shape_error(size: tuple[int, int], original: MediaInfo) -> float:
    """By how much a size's width to height differs from the original's: 0 for exactly the same, 0.01 for 1 %."""
    return abs(float(Fraction(size[0], size[1]) / original.display_aspect - 1))
