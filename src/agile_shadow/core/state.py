"""The one file of this machine's state (SQLite, WAL): each change is whole or not there.

It can be deleted without losing anything of a project: one that cannot be used is set aside, and a new one begun.
"""

from __future__ import annotations

import logging
import os
import sqlite3
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from .errors import StateError, from_os_error
from .log import state_folder

log = logging.getLogger(__name__)

_PATIENCE = 20.0  # seconds to wait for another process that writes
_ASIDE = threading.Lock()
_ANCHOR = threading.Lock()
_anchors: dict[Path, tuple[int, sqlite3.Connection]] = {}  # one at most
_told: list[str] = []
_DAMAGED = ("not a database", "malformed", "disk image", "file is encrypted", "unsupported file format")


BELOW = "substr({0}, 1, ?) = ?"  # for WHERE: that a path lies below a folder


def below_values(folder: Path) -> tuple[int, str]:
    """The values for :data:`BELOW`."""
    text = f"{str(folder).rstrip('/')}/"
    return len(text), text


def state_file() -> Path:
    """Where it lies."""
    return state_folder() / "machine.sqlite"


def what_was_set_aside() -> list[str]:
    """Sentences about state files that could not be used, each given once: for whoever talks to the user."""
    with _ASIDE:
        told, _told[:] = list(_told), []
    return told


@contextmanager
def opened(path: Path, tables: str = "", patience: float = _PATIENCE) -> Iterator[sqlite3.Connection]:
    """A connection for one change, which is kept when the block ends well; ``tables``: made where they are missing.

    ``patience``: seconds to wait for others that write; whoever can do without the answer waits less. A file that is
    damaged, or none, is set aside. Raises StateError when it cannot be used all the same (no room, no permission).
    """
    try:
        db = _connected(path, tables, patience)
    except sqlite3.DatabaseError as error:
        if not _is_damage(path, error):
            raise _state_error(error, path) from error
        _set_aside(path)
        try:
            db = _connected(path, tables, patience)
        except sqlite3.Error as again:
            raise _state_error(again, path) from again
    except OSError as error:
        raise from_os_error(error, path, StateError) from error
    try:
        with db:
            yield db
    except sqlite3.DatabaseError as error:
        if _is_damage(path, error):
            db.close()
            _set_aside(path)
        raise _state_error(error, path) from error
    finally:
        db.close()


def _connected(path: Path, tables: str, patience: float) -> sqlite3.Connection:
    path.parent.mkdir(parents=True, exist_ok=True)
    db = sqlite3.connect(path, timeout=patience, isolation_level="IMMEDIATE")
    try:
        db.execute("PRAGMA journal_mode=WAL")
        db.execute("PRAGMA synchronous=NORMAL")  # whole after a power cut, though the last change may be missing
        if tables:
            db.executescript(tables)
        _stay_open(path)
    except BaseException:
        db.close()
        raise
    return db


def _stay_open(path: Path) -> None:
    """Keep one more connection, so that none is the last to close.

    The last one locks the file while it writes everything back and waits for the drive: with a slow drive and many
    short changes the others found no moment in between.
    """
    inode = os.stat(path).st_ino
    with _ANCHOR:
        if path in _anchors and _anchors[path][0] == inode:
            return
        _let_go()
        db = sqlite3.connect(path, timeout=_PATIENCE, check_same_thread=False)
        db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        _anchors[path] = (inode, db)


def _let_go() -> None:
    for _, db in _anchors.values():
        db.close()
    _anchors.clear()


def _is_damage(path: Path, error: sqlite3.DatabaseError) -> bool:
    text = str(error)
    missing = "no such table" in text or "no such column" in text or "has no column" in text
    return path.is_dir() or missing or any(words in text for words in _DAMAGED)


def _set_aside(path: Path) -> None:
    """Move a file that cannot be used, with what belongs to it, out of the way."""
    with _ANCHOR:
        _let_go()
    with _ASIDE:
        when = f"{time.strftime('%Y-%m-%d %H-%M-%S')} {time.monotonic_ns() % 997}"
        aside = path.with_name(f"{path.name} set aside {when}")
        log.warning("%s cannot be used and is set aside as %s", path, aside)
        for ending in ("", "-wal", "-shm"):
            try:
                os.rename(f"{path}{ending}", f"{aside}{ending}")
            except FileNotFoundError:
                continue
            except OSError as error:
                raise from_os_error(error, path, StateError) from error
        _told.append(
            f"{path}: this machine's memory of jobs and measurements could not be used. It was set aside as "
            f"{aside.name}, and a new one begun; no project has lost anything."
        )


def _state_error(error: sqlite3.Error, path: Path) -> StateError:
    text = str(error)
    if "locked" in text:
        return StateError("this machine's state is being written by another program", path, "Try again in a moment.")
    if "full" in text:
        return StateError("this machine's state cannot be written: its drive is full", path, "Free some space there.")
    if "readonly" in text or "unable to open" in text:
        return StateError("this machine's state cannot be opened or written", path, "Look at its permissions.")
    return StateError(f"this machine's state cannot be used ({text})", path, "Delete the file: no project needs it.")
