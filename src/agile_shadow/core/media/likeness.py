"""Likeness of two pictures: the structural similarity index (SSIM) of their brightness.

Wang, Bovik, Sheikh, Simoncelli, "Image Quality Assessment: From Error Visibility to Structural Similarity", IEEE
Transactions on Image Processing 13 (2004), with windows of 8 x 8 pixels every 4 pixels.
"""

from __future__ import annotations

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import Interpolation, VideoReformatter
from numpy.typing import NDArray

from .pictures import plane_array

Luma = NDArray[np.float32]
_C1, _C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
_BLOCK = 4


def ssim(first: NDArray[np.generic], second: NDArray[np.generic]) -> float:
    """Mean SSIM of two arrays (height, width) of brightness 0 to 255: 1 for equal ones.

    Raises ValueError for different shapes or fewer than 8 x 8 pixels.
    """
    if first.shape != second.shape or min(first.shape) < 2 * _BLOCK:
        raise ValueError(f"no likeness of {first.shape} and {second.shape}")
    a, b = first.astype(np.float32), second.astype(np.float32)
    mean_a, mean_b = _windows(a), _windows(b)
    spread_a = _windows(a * a) - mean_a * mean_a
    spread_b = _windows(b * b) - mean_b * mean_b
    common = _windows(a * b) - mean_a * mean_b
    above = (2 * mean_a * mean_b + _C1) * (2 * common + _C2)
    below = (mean_a * mean_a + mean_b * mean_b + _C1) * (spread_a + spread_b + _C2)
    return float(np.mean(above / below, dtype=np.float64))


def _windows(values: Luma) -> Luma:
    """Means over windows of 8 x 8, every 4 pixels."""
    high, wide = values.shape[0] // _BLOCK, values.shape[1] // _BLOCK
    blocks = values[: high * _BLOCK, : wide * _BLOCK].reshape(high, _BLOCK, wide, _BLOCK)
    sums: Luma = blocks.sum(axis=(1, 3))
    means: Luma = (sums[:-1, :-1] + sums[1:, :-1] + sums[:-1, 1:] + sums[1:, 1:]) / np.float32(4 * _BLOCK * _BLOCK)
    return means


def luma_at(
    frame: VideoFrame, width: int, height: int, reformatter: VideoReformatter | None = None
) -> NDArray[np.uint8]:
    """Brightness 0 to 255 of a frame as stored, drawn at ``width`` x ``height``: uint8 (height, width).

    A ``reformatter`` kept between calls saves setting up the conversion.
    """
    enlarging = width > frame.width
    small = (reformatter or VideoReformatter()).reformat(
        frame,
        width=width,
        height=height,
        format="gray",
        interpolation=Interpolation.BICUBIC if enlarging else Interpolation.AREA,
    )
    return plane_array(small, 0)


def likeness(original: VideoFrame, proxy: VideoFrame, width: int, height: int) -> float:
    """SSIM of an original's frame and its proxy's, both upright at ``width`` x ``height``, the original's own size."""
    first, second = (upright_luma(frame, width, height) for frame in (original, proxy))
    return ssim(first, second)


def upright_luma(
    frame: VideoFrame, width: int, height: int, reformatter: VideoReformatter | None = None
) -> NDArray[np.uint8]:
    """:func:`luma_at` of a frame turned upright: uint8 (height, width)."""
    turn = -frame.rotation % 360
    if turn % 180:
        return np.rot90(luma_at(frame, height, width, reformatter), k=-(turn // 90))
    picture = luma_at(frame, width, height, reformatter)
    return np.rot90(picture, k=-(turn // 90)) if turn else picture
