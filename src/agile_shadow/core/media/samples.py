"""The samples of decoded sound, a row a channel."""

from __future__ import annotations

from typing import Any

import av
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

_MOST_PLANES = 7  # the library's Python layer counts eight planes and more wrongly, and reads past their end


def samples_of(frame: av.AudioFrame) -> NDArray[Any]:
    """Array (channels, samples) of a frame in its own kind of numbers, however it keeps them."""
    channels = frame.layout.nb_channels
    if frame.format.is_planar and channels > _MOST_PLANES:
        packed = AudioResampler(format=frame.format.packed).resample(frame)
        frame = next(one for one in packed if one is not None)
    samples = frame.to_ndarray()
    return samples if frame.format.is_planar else samples.reshape(-1, channels).T
