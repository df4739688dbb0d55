"""The tasks of a pool that wait for a worker, in the order in which they are given out."""

from __future__ import annotations

import heapq
import threading
from collections import deque
from collections.abc import Callable

from .task import Submitted


class Line:
    """Tasks that wait: the highest priority first, then in the order they came; held ones stay, cancelled ones are
    given out at once, so that they end. Any thread may call any method.

    No more than ``size`` are given out at a time; one that is held while it runs does not count.
    """

    def __init__(self, size: int, room: Callable[[], bool], changed: Callable[[], None]) -> None:
        self.size = size
        self._room = room
        self._tell = changed
        self._waiting: dict[int, Submitted] = {}
        self._order: list[tuple[int, int]] = []  # a heap; what holds no more is left out when it comes to the front
        self._dropped: deque[int] = deque()
        self._running: list[Submitted] = []
        self._changed = threading.Condition()
        self._closed = False
        self._paused = False

    def put(self, entry: Submitted) -> bool:
        """Take an entry in; False when the pool is closed, so that nobody would ever take it out."""
        with self._changed:
            if not self._closed:
                self._waiting[entry.number] = entry
                self._place(entry)
                if entry.cancelled:
                    self._dropped.append(entry.number)
                self._changed.notify()
            return not self._closed

    def _place(self, entry: Submitted) -> None:
        if entry.number in self._waiting and not entry.held:
            heapq.heappush(self._order, (-entry.priority, entry.number))

    def get(self) -> Submitted | None:
        """The next entry, None when the pool was closed and nothing waits."""
        with self._changed:
            while True:
                entry = self._next()
                if entry is not None:
                    del self._waiting[entry.number]
                    self._running.append(entry)
                    return entry
                if self._closed and not self._waiting:
                    return None
                self._changed.wait()

    def _next(self) -> Submitted | None:
        while self._dropped:
            entry = self._waiting.get(self._dropped.popleft())
            if entry is not None:
                return entry
        if self._paused or self.running() >= self.size or not self._room():
            return None
        while self._order:
            priority, number = self._order[0]
            entry = self._waiting.get(number)
            if entry is not None and not entry.held and entry.priority == -priority:
                return entry
            heapq.heappop(self._order)
        return None

    def running(self) -> int:
        """How many are being worked on."""
        return sum(1 for entry in tuple(self._running) if not entry.held)

    def prefer(self, entry: Submitted, priority: int) -> None:
        """Give an entry another priority."""
        with self._changed:
            entry.priority = priority
            self._place(entry)
            self._changed.notify_all()

    def hold(self, entry: Submitted, on: bool) -> None:
        """Have an entry stand still, or go on."""
        with self._changed:
            entry.held = on
            self._place(entry)
            self._changed.notify_all()

    def drop(self, entries: list[Submitted]) -> None:
        """Cancel entries: those that wait are given out at once, those that run are heard by whoever has them."""
        with self._changed:
            for entry in entries:
                entry.cancelled = True
                self._dropped.append(entry.number)
            self._changed.notify_all()

    def done(self, entry: Submitted) -> None:
        """An entry that was given out has ended."""
        with self._changed:
            self._running.remove(entry)
            self._changed.notify_all()
        self._tell()

    def touch(self) -> None:
        """Have those who wait look again."""
        with self._changed:
            self._changed.notify_all()

    def pause(self, on: bool) -> None:
        """Give nothing out but what was cancelled, or go on."""
        with self._changed:
            self._paused = on and not self._closed
            self._changed.notify_all()

    def close(self) -> None:
        """Take nothing in any more."""
        with self._changed:
            self._closed, self._paused = True, False
            self._changed.notify_all()
