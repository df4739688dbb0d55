"""Every sound channel of a stretch of a file, side by side."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
from av.audio.fifo import AudioFifo
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
    run: _Run | None = None
    try:
        for frame in container.decode(stream):
            at = None if frame.time is None else frame.time - origin - start
            if run is None or (at is not None and abs(at - run.end) > _JITTER):
                if run is not None:
                    run.write(last=True)
                run = _Run(out, at or 0.0)
            run.add(frame)
            if run.end * CHANNEL_RATE >= out.shape[1]:
                break
    finally:  # what was decoded before damage counts, too
        if run is not None:
            run.write(last=True)


class _Run:
    """Sound without a gap, brought to CHANNEL_RATE many frames at a time. ``end``: seconds from the stretch's start."""

    def __init__(self, out: Channels, begin: float) -> None:
        self._out, self._begin = out, begin
        self._position = round(begin * CHANNEL_RATE)
        self._samples = 0
        self._waiting = AudioFifo()
        self._resampler = AudioResampler(format="flt", rate=CHANNEL_RATE)
        self.end = begin

    def add(self, frame: av.AudioFrame) -> None:
        """What follows."""
        self._samples += frame.samples
        self.end = self._begin + self._samples / frame.sample_rate
        frame.pts = None  # the row of its kind counts itself
        self._waiting.write(frame)
        if self._waiting.samples >= frame.sample_rate:
            self.write()

    def write(self, last: bool = False) -> None:
        """Put what waits into its place; ``last``: also what the resampler holds back."""
        frame = self._waiting.read() if self._waiting.samples else None
        pieces = self._resampler.resample(frame) if frame is not None else []
        for piece in [*pieces, *(self._resampler.resample(None) if last else [])]:
            samples = samples_of(piece)
            low, high = max(0, self._position), min(self._out.shape[1], self._position + samples.shape[1])
            if high > low:
                self._out[:, low:high] = samples[:, low - self._position : high - self._position]
            self._position += samples.shape[1]
