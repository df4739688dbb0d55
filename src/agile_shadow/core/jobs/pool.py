"""A pool of worker processes behind concurrent.futures; a worker that dies takes only its task."""

from __future__ import annotations

import os
import queue
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from typing import Any

from ..errors import Cancelled, WorkerDied
from .task import Task

_PATIENCE = 5.0  # seconds a cancelled task has to clean up before its worker is killed


@dataclass
class _Entry:
    task: Task
    request: Any
    on_progress: Callable[[float], None]
    future: Future[Any] = field(default_factory=Future)
    cancelled: threading.Event = field(default_factory=threading.Event)


class WorkerPool:
    """``size`` worker processes, started when first needed. Close it, or use it as a context manager."""

    def __init__(self, size: int = 1) -> None:
        self._entries: queue.SimpleQueue[_Entry | None] = queue.SimpleQueue()
        self._keepers = [_Keeper(self._entries) for _ in range(size)]
        self._by_future: dict[Future[Any], _Entry] = {}

    def __enter__(self) -> WorkerPool:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def submit(self, task: Task, request: Any, on_progress: Callable[[float], None] = lambda done: None) -> Future[Any]:
        """Run ``task(request, report)`` in a worker. ``on_progress`` is called on a thread of the pool, 0 to 1.

        The future raises the task's own error, WorkerDied, or Cancelled.
        """
        entry = _Entry(task, request, on_progress)
        self._by_future[entry.future] = entry
        entry.future.add_done_callback(lambda future: self._by_future.pop(future, None))
        for keeper in self._keepers:
            keeper.start_if_needed()
        self._entries.put(entry)
        return entry.future

    def cancel(self, future: Future[Any]) -> None:
        """Take a task back, waiting or running; its future then raises Cancelled."""
        entry = self._by_future.get(future)
        if entry is not None:
            entry.cancelled.set()

    def cancel_all(self) -> None:
        """Take back all tasks."""
        for entry in list(self._by_future.values()):
            entry.cancelled.set()

    def pause(self) -> None:
        """Have the workers stand still where they are; ask again now and then, for workers that start meanwhile."""
        self._signal(signal.SIGSTOP)

    def resume(self) -> None:
        """Have paused workers go on."""
        self._signal(signal.SIGCONT)

    def _signal(self, which: signal.Signals) -> None:
        for process in self.process_ids:
            with suppress(ProcessLookupError):
                os.kill(process, which)

    @property
    def process_ids(self) -> list[int]:
        """Process numbers of the workers alive."""
        return [keeper.process.pid for keeper in self._keepers if keeper.process and keeper.process.poll() is None]

    def close(self) -> None:
        """End all workers; tasks not finished raise Cancelled."""
        self.resume()
        self.cancel_all()
        for _ in self._keepers:
            self._entries.put(None)
        for keeper in self._keepers:
            keeper.join()


class _Keeper:
    """A thread that keeps one worker process busy."""

    def __init__(self, entries: queue.SimpleQueue[_Entry | None]) -> None:
        self._entries = entries
        self._thread: threading.Thread | None = None
        self.process: subprocess.Popen[bytes] | None = None
        self._pipe: Connection[Any, Any] | None = None

    def start_if_needed(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._loop, name="worker keeper", daemon=True)
            self._thread.start()

    def join(self) -> None:
        if self._thread is not None:
            self._thread.join()

    def _loop(self) -> None:
        # The worker asks to be ended with its parent *thread*: so this thread both starts and outlives it.
        try:
            while (entry := self._entries.get()) is not None:
                if entry.cancelled.is_set():
                    entry.future.set_exception(Cancelled())
                else:
                    self._serve(entry)
        finally:
            self._end_process()

    def _serve(self, entry: _Entry) -> None:
        try:
            pipe = self._connected()
            pipe.send((entry.task, entry.request))
            kind, value = self._answer(pipe, entry)
        except (EOFError, OSError) as error:
            self._end_process()
            if entry.cancelled.is_set():
                entry.future.set_exception(Cancelled())
            else:
                died = WorkerDied("the worker process ended without an answer", None, "Try the job again.")
                died.__cause__ = error
                entry.future.set_exception(died)
            return
        except Exception as error:  # a request that does not pickle
            entry.future.set_exception(error)
            return
        if kind == "done":
            entry.future.set_result(value)
        else:
            entry.future.set_exception(Cancelled() if kind == "cancelled" else value)

    def _answer(self, pipe: Connection[Any, Any], entry: _Entry) -> tuple[str, Any]:
        waited = 0.0
        told = False
        while True:
            if pipe.poll(0.05):
                kind, value = pipe.recv()
                if kind != "progress":
                    return kind, value
                entry.on_progress(value)
            if entry.cancelled.is_set():
                if not told:
                    pipe.send((None, None))
                    told = True
                waited += 0.05
                if waited > _PATIENCE:
                    raise EOFError

    def _connected(self) -> Connection[Any, Any]:
        if self._pipe is not None and self.process is not None and self.process.poll() is None:
            return self._pipe
        self._end_process()
        mine, theirs = Pipe()
        command = [sys.executable, "-m", "agile_shadow.core.jobs.worker", str(theirs.fileno()), str(os.getpid())]
        self.process = subprocess.Popen(
            command, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
        )
        theirs.close()
        self._pipe = mine
        return mine

    def _end_process(self) -> None:
        if self._pipe is not None:
            self._pipe.close()
            self._pipe = None
        if self.process is not None:
            self.process.kill()
            self.process.wait()
            self.process = None
