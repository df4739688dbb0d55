"""The play meter: frames shown per second, of how many, and how many came late."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from fractions import Fraction

_WINDOW = 1.0  # seconds


@dataclass(frozen=True)
class MeterReading:
    """``shown`` pictures per second over the last second, ``wanted`` per second, ``late`` frames since play began.

    A frame is late when it was not on screen in its time: shown after it, or left out.
    """

    shown: float
    wanted: Fraction
    late: int
    frames: int

    def text(self) -> str:
        """The reading in words."""
        return f"{self.shown:.0f} of {float(self.wanted):.3g} a second, {self.late} late"


class Meter:
    """Counts while playing; times in seconds of any steady clock."""

    def __init__(self, wanted: Fraction, first: int, now: float) -> None:
        self._wanted = wanted
        self._first = first
        self._begun = now
        self._shown: deque[float] = deque()
        self._in_time: int = 0

    def picture_shown(self, frame: int, clock_frame: int, now: float) -> None:
        """A new picture came on screen when the clock stood at ``clock_frame``."""
        self._shown.append(now)
        while self._shown and self._shown[0] < now - _WINDOW:
            self._shown.popleft()
        if frame >= clock_frame:
            self._in_time += 1

    def read(self, clock_frame: int, now: float) -> MeterReading:
        """The reading of this moment."""
        recent = sum(1 for time in self._shown if time >= now - _WINDOW)
        span = min(_WINDOW, max(now - self._begun, 0.2))
        frames = max(0, clock_frame - self._first)
        return MeterReading(recent / span, self._wanted, max(0, frames - self._in_time), frames)
