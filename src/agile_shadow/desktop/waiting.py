"""Something that takes its time, done on a thread while the window goes on being drawn."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEventLoop, QTimer

from ..core.errors import ShadowError

log = logging.getLogger(__name__)
_LOOK = 15  # milliseconds


def done_aside(work: Callable[[], Any], limit: float) -> Any:
    """What ``work`` gives; the window is drawn meanwhile, and takes no input. Raises what it raises, and ShadowError
    when it takes longer than ``limit`` seconds: then it goes on by itself, and nobody waits for it."""
    answer: list[Any] = []
    problem: list[Exception] = []

    def run() -> None:
        try:
            answer.append(work())
        except Exception as error:  # raised again where it is waited for
            problem.append(error)

    thread = threading.Thread(target=run, name="closing", daemon=True)
    thread.start()
    _draw_while(thread.is_alive, limit)
    if problem:
        raise problem[0]
    if not answer:
        log.warning("%s takes longer than %s s", work, limit)
        raise ShadowError(f"it takes longer than {limit:.0f} s", None, "A drive may not answer.")
    return answer[0]


def _draw_while(busy: Callable[[], bool], limit: float) -> None:
    end = time.monotonic() + limit
    loop, timer = QEventLoop(), QTimer()

    def look() -> None:
        if not busy() or time.monotonic() > end:
            loop.quit()

    timer.timeout.connect(look)
    timer.start(_LOOK)
    if busy():
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
