"""The work of one open project spread over helpers, where any was invited; else nothing of that is loaded.

Imports inside functions: the engine is an extra, and imported when helpers are used.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from ..jobs import Executor, Machine, WorkerPool
from ..shelves import Shelf
from .suite import Suite

if TYPE_CHECKING:
    from .link import Link

_NAMING = 600.0  # seconds without progress, after which looking at what a helper made is given up


class Spreading:
    """Has a machine's work go to helpers as well. ``shelves``: those of the project, now. Any thread may call any
    method."""

    def __init__(self, machine: Machine, shelves: Callable[[], Sequence[Shelf]]) -> None:
        self._shelves = shelves
        self._lock = threading.Lock()
        self._link: Link | None = None
        self._ended = False
        machine.spread = self._spread

    @property
    def link(self) -> Link:
        """What this machine knows of helpers; it looks for them as soon as any is invited."""
        from .link import Link

        with self._lock:
            if self._link is None:
                self._link = Link()
            if not self._ended:
                self._link.start()
            return self._link

    @property
    def invited(self) -> bool:
        """Whether any helper was ever invited: a look at a small file."""
        return Suite.of_this_user().exists

    def _spread(self, local: Executor, size: int) -> Executor:
        if not self.invited:
            return local
        from .spread import Spread

        return Spread(local, WorkerPool(1, _NAMING), size, self.link, self._shelves)

    def end(self) -> None:
        """End it soon, without waiting."""
        with self._lock:
            self._ended = True
            if self._link is not None:
                self._link.end()

    def close(self, limit: float | None = None) -> bool:
        """End it; whether it had ended within ``limit`` seconds."""
        self.end()
        return self._link.close(limit) if self._link is not None else True
