"""What every picture of a film looked like when it was drawn, so small that an hour of it fits into memory."""

from __future__ import annotations

import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..late import cv2

CELLS = (32, 18)  # across, down
_FINER = 8  # cells in which whole numbers are averaged first
Signature = NDArray[np.uint16]


def luma_of(frame: VideoFrame) -> tuple[NDArray[np.generic], int]:
    """Brightness as it is stored, uint8 or uint16 (height, width), and the bits of its depth."""
    planar = frame.format.name.startswith(("yuv", "gray"))
    kept = frame if planar else frame.reformat(format="gray16le")
    bits = kept.format.components[0].bits
    plane = kept.planes[0]
    rows = np.frombuffer(memoryview(plane), np.uint16 if bits > 8 else np.uint8).reshape(plane.height, -1)
    return rows[:, : plane.width], bits


def signature_of(frame: VideoFrame) -> Signature:
    """Mean brightness of the cells of a picture: uint16 (18, 32), 256 to a level of 255."""
    luma, bits = luma_of(frame)
    finer = (min(luma.shape[1], CELLS[0] * _FINER), min(luma.shape[0], CELLS[1] * _FINER))
    wide = cv2.resize(luma, finer, interpolation=cv2.INTER_AREA).astype(np.float32)
    small = cv2.resize(wide, CELLS, interpolation=cv2.INTER_AREA)
    scaled: Signature = np.rint(small * (255 * 256 / ((1 << bits) - 1))).clip(0, 65535).astype(np.uint16)
    return scaled
