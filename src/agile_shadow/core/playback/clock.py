"""The clock of playing: by the sound device as long as that plays, by the machine's clock else."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from fractions import Fraction
from typing import Protocol

Loop = tuple[int, int]  # frames: the first, and the one after the last


class Timekeeper(Protocol):
    """Sound that plays: seconds of it that were heard, and why it plays no more ("" while it does)."""

    failed: str

    def elapsed(self) -> float: ...


def in_loop(tick: int, loop: Loop | None) -> int:
    """The frame of the program at a tick that counts the rounds of a loop."""
    if loop is None:
        return tick
    first, end = loop
    return first + (tick - first) % (end - first)


class Clock:
    """Any thread may ask it. Where the sound fails while it plays, it goes on from there by the machine's clock.

    ``now``: seconds of a steady clock.
    """

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self.now = now
        self.speed = Fraction(0)
        self.loop: Loop | None = None
        self._pace = Fraction(0)
        self._first = 0
        self._lock = threading.Lock()
        self._sound: Timekeeper | None = None
        self._before = 0.0  # seconds played before ``_since``
        self._since = 0.0

    @property
    def runs(self) -> bool:
        """Whether anything plays."""
        return self.speed != 0

    def start(self, frame: int, speed: Fraction, rate: Fraction, loop: Loop | None, sound: Timekeeper | None) -> None:
        """Run from a frame on; ``speed`` 1 is ``rate`` frames per second, a negative one runs backward."""
        with self._lock:
            self._first, self._pace, self.loop = frame, speed * rate, loop
            self._sound, self._before, self._since = sound, 0.0, self.now()
            self.speed = speed

    def halt(self) -> None:
        """Stand still."""
        self.speed = Fraction(0)
        with self._lock:
            self._sound = None

    def exactly(self) -> Fraction:
        """Frames, rounds of a loop counted on."""
        return self._first + Fraction(self._elapsed()) * self._pace

    def tick(self) -> int:
        """The frame that is to be seen now, rounds of a loop counted on."""
        return self.exactly().__floor__()

    def _elapsed(self) -> float:
        with self._lock:
            if self._sound is not None:
                played = self._sound.elapsed()
                if not self._sound.failed:
                    self._before = max(self._before, played)
                    return self._before
                self._sound, self._before, self._since = None, max(self._before, played), self.now()
            return self._before + (self.now() - self._since)
