"""How loud every sound channel of a file is over all of its length: taken while its sound passes through memory."""

from __future__ import annotations

import logging
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.fifo import AudioFifo
from av.container import InputContainer
from av.stream import Discard
from numpy.typing import NDArray

from .fingerprint import ENVELOPE_RATE, Envelope
from .opening import ODD_FILE, open_media
from .origin import picture_origin
from .samples import samples_of

log = logging.getLogger(__name__)

Levels = NDArray[np.uint8]
_STEPS = 2.0  # of a decibel
_TOP = 255  # full scale
_JITTER = 0.005  # seconds by which times may be rounded
_MOST = 200_000_000  # values: a file that says impossible times is not followed
_QUIETEST = 1e-7  # energy, as in fingerprints


@dataclass(frozen=True)
class Envelopes:
    """``levels``: uint8 (channels, values), ENVELOPE_RATE values a second from the first frame of the picture on, in
    half decibels: 255 is full scale, 0 is silence. ``widths``: channels of each stream."""

    levels: Levels
    widths: tuple[int, ...]

    def loudness(self, seconds: float) -> Envelope:
        """That of the first stream as :func:`.fingerprint.loudness` has it; empty where nothing sounds."""
        first = energies_of(self.levels[: self.widths[0] if self.widths else 0, : round(seconds * ENVELOPE_RATE)])
        if not first.any():
            return np.zeros(0, np.float32)
        loud: Envelope = np.log10(first.sum(axis=0) + _QUIETEST).astype(np.float32)
        return loud

    def to_bytes(self) -> bytes:
        """For keeping; the inverse needs the number of channels."""
        changes = np.diff(self.levels, axis=1, prepend=np.uint8(0))
        return zlib.compress(changes.tobytes(), 6)

    @classmethod
    def from_bytes(cls, data: bytes, widths: Sequence[int]) -> Envelopes:
        """The inverse of :meth:`to_bytes`. Raises ValueError, zlib.error."""
        changes = np.frombuffer(zlib.decompress(data), np.uint8).reshape(sum(widths), -1)
        return cls(np.cumsum(changes, axis=1, dtype=np.uint8), tuple(int(width) for width in widths))


def energies_of(levels: Levels) -> NDArray[np.float32]:
    """Mean squares of samples from levels as :class:`Envelopes` has them."""
    return _ENERGIES[levels]


def levels_of(energies: NDArray[np.float32]) -> Levels:
    """The inverse of :func:`energies_of`, rounded to half a decibel."""
    steps = np.round(10 * _STEPS * np.log10(np.maximum(energies, 1e-30))) + _TOP
    return np.clip(steps, 0, _TOP).astype(np.uint8)


_ENERGIES = (10.0 ** ((np.arange(256) - _TOP) / (10 * _STEPS))).astype(np.float32)
_ENERGIES[0] = 0.0


def envelopes_of(path: Path) -> Envelopes | None:
    """Of all sound of a file, decoded for it; None for a file without sound, or whose sound cannot be followed.

    Raises MediaError for one that cannot be opened.
    """
    with open_media(path) as container:
        streams = list(container.streams.audio)
        if not streams:
            return None
        for stream in container.streams:
            if stream.type != "audio":
                stream.discard = Discard.all  # its packets are not even read from the drive
        taker = taker_of(container, float(picture_origin(path)))
        try:
            for packet in container.demux(streams):
                try:
                    frames = packet.decode()
                except (av.error.FFmpegError, *ODD_FILE):
                    continue  # what is damaged is silent
                for frame in frames:
                    if isinstance(frame, av.AudioFrame):
                        taker.add(packet.stream.index, frame)
        except (av.error.FFmpegError, *ODD_FILE):
            pass  # what was there before the damage counts
    return taker.taken()


def taker_of(container: InputContainer, origin: float) -> EnvelopeTaker:
    """For all sound streams of a file. ``origin``: seconds of its own time at which the picture begins."""
    return EnvelopeTaker(
        {stream.index: stream.codec_context.layout.nb_channels for stream in container.streams.audio}, origin
    )


