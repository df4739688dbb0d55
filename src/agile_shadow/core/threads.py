"""Threads that cannot die silently: whatever ends one is logged, and told to whoever talks to the user."""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from typing import Any

from .errors import sentence

log = logging.getLogger(__name__)
_SHOWS = 1.0  # seconds


def told_of_all(tell: Callable[[str], None]) -> None:
    """From now on have the sentence of every exception that ends a thread of this process told, from that thread."""

    def ended(arguments: threading.ExceptHookArgs) -> None:
        if arguments.exc_value is None or isinstance(arguments.exc_value, SystemExit):
            return
        name = arguments.thread.name if arguments.thread is not None else "a thread"
        log.error("%s ended", name, exc_info=(arguments.exc_type, arguments.exc_value, arguments.exc_traceback))
        tell(f"Background work ({name}) has ended: {sentence(arguments.exc_value)}")

    threading.excepthook = ended


def guarded(work: Callable[..., Any], failed: Callable[[str], None] = lambda text: None) -> Callable[..., Any]:
    """The same function for another's thread: an exception is logged and its sentence told, and None returned."""

    def run(*arguments: Any) -> Any:
        try:
            return work(*arguments)
        except Exception as error:
            log.exception("%s", work)
            failed(sentence(error))
            return None

    return run


def joined(thread: threading.Thread | None, limit: float | None = None) -> bool:
    """Wait for a thread's end, ``limit`` seconds at most; whether it has ended.

    One whose start was interrupted by a signal may run all the same, or never: it is given a second to show itself.
    """
    if thread is None or thread is threading.current_thread():
        return True
    given = time.monotonic() + _SHOWS
    while time.monotonic() < given:
        try:
            thread.join(limit)
            break
        except RuntimeError:  # not started yet
            time.sleep(0.01)
    return not thread.is_alive()


class Errands:
    """One thread that does small things in the order they were asked for; it ends with the process."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._waiting: queue.SimpleQueue[Callable[[], Any] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._closed = threading.Event()

    def submit(self, work: Callable[..., Any], *arguments: Any) -> None:
        """Have something done; what it raises is logged."""
        if self._closed.is_set():
            return
        self._waiting.put(lambda: work(*arguments))
        if self._thread is None:
            self._thread = threading.Thread(target=self._loop, name=self._name, daemon=True)
            self._thread.start()

    def end(self) -> None:
        """Do nothing more; what waits is dropped."""
        self._closed.set()
        self._waiting.put(None)

    def close(self, limit: float | None = None) -> bool:
        """End it; whether it had ended within ``limit`` seconds."""
        self.end()
        return joined(self._thread, limit)

    def _loop(self) -> None:
        while (work := self._waiting.get()) is not None and not self._closed.is_set():
            guarded(work)()
