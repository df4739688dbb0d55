"""A pool of worker processes behind concurrent.futures; a worker that dies takes only its task."""

from __future__ import annotations

import itertools
import logging
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import Any

from ..errors import Cancelled, WorkerDied, WorkerStalled
from ..threads import joined
from .line import Line
from .nursery import NURSERY, Grown
from .task import Submitted, Task

log = logging.getLogger(__name__)

_PATIENCE = 5.0  # seconds a cancelled task has to clean up before its worker is killed
_LOOK = 0.05  # seconds between two looks at a worker
_START = 60.0  # seconds that a worker may take besides to start and to load what its task needs


class WorkerPool:
    """``size`` worker processes, started when first needed. Close it, or use it as a context manager.

    ``pauses`` counts how often it was made to stand still: what measures time is worth nothing then.
    ``stalled_after``: seconds without progress after which a task's worker is ended; None: never. ``room``: whether
    the machine has room for one more now; ``changed`` is called when that may be otherwise, on any thread.
    """

    def __init__(
        self,
        size: int = 1,
        stalled_after: float | None = None,
        room: Callable[[], bool] = lambda: True,
        changed: Callable[[], None] = lambda: None,
    ) -> None:
        self._line = Line(size, room, changed)
        self._changed = changed
        self._stalled_after = stalled_after
        self._keepers = [_Keeper(self._line) for _ in range(size)]
        self._by_future: dict[Future[Any], Submitted] = {}
        self._numbers = itertools.count()
        self._reasons: set[str] = set()
        self.pauses = 0

    def __enter__(self) -> WorkerPool:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def submit(
        self,
        task: Task,
        request: Any,
        on_progress: Callable[[float], None] = lambda done: None,
        priority: int = 0,
        held: bool = False,
        stalled_after: float | None = None,
    ) -> Future[Any]:
        """Run ``task(request, report)`` in a worker. ``on_progress`` is called on a thread of the pool, 0 to 1: with 0
        when it begins.

        Higher ``priority`` goes first; what is ``held`` waits for :meth:`hold`. The future raises the task's own
        error, WorkerDied, WorkerStalled or Cancelled: the last also where the pool is closed.
        """
        limit = self._stalled_after if stalled_after is None else stalled_after
        entry = Submitted(task, request, on_progress, priority, next(self._numbers), held, limit)
        self._by_future[entry.future] = entry
        entry.future.add_done_callback(self._forget)
        for keeper in self._keepers:
            keeper.start_if_needed()
        if not self._line.put(entry):
            entry.future.set_exception(Cancelled())
        self._changed()
        return entry.future

    def _forget(self, future: Future[Any]) -> None:
        self._by_future.pop(future, None)
        self._changed()

    @property
    def busy(self) -> bool:
        """Whether any task has not ended."""
        return bool(self._by_future)

    @property
    def running(self) -> int:
        """How many tasks are being worked on."""
        return 0 if self._reasons else self._line.running()

    def look_again(self) -> None:
        """Have it see whether there is room now."""
        self._line.touch()

    def prefer(self, future: Future[Any], priority: int) -> None:
        """Give a waiting task another priority."""
        entry = self._by_future.get(future)
        if entry is not None:
            self._line.prefer(entry, priority)

    def hold(self, future: Future[Any], on: bool) -> None:
        """Have one task stand still, waiting or running, while others take its turn; or let it go on."""
        entry = self._by_future.get(future)
        if entry is None or entry.held == on:
            return
        self._line.hold(entry, on)
        keeper = next((keeper for keeper in self._keepers if keeper.entry is entry), None)
        if keeper is not None:
            keeper.stand_still(on or bool(self._reasons))
        if sum(1 for one in self._keepers if one.entry is None or not one.entry.held) < self._line.size:
            self._keepers.append(_Keeper(self._line))  # one that takes its place
            self._keepers[-1].start_if_needed()
            self._line.touch()
        self._changed()

    def cancel(self, future: Future[Any]) -> None:
        """Take a task back, waiting or running; its future then raises Cancelled."""
        entry = self._by_future.get(future)
        if entry is not None:
            self._line.drop([entry])

    def cancel_all(self) -> None:
        """Take back all tasks."""
        self._line.drop(list(self._by_future.values()))

    def whose(self, future: Future[Any]) -> str:
        """Who works on a task, for a person; "" for this machine."""
        return ""

    def pause(self, why: str = "") -> None:
        """Have the workers stand still where they are and begin nothing, until every ``why`` is taken back."""
        known, self._reasons = self._reasons, self._reasons | {why}
        if not known:
            self.pauses += 1
            self._line.pause(True)
        self._signal(signal.SIGSTOP)
        if not known:
            self._changed()

    def resume(self, why: str = "") -> None:
        """Have paused workers go on, where nothing else keeps them."""
        if why in self._reasons:
            self._reasons = self._reasons - {why}
            if not self._reasons:
                self._line.pause(False)
                self._signal(signal.SIGCONT)
                self._changed()

    def _signal(self, which: signal.Signals) -> None:
        for keeper in self._keepers:
            keeper.stand_still(which == signal.SIGSTOP or (keeper.entry is not None and keeper.entry.held))

    @property
    def process_ids(self) -> list[int]:
        """Process numbers of the workers alive."""
        processes = [keeper.process for keeper in self._keepers]
        return [process.pid for process in processes if process is not None and process.alive]

    def end(self) -> None:
        """Have all workers end soon, without waiting for it; tasks not finished raise Cancelled."""
        self._line.close()
        for why in tuple(self._reasons):
            self.resume(why)
        self.cancel_all()

    def close(self, limit: float | None = None) -> bool:
        """End all workers. Whether all had ended within ``limit`` seconds."""
        self.end()
        end = None if limit is None else time.monotonic() + limit
        ended = [keeper.join(end) for keeper in list(self._keepers)]
        return all(ended)


