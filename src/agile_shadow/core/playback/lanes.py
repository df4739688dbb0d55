"""The two lanes of a player: one for each side of the switch."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ..compositing.files import DeviceOf, in_software
from ..switch import Presence
from .clock import Clock
from .lane import Handover, Lane
from .picture import Asked

_SIDES = ("originals", "proxies")


class Lanes:
    """For the player's own thread."""

    def __init__(self, handover: Handover, clock: Clock, presence: Presence) -> None:
        def make(side: str) -> Lane:
            return Lane(handover, clock, presence, side)

        self._make = make
        self._device_of: DeviceOf = in_software
        self._by_side = {side: self._make(side) for side in _SIDES}

    def give(self, request_for: Callable[[str], Asked | None]) -> None:
        """Have each side serve a request, None for nothing."""
        for side, lane in self._by_side.items():
            lane.give(request_for(side))

    def decode_by(self, device_of: DeviceOf) -> None:
        """Have originals decoded in hardware while playing, by the device that is said for each."""
        self._device_of = device_of
        for lane in self._by_side.values():
            lane.device_of = device_of

    def leave_those_that_wait(self, limit: float) -> bool:
        """Leave threads behind that have drawn one picture for so many seconds; others take their place. Whether there
        were any."""
        waiting = [side for side, lane in self._by_side.items() if lane.drawing_for() > limit]
        for side in waiting:
            self._by_side[side].end()
            self._by_side[side] = self._make(side)
            self._by_side[side].device_of = self._device_of
        return bool(waiting)

    def release(self) -> None:
        """Let go of all files."""
        for lane in self._by_side.values():
            lane.release()

    def pace(self, path: Path) -> float | None:
        """How many times its own rate a file was decoded while playing, None where that is not known."""
        known = [pace for lane in self._by_side.values() if (pace := lane.pace(path)) is not None]
        return max(known, default=None)

    def end(self) -> None:
        """Have the threads end soon."""
        for lane in self._by_side.values():
            lane.end()

    def wait(self, limit: float | None) -> bool:
        """Wait for their end; whether it came within ``limit`` seconds each."""
        ended = [lane.wait(limit) for lane in self._by_side.values()]
        return all(ended)
