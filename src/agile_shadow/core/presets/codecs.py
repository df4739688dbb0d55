"""The proxy codecs on offer, as data: what they can hold and what can be set about them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

SCALES = tuple(Fraction(1, n) for n in (1, 2, 3, 4, 6, 8))
QUALITIES = ("light", "usual", "fine")
_WORDS = {1: "full size", 2: "half the size", 3: "a third the size", 4: "a quarter the size", 6: "a sixth the size",
          8: "an eighth the size"}  # fmt: skip


@dataclass(frozen=True)
class Codec:
    """A proxy codec: ``name`` in files, ``label`` on screen.

    ``smallest``: pixels of the smallest picture it holds; ``multiple``: what its width and height must be divisible by.
    ``has_quality``, ``has_rate``: whether a quality or a data rate can be chosen; without either the rate is fixed.
    """

    name: str
    label: str
    smallest: tuple[int, int] = (32, 32)
    multiple: tuple[int, int] = (2, 2)
    has_quality: bool = False
    has_rate: bool = False


CODECS = (
    Codec("h264", "H.264, short groups", has_quality=True, has_rate=True),
    Codec("h264-intra", "H.264 intra", has_quality=True, has_rate=True),
    Codec("dnxhr-lb", "DNxHR LB", (256, 120)),
    Codec("dnxhr-sq", "DNxHR SQ", (256, 120)),
    Codec("prores-proxy", "ProRes Proxy"),
    Codec("prores-lt", "ProRes LT"),
    Codec("cineform", "CineForm", (256, 136), (32, 2), has_quality=True),
    Codec("mjpeg", "MJPEG", has_quality=True, has_rate=True),
)


def codec_named(name: str) -> Codec:
    """The codec with that file name; raises KeyError."""
    for codec in CODECS:
        if codec.name == name:
            return codec
    raise KeyError(name)


def scale_words(scale: Fraction) -> str:
    """``"a quarter the size"``, or ``"2/5 of the size"`` for an unusual fraction."""
    usual = scale.numerator == 1 and _WORDS.get(scale.denominator)
    return usual or f"{scale.numerator}/{scale.denominator} of the size"
