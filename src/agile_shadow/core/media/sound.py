"""Sound of a file at any time, as stereo samples ready to play."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from .opening import open_media

SAMPLE_RATE = 48_000
_RUN_UP = 0.15  # seconds decoded before the wanted ones: packed sound needs its predecessors
Samples = NDArray[np.float32]


class SoundReader:
    """Stereo samples of one file: all streams, odd channels left, even channels right, one channel on both.

    Positions count from the first frame of the picture (or the start of the sound), in samples at 48 kHz.
    Not for use by two threads at a time.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._container = open_media(self.path)
        self._streams = list(self._container.streams.audio)
        video = self._container.streams.video
        self._origin = 0.0
        if video and video[0].start_time is not None and video[0].time_base is not None:
            self._origin = float(video[0].start_time * video[0].time_base)
        channels = [stream.codec_context.layout.nb_channels for stream in self._streams]
        self._total_channels = sum(channels)
        self._buffers: list[Samples] = []
        self._starts: list[int] = []
        self._sound_from = 0
        self._reset(0)

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()

    @property
    def silent(self) -> bool:
        """True when the file has no sound."""
        return not self._streams

    def _reset(self, position: int) -> None:
        self._resamplers = [AudioResampler(format="fltp", rate=SAMPLE_RATE) for _ in self._streams]
        self._buffers = [np.zeros((stream.codec_context.layout.nb_channels, 0), np.float32) for stream in self._streams]
        self._starts = [position for _ in self._streams]
        self._packets: Iterator[av.Packet[Any]] | None = None

    def read(self, position: int, count: int) -> Samples:
        """float32 array (count, 2) from sample ``position`` on; zeros outside the sound."""
        if self.silent or count <= 0:
            return np.zeros((max(count, 0), 2), np.float32)
        if not self._is_next(position):
            self._seek(position)
        self._fill(position + count)
        return self._mix(position, count)

    def _is_next(self, position: int) -> bool:
        return (
            self._packets is not None
            and position >= self._sound_from
            and all(
                start <= position <= start + buffer.shape[1] + SAMPLE_RATE
                for start, buffer in zip(self._starts, self._buffers, strict=True)
            )
        )

    def _seek(self, position: int) -> None:
        self._reset(position)
        self._sound_from = position  # what the decoder gives before it may be its run-up
        seconds = position / SAMPLE_RATE + self._origin - _RUN_UP
        if position <= _RUN_UP * SAMPLE_RATE:  # a seek to the start would leave out the run-up that files begin with
            self._container.close()
            self._container = open_media(self.path)
            self._streams = list(self._container.streams.audio)
        else:
            self._container.seek(int(seconds * av.time_base), backward=True)
        self._packets = self._container.demux(self._streams)
        self._fresh = [True for _ in self._streams]

    def _fill(self, until: int) -> None:
        assert self._packets is not None
        while any(s + b.shape[1] < until for s, b in zip(self._starts, self._buffers, strict=True)):
            packet = next(self._packets, None)
            if packet is None:
                return
            which = next(i for i, stream in enumerate(self._streams) if stream.index == packet.stream.index)
            try:
                frames = packet.decode()
            except av.error.FFmpegError:
                continue
            for frame in frames:
                if isinstance(frame, av.AudioFrame):
                    self._take(which, frame)

    def _take(self, which: int, frame: av.AudioFrame) -> None:
        if self._fresh[which] and frame.time is not None:
            self._starts[which] = round((frame.time - self._origin) * SAMPLE_RATE)
            self._fresh[which] = False
        pieces = [self._buffers[which]]
        for resampled in self._resamplers[which].resample(frame):
            pieces.append(resampled.to_ndarray().astype(np.float32, copy=False))
        self._buffers[which] = np.concatenate(pieces, axis=1)

    def _mix(self, position: int, count: int) -> Samples:
        out = np.zeros((count, 2), np.float32)
        channel = 0
        for which, buffer in enumerate(self._buffers):
            start = self._starts[which]
            low, high = max(position, start), min(position + count, start + buffer.shape[1])
            for row in buffer:
                if high > low:
                    piece = row[low - start : high - start]
                    sides = (0, 1) if self._total_channels == 1 else (channel % 2,)
                    for side in sides:
                        out[low - position : high - position, side] += piece
                channel += 1
            drop = max(0, min(position - SAMPLE_RATE - start, buffer.shape[1]))
            self._buffers[which] = buffer[:, drop:]
            self._starts[which] = start + drop
        if self._total_channels > 2:
            out /= (self._total_channels + 1) // 2
        return out
