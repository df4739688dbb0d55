"""Sound of a file at any time, as stereo samples ready to play."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.resampler import AudioResampler
from av.audio.stream import AudioStream
from av.container import InputContainer
from numpy.typing import NDArray

from .opening import open_media
from .origin import picture_origin
from .placing import Placing
from .samples import samples_of

SAMPLE_RATE = 48_000
_RUN_UP = 0.15  # seconds decoded before the wanted ones: packed sound needs its predecessors
Samples = NDArray[np.float32]


class SoundReader:
    """Stereo samples of one file: all streams, odd channels left, even channels right, one channel on both.

    Positions count from the first frame of the picture (or the start of the sound), in samples at ``rate`` a second.
    Not for use by two threads at a time.
    """

    def __init__(self, path: Path, rate: int = SAMPLE_RATE) -> None:
        self.path, self.rate = path, rate
        self._container = open_media(self.path)
        self._streams = list(self._container.streams.audio)
        self._origin = picture_origin(self.path)
        self._length = sound_length(self._container, self._origin)
        channels = [stream.codec_context.layout.nb_channels for stream in self._streams]
        self._total_channels = sum(channels)
        self._sound_from = 0
        self.failed = 0  # packets that could not be decoded: silence stands for them
        self._reset(0)

    def close(self) -> None:
        """Let go of the file."""
        self._container.close()

    @property
    def silent(self) -> bool:
        """True when the file has no sound."""
        return not self._streams

    def _reset(self, position: int) -> None:
        self._voices = [_Voice(stream, position, self._origin, self._length, self.rate) for stream in self._streams]
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
            and all(voice.start <= position <= voice.end + self.rate for voice in self._voices)
        )

    def _seek(self, position: int) -> None:
        self._sound_from = position  # what the decoder gives before it may be its run-up
        seconds = position / self.rate + float(self._origin) - _RUN_UP
        if position <= _RUN_UP * self.rate:  # a seek to the start would leave out the run-up that files begin with
            self._container.close()
            self._container = open_media(self.path)
            self._streams = list(self._container.streams.audio)
        else:
            self._container.seek(int(seconds * av.time_base), backward=True)
        self._reset(position)
        self._packets = self._container.demux(self._streams)

    def _fill(self, until: int) -> None:
        assert self._packets is not None
        while any(voice.end < until for voice in self._voices):
            packet = next(self._packets, None)
            if packet is None:
                return
            voice = next(one for one in self._voices if one.index == packet.stream.index)
            try:
                frames = packet.decode()
            except av.error.FFmpegError:
                self.failed += voice.began  # what comes first after a leap may lack what it builds on
                continue
            for frame in frames:
                if isinstance(frame, av.AudioFrame):
                    voice.take(frame)

    def _mix(self, position: int, count: int) -> Samples:
        out = np.zeros((count, 2), np.float32)
        channel = 0
        for voice in self._voices:
            heard = voice.between(position, count)
            for row in heard:
                sides = (0, 1) if self._total_channels == 1 else (channel % 2,)
                for side in sides:
                    out[:, side] += row
                channel += 1
            voice.forget_before(position - self.rate)
        if self._total_channels > 2:
            out /= (self._total_channels + 1) // 2
        return out


def sound_length(container: InputContainer, origin: Fraction) -> Fraction | None:
    """Seconds from ``origin`` to the end of a file, as it says; None where it does not."""
    if not container.duration or container.duration < 0:
        return None
    return Fraction((container.start_time or 0) + container.duration, 1_000_000) - origin


class _Voice:
    """The sound of one stream around the place that is read: pieces of samples at ``out`` a second, gaps between
    them."""

    def __init__(
        self, stream: AudioStream, start: int, origin: Fraction, length: Fraction | None, out: int
    ) -> None:
        context = stream.codec_context
        self.index = stream.index
        self.start = self.end = start
        self._channels = context.layout.nb_channels
        self._rate, self._out = context.sample_rate, out
        self._placing = Placing(self._rate, origin, length, round(Fraction(start * self._rate, out)))
        self._pieces: list[tuple[int, Samples]] = []
        self._expected: int | None = None  # the sample of the stream that follows without a gap
        self._skip = 0  # samples, as they go out, that are left out of what comes next
        self._resampler = _resampler(out)

    @property
    def began(self) -> bool:
        """Whether anything was decoded since the last leap."""
        return self._expected is not None

    def take(self, frame: av.AudioFrame) -> None:
        """Take the next decoded frame."""
        placed = self._placing.place(frame)
        if self._expected is None:
            self.start = self.end = round(Fraction(placed.first * self._out, self._rate))
        elif placed.first != self._expected or placed.skip:
            self._add(self._resampler.resample(None))
            self._resampler = _resampler(self._out)
            self.end = max(self.end, round(Fraction(placed.first * self._out, self._rate)))
            self._skip = round(Fraction(placed.skip * self._out, self._rate))
        self._expected = placed.first + frame.samples - placed.skip
        self._add(self._resampler.resample(frame))

    def _add(self, frames: list[av.AudioFrame]) -> None:
        for frame in filter(None, frames):  # asked for the rest, a resampler with nothing to do answers None
            samples = samples_of(frame).astype(np.float32, copy=False)
            left_out = min(self._skip, samples.shape[1])
            self._skip -= left_out
            if samples.shape[1] > left_out:
                self._pieces.append((self.end, samples[:, left_out:]))
                self.end += samples.shape[1] - left_out

    def between(self, position: int, count: int) -> Samples:
        """float32 (channels, count) from a position on; zeros where there is none."""
        out = np.zeros((self._channels, count), np.float32)
        for start, samples in self._pieces:
            low, high = max(position, start), min(position + count, start + samples.shape[1])
            if high > low:
                out[:, low - position : high - position] = samples[:, low - start : high - start]
        return out

    def forget_before(self, position: int) -> None:
        """Let go of what lies before a position."""
        while self._pieces and self._pieces[0][0] + self._pieces[0][1].shape[1] <= position:
            start, samples = self._pieces.pop(0)
            self.start = start + samples.shape[1]


def _resampler(rate: int) -> AudioResampler:
    return AudioResampler(format="flt", rate=rate)
