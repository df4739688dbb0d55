"""Small blocks of a picture with its colours as they are coded, the matrix untouched (ITU-R BT.601, 709, 2020)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Interpolation, VideoReformatter
from numpy.typing import NDArray

WEIGHTS = {1: (0.2126, 0.0722), 4: (0.30, 0.11), 5: (0.299, 0.114), 6: (0.299, 0.114), 7: (0.212, 0.087),
           9: (0.2627, 0.0593), 10: (0.2627, 0.0593)}  # fmt: skip
_SIZE = (32, 18)
Rgb = NDArray[np.float32]


@dataclass(frozen=True)
class Coded:
    """Blocks of a picture: ``planes`` float32 (3, height, width) of Y, Cb, Cr around 0, or of R, G, B."""

    planes: NDArray[np.float32]
    is_rgb: bool

    def shown_by(self, matrix: int) -> Rgb:
        """Red, green and blue, 0 to 255: float32 (3, height, width)."""
        if self.is_rgb:
            return self.planes
        red, blue = WEIGHTS[matrix]
        y, cb, cr = self.planes
        r, b = y + 2 * (1 - red) * cr, y + 2 * (1 - blue) * cb
        return np.stack([r, (y - red * r - blue * b) / (1 - red - blue), b])


def coded(frame: VideoFrame, reformatter: VideoReformatter | None = None) -> Coded:
    """A frame upright as small blocks, its own matrix untouched."""
    turn = -frame.rotation % 360
    size = _SIZE[::-1] if turn % 180 else _SIZE
    converter = reformatter or VideoReformatter()
    is_rgb = frame.format.is_rgb or frame.format.name.startswith("gbr")
    small = converter.reformat(
        frame, *size, format="rgb24" if is_rgb else "yuv444p", interpolation=Interpolation.AREA,
        dst_color_range=None if is_rgb else ColorRange.MPEG,
    )  # fmt: skip
    values = small.to_ndarray().astype(np.float32)
    if is_rgb:
        planes = np.moveaxis(values, 2, 0)
    else:
        planes = values.reshape(3, size[1], size[0])
        planes[0] = (planes[0] - 16) * (255 / 219)
        planes[1:] = (planes[1:] - 128) * (255 / 224)
    return Coded(np.rot90(planes, k=-(turn // 90), axes=(1, 2)), is_rgb)


def matrix_of(frame: VideoFrame, lines: int) -> int:
    """The matrix a frame says, or the usual one for ``lines``."""
    said = int(frame.colorspace)
    return said if said in WEIGHTS else 1 if lines >= 720 else 6
