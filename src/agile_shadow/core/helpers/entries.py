"""Jobs that wait in a spread's row, and where each is being done."""

from __future__ import annotations

import time
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any

from ..jobs.task import Submitted
from .kinds import HelperKind
from .orders import Order


@dataclass(eq=False)
class Try:
    """One of the places where a job is being done; ``token`` is a helper's, ``future`` this machine's."""

    helper: str = ""
    token: str = ""
    future: Future[Any] | None = None
    order: Order | None = None
    begun: float = 0.0
    part: float = 0.0


@dataclass(eq=False)
class SharedJob(Submitted):
    """A job: asked for, waiting, done somewhere, or looked at and named here."""

    weight: float = 1.0
    kind: HelperKind | None = None
    begun: float = field(default_factory=time.monotonic)  # when it was asked for
    tries: list[Try] = field(default_factory=list)
    failed: set[str] = field(default_factory=set)  # helpers that did not bring it
    answer: tuple[Order, dict[str, Any]] | None = None
    naming: Future[Any] | None = None

    @property
    def waits(self) -> bool:
        """Whether nobody does it yet."""
        return not self.tries and self.answer is None and self.naming is None and not self.future.done()
