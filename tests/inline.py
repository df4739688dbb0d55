"""Workers that are none: tasks run on a thread of the test's own process, so that a test can look into them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

from agile_shadow.core.errors import Cancelled


class InlinePool:
    """What WorkerPool does, one task after the other, without a process."""

    def __init__(self, size: int = 1, stalled_after: float | None = None) -> None:
        self._lock = threading.Lock()
        self._cancelled = threading.Event()
        self.threads: list[threading.Thread] = []

    def __enter__(self) -> InlinePool:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def submit(
        self, task: Any, request: Any, on_progress: Callable[[float], None] = lambda done: None, priority: int = 0,
        held: bool = False,
    ) -> Future[Any]:  # fmt: skip
        future: Future[Any] = Future()

        def report(done: float) -> None:
            if self._cancelled.is_set():
                raise Cancelled
            on_progress(done)

        def run() -> None:
            with self._lock:
                try:
                    future.set_result(task(request, report))
                except BaseException as error:
                    future.set_exception(error)

        self.threads.append(threading.Thread(target=run, daemon=True))
        self.threads[-1].start()
        return future

    def cancel_all(self) -> None:
        self._cancelled.set()

    def pause(self) -> None:
        """Nothing stands still here."""

    def resume(self) -> None:
        """Nothing stood still."""

    def close(self, limit: float | None = None) -> bool:
        for thread in self.threads:
            thread.join(limit)
        return True
