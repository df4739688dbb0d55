"""Sound at another speed that keeps its pitch, by position: the same samples in whatever order they are read."""

from __future__ import annotations

import math
from collections import OrderedDict
from fractions import Fraction
from typing import Protocol

import av
import numpy as np
from av.audio.frame import AudioFrame
from numpy.typing import NDArray

from ..media import SAMPLE_RATE

Samples = NDArray[np.float32]
_CHUNK, _BEFORE = 4, Fraction(1, 4)  # seconds of the source stretched at once; read before and after for the filter
_JOIN = 1024  # samples over which two chunks are joined
_KEPT = 6
_SLOWEST = 0.5  # of one filter; slower speeds take several


class Readable(Protocol):
    """What gives float32 (count, 2) from a sample on."""

    def read(self, first: int, count: int) -> Samples: ...


class KeptPitch:
    """A sound at a speed above 0, stretched in chunks that begin at fixed places of the source; for one thread."""

    def __init__(self, source: Readable, speed: Fraction, rate: int = SAMPLE_RATE) -> None:
        self._source, self._speed, self._rate = source, float(speed), rate
        self._chunk_length, self._before = _CHUNK * rate, int(_BEFORE * rate)
        self._exact = speed
        self._chunks: OrderedDict[int, Samples] = OrderedDict()

    def at(self, seconds: Fraction, count: int) -> Samples:
        """``count`` samples from that moment of the source on."""
        first = round(seconds / self._exact * self._rate)
        out = np.zeros((count, 2), np.float32)
        done = 0
        while done < count:
            number = self._number(first + done)
            begin, end = self._begin(number), self._begin(number + 1)
            into = first + done - begin
            piece = min(count - done, end - (first + done))
            out[done : done + piece] = self._joined(number, into, piece)
            done += piece
        return out

    def _begin(self, number: int) -> int:
        return round(Fraction(number * self._chunk_length) / self._exact)

    def _number(self, place: int) -> int:
        number = math.floor(place * self._exact / self._chunk_length)
        while self._begin(number + 1) <= place:
            number += 1
        while self._begin(number) > place:
            number -= 1
        return number

    def _joined(self, number: int, into: int, count: int) -> Samples:
        """A part of a chunk; at its beginning the one before fades out."""
        mine = self._chunk(number)[into : into + count]
        if into >= _JOIN:
            return mine
        joins = min(count, _JOIN - into)
        length = self._begin(number) - self._begin(number - 1)
        before = self._chunk(number - 1)[length + into : length + into + joins]
        share = ((np.arange(into, into + joins) + 0.5) / _JOIN).astype(np.float32)[:, None]
        mixed = mine.copy()
        mixed[:joins] = mine[:joins] * share + before * (1 - share)
        return mixed

    def _chunk(self, number: int) -> Samples:
        """The stretched chunk, with a little more at its end for joining."""
        if number not in self._chunks:
            source = self._source.read(
                number * self._chunk_length - self._before, self._chunk_length + 2 * self._before + _JOIN
            )
            wanted = self._begin(number + 1) - self._begin(number) + _JOIN
            stretched = at_tempo(source, self._speed, self._rate)
            skip = round(self._before / self._speed)
            part = stretched[skip : skip + wanted]
            self._chunks[number] = np.concatenate([part, np.zeros((max(0, wanted - len(part)), 2), np.float32)])
            while len(self._chunks) > _KEPT:
                self._chunks.popitem(last=False)
        self._chunks.move_to_end(number)
        return self._chunks[number]


def at_tempo(samples: Samples, speed: float, rate: int = SAMPLE_RATE) -> Samples:
    """float32 (count, 2) brought to a speed with its pitch kept, about ``count / speed`` samples long."""
    if not len(samples):
        return np.zeros((0, 2), np.float32)
    graph = av.filter.Graph()
    last = graph.add_abuffer(format="flt", sample_rate=rate, layout="stereo", time_base=Fraction(1, rate))
    for tempo in _steps(speed):
        step = graph.add("atempo", f"{tempo:.9f}")
        last.link_to(step)
        last = step
    sink = graph.add("abuffersink")
    last.link_to(sink)
    graph.configure()
    frame = AudioFrame.from_ndarray(np.ascontiguousarray(samples.reshape(1, -1)), format="flt", layout="stereo")
    frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
    graph.push(frame)
    graph.push(None)
    found: list[Samples] = []
    while True:
        try:
            pulled = graph.pull()
        except (av.error.EOFError, av.error.BlockingIOError):
            break
        found.append(pulled.to_ndarray().reshape(-1, 2).astype(np.float32))
    return np.concatenate(found) if found else np.zeros((0, 2), np.float32)


def _steps(speed: float) -> list[float]:
    """Speeds of single filters, each of 0.5 or more, whose product is ``speed``."""
    count = 1
    while speed ** (1 / count) < _SLOWEST:
        count += 1
    return [speed ** (1 / count)] * count
