"""Which process of this machine has a project open for writing, so that two never overwrite each other's saves."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import time
from dataclasses import dataclass
from pathlib import Path

from ..log import state_folder

WINDOW, COMMAND, WITHOUT_WINDOW = "window", "command", "without a window"
_LOOK = 0.05  # seconds between two tries


@dataclass(frozen=True)
class Holder:
    """The process that has a project open: its number and what it is."""

    process: int
    role: str


class ProjectLock:
    """Held from :meth:`take` to :meth:`release` or the end of the process, however it ends (flock(2))."""

    def __init__(self, project: Path) -> None:
        name = hashlib.sha256(str(project.absolute().resolve()).encode()).hexdigest()[:24]
        folder = state_folder() / "open"
        folder.mkdir(parents=True, exist_ok=True)
        self._path = folder / f"{name}.lock"
        self._handle = -1

    def take(self, role: str, patience: float = 0.0) -> bool:
        """Try to take it for up to ``patience`` seconds; whether it was got."""
        handle = os.open(self._path, os.O_RDWR | os.O_CREAT, 0o600)
        end = time.monotonic() + patience
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() >= end:
                    os.close(handle)
                    return False
                time.sleep(_LOOK)
        os.ftruncate(handle, 0)
        os.pwrite(handle, json.dumps({"process": os.getpid(), "role": role}).encode(), 0)
        self._handle = handle
        return True

    def holder(self) -> Holder | None:
        """Who has it at this moment; None when nobody has, or it cannot be told yet."""
        try:
            handle = os.open(self._path, os.O_RDONLY)
        except OSError:
            return None
        try:
            fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
            return None
        except BlockingIOError:
            return _read(handle)
        finally:
            os.close(handle)

    def release(self) -> None:
        """Let others have it."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1


def _read(handle: int) -> Holder | None:
    try:
        values = json.loads(os.pread(handle, 1000, 0))
        return Holder(int(values["process"]), str(values["role"]))
    except (ValueError, KeyError, TypeError):
        return None
