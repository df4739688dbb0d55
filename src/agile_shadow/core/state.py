"""The one file of this machine's state (SQLite, WAL): each change is whole or not there."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from .log import state_folder

_PATIENCE = 20  # seconds to wait for another process that writes


def state_file() -> Path:
    """Where it lies."""
    return state_folder() / "machine.sqlite"


@contextmanager
def opened(path: Path) -> Iterator[sqlite3.Connection]:
    """A connection for one change, which is kept when the block ends well. Raises sqlite3.Error."""
    db = sqlite3.connect(path, timeout=_PATIENCE)
    try:
        db.execute("PRAGMA journal_mode=WAL")
        with db:
            yield db
    finally:
        db.close()
