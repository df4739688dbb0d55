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

from ..media.coded import WEIGHTS, Coded
from ..media.opening import open_media
from ..pairs.half import Half

_UNSPECIFIED = 2  # ITU-T H.273
_NAMES = {1: "BT.709", 5: "BT.601", 6: "BT.601", 7: "SMPTE 240M", 9: "BT.2020", 10: "BT.2020"}
_TRIED = (1, 6, 9)
_CLEARLY = 2.0  # of 255, in the mean
_APART = 3.0  # of 255: blocks where two matrices differ by less tell nothing
_ENOUGH = 0.03  # of the blocks
_KEPT = 0.75  # of the blocks: what is burnt in covers the others


@dataclass(frozen=True)
class ColourPair:
    """The same place in an original and its proxy, and the matrix by which each is to be shown (ITU-T H.273)."""

    original: Coded
    original_matrix: int
    proxy: Coded
    proxy_matrix: int


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
    if matrix not in WEIGHTS:
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
