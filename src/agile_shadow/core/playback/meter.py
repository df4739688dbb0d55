"""The play meter: frames shown per second, of how many, and how many came late."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from fractions import Fraction

_WINDOW = 1.0  # seconds


@dataclass(frozen=True)
class MeterReading:
    """``shown`` pictures per second over the last second, ``wanted`` per second, ``late`` frames since play began.

    A frame is late when it was not on screen in its time: shown after it, or left out. ``frames`` were due so far.
    """

    shown: float
    wanted: Fraction
    late: int
    frames: int

    @property
    def short(self) -> bool:
        """Whether clearly fewer pictures come than are wanted."""
        return self.frames > 5 and self.shown < 0.9 * float(self.wanted)

    def text(self) -> str:
        """The reading in words."""
        return f"{self.shown:.0f} of {float(self.wanted):.3g} fps, {self.late} late"


class Meter:
    """Counts while playing; times in seconds of any steady clock.

    ``wanted`` ticks a second of which every ``step``-th is to be shown, counted down where it is negative.
    """

    def __init__(self, wanted: Fraction, first: int, now: float, step: int = 1) -> None:
        self._wanted = wanted / abs(step)
        self._first = first
        self._step = step
        self._begun = now
        self._shown: deque[float] = deque()
        self._in_time: int = 0

    def picture_shown(self, tick: int, clock_tick: int, now: float) -> None:
        """A new picture came on screen when the clock stood at ``clock_tick``."""
        self._shown.append(now)
        while self._shown and self._shown[0] < now - _WINDOW:
            self._shown.popleft()
        behind = (clock_tick - tick) * (1 if self._step > 0 else -1)
        if behind < abs(self._step):
            self._in_time += 1

    def read(self, clock_tick: int, now: float) -> MeterReading:
        """The reading of this moment."""
        recent = sum(1 for time in self._shown if time >= now - _WINDOW)
        span = min(_WINDOW, max(now - self._begun, 0.2))
        frames = abs(clock_tick - self._first) // abs(self._step)
        return MeterReading(recent / span, self._wanted, max(0, frames - self._in_time), frames)
