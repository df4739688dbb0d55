"""Decoding with less work, for pictures that pass by while playing: never for one that stands, a proof or a film.

H.264 and HEVC smooth the edges of their blocks in the picture itself (loop filter), and what refers to a frame refers
to it smoothed: without, errors add up until the next key frame. Frames that nothing refers to can be left out.
Motion JPEG and JPEG 2000 pack each frame so that a smaller one can be taken from it: a quarter of width and height in a
third and an eighth of the time, half of it in a third with JPEG 2000 (with Motion JPEG that takes longer than all).
"""

from __future__ import annotations

from enum import IntEnum
from fractions import Fraction

from av.video.codeccontext import VideoCodecContext
from av.video.stream import VideoStream

_SMOOTHED = ("h264", "hevc")
_SMALLER = {"mjpeg": (2,), "jpeg2000": (1, 2)}  # times that width and height can be halved, where that wins time


class Light(IntEnum):
    """How much is left out: nothing; half of the size; the loop filter, or all but a quarter of the size; and frames
    that nothing refers to as well."""

    WHOLE = 0
    HALVED = 1
    UNSMOOTHED = 2
    THINNED = 3


def light_of(codec: str, light: Light) -> Light:
    """What of it a codec of that name knows."""
    if codec in _SMOOTHED:
        return Light.WHOLE if light == Light.HALVED else light
    if codec in _SMALLER and _halvings(light) in _SMALLER[codec]:
        return min(light, Light.UNSMOOTHED)
    return Light.WHOLE


def _halvings(light: Light) -> int:
    return min(int(light), 2)


def is_smaller(codec: str, light: Light) -> bool:
    """Whether its frames come smaller than they are."""
    return codec in _SMALLER and light_of(codec, light) != Light.WHOLE


def light_at(detail: Fraction, speed: Fraction) -> Light:
    """What may be left out at a detail (part of width and height) while playing at a speed; 0 stands still."""
    if speed == 0 or detail > Fraction(1, 2):
        return Light.WHOLE
    if detail > Fraction(1, 4):
        return Light.HALVED
    return Light.THINNED if detail < Fraction(1, 4) and speed > 0 else Light.UNSMOOTHED


def lightened(stream: VideoStream, light: Light) -> Light:
    """Have a stream that was not decoded yet do without; what its codec knows of it."""
    context: VideoCodecContext = stream.codec_context
    light = Light.WHOLE if context is None else light_of(context.name, light)
    if light == Light.WHOLE:
        return light
    if is_smaller(context.name, light):
        context.options = {**context.options, "lowres": str(_halvings(light))}
        return light
    context.options = {**context.options, "skip_loop_filter": "all"}
    if light == Light.THINNED:
        context.skip_frame = "NONREF"
    return light
