"""Stills that are clear in places: their colours, and how much of each pixel they cover.

Colours are weighed by their opacity before they are brought to another size: what is clear lends none of the colour
that lies hidden in it to the edges beside it.
"""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache

import numpy as np
from av.video.format import VideoFormat
from av.video.frame import VideoFrame

from ..media.chain import filter_chain
from ..media.info import MediaInfo
from ..media.pictures import source_colorspace
from .colours import Pixels
from .placing import Mask

_PALETTE = "pal8"  # its colours may be clear
_WHOLE = 65_535
_SPACES = {1: "bt709", 7: "smpte240m", 9: "bt2020"}


def may_be_clear(info: MediaInfo) -> bool:
    """Whether it is a still whose pixels say how far they cover what is below."""
    return info.kind == "still" and _says_opacity(info.pixel_format)


@lru_cache(maxsize=256)
def _says_opacity(pixel_format: str) -> bool:
    try:
        return pixel_format == _PALETTE or any(one.is_alpha for one in VideoFormat(pixel_format).components)
    except ValueError:
        return False


def covering(frame: VideoFrame, width: int, height: int, deep: bool) -> tuple[Pixels, Mask | None]:
    """A still upright at ``width`` x ``height`` pixels, as :func:`agile_shadow.core.media.pictures.to_pixels` gives it,
    and float32 (height, width), how much of each pixel it covers: None where it covers all."""
    turns = -frame.rotation % 360 // 90
    stored = (height, width) if turns % 2 else (width, height)
    matrix = _SPACES.get(source_colorspace(frame), "bt601")
    how = "bilinear" if stored[0] >= frame.width else "area"
    graph = filter_chain(frame, Fraction(1, 25), [
        f"scale=in_color_matrix={matrix}", "format=gbrap16le", "premultiply=inplace=1",
        f"scale={stored[0]}:{stored[1]}:flags={how}+accurate_rnd", "unpremultiply=inplace=1", "format=rgba64le",
    ])  # fmt: skip
    graph.push(frame)
    graph.push(None)
    drawn = graph.pull()
    assert isinstance(drawn, VideoFrame)
    pixels = np.rot90(drawn.to_ndarray(), k=-turns)
    part = pixels[..., 3]
    mask = None if int(part.min()) == _WHOLE else np.divide(part, _WHOLE, dtype=np.float32)
    if deep:
        return np.ascontiguousarray(pixels[..., :3]), mask
    small = np.empty((height, width, 4), np.uint8)
    small[..., :3] = (pixels[..., 2::-1].astype(np.uint32) * 255 + _WHOLE // 2) // _WHOLE
    small[..., 3] = 255
    return small, mask
