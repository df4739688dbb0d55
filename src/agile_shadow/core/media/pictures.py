"""Decoded frames as pictures for the screen."""

from __future__ import annotations

from typing import Any

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Colorspace, Interpolation, VideoReformatter
from av.video.stream import VideoStream
from numpy.typing import NDArray

Bgra = NDArray[np.uint8]

_BT709, _UNSPECIFIED, _BT601 = 1, 2, 5  # ITU-T H.273
_HD = 720  # lines from which what says no matrix counts as BT.709
_SPACES = {1: Colorspace.ITU709, 5: Colorspace.ITU624, 6: Colorspace.SMPTE170M, 7: Colorspace.SMPTE240M,
           9: Colorspace.BT2020, 10: Colorspace.BT2020}  # fmt: skip


def to_bgra(frame: VideoFrame, width: int, height: int, reformatter: VideoReformatter | None = None) -> Bgra:
    """The frame upright at ``width`` x ``height`` pixels: uint8 array (height, width, 4) in the order B G R A.

    The frame's own matrix and range are used; untagged frames count as BT.709 from 720 lines up, else BT.601.
    A ``reformatter`` kept between calls saves setting up the conversion.
    """
    return to_pixels(frame, width, height, reformatter)


def to_pixels(
    frame: VideoFrame, width: int, height: int, reformatter: VideoReformatter | None = None, deep: bool = False
) -> NDArray[Any]:
    """Like :func:`to_bgra`; ``deep``: uint16 (height, width, 3) in the order R G B, 0 to 65535."""
    rotation = -frame.rotation % 360
    turned = rotation % 180 == 90
    stored = (height, width) if turned else (width, height)
    converter = reformatter or VideoReformatter()
    enlarging = stored[0] >= frame.width
    larger = Interpolation.BICUBIC if deep else Interpolation.FAST_BILINEAR
    picture = converter.reformat(
        frame,
        width=stored[0],
        height=stored[1],
        format="rgb48le" if deep else "bgra",
        src_colorspace=source_colorspace(frame),
        interpolation=larger if enlarging else Interpolation.AREA,
        threads=1,
    )
    pixels: NDArray[Any] = picture.to_ndarray() if deep else plane_array(picture, 0, 4)
    if rotation:
        pixels = np.rot90(pixels, k=-(rotation // 90))
    return np.ascontiguousarray(pixels)


def source_colorspace(frame: VideoFrame) -> int:
    """The matrix to convert the frame by: its own, or the usual one for its size."""
    known = _SPACES.get(int(frame.colorspace))
    if known is not None:
        return int(known)
    return int(Colorspace.ITU709 if frame.height >= _HD else Colorspace.ITU601)


def say_matrix(frame: VideoFrame, stream: VideoStream, lines: int | None = None) -> None:
    """Give a frame whose codec does not say its matrix the one that the container says; ``lines``: of the whole frame,
    where this one was decoded smaller, so that the usual matrix is that of the whole one."""
    known = int(stream.codec_context.colorspace)
    if int(frame.colorspace) == _UNSPECIFIED and known in _SPACES:
        frame.colorspace = known
    elif lines is not None and int(frame.colorspace) not in _SPACES:
        frame.colorspace = _BT709 if lines >= _HD else _BT601


def plane_array(frame: VideoFrame, plane: int, components: int = 1) -> NDArray[np.uint8]:
    """One plane of an 8-bit frame without its padding: uint8 (height, width) or (height, width, components)."""
    source = frame.planes[plane]
    flat: NDArray[np.uint8] = np.frombuffer(memoryview(source), np.uint8)
    rows = flat.reshape(source.height, -1)[:, : source.width * components]
    return rows.reshape(source.height, source.width, components) if components > 1 else rows
