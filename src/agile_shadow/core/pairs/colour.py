"""Whether a proxy's colours are coded by the matrix that it says, in its container and in its own stream.

ITU-R BT.601, BT.709, BT.2020: the same red, green and blue give other values of Y, Cb and Cr. A proxy coded by one and
tagged as another has other greens in every program that believes the tag.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import av
import numpy as np
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Interpolation, VideoReformatter
from numpy.typing import NDArray

from ..media.opening import open_media
from .half import Half

_UNSPECIFIED = 2  # ITU-T H.273
_WEIGHTS = {1: (0.2126, 0.0722), 4: (0.30, 0.11), 5: (0.299, 0.114), 6: (0.299, 0.114), 7: (0.212, 0.087),
            9: (0.2627, 0.0593), 10: (0.2627, 0.0593)}  # fmt: skip
_NAMES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 7: "SMPTE 240M", 9: "BT.2020", 10: "BT.2020"}
_TRIED = (1, 6, 9)
_SIZE = (32, 18)
_CLEARLY = 2.0  # of 255, in the mean
_APART = 3.0  # of 255: blocks where two matrices differ by less tell nothing
_ENOUGH = 0.03  # of the blocks
_KEPT = 0.75  # of the blocks: what is burnt in covers the others
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
        red, blue = _WEIGHTS[matrix]
        y, cb, cr = self.planes
        r, b = y + 2 * (1 - red) * cr, y + 2 * (1 - blue) * cb
        return np.stack([r, (y - red * r - blue * b) / (1 - red - blue), b])


@dataclass(frozen=True)
class ColourPair:
    """The same place in an original and its proxy, and the matrix by which each is to be shown (ITU-T H.273)."""

    original: Coded
    original_matrix: int
    proxy: Coded
    proxy_matrix: int


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
    return said if said in _WEIGHTS else 1 if lines >= 720 else 6


def tagged_matrices(half: Half) -> tuple[int, int]:
    """The matrices that a file's container says, and its picture's own stream with the container unheard; 2 for none.

    Raises MediaError.
    """
    with open_media(half.path, half.info.sequence_rate) as container:
        stream = container.streams.video[0]
        outside = int(stream.codec_context.colorspace)
        context = av.CodecContext.create(stream.codec_context.name, "r")
        assert isinstance(context, VideoCodecContext)
        context.extradata = stream.codec_context.extradata
        for number, packet in enumerate(container.demux(stream)):
            try:
                frames = context.decode(packet if packet.size else None)
            except av.error.FFmpegError:
                frames = []
            if frames:
                return outside, int(frames[0].colorspace)
            if number > 60:
                break
    return outside, _UNSPECIFIED


def colours_wrong(pairs: Sequence[ColourPair], proxy: Half) -> list[str]:
    """What is wrong with the proxy's matrix, by places that show both. Raises MediaError."""
    if not pairs:
        return []
    container, stream = tagged_matrices(proxy)
    said = {pair.proxy_matrix: "it says" for pair in pairs}
    said = {container: "its container says", stream: "its own stream says", **said}
    return [text for matrix, where in said.items() if (text := _told(pairs, matrix, where))]


def _told(pairs: Sequence[ColourPair], matrix: int, where: str) -> str:
    """A sentence where the colours are another matrix's than ``matrix``, clearly."""
    if matrix not in _WEIGHTS:
        return ""
    for tried in _TRIED:
        as_said, as_tried = _away(pairs, matrix, tried)
        if as_said > _CLEARLY and as_tried < as_said / 2:
            break
    else:
        return ""
    return f"its colours are coded by {_NAMES[tried]}, though {where} {_NAMES.get(matrix, matrix)}"


def _away(pairs: Sequence[ColourPair], said: int, tried: int) -> tuple[float, float]:
    """Mean distances of the colours, of 255, shown by one matrix and by another, where the two give other colours.

    (0, 0) where hardly any place tells them apart. The blocks that are furthest away by both are left out.
    """
    first, second, apart = [], [], []
    for pair in pairs:
        true = pair.original.shown_by(pair.original_matrix)
        one, other = pair.proxy.shown_by(said), pair.proxy.shown_by(tried)
        apart.append(np.abs(one - other).max(axis=0).ravel())
        first.append(np.abs(true - one).mean(axis=0).ravel())
        second.append(np.abs(true - other).mean(axis=0).ravel())
    tells = np.concatenate(apart) > _APART
    if tells.mean() < _ENOUGH:
        return 0.0, 0.0
    a, b = np.concatenate(first)[tells], np.concatenate(second)[tells]
    kept = np.argsort(np.minimum(a, b))[: max(1, int(len(a) * _KEPT))]
    return float(a[kept].mean()), float(b[kept].mean())
