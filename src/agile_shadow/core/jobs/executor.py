"""Who runs tasks, and one that runs them at once. Nothing outside this package knows which one it has."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, Protocol

from ..errors import Cancelled
from .task import Submitted, Task


class Executor(Protocol):
    """See :class:`WorkerPool`, which runs tasks in processes of this machine. Any thread may call any method."""

    pauses: int

    @property
    def busy(self) -> bool: ...
    @property
    def running(self) -> int: ...
    def submit(
        self, task: Task, request: Any, on_progress: Callable[[float], None] = ..., priority: int = ...,
        held: bool = ..., stalled_after: float | None = ...,
    ) -> Future[Any]: ...  # fmt: skip
    def prefer(self, future: Future[Any], priority: int) -> None: ...
    def hold(self, future: Future[Any], on: bool) -> None: ...
    def cancel(self, future: Future[Any]) -> None: ...
    def cancel_all(self) -> None: ...
    def whose(self, future: Future[Any]) -> str: ...
    def pause(self, why: str = ...) -> None: ...
    def resume(self, why: str = ...) -> None: ...
    def look_again(self) -> None: ...
    def end(self) -> None: ...
    def close(self, limit: float | None = ...) -> bool: ...


class Inline:
    """Runs each task on the thread that hands it over, before :meth:`submit` returns; one that is held or comes while
    it pauses waits to be let go. For tests: the same rules without processes and time."""

    running = 0
    pauses = 0

    def __init__(self) -> None:
        self._waiting: list[Submitted] = []
        self._reasons: set[str] = set()
        self._closed = False

    @property
    def busy(self) -> bool:
        """Whether any task has not ended."""
        return bool(self._waiting)

    def submit(
        self,
        task: Task,
        request: Any,
        on_progress: Callable[[float], None] = lambda done: None,
        priority: int = 0,
        held: bool = False,
        stalled_after: float | None = None,
    ) -> Future[Any]:
        """Run ``task(request, report)``, or keep it; the future as with worker processes."""
        one = Submitted(task, request, on_progress, priority, 0, held)
        if self._closed:
            one.future.set_exception(Cancelled())
            return one.future
        self._waiting.append(one)
        self._go()
        return one.future

    def _go(self) -> None:
        while not self._reasons:
            ready = [one for one in self._waiting if not one.held]
            if not ready:
                return
            one = max(ready, key=lambda waiting: waiting.priority)
            self._waiting.remove(one)
            tell = one.on_progress
            tell(0.0)
            try:
                result = one.task(one.request, lambda done, tell=tell: tell(done))
            except Exception as error:
                one.future.set_exception(error)
            else:
                one.future.set_result(result)

    def _of(self, future: Future[Any]) -> Submitted | None:
        return next((one for one in self._waiting if one.future is future), None)

    def prefer(self, future: Future[Any], priority: int) -> None:
        """Give a waiting task another priority."""
        if (one := self._of(future)) is not None:
            one.priority = priority

    def hold(self, future: Future[Any], on: bool) -> None:
        """Have one task wait, or let it go."""
        if (one := self._of(future)) is not None:
            one.held = on
            self._go()

    def cancel(self, future: Future[Any]) -> None:
        """Take a task back that waits."""
        if (one := self._of(future)) is not None:
            self._waiting.remove(one)
            one.future.set_exception(Cancelled())

    def cancel_all(self) -> None:
        """Take back all tasks that wait."""
        for one in list(self._waiting):
            self.cancel(one.future)

    def whose(self, future: Future[Any]) -> str:
        """This machine's."""
        return ""

    def pause(self, why: str = "") -> None:
        """Begin nothing."""
        self._reasons.add(why)

    def resume(self, why: str = "") -> None:
        """Go on, where nothing else keeps it."""
        self._reasons.discard(why)
        self._go()

    def look_again(self) -> None:
        """It always has room."""

    def end(self) -> None:
        """Take back what waits, and refuse what comes."""
        self._closed = True
        self.cancel_all()

    def close(self, limit: float | None = None) -> bool:
        """As :meth:`end`."""
        self.end()
        return True
