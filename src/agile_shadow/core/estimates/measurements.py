"""What was measured on this machine, kept: headroom, and what settings gave on footage (SQLite, WAL)."""

from __future__ import annotations

import json
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from weakref import WeakSet

from ..media.sequence import status
from ..state import opened, state_file

_TABLE = """
CREATE TABLE IF NOT EXISTS measurements (
  kind TEXT NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL, taken REAL NOT NULL, PRIMARY KEY (kind, key));
"""


@dataclass(frozen=True)
class KeptValue:
    """A measured value (plain JSON values) and when it was taken, in seconds since 1970."""

    value: dict[str, Any]
    taken: float


def file_key(path: Path) -> str:
    """Tells a file apart from what it was before a change. Raises OSError."""
    return key_of(path, *status(path))


def key_of(path: Path | str, size: int, modified: int) -> str:
    """:func:`file_key` where bytes and modification time (nanoseconds) are known: touches no drive."""
    return f"{path}|{size}|{modified}"


_OPEN: WeakSet[Measurements] = WeakSet()  # of this program: what one keeps the others of its file know
_OPEN_LOCK = threading.Lock()


class Measurements:
    """The file behind it; any thread may call any method. Deleting it costs only measuring again."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path or state_file()
        self._known: dict[str, dict[str, KeptValue]] = {}  # by kind, read once: asked for thousands of clips at a time
        self._lock = threading.Lock()
        with _OPEN_LOCK:
            _OPEN.add(self)

    def keep(self, kind: str, key: str, value: dict[str, Any]) -> None:
        """Remember a measured value."""
        found = KeptValue(value, time.time())
        known = self._all(kind)
        with opened(self._path, _TABLE) as db:
            db.execute(
                "INSERT OR REPLACE INTO measurements VALUES (?, ?, ?, ?)", (kind, key, json.dumps(value), found.taken)
            )
        with self._lock:
            known[key] = found
        with _OPEN_LOCK:
            others = [one for one in _OPEN if one is not self and one._path == self._path]
        for one in others:
            one._heard(kind, key, found)

    def _heard(self, kind: str, key: str, found: KeptValue) -> None:
        with self._lock:
            if kind in self._known:
                self._known[kind][key] = found

    def kept(self, kind: str, key: str) -> KeptValue | None:
        """A value measured earlier, if any; what another program measured meanwhile is not seen."""
        return self._all(kind).get(key)

    def _all(self, kind: str) -> dict[str, KeptValue]:
        with self._lock:
            if kind not in self._known:
                self._known[kind] = self.all_of(kind)
            return self._known[kind]

    def all_of(self, kind: str) -> dict[str, KeptValue]:
        """All values of a kind by key."""
        with opened(self._path, _TABLE) as db:
            rows = db.execute("SELECT key, value, taken FROM measurements WHERE kind=?", (kind,)).fetchall()
        return {row[0]: KeptValue(json.loads(row[1]), float(row[2])) for row in rows}
