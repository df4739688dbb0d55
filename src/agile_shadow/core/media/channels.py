"""Every sound channel of a stretch of a file, side by side."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import InputContainer
from av.stream import Discard
from numpy.typing import NDArray

from .opening import ODD_FILE, open_media
from .origin import picture_origin
from .samples import samples_of

CHANNEL_RATE = 8_000  # samples a second
_RUN_UP = 0.3  # seconds
_DELAY = 4  # samples that a resampler holds back
_JITTER = 0.005  # seconds by which times may be rounded
Channels = NDArray[np.float32]


def channels_at(path: Path, start: float, seconds: float) -> Channels:
    """float32 (channels, samples) at CHANNEL_RATE from ``start`` seconds after the first frame of the picture on.

    Zeros where there is no sound; no rows for a file without any. Raises MediaError for one that cannot be opened.
    """
    count = round(seconds * CHANNEL_RATE)
    with open_media(path) as container:
        streams = list(container.streams.audio)
        widths = [stream.codec_context.layout.nb_channels for stream in streams]
        out = np.zeros((sum(widths), count), np.float32)
        origin = float(picture_origin(path))
        for stream in container.streams:
            if stream.type != "audio":
                stream.discard = Discard.all
        rows = np.concatenate([[0], np.cumsum(widths)]).astype(int)
        for number, stream in enumerate(streams):
            try:
                if start > 2 * _RUN_UP:
                    container.seek(int((start + origin - _RUN_UP) * av.time_base), backward=True)
                else:
                    container.seek(0)
                _fill(out[rows[number] : rows[number + 1]], container, stream, start, origin)
            except (av.error.FFmpegError, *ODD_FILE):
                continue
    return out


def _fill(out: Channels, container: InputContainer, stream: AudioStream, start: float, origin: float) -> None:
    resampler = AudioResampler(format="flt", rate=CHANNEL_RATE)
    position: int | None = None
    for frame in container.decode(stream):
        said = None if frame.time is None else round((frame.time - origin - start) * CHANNEL_RATE)
        if position is None or (said is not None and abs(said - position - _DELAY) > _JITTER * CHANNEL_RATE):
            position = said or 0
            resampler = AudioResampler(format="flt", rate=CHANNEL_RATE)
        for piece in resampler.resample(frame):
            samples = samples_of(piece)
            low, high = max(0, position), min(out.shape[1], position + samples.shape[1])
            if high > low:
                out[:, low:high] = samples[:, low - position : high - position]
            position += samples.shape[1]
        if position >= out.shape[1]:
            return
