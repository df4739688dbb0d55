"""How many bytes a proxy takes: computed where the codec fixes it, else from what was measured."""

from __future__ import annotations

from fractions import Fraction

from ..media import SAMPLE_RATE, MediaInfo
from ..presets import Proxies
from ..proxies.sounds import kept_bytes_per_sample
from .numbers import Number
from .taste import Taste

# Bytes of a block of 16 x 16 pixels in codecs whose frames are all of one size (VC-3, SMPTE ST 2019-1).
_PER_BLOCK = {"dnxhr-lb": Fraction(5888, 255), "dnxhr-sq": Fraction(18944, 255)}
_SECTOR, _LEAST_SECTORS = 4096, 2  # bytes that a frame is rounded to
_PER_FRAME = 20  # bytes in the container's tables
_PER_FILE = 3000


def fixed_frame_bytes(codec: str, width: int, height: int) -> int | None:
    """Bytes of every frame where the codec fixes them by the picture's size, else None."""
    if codec not in _PER_BLOCK:
        return None
    blocks = -(-width // 16) * -(-height // 16)
    sectors = (int(blocks * _PER_BLOCK[codec]) + _SECTOR // 2) // _SECTOR
    return _SECTOR * max(_LEAST_SECTORS, sectors)


def sound_bytes_per_second(info: MediaInfo, settings: Proxies) -> int:
    """Bytes of PCM sound a second."""
    if settings.sound == "none" or not info.audio:
        return 0
    if settings.sound == "stereo":
        return SAMPLE_RATE * 2 * 2
    return sum(
        stream.channels * stream.sample_rate * kept_bytes_per_sample(stream.codec, stream.bits) for stream in info.audio
    )


def picture_bytes(
    settings: Proxies, size: tuple[int, int], info: MediaInfo, taste: tuple[Taste, float] | None
) -> Number | None:
    """Bytes of picture for each frame; None while they are not measured."""
    fixed = fixed_frame_bytes(settings.codec, *size)
    if fixed is not None:
        return Number(fixed, "exact")
    if taste is not None:
        return Number(taste[0].picture_bytes, "measured", taste[1])
    if settings.megabits is not None and info.frame_rate:
        return Number(settings.megabits * 1e6 / 8 / float(info.frame_rate), "at most")
    return None


def file_bytes(picture: Number, settings: Proxies, info: MediaInfo) -> Number:
    """Bytes of a whole proxy's file."""
    sound = sound_bytes_per_second(info, settings) * float(info.duration)
    return Number(info.frames * (picture.value + _PER_FRAME) + sound + _PER_FILE, picture.basis, picture.taken)


def bytes_per_hour(picture: Number, settings: Proxies, info: MediaInfo) -> Number:
    """Bytes for an hour of such footage."""
    second = float(info.frame_rate) * (picture.value + _PER_FRAME) + sound_bytes_per_second(info, settings)
    return Number(second * 3600, picture.basis, picture.taken)
