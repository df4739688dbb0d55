"""The worker process: takes one task after the other from its parent, and ends with it."""

from __future__ import annotations

import logging
import os
import pickle
import signal
import time
import traceback
from multiprocessing.connection import Connection
from typing import Any

from ..errors import Cancelled, ShadowError, sentence
from ..log import set_up_logging
from .task import Task

_REPORT_EVERY = 0.1  # seconds
_NICENESS = 10


class _ReportToParent:
    def __init__(self, parent: Connection[Any, Any]) -> None:
        self._parent = parent
        self._last = 0.0

    def __call__(self, done: float) -> None:
        if self._parent.poll():
            self._parent.recv()
            raise Cancelled
        now = time.monotonic()
        if now - self._last >= _REPORT_EVERY:
            self._last = now
            self._parent.send(("progress", done))


def serve(parent: Connection[Any, Any]) -> None:
    """Do what comes through the pipe, until its other end is closed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(_NICENESS)
    set_up_logging()
    while True:
        try:
            task, request = parent.recv()
        except EOFError:
            return
        if task is not None:  # None: a cancel that came after its task had ended
            parent.send(("begun", None))
            _answer(parent, _run(task, request, parent))


def _answer(parent: Connection[Any, Any], answer: tuple[str, Any]) -> None:
    """Send what came of a task; what cannot be sent, or not be read at the other end, is sent as its sentence."""
    try:
        pickle.loads(pickle.dumps(answer[1])) if answer[0] == "failed" else None
        parent.send(answer)
    except (BrokenPipeError, ConnectionError):
        raise
    except Exception as error:
        logging.getLogger("agile_shadow.worker").exception("an answer that cannot be sent")
        told = answer[1] if isinstance(answer[1], Exception) else error
        parent.send(("failed", ShadowError(sentence(told).rstrip("."))))


def _run(task: Task, request: Any, parent: Connection[Any, Any]) -> tuple[str, Any]:
    try:
        return "done", task(request, _ReportToParent(parent))
    except Cancelled:
        return "cancelled", None
    except Exception as error:
        logging.getLogger("agile_shadow.worker").warning("%s of %s failed\n%s", task, request, traceback.format_exc())
        return "failed", error

