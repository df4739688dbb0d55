"""What was measured on this machine, kept: headroom, and what settings gave on footage (SQLite, WAL)."""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..log import state_folder
from ..media.sequence import status

_TABLE = """
CREATE TABLE IF NOT EXISTS measurements (
  kind TEXT NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL, taken REAL NOT NULL, PRIMARY KEY (kind, key));
"""


@dataclass(frozen=True)
class Kept:
    """A measured value (plain JSON values) and when it was taken, in seconds since 1970."""

    value: dict[str, Any]
    taken: float


def file_key(path: Path) -> str:
    """Tells a file apart from what it was before a change. Raises OSError."""
    return key_of(path, *status(path))


def key_of(path: Path, size: int, modified: int) -> str:
    """:func:`file_key` where bytes and modification time (nanoseconds) are known: touches no drive."""
    return f"{path}|{size}|{modified}"


class Measurements:
    """The file behind it; any thread may call any method. Deleting it costs only measuring again."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path or state_folder() / "machine.sqlite"
        self._path.parent.mkdir(parents=True, exist_ok=True)
        self._known: dict[tuple[str, str], Kept] = {}
        with self._connected() as db:
            db.executescript(_TABLE)

    @contextmanager
    def _connected(self) -> Iterator[sqlite3.Connection]:
        db = sqlite3.connect(self._path, timeout=20)
        try:
            db.execute("PRAGMA journal_mode=WAL")
            with db:
                yield db
        finally:
            db.close()

    def keep(self, kind: str, key: str, value: dict[str, Any]) -> None:
        """Remember a measured value."""
        self._known.pop((kind, key), None)
        with self._connected() as db:
            db.execute(
                "INSERT OR REPLACE INTO measurements VALUES (?, ?, ?, ?)", (kind, key, json.dumps(value), time.time())
            )

    def kept(self, kind: str, key: str) -> Kept | None:
        """A value measured earlier, if any."""
        if (kind, key) in self._known:
            return self._known[kind, key]
        with self._connected() as db:
            row = db.execute("SELECT value, taken FROM measurements WHERE kind=? AND key=?", (kind, key)).fetchone()
        if row is None:
            return None
        found = self._known[kind, key] = Kept(json.loads(row[0]), float(row[1]))
        return found

    def all_of(self, kind: str) -> dict[str, Kept]:
        """All values of a kind by key."""
        with self._connected() as db:
            rows = db.execute("SELECT key, value, taken FROM measurements WHERE kind=?", (kind,)).fetchall()
        return {row[0]: Kept(json.loads(row[1]), float(row[2])) for row in rows}