def _tell(entry: Submitted, part: float) -> None:
    """Tell of progress; whatever the listener raises is not the task's affair."""
    try:
        entry.on_progress(part)
    except Exception:
        log.exception("telling of progress")


class _Keeper:
    """A thread that keeps one worker process busy."""

    def __init__(self, entries: Line) -> None:
        self._entries = entries
        self.paused = False
        self.entry: Submitted | None = None
        self._thread: threading.Thread | None = None
        self.process: Grown | None = None
        self._pipe: Connection[Any, Any] | None = None

    def start_if_needed(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._loop, name="worker keeper", daemon=True)
            self._thread.start()

    def stand_still(self, on: bool) -> None:
        """Stop the worker's process where it is, or let it go on."""
        self.paused = on
        process = self.process  # it may end, and be taken away by its thread, at any moment
        if process is not None:
            process.send(signal.SIGSTOP if on else signal.SIGCONT)

    def join(self, end: float | None) -> bool:
        """Wait for its end, until the clock says ``end``; whether it has ended."""
        return joined(self._thread, None if end is None else max(0.0, end - time.monotonic()))

    def _loop(self) -> None:
        try:
            while (entry := self._entries.get()) is not None:
                self.entry = entry
                try:
                    if entry.cancelled:
                        entry.future.set_exception(Cancelled())
                    else:
                        self._serve(entry)
                except Exception as error:  # whatever it was, whoever waits for the answer hears of it
                    log.exception("keeping a worker")
                    self._end_process()
                    if not entry.future.done():
                        entry.future.set_exception(error)
                finally:
                    self.entry = None
                    self._entries.done(entry)
        finally:
            self._end_process()

    def _serve(self, entry: Submitted) -> None:
        try:
            pipe = self._connected(entry.task)
            pipe.send((entry.task, entry.request))
            _tell(entry, 0.0)
            kind, value = self._answer(pipe, entry)
        except WorkerStalled as error:
            self._end_process()
            entry.future.set_exception(error)
            return
        except (EOFError, OSError) as error:
            self._end_process()
            if entry.cancelled:
                entry.future.set_exception(Cancelled())
            else:
                died = WorkerDied("the worker process ended without an answer", None, "Try the job again.")
                died.__cause__ = error
                entry.future.set_exception(died)
            return
        except Exception as error:  # a request that does not pickle, or an answer that cannot be read
            self._end_process()
            entry.future.set_exception(error)
            return
        if kind == "done":
            entry.future.set_result(value)
        else:
            entry.future.set_exception(Cancelled() if kind == "cancelled" else value)

    def _answer(self, pipe: Connection[Any, Any], entry: Submitted) -> tuple[str, Any]:
        waited, still, last = 0.0, 0.0, -1.0
        told, begun = False, False
        while True:
            if pipe.poll(_LOOK):
                kind, value = pipe.recv()
                if kind == "begun":
                    begun, still = True, 0.0
                    continue
                if kind != "progress":
                    return kind, value
                if value != last:
                    last, still = value, 0.0
                _tell(entry, value)
            elif not self.paused:
                still += _LOOK
            limit = entry.stalled_after
            if limit is not None and still > limit + (0 if begun else _START):
                raise WorkerStalled(f"made no progress for {still:.0f} s and was stopped", None, "Retry.")
            if entry.cancelled:
                if not told:
                    self.stand_still(False)
                    pipe.send((None, None))
                    told = True
                waited += _LOOK
                if waited > _PATIENCE:
                    raise EOFError

    def _connected(self, task: Task) -> Connection[Any, Any]:
        if self._pipe is not None and self.process is not None and self.process.alive:
            return self._pipe
        self._end_process()
        mine, theirs = Pipe()
        with theirs:
            self.process = NURSERY.worker(theirs, getattr(task, "__module__", None) or __name__)
        self._pipe = mine
        return mine

    def _end_process(self) -> None:
        if self._pipe is not None:
            self._pipe.close()
            self._pipe = None
        if self.process is not None:
            self.process.end()
            self.process = None
