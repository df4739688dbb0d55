"""Decoding with less work, for pictures that pass by while playing: never for one that stands, a proof or a film.

H.264 and HEVC smooth the edges of their blocks in the picture itself (loop filter), and what refers to a frame refers
to it smoothed: without, errors add up until the next key frame. Frames that nothing refers to can be left out.
"""

from __future__ import annotations

from enum import IntEnum
from fractions import Fraction

from av.video.codeccontext import VideoCodecContext
from av.video.stream import VideoStream

_CODECS = ("h264", "hevc")


class Light(IntEnum):
    """How much is left out: nothing, the loop filter, and frames that nothing refers to as well."""

    WHOLE = 0
    UNSMOOTHED = 1
    THINNED = 2


def can_be_lightened(codec: str) -> bool:
    """Whether a codec of that name has anything to leave out."""
    return codec in _CODECS


def light_at(detail: Fraction, speed: Fraction) -> Light:
    """What may be left out at a detail (part of width and height) while playing at a speed; 0 stands still."""
    if speed == 0 or detail > Fraction(1, 4):
        return Light.WHOLE
    return Light.THINNED if detail < Fraction(1, 4) and speed > 0 else Light.UNSMOOTHED


def lightened(stream: VideoStream, light: Light) -> Light:
    """Have a stream that was not decoded yet do without; what its codec knows of it."""
    context: VideoCodecContext = stream.codec_context
    if context is None or not can_be_lightened(context.name) or light == Light.WHOLE:
        return Light.WHOLE
    context.options = {**context.options, "skip_loop_filter": "all"}
    if light == Light.THINNED:
        context.skip_frame = "NONREF"
    return light
