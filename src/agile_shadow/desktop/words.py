"""Numbers in words, the same everywhere in the window."""

from __future__ import annotations

from ..core.amounts import amount
from ..core.media import MediaInfo
from ..core.time import rate_label

CODEC_WORDS = {
    "hevc": "HEVC", "h264": "H.264", "dnxhd": "DNxHR", "prores": "ProRes", "mjpeg": "MJPEG", "mpeg2video": "MPEG-2",
    "cfhd": "CineForm", "pcm_s24le": "PCM 24", "pcm_s16le": "PCM 16",
}  # fmt: skip


def gigabytes(size: int) -> str:
    """Size in GB with one decimal; small files in MB."""
    return amount(size)


def frame_size(info: MediaInfo) -> str:
    """Pixels as shown, upright."""
    return f"{info.display_width} x {info.display_height}" if info.display_width else ""


def codec(info: MediaInfo) -> str:
    """The codec's usual name, with its bits where that is more than 8."""
    name = CODEC_WORDS.get(info.codec, info.codec)
    return f"{name} {info.bit_depth} bit" if info.bit_depth > 8 and info.kind == "video" else name


def rate(info: MediaInfo) -> str:
    """Frames per second."""
    if not info.frame_rate:
        return ""
    text = rate_label(info.frame_rate)
    return f"{text} variable" if info.variable_rate else f"{text} interlaced" if info.interlaced else text


def oddities(info: MediaInfo) -> list[str]:
    """Sentences of what is damaged, then of what is odd about a file."""
    damage = [f"The original is damaged: {info.damage}."] if info.damage else []
    return [*damage, *(f"{text[0].upper()}{text[1:]}." for text in info.odd if text)]
