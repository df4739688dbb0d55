"""What other guests of a shared host took meanwhile: a figure of a disturbed hour is known as one."""

from __future__ import annotations

import time
from typing import Any

import psutil

_TOLD = 0.02  # of the processors' time; less is said nothing of


class Meanwhile:
    """Counts from when it is made."""

    def __init__(self) -> None:
        self._begun, self._before = time.perf_counter(), psutil.cpu_times()

    @property
    def seconds(self) -> float:
        """Until now."""
        return time.perf_counter() - self._begun

    def words(self) -> str:
        """How long it took, and what others took of the processors."""
        part = taken(self._before, psutil.cpu_times())
        others = f"; other guests of the host took {part:.0%} of its processors' time" if part >= _TOLD else ""
        return f"{self.seconds:.0f} s{others}"


def taken(before: Any, after: Any) -> float:
    """The part of the time for which a processor was wanted here (not idle, not waiting for a drive) and given to
    others, 0 to 1. ``before``, ``after``: psutil.cpu_times(); 0 where the system does not tell."""
    spent = {name: getattr(after, name, 0.0) - getattr(before, name, 0.0) for name in ("user", "nice", "system")}
    stolen = getattr(after, "steal", 0.0) - getattr(before, "steal", 0.0)
    wanted = sum(spent.values()) + stolen
    return float(stolen / wanted) if wanted > 0 and stolen > 0 else 0.0
