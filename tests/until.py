"""Waiting in tests: on conditions, never for a time."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any


def until(condition: Callable[[], Any], limit: float = 90.0) -> Any:
    """What the condition answers as soon as it holds; fails after ``limit`` seconds."""
    end = time.monotonic() + limit
    while not (found := condition()):
        assert time.monotonic() < end, "it did not come to that"
        time.sleep(0.005)
    return found
