"""What a run has handed out: its jobs in their executors, what came back, and what was asked of single ones."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any

from .executor import Executor
from .listing import Listing
from .store import SHORT, JobStore

_BY = "on helper "
_LISTEN = 0.25  # seconds between two looks for wishes on disk


@dataclass
class Handed:
    """A piece of work for an executor, so that it can be handed over again. ``about``: what it is done to."""

    executor: Executor
    task: Any
    request: Any
    kind: str
    path: str
    then: Callable[[Any], None]
    about: Any = None
    phase: str = ""
    tries: int = 0

    @property
    def key(self) -> tuple[str, str]:
        """The job it belongs to."""
        return self.kind, self.path


class Hands:
    """For the thread of one run, but for :meth:`ask`. ``told`` hears of progress, on an executor's thread."""

    def __init__(self, listing: Listing, store: JobStore, told: Callable[[Handed, float], None]) -> None:
        self._listing = listing
        self._store = store
        self._told = told
        self._pending: dict[Future[Any], Handed] = {}
        self._by_key: dict[tuple[str, str], Future[Any]] = {}
        self._ended: queue.SimpleQueue[Future[Any]] = queue.SimpleQueue()
        self._asked: queue.SimpleQueue[tuple[str, str, str]] = queue.SimpleQueue()
        self._heard = 0.0

    @property
    def busy(self) -> bool:
        """Whether anything has not come back yet."""
        return bool(self._pending)

    def works_in(self, executor: Executor) -> bool:
        """Whether any job is in an executor; any thread may ask."""
        return any(job.executor is executor for job in tuple(self._pending.values()))

    def hand_over(self, job: Handed) -> None:
        """Have it done; how it ended comes with :meth:`came`."""
        piece = self._listing.piece(*job.key)
        self._listing.change(job.key, state="waiting", note="")

        def told(done: float) -> None:
            self._listing.change(job.key, part=done, **self._by_whom(job))
            self._told(job, done)

        priority, held = (piece.priority, piece.held) if piece is not None else (0, False)
        future = job.executor.submit(job.task, job.request, told, priority, held)
        self._pending[future] = job
        self._by_key[job.key] = future
        future.add_done_callback(self._ended.put)

    def _by_whom(self, job: Handed) -> dict[str, str]:
        """What its line says while it is done: which other machine does it."""
        future = self._by_key.get(job.key)
        whose = job.executor.whose(future) if future is not None else ""
        piece = self._listing.piece(*job.key)
        if whose:
            return {"note": f"{_BY}{whose}"}
        return {"note": ""} if piece is not None and piece.note.startswith(_BY) else {}

    def came(self, patience: float) -> Iterator[tuple[Handed, Future[Any]]]:
        """What has ended; where nothing has, it is waited for so many seconds."""
        wait = patience
        while True:
            try:
                future = self._ended.get(timeout=wait) if wait else self._ended.get_nowait()
            except queue.Empty:
                return
            wait = 0.0
            job = self._pending.pop(future)
            if self._by_key.get(job.key) is future:
                del self._by_key[job.key]
            yield job, future

    # Wishes

    def ask(self, kind: str, path: str, wish: str) -> None:
        """Ask something of one job (see WISHES); it is heard soon. Any thread may."""
        self._asked.put((kind, path, wish))

    def wishes(self, run: int) -> Iterator[tuple[str, str, str]]:
        """(kind, path, wish) of what was asked since, here or by another program. Raises StateError."""
        while not self._asked.empty():
            yield self._asked.get()
        if time.monotonic() - self._heard >= _LISTEN:
            self._heard = time.monotonic()
            yield from self._store.wishes(run, SHORT)

    def unheard(self) -> list[tuple[str, str, str]]:
        """What was asked and not heard, for the run is over."""
        left = []
        while not self._asked.empty():
            left.append(self._asked.get())
        return left

    def order(self, kind: str, path: str, wish: str) -> None:
        """Do what is asked of a job's place in its queue: first, last, hold, go on."""
        key = kind, path
        future, job = self._by_key.get(key), self.job(kind, path)
        if wish in ("hold", "go on"):
            self._listing.change(key, held=wish == "hold")
            if job is not None and future is not None:
                job.executor.hold(future, wish == "hold")
        elif wish in ("first", "last"):
            priority = self._listing.edge(wish == "first")
            self._listing.change(key, priority=priority)
            if job is not None and future is not None:
                job.executor.prefer(future, priority)

    def job(self, kind: str, path: str) -> Handed | None:
        """What was handed out for a job and has not come back."""
        future = self._by_key.get((kind, path))
        return self._pending.get(future) if future is not None else None

    def cancel(self, kind: str, path: str) -> bool:
        """Take one back; whether it was handed out."""
        future, job = self._by_key.get((kind, path)), self.job(kind, path)
        if job is None or future is None:
            return False
        job.executor.cancel(future)
        return True

    def cancel_all(self) -> None:
        """Take all back."""
        for future, job in tuple(self._pending.items()):
            job.executor.cancel(future)
