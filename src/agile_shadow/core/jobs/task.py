"""What a worker runs: a plain function of a request that reports how far it is."""

from __future__ import annotations

from typing import Any, Protocol


class Report(Protocol):
    """Called by a task now and then with the part done, 0 to 1. Raises Cancelled when the user took the work back."""

    def __call__(self, done: float) -> None: ...


class Task(Protocol):
    """A module-level function; request and result pickle."""

    def __call__(self, request: Any, report: Report, /) -> Any: ...
