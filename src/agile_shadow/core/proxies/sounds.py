"""The sound of a proxy: each stream as it is, or all mixed to stereo, as PCM."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer

from ..media import SAMPLE_RATE, Placing, SoundReader


def kept_bytes_per_sample(codec: str, bits: int) -> int:
    """2 or 3: what a sample of a stream takes as PCM in the proxy."""
    deep = codec.startswith(("pcm_s24", "pcm_s32", "flac")) or bits > 16
    return 3 if deep and codec != "aac" else 2


class Sound:
    """One sound stream, decoded and kept as PCM with all its channels, at the time it has beside the picture.

    ``origin`` and ``end`` in seconds of the original's own time: what lies outside is left out. ``length``: seconds
    that the original says it lasts from ``origin``.
    """

    def __init__(
        self, source: AudioStream, target: OutputContainer, origin: Fraction, end: Fraction | None = None,
        length: Fraction | None = None,
    ) -> None:  # fmt: skip
        context = source.codec_context
        bits = context.format.bits if context.format else 16
        deep = kept_bytes_per_sample(context.name, bits) == 3
        stream = target.add_stream("pcm_s24le" if deep else "pcm_s16le", rate=context.sample_rate)
        assert isinstance(stream, AudioStream)
        stream.codec_context.layout = context.layout
        self._stream = stream
        self._rate = context.sample_rate
        self._placing = Placing(self._rate, origin, length)
        self._last = math.ceil((end - origin) * self._rate) if end is not None else None
        self._resampler = av.AudioResampler(format="s32" if stream.codec_context.name == "pcm_s24le" else "s16")
        self._next: int | None = None

    @property
    def ended(self) -> bool:
        """Whether the end of the wanted stretch was passed."""
        return self._last is not None and self._next is not None and self._next >= self._last

    def encode(self, frame: av.AudioFrame, target: OutputContainer) -> None:
        """Take the next decoded frame of the stream; a gap before it becomes silence."""
        placed = self._placing.place(frame)
        if self._next is not None and placed.first > self._next:
            self._be_silent(placed.first - self._next, frame, target)
        self._next = placed.first
        frame.pts = None
        skip = placed.skip
        for whole in self._resampler.resample(frame):
            left_out = min(skip, whole.samples)
            skip -= left_out
            self._write(whole, left_out, target)

    def _be_silent(self, samples: int, like: av.AudioFrame, target: OutputContainer) -> None:
        kind = "s32" if self._stream.codec_context.name == "pcm_s24le" else "s16"
        width = {"s32": np.int32, "s16": np.int16}[kind]
        for _start, count in steps(0, samples):
            nothing: Any = np.zeros((1, count * like.layout.nb_channels), width)
            silence = av.AudioFrame.from_ndarray(nothing, format=kind, layout=like.layout.name)
            silence.sample_rate = self._rate
            self._write(silence, 0, target)

    def _write(self, whole: av.AudioFrame, left_out: int, target: OutputContainer) -> None:
        assert self._next is not None
        begin = self._next
        self._next += whole.samples - left_out
        first = max(left_out, left_out - begin)  # without what sounds before the first frame of the picture
        last = whole.samples
        if self._last is not None:
            last = min(last, self._last - begin + left_out)
        if last <= first:
            return
        piece = whole if (first, last) == (0, whole.samples) else _cut(whole, first, last)
        piece.pts = begin + first - left_out
        piece.time_base = Fraction(1, self._rate)
        for packet in self._stream.encode(piece):
            target.mux(packet)

    def finish(self, target: OutputContainer) -> None:
        """Flush the encoder."""
        for packet in self._stream.encode(None):
            target.mux(packet)


def _cut(piece: av.AudioFrame, first: int, last: int) -> av.AudioFrame:
    channels = piece.layout.nb_channels
    rest: Any = np.ascontiguousarray(piece.to_ndarray()[:, first * channels : last * channels])
    trimmed = av.AudioFrame.from_ndarray(rest, format=piece.format.name, layout=piece.layout.name)
    trimmed.sample_rate = piece.sample_rate
    return trimmed


class StereoMix:
    """All sound of an original mixed to two channels as the player mixes it, written along with the picture."""

    def __init__(self, original: Path, target: OutputContainer, first: Fraction, seconds: Fraction) -> None:
        self._reader = SoundReader(original)
        stream = target.add_stream("pcm_s16le", rate=SAMPLE_RATE, layout="stereo")
        assert isinstance(stream, AudioStream)
        self._stream = stream
        self._from = round(first * SAMPLE_RATE)
        self._length = math.ceil(seconds * SAMPLE_RATE)
        self._done = 0

    def write_until(self, seconds: Fraction, target: OutputContainer) -> None:
        """Write what sounds before that time of the proxy."""
        until = min(self._length, math.ceil(seconds * SAMPLE_RATE))
        for start, count in steps(self._done, until):
            samples = self._reader.read(self._from + start, count)
            whole = np.rint(np.clip(samples, -1, 1) * 32767).astype(np.int16)
            frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s16", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = SAMPLE_RATE, start, Fraction(1, SAMPLE_RATE)
            for packet in self._stream.encode(frame):
                target.mux(packet)
        self._done = max(self._done, until)

    def finish(self, target: OutputContainer) -> None:
        """Write the rest and flush the encoder."""
        self.write_until(Fraction(self._length, SAMPLE_RATE), target)
        for packet in self._stream.encode(None):
            target.mux(packet)

    def close(self) -> None:
        """Let go of the original."""
        self._reader.close()


def steps(start: int, end: int) -> Iterator[tuple[int, int]]:
    """Start and number of samples of pieces of at most a second."""
    while start < end:
        count = min(SAMPLE_RATE, end - start)
        yield start, count
        start += count
