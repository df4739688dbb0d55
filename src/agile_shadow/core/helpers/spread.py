"""An executor over this machine's workers and those of helpers: every job goes to whoever is there and fits it.

Jobs wait here, in one row, and are given out singly: order, hold and cancel mean the same wherever a job is done. Of
equal priority the longest goes first, and the fastest machine takes first. When nothing waits any more, a machine that
is idle begins a job that a slower one has as well; the first to finish wins. What a helper has made is looked at and
named by a worker of this machine, so a helper never names a file.
"""

from __future__ import annotations

import itertools
import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from contextlib import suppress
from functools import partial
from typing import Any

from ..errors import Cancelled
from ..jobs import Executor, Task
from ..shelves import Shelf
from .choosing import Choosing, Row
from .entries import SharedJob, Try
from .kinds import kind_of
from .link import Link
from .orders import Order
from .presence import HERE, Helper

log = logging.getLogger(__name__)

_NAMING = 0.02  # part of a job that looking at it and naming it is


class Spread:
    """See :class:`agile_shadow.core.jobs.Executor`. ``local``: this machine's workers, ``size`` of them; ``names``: who
    looks at what helpers made; ``shelves``: those of the project, now. Any thread may call any method.

    Large: an executor's whole interface, and a small method for each event of a job that may be here, there or both.
    Who does what is chosen by :class:`.choosing.Choosing`.
    """

    def __init__(
        self, local: Executor, names: Executor, size: int, link: Link, shelves: Callable[[], Sequence[Shelf]]
    ) -> None:
        self._local = local
        self._names = names
        self._size = size
        self._link = link
        self._shelves = shelves
        self._row = Row()
        self._choosing = Choosing(self._row, link, shelves)
        self._lock = threading.RLock()
        self._entries: dict[Future[Any], SharedJob] = {}
        self._active: set[SharedJob] = set()  # those that somebody does, or that are being named
        self._unwanted: deque[SharedJob] = deque()
        self._numbers = itertools.count()
        self._reasons: set[str] = set()
        self._closed = False
        self._again = False
        self._stepping = False
        self.pauses = 0
        self._unlisten = link.on_change(self.look_again)
        link.start()

    # The executor

    @property
    def busy(self) -> bool:
        """Whether any task has not ended."""
        return bool(self._entries)

    @property
    def running(self) -> int:
        """How many tasks are being worked on by this machine."""
        return self._local.running

    @property
    def at_once(self) -> int:
        """How many tasks are worth handing over before the first has ended."""
        return self._size + self._link.slots()

    def submit(
        self, task: Task, request: Any, on_progress: Callable[[float], None] = lambda done: None, priority: int = 0,
        held: bool = False, stalled_after: float | None = None,
    ) -> Future[Any]:  # fmt: skip
        """As of worker processes; a proxy may be made by a helper."""
        kind = kind_of(task)
        weight = kind.weight(request) if kind is not None else 1.0
        number = next(self._numbers)
        entry = SharedJob(task, request, on_progress, priority, number, held, stalled_after, weight=weight, kind=kind)
        with self._lock:
            if self._closed:
                entry.future.set_exception(Cancelled())
                return entry.future
            self._entries[entry.future] = entry
            self._row.place(entry)
        if kind is not None:
            self._link.want(self._shelves())
        self.look_again()
        return entry.future

    def prefer(self, future: Future[Any], priority: int) -> None:
        """Give a waiting task another priority."""
        entry = self._entries.get(future)
        if entry is not None:
            entry.priority = priority
            self._place(entry)
            for one in entry.tries:
                if one.future is not None:
                    self._local.prefer(one.future, priority)

    def _place(self, entry: SharedJob) -> None:
        """Where it belongs in the row by now, unless it has ended."""
        with self._lock:
            if entry.future in self._entries:
                self._row.place(entry)

    def hold(self, future: Future[Any], on: bool) -> None:
        """Have one task stand still, waiting or running, wherever it is done; or let it go on."""
        entry = self._entries.get(future)
        if entry is None or entry.held == on:
            return
        entry.held = on
        self._stand(entry, on or bool(self._reasons))
        self.look_again()

    def _stand(self, entry: SharedJob, on: bool) -> None:
        for one in tuple(entry.tries):
            if one.future is not None:
                self._local.hold(one.future, entry.held)
            else:
                self._link.stand(one.token, on)

    def cancel(self, future: Future[Any]) -> None:
        """Take a task back, waiting or running, wherever it is done."""
        entry = self._entries.get(future)
        if entry is not None:
            self._give_up(entry)
            self.look_again()

    def _give_up(self, entry: SharedJob) -> None:
        entry.cancelled = True
        self._unwanted.append(entry)

    def cancel_all(self) -> None:
        """Take back all tasks."""
        for entry in tuple(self._entries.values()):
            self._give_up(entry)
        self.look_again()

    def whose(self, future: Future[Any]) -> str:
        """The helpers that work on a task, by name; "" where only this machine does."""
        entry = self._entries.get(future)
        at = {one.helper for one in tuple(entry.tries)} - {HERE} if entry is not None else set()
        return " and ".join(sorted(self._link.name_of(one) for one in at))

    def pause(self, why: str = "") -> None:
        """Have everything stand still where it is, at helpers too."""
        with self._lock:
            known, self._reasons = self._reasons, self._reasons | {why}
        self._local.pause(why)
        if not known:
            self.pauses += 1
            for entry in tuple(self._entries.values()):
                self._stand(entry, True)

    def resume(self, why: str = "") -> None:
        """Go on, where nothing else keeps it."""
        with self._lock:
            known, self._reasons = self._reasons, self._reasons - {why}
        self._local.resume(why)
        if known and not self._reasons:
            for entry in tuple(self._entries.values()):
                self._stand(entry, entry.held)
            self.look_again()

    def end(self) -> None:
        """Have all work end soon, without waiting for it; tasks not finished raise Cancelled."""
        with self._lock:
            self._closed = True
            self._reasons = set()
        self._unlisten()
        self.cancel_all()
        self._local.end()
        self._names.end()

    def close(self, limit: float | None = None) -> bool:
        """End it. Whether all had ended within ``limit`` seconds."""
        self.end()
        ended = [one.close(limit) for one in (self._local, self._names)]
        return all(ended)

    # Giving out

    def look_again(self) -> None:
        """Give out what can be given out now. What comes while another thread does it is seen by that one."""
        with self._lock:
            self._again = True
            if self._stepping:
                return
            self._stepping = True
        while True:
            with self._lock:
                if not self._again:
                    self._stepping = False
                    return
                self._again = False
            try:
                self._step()
            except Exception:
                log.exception("giving out work")

    def _step(self) -> None:
        self._active = {one for one in self._active if (one.tries or one.naming) and not one.future.done()}
        while self._unwanted:
            entry = self._unwanted.pop()
            if not entry.future.done():
                self._take_back(entry)
        self._local.look_again()
        if self._reasons or self._closed:
            return
        while self._give_one():
            pass

    def _give_one(self) -> bool:
        """Give one job out; whether there was any."""
        active = tuple(self._active)
        here = sum(1 for entry in active for one in entry.tries if one.future and not entry.held)
        turn = self._choosing.turn(active, self._size - here)
        if turn is None:
            return False
        if turn.helper is not None and turn.order is not None:
            self._send(turn.entry, turn.helper, turn.order)
        else:
            self._do_here(turn.entry)
        return True

    # Here

    def _do_here(self, entry: SharedJob) -> None:
        one = Try(begun=time.monotonic())

        def told(part: float) -> None:
            if part == 0.0:
                one.begun = time.monotonic()
            self._told(entry, one, part)

        future = self._local.submit(
            entry.task, entry.request, told, entry.priority, entry.held, entry.stalled_after
        )
        one.future = future
        entry.tries.append(one)
        self._active.add(entry)
        future.add_done_callback(partial(self._here_ended, entry, one))

    def _here_ended(self, entry: SharedJob, one: Try, future: Future[Any]) -> None:
        error = future.exception()
        if isinstance(error, Cancelled) and not entry.cancelled and not self._closed:
            pass  # a second try that was taken back, for a helper's came first
        elif error is not None:
            self._settle(entry, error=error)
        else:
            if entry.kind is not None:
                self._link.measured_here(entry.kind.name, entry.weight, time.monotonic() - one.begun)
            self._settle(entry, result=future.result())
        with self._lock:  # only now: without a try it would count as one that waits
            entry.tries = [other for other in entry.tries if other is not one]
        self._may_name(entry)
        self.look_again()

    def _told(self, entry: SharedJob, one: Try, part: float) -> None:
        one.part = part
        if not entry.future.done():
            entry.on_progress(max((other.part for other in entry.tries), default=part))

    # At a helper

    def _send(self, entry: SharedJob, helper: Helper, order: Order) -> None:
        one = Try(helper.id, order=order, begun=time.monotonic())
        entry.tries.append(one)
        self._active.add(entry)
        if len(entry.tries) == 1:
            entry.on_progress(0.0)
        one.token = self._link.send(
            helper.id, order, partial(self._helper_ended, entry, one),
            lambda part: self._told(entry, one, part * (1 - _NAMING)),
        )  # fmt: skip

    def _helper_ended(self, entry: SharedJob, one: Try, values: dict[str, Any] | None, why: str) -> None:
        order = one.order
        assert order is not None
        with self._lock:
            first = values is not None and entry.answer is None and not entry.future.done() and not entry.cancelled
            if first:
                assert values is not None
                entry.answer = order, values
            elif values is None:
                entry.failed.add(one.helper)
            entry.tries = [other for other in entry.tries if other is not one]  # last: then it waits, or has its answer
        if first:
            for other in tuple(entry.tries):
                self._take_back_try(entry, other)
        else:
            self._clear(order)
        self._may_name(entry)
        self.look_again()

    def _may_name(self, entry: SharedJob) -> None:
        """Look at what a helper made and name it, when nobody else is at it any more."""
        with self._lock:
            if entry.answer is None or entry.tries or entry.naming is not None:
                return
            order, values = entry.answer
            if entry.future.done():
                entry.answer = None
                self._clear(order)
                return
            assert entry.kind is not None
            try:
                task, request = entry.kind.taken(order, values)
            except Exception as error:
                log.warning("%s", error)
                entry.kind, entry.answer = None, None
                self._place(entry)
                self._clear(order)
                return
            entry.naming = self._names.submit(task, request)
        entry.naming.add_done_callback(partial(self._named, entry, order))

    def _named(self, entry: SharedJob, order: Order, future: Future[Any]) -> None:
        error = future.exception()
        self._clear(order)
        if error is None:
            self._settle(entry, result=future.result())
        elif entry.cancelled or self._closed:
            self._settle(entry, error=Cancelled())
        else:  # whatever it was: made here, the user is told what holds here
            log.warning("what a helper made of %s is not taken: %s", order.about, error)
            entry.kind = None
        with self._lock:  # only now: without an answer it would count as one that waits
            self._place(entry)
            entry.naming, entry.answer = None, None
        self.look_again()

    def _clear(self, order: Order) -> None:
        """What a helper may have left under its temporary name."""
        if order.left is not None:
            with suppress(OSError):
                order.left.unlink(missing_ok=True)

    # Ends

    def _take_back(self, entry: SharedJob) -> None:
        for one in tuple(entry.tries):
            self._take_back_try(entry, one)
        if entry.naming is not None:
            self._names.cancel(entry.naming)
        elif not entry.tries:
            self._settle(entry, error=Cancelled())

    def _take_back_try(self, entry: SharedJob, one: Try) -> None:
        if one.future is not None:
            self._local.cancel(one.future)
            return
        self._link.take_back(one.token)
        with self._lock:
            entry.tries = [other for other in entry.tries if other is not one]
        if one.order is not None:
            self._clear(one.order)

    def _settle(self, entry: SharedJob, result: Any = None, error: BaseException | None = None) -> None:
        with self._lock:
            if entry.future.done() or self._entries.pop(entry.future, None) is None:
                return
            self._row.drop(entry)
            others = tuple(entry.tries)
        for one in others:
            self._take_back_try(entry, one)
        if error is not None:
            entry.future.set_exception(error)
        else:
            entry.future.set_result(result)
