"""How fast an original decodes, told from the pass that makes its proxy, where nothing held that up.

The encoder takes a part of the processors, about a tenth of what decoding takes with small proxies: what is told is as
much too little, never too much. Where frames waited for the encoder, or others used the machine, nothing is told.
"""

from __future__ import annotations

import logging
import os
import queue
import resource
import time
from dataclasses import dataclass
from typing import Any

from ..late import psutil

log = logging.getLogger(__name__)
_FEWEST, _SHORTEST = 40, 0.5  # frames, seconds
_WAITED, _OTHERS = 0.1, 0.1  # parts of the time, and of what all processors could do in it
_BUSY = 0.6  # processors that this process used at least: less, and it stood still meanwhile, or waited for a drive


@dataclass(frozen=True)
class Pace:
    """``frames`` decoded in ``seconds``, on a machine that did little else."""

    frames: int
    seconds: float


@dataclass(frozen=True)
class _Clocks:
    """Seconds: of the wall, of this process on processors, of all processes on processors."""

    wall: float
    mine: float
    all: float

    @classmethod
    def now(cls) -> _Clocks:
        used = resource.getrusage(resource.RUSAGE_SELF)
        times = psutil.cpu_times()
        idle = times.idle + getattr(times, "iowait", 0.0)
        guests = getattr(times, "guest", 0.0) + getattr(times, "guest_nice", 0.0)  # counted in user and nice as well
        return cls(time.perf_counter(), used.ru_utime + used.ru_stime, sum(times) - idle - guests)


class PaceMeter:
    """Counts the frames that one thread decodes and puts into a queue. For that thread."""

    def __init__(self) -> None:
        self._began: _Clocks | None = None
        self._ended: _Clocks | None = None
        self._frames = 0
        self._waited = 0.0
        self._looks = True

    def _now(self) -> _Clocks | None:
        """The clocks; where they cannot be read nothing is told, and the proxy is made all the same."""
        try:
            return _Clocks.now() if self._looks else None
        except Exception:
            log.warning("the pace of decoding is not measured", exc_info=True)
            self._looks = False
            return None

    def put(self, ahead: queue.Queue[Any], item: Any, is_picture: bool) -> None:
        """Hand on what was decoded; the time until there is room for it is not decoding."""
        if is_picture and self._began is None:
            self._began = self._now()  # opening and filling the decoder are left out
        elif is_picture:
            self._frames += 1
        begun = time.perf_counter()
        ahead.put(item)
        if self._began is not None:
            self._waited += time.perf_counter() - begun

    def end(self) -> None:
        """All is decoded."""
        self._ended = self._now()

    @property
    def pace(self) -> Pace | None:
        """What was measured; None where something else had a part in it."""
        if self._began is None or self._ended is None:
            return None
        return told(self._began, self._ended, self._frames, self._waited, os.cpu_count() or 1)


def told(began: _Clocks, ended: _Clocks, frames: int, waited: float, processors: int) -> Pace | None:
    """The pace of so many frames between two looks at the clocks, ``waited`` seconds of it for the encoder."""
    wall, mine = ended.wall - began.wall, ended.mine - began.mine
    others = ended.all - began.all - mine
    if frames < _FEWEST or wall < _SHORTEST or mine < _BUSY * wall:
        return None
    if waited > _WAITED * wall or others > _OTHERS * processors * wall:
        return None
    return Pace(frames, wall - waited)
