"""Where decoded sound goes: every frame at its own time, so that a gap in the stream stays a gap."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import av

_JITTER = Fraction(8, 10_000)  # seconds: times that are off by less are rounding
_BACK = 10  # seconds: times that leap back by more begin anew, and say nothing
_BEYOND = 2  # seconds after the end of the file: no time lies later
_LEAP = 3600  # seconds: where a file does not say how long it is, no gap is longer


@dataclass(frozen=True)
class Placed:
    """``first``: number of the sample at which a frame's sound begins, after ``skip`` samples that are left out."""

    first: int
    skip: int


class Placing:
    """Places the frames of one sound stream, one after the other, in samples of its own rate.

    ``origin``: seconds of the file's own time at which sample 0 is. ``length``: seconds that the file says it lasts
    from there, None where it does not. A frame that says a later time than the last one's end leaves a gap; of one
    that says an earlier time, what was there already is left out. Times that cannot be are not heeded. ``begin``:
    where a first frame goes that says no time.
    """

    def __init__(self, rate: int, origin: Fraction, length: Fraction | None = None, begin: int = 0) -> None:
        self._rate = rate
        self._origin = origin
        self._latest = None if length is None else round((length + _BEYOND) * rate)
        self._begin = begin
        self._next: int | None = None

    def place(self, frame: av.AudioFrame) -> Placed:
        """Where the next frame goes."""
        said = self._said(frame)
        if self._next is None:
            placed = Placed(said if said is not None else self._begin, 0)
        elif said is None or self._is_as_expected(said, frame):
            placed = Placed(self._next, 0)
        elif said > self._next:
            placed = Placed(said, 0)
        else:
            placed = Placed(self._next, min(self._next - said, frame.samples))
        self._next = placed.first + frame.samples - placed.skip
        return placed

    def _said(self, frame: av.AudioFrame) -> int | None:
        if frame.pts is None or frame.time_base is None:
            return None
        return round((frame.pts * Fraction(frame.time_base) - self._origin) * self._rate)

    def _is_as_expected(self, said: int, frame: av.AudioFrame) -> bool:
        assert self._next is not None
        off = said - self._next
        tick = Fraction(frame.time_base or 0) * self._rate
        if abs(off) <= max(_JITTER * self._rate, tick + 1):
            return True
        beyond = off > _LEAP * self._rate if self._latest is None else said > self._latest
        return beyond or off < -_BACK * self._rate
