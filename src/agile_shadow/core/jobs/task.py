"""What a worker runs: a plain function of a request that reports how far it is."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any, Protocol


class Report(Protocol):
    """Called by a task now and then with the part done, 0 to 1. Raises Cancelled when the user took the work back."""

    def __call__(self, done: float) -> None: ...


class Task(Protocol):
    """A module-level function; request and result pickle."""

    def __call__(self, request: Any, report: Report, /) -> Any: ...


@dataclass(eq=False)
class Submitted:
    """A task that an executor was asked for. ``stalled_after``: seconds without progress after which its worker is
    ended; None: never.
    """

    task: Task
    request: Any
    on_progress: Callable[[float], None]
    priority: int
    number: int
    held: bool = False
    stalled_after: float | None = None
    future: Future[Any] = field(default_factory=Future)
    cancelled: bool = False
