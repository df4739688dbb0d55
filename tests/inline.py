"""Workers that are none: tasks run on a thread of the test's own process, so that a test can look into them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any

from agile_shadow.core.errors import Cancelled
from agile_shadow.core.jobs import Machine


class InlinePool:
    """What WorkerPool does, one task after the other, without a process."""

    pauses = 0

    def __init__(self, changed: Callable[[], None] = lambda: None) -> None:
        self._lock = threading.Lock()
        self._cancelled = threading.Event()
        self._changed = changed
        self.threads: list[threading.Thread] = []

    @property
    def busy(self) -> bool:
        return any(thread.is_alive() for thread in self.threads)

    @property
    def running(self) -> int:
        return int(self._lock.locked())

    def submit(
        self, task: Any, request: Any, on_progress: Callable[[float], None] = lambda done: None, priority: int = 0,
        held: bool = False, stalled_after: float | None = None,
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

    def whose(self, future: Future[Any]) -> str:
        return ""

    def prefer(self, future: Future[Any], priority: int) -> None:
        """There is no order here."""

    def hold(self, future: Future[Any], on: bool) -> None:
        """Nothing stands still here."""

    def cancel(self, future: Future[Any]) -> None:
        """One cannot be told from the others."""

    def cancel_all(self) -> None:
        self._cancelled.set()

    def pause(self, why: str = "") -> None:
        """Nothing stands still here."""

    def resume(self, why: str = "") -> None:
        """Nothing stood still."""

    def look_again(self) -> None:
        """There is always room."""

    def end(self) -> None:
        self._cancelled.set()

    def close(self, limit: float | None = None) -> bool:
        for thread in self.threads:
            thread.join(limit)
        return True


def inline_machine() -> Machine:
    """A machine whose workers are threads of this process."""
    return Machine(2, lambda size, stalled_after, room, changed: InlinePool(changed))
