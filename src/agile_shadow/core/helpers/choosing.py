"""Which job is given out next, and to whom: this machine or a helper; when nothing waits, which is begun once more."""

from __future__ import annotations

import bisect
import threading
import time
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass

from ..shelves import Shelf
from .entries import SharedJob, Try
from .link import Link
from .orders import Order
from .presence import HERE, Helper

_TRIES = 2  # at helpers; then it is made here
_LOOKED = 50  # of those that wait, for one that a helper can do; the others are looked at when these are gone
_WORTH = 0.7  # a second try at the end must be reckoned to take less than this part of what the first still takes
_PATIENT = 12.0  # seconds for which a job that is better done elsewhere waits for helpers to be heard


class Row:
    """Jobs that have not ended, in the order in which they are given out: by priority; of equal priority first what
    only this machine can do, then the longest. Any thread may call any method.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._keys: list[tuple[int, bool, float, int]] = []
        self._at: dict[int, tuple[tuple[int, bool, float, int], SharedJob]] = {}

    def place(self, entry: SharedJob) -> None:
        """Take a job in, or put it where it belongs by now."""
        key = -entry.priority, entry.kind is not None, -entry.weight, entry.number
        with self._lock:
            self._leave(entry)
            bisect.insort(self._keys, key)
            self._at[entry.number] = key, entry

    def drop(self, entry: SharedJob) -> None:
        """Leave a job out, if it is in the row."""
        with self._lock:
            self._leave(entry)

    def _leave(self, entry: SharedJob) -> None:
        known = self._at.pop(entry.number, None)
        if known is not None:
            del self._keys[bisect.bisect_left(self._keys, known[0])]

    def first(self, count: int) -> list[SharedJob]:
        """The first that wait and may be given out."""
        with self._lock:
            return [entry for entry, _number in zip(self._ready(), range(count), strict=False)]

    def _ready(self) -> Iterator[SharedJob]:
        for key in self._keys:
            entry = self._at[key[-1]][1]
            if entry.waits and not (entry.held or entry.cancelled):
                yield entry


@dataclass(frozen=True)
class Turn:
    """A job and who is to do it: a helper with an order, or this machine."""

    entry: SharedJob
    helper: Helper | None = None
    order: Order | None = None


class Choosing:
    """``shelves``: those of the project, now."""

    def __init__(self, row: Row, link: Link, shelves: Callable[[], Sequence[Shelf]]) -> None:
        self._row = row
        self._link = link
        self._shelves = shelves

    def turn(self, active: Collection[SharedJob], room_here: int) -> Turn | None:
        """The next job for the fastest machine that has room for one. ``active``: jobs that somebody does;
        ``room_here``: how many more this machine takes."""
        if room_here <= 0 and not self._link.free(frozenset()):
            return None
        waiting = self._row.first(_LOOKED)
        for entry in waiting:
            order = self._order(entry)
            helpers = self._fitting(entry, order)
            away = entry.kind is not None and entry.kind.away
            faster = bool(helpers) and (away or self._pace(entry, helpers[0].id) > self._pace(entry))
            if helpers and order is not None and (room_here <= 0 or faster):
                return Turn(entry, helpers[0], order)
            if away and order is not None and self._may_be_heard(entry, order):
                continue
            if room_here > 0:
                return Turn(entry)
        return None if waiting else self._second(active, room_here)

    def _may_be_heard(self, entry: SharedJob, order: Order) -> bool:
        """Whether helpers are only just being looked for."""
        return time.monotonic() - entry.begun < _PATIENT and not self._link.knows(order.needs)

    def _pace(self, entry: SharedJob, helper: str = HERE) -> float:
        return self._link.pace(entry.kind.name, helper) if entry.kind is not None else 0.0

    def _order(self, entry: SharedJob) -> Order | None:
        if entry.kind is None or len(entry.failed) >= _TRIES:
            return None
        try:
            return entry.kind.order(entry.request, self._shelves())
        except OSError:
            return None

    def _fitting(self, entry: SharedJob, order: Order | None) -> list[Helper]:
        if order is None:
            return []
        busy = {one.helper for one in entry.tries}
        return [one for one in self._link.free(order.needs, order.kind) if one.id not in entry.failed | busy]

    def _second(self, active: Collection[SharedJob], room_here: int) -> Turn | None:
        """Nothing waits: begin once more what would else be waited for longest."""
        now = time.monotonic()
        going = [
            (self._left(entry, tries[0], now), entry, tries[0]) for entry in active
            if len(tries := tuple(entry.tries)) == 1 and entry.answer is None and not (entry.held or entry.cancelled)
        ]  # fmt: skip
        for left, entry, first in sorted(going, key=lambda one: -one[0]):
            if self._worth(entry, self._link.free(frozenset()), left):  # only then are drives asked
                order = self._order(entry)
                for helper in self._worth(entry, self._fitting(entry, order), left):
                    return Turn(entry, helper, order)
            pace = self._pace(entry)
            here = entry.weight / pace if pace else float("inf")
            away = entry.kind is not None and entry.kind.away
            if room_here > 0 and first.future is None and not away and here < _WORTH * left:
                return Turn(entry)
        return None

    def _worth(self, entry: SharedJob, helpers: list[Helper], left: float) -> list[Helper]:
        """Those that would have it much sooner than in the seconds it still takes."""
        return [one for one in helpers if entry.weight / max(1e-9, self._pace(entry, one.id)) < _WORTH * left]

    def _left(self, entry: SharedJob, one: Try, now: float) -> float:
        """Seconds that its only try will still take, about; by its pace so far, else by that of its machine."""
        went = now - one.begun
        if one.part > 0.05:
            return went / one.part * (1 - one.part)
        pace = self._pace(entry, one.helper)
        return max(went, entry.weight / pace - went) if pace else 0.0
