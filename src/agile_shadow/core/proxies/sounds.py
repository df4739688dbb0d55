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

from ..media import SAMPLE_RATE, SoundReader


def kept_bytes_per_sample(codec: str, bits: int) -> int:
    """2 or 3: what a sample of a stream takes as PCM in the proxy."""
    deep = codec.startswith(("pcm_s24", "pcm_s32", "flac")) or bits > 16
    return 3 if deep and codec != "aac" else 2


class Sound:
    """One sound stream, decoded and kept as PCM with all its channels, at the time it has beside the picture.

    ``origin`` and ``end`` in seconds of the original's own time: what lies outside is left out.
    """

    def __init__(
        self, source: AudioStream, target: OutputContainer, origin: Fraction, end: Fraction | None = None
    ) -> None:
        context = source.codec_context
        bits = context.format.bits if context.format else 16
        deep = kept_bytes_per_sample(context.name, bits) == 3
        stream = target.add_stream("pcm_s24le" if deep else "pcm_s16le", rate=context.sample_rate)
        assert isinstance(stream, AudioStream)
        stream.codec_context.layout = context.layout
        self._stream = stream
        self._rate = context.sample_rate
        self._origin = origin
        self._last = math.ceil((end - origin) * self._rate) if end is not None else None
        self._resampler = av.AudioResampler(format="s32" if stream.codec_context.name == "pcm_s24le" else "s16")
        self._next: int | None = None

    @property
    def ended(self) -> bool:
        """Whether the end of the wanted stretch was passed."""
        return self._last is not None and self._next is not None and self._next >= self._last

    def encode(self, frame: av.AudioFrame, target: OutputContainer) -> None:
        """Take the next decoded frame of the stream."""
        if self._next is None:
            time = Fraction(frame.pts or 0) * Fraction(frame.time_base or 1) - self._origin
            self._next = round(time * self._rate)
        frame.pts = None
        for whole in self._resampler.resample(frame):
            piece = self._wanted(whole)
            if piece is None:
                continue
            assert self._next is not None
            piece.pts = self._next
            piece.time_base = Fraction(1, self._rate)
            self._next += piece.samples
            for packet in self._stream.encode(piece):
                target.mux(packet)

    def _wanted(self, piece: av.AudioFrame) -> av.AudioFrame | None:
        """Without what sounds before the first frame of the picture or after the wanted stretch."""
        assert self._next is not None
        first = min(piece.samples, max(0, -self._next))
        last = piece.samples if self._last is None else min(piece.samples, self._last - self._next)
        if first == 0 and last == piece.samples:
            return piece
        self._next += first
        if last <= first:
            self._next += piece.samples - first
            return None
        channels = piece.layout.nb_channels
        rest: Any = np.ascontiguousarray(piece.to_ndarray()[:, first * channels : last * channels])
        trimmed = av.AudioFrame.from_ndarray(rest, format=piece.format.name, layout=piece.layout.name)
        trimmed.sample_rate = piece.sample_rate
        return trimmed

    def finish(self, target: OutputContainer) -> None:
        """Flush the encoder."""
        for packet in self._stream.encode(None):
            target.mux(packet)


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
        for start, count in _steps(self._done, until):
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


def _steps(start: int, end: int) -> Iterator[tuple[int, int]]:
    while start < end:
        count = min(SAMPLE_RATE, end - start)
        yield start, count
        start += count
