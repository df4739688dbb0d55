"""The machine's one budget: who works at a time, and who gives way to whom."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from .executor import Executor
from .pool import WorkerPool

Rank = Literal["wanted", "copy", "search", "render", "make", "prove", "measure"]
RANKS: tuple[Rank, ...] = ("wanted", "copy", "search", "render", "make", "prove", "measure")
_HEAVY: frozenset[Rank] = frozenset(("search", "render", "make", "prove", "measure"))
_WAITS_FOR_ROOM: frozenset[Rank] = frozenset(("make", "prove", "measure"))
_GIVES_WAY: dict[Rank, frozenset[Rank]] = {
    "prove": frozenset(("copy", "search", "render", "make")),
    "measure": frozenset(("wanted", "copy", "search", "render", "make", "prove")),
}
_STILL_WHILE_PLAYING: frozenset[Rank] = frozenset(("search", "prove", "measure"))
_SIZES: dict[Rank, int] = {"wanted": 2, "search": 2}
_STALLED: dict[Rank, float] = {"wanted": 20.0, "search": 300.0, "make": 600.0, "prove": 120.0}

Maker = Callable[[int, float | None, Callable[[], bool], Callable[[], None]], Executor]


@dataclass(frozen=True)
class _Hired:
    rank: Rank
    executor: Executor
    size: int


class Machine:
    """Gives out executors. ``wanted`` is what somebody waits for at the window; then come copying, searching, rendering
    (films, bakes), making proxies, proving, measuring. Any thread may call any method.

    No more heavy tasks run at a time than the machine has processors, or than one executor was asked for; searches and
    films begin all the same, and the making of proxies gets what they leave.
    ``make``: what an executor of a size is.
    """

    def __init__(self, cores: int | None = None, make: Maker = WorkerPool) -> None:
        self.spread: Callable[[Executor, int], Executor] | None = None  # over other machines too
        self._cores = cores or os.cpu_count() or 1
        self._make = make
        self._lock = threading.RLock()
        self._hired: list[_Hired] = []
        self._shared: dict[Rank, Executor] = {}
        self._playing = False
        self._closed = False

    def shared(self, rank: Rank) -> Executor:
        """The one that all use who want something of that rank."""
        with self._lock:
            if rank not in self._shared:
                self._shared[rank] = self.hire(rank, _SIZES.get(rank, 1), _STALLED.get(rank), rank == "prove")
            return self._shared[rank]

    def hire(
        self, rank: Rank, size: int = 1, stalled_after: float | None = None, with_helpers: bool = False
    ) -> Executor:
        """One of the caller's own, who closes it: of cards each has its own reader. ``with_helpers``: other
        machines may do what it gets as well, where there are any."""
        executor = self._make(size, stalled_after, lambda: self._has_room(rank), self.review)
        if with_helpers and self.spread is not None:
            executor = self.spread(executor, size)
        with self._lock:
            one = _Hired(rank, executor, size)
            self._hired.append(one)
            if self._closed:
                one.executor.end()
        self.review()
        return one.executor

    def dismiss(self, executor: Executor) -> None:
        """End one that was hired; what it has not finished is taken back."""
        executor.end()
        with self._lock:
            self._hired = [one for one in self._hired if one.executor is not executor]
        self.review()

    def _has_room(self, rank: Rank) -> bool:
        if rank not in _WAITS_FOR_ROOM:
            return True
        heavy = [one for one in tuple(self._hired) if one.rank in _HEAVY]
        most = max([self._cores, *(one.size for one in heavy if one.executor.busy)])
        return sum(one.executor.running for one in heavy) < most

    def playing(self, on: bool) -> None:
        """Tell whether the window plays."""
        if on != self._playing:
            self._playing = on
            self.review()

    def busy(self, *ranks: Rank) -> bool:
        """Whether anything of these ranks (default: of any) is not done yet."""
        wanted = ranks or RANKS
        return any(one.executor.busy for one in tuple(self._hired) if one.rank in wanted)

    def review(self) -> None:
        """Have everybody stand still or go on as it is now."""
        with self._lock:
            for one in self._hired:
                before = _GIVES_WAY.get(one.rank, frozenset())
                still = (self._playing and one.rank in _STILL_WHILE_PLAYING) or (bool(before) and self.busy(*before))
                (one.executor.pause if still else one.executor.resume)("gives way")
                one.executor.look_again()

    def end(self) -> None:
        """Have all work end soon, without waiting for it; what comes is refused."""
        with self._lock:
            self._closed = True
            hired = tuple(self._hired)
        for one in hired:
            one.executor.end()

    def close(self, limit: float | None = None) -> bool:
        """End it; whether all had ended within ``limit`` seconds each."""
        self.end()
        ended = [one.executor.close(limit) for one in tuple(self._hired)]
        return all(ended)