class EnvelopeTaker:
    """Takes them from the decoded frames of every stream, of each in their order. For one thread.

    ``widths``: channels of each stream by its index. ``origin``: as in :func:`taker_of`.
    """

    def __init__(self, widths: Mapping[int, int], origin: float) -> None:
        self._widths = tuple(widths.values())
        self._streams = {index: _Stream(width, origin) for index, width in widths.items()}
        self._whole = True

    def add(self, stream: int, frame: av.AudioFrame) -> None:
        """The next frame of the stream with that index. What cannot be followed ends the taking."""
        if self._whole:
            self._followed(lambda: self._streams[stream].add(frame))

    def taken(self) -> Envelopes | None:
        """The levels of all streams side by side; None where they could not be followed."""
        for stream in self._streams.values():
            self._followed(stream.finish)
        length = max((stream.length for stream in self._streams.values()), default=0)
        if not self._whole or not 0 < length * sum(self._widths) <= _MOST:
            return None
        return Envelopes(np.concatenate([stream.levels(length) for stream in self._streams.values()]), self._widths)

    def _followed(self, step: Callable[[], None]) -> None:
        try:
            step()
        except Exception:  # whatever it was: the proxy is what matters
            log.warning("how loud a file is all along is not taken", exc_info=True)
            self._whole = False


class _Stream:
    """One stream: runs of sound without a gap, whose samples are summed many frames at a time."""

    def __init__(self, width: int, origin: float) -> None:
        self._width, self._origin = width, origin
        self._pieces: list[tuple[int, Levels]] = []  # (first value, levels)
        self._waiting = AudioFifo()
        self._rate = 0
        self._begin = 0.0  # seconds after the picture's beginning at which the run begins
        self._samples = 0  # of the run, all that came
        self._done = 0  # values of the run that are summed
        self._first = 0  # number of the run's first whole value
        self._early = 0  # samples of the run before it that wait

    def add(self, frame: av.AudioFrame) -> None:
        at = None if frame.time is None else frame.time - self._origin
        if not self._rate or (at is not None and abs(at - self._end()) > _JITTER):
            self.finish()
            self._begin_run(frame, self._end() if at is None else at)
        kept, frame.pts = frame.pts, None  # the row of its kind counts itself
        try:
            self._waiting.write(frame)
        finally:
            frame.pts = kept
        self._samples += frame.samples
        if self._waiting.samples >= self._rate:
            self._sum()

    def finish(self) -> None:
        """Sum what waits."""
        if self._rate:
            self._sum()

    @property
    def length(self) -> int:
        """The number of values up to the last one."""
        return max((first + piece.shape[1] for first, piece in self._pieces), default=0)

    def levels(self, length: int) -> Levels:
        out = np.zeros((self._width, length), np.uint8)
        for first, piece in self._pieces:
            begin, end = max(0, first), max(0, first + piece.shape[1])
            out[:, begin:end] = piece[:, begin - first :]
        return out

    def _end(self) -> float:
        return self._begin + self._samples / self._rate if self._rate else 0.0

    def _begin_run(self, frame: av.AudioFrame, at: float) -> None:
        self._rate, self._begin, self._samples, self._done = frame.sample_rate, at, 0, 0
        self._waiting = AudioFifo()
        self._first = int(np.ceil(at * ENVELOPE_RATE - 1e-6))
        self._early = self._edge(0)

    def _edge(self, value: int) -> int:
        """The sample of the run at which a value of it begins."""
        return max(0, round(((self._first + value) / ENVELOPE_RATE - self._begin) * self._rate))

    def _sum(self) -> None:
        """Levels of all values that are whole."""
        whole = int((self._begin + self._samples / self._rate) * ENVELOPE_RATE + 1e-6) - self._first
        while whole > self._done and self._edge(whole) > self._samples:
            whole -= 1
        if whole <= self._done:
            return
        if self._early:
            self._waiting.read(self._early)
            self._early = 0
        edges = np.array([self._edge(value) for value in range(self._done, whole + 1)])
        frame = self._waiting.read(int(edges[-1] - edges[0]))
        if frame is None:
            return
        samples = _as_floats(samples_of(frame))
        sums = np.add.reduceat(np.square(samples), edges[:-1] - edges[0], axis=1)
        if sums.shape[0] != self._width:
            raise ValueError("a stream whose channels change")
        self._pieces.append((self._first + self._done, levels_of(np.asarray(sums / np.diff(edges), np.float32))))
        self._done = whole


def _as_floats(samples: NDArray[Any]) -> NDArray[np.float32]:
    """Full scale is 1."""
    floats = np.asarray(samples, np.float32)
    if samples.dtype == np.uint8:
        return (floats - np.float32(128)) * np.float32(1 / 128)
    full = float(np.iinfo(samples.dtype).max) + 1 if np.issubdtype(samples.dtype, np.integer) else 1.0
    return floats * np.float32(1 / full)
