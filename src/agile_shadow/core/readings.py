"""When each file on a shelf was last read from end to end here, and what it was then."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from .state import BELOW, below_values, opened, state_file

_TABLE = """CREATE TABLE IF NOT EXISTS readings (
  path TEXT PRIMARY KEY, size INTEGER NOT NULL, modified INTEGER NOT NULL, checksum TEXT NOT NULL, value TEXT NOT NULL,
  read REAL NOT NULL, first REAL NOT NULL)"""


_AT_ONCE = 500  # values of one question


@dataclass(frozen=True)
class Reading:
    """A file as it was read: ``size`` in bytes, ``modified`` in nanoseconds, its checksum; ``read`` and ``first``: when
    it was read last and first, in seconds since 1970."""

    path: str
    size: int
    modified: int
    checksum: str
    value: str
    read: float
    first: float = 0.0


def note_readings(readings: Iterable[Reading]) -> None:
    """Keep what was read. Raises StateError."""
    rows = [(one.path, one.size, one.modified, one.checksum, one.value, one.read, one.read) for one in readings]
    if rows:
        with opened(state_file(), _TABLE) as db:
            db.executemany(
                "INSERT INTO readings VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (path) DO UPDATE SET "
                "size=excluded.size, modified=excluded.modified, checksum=excluded.checksum, value=excluded.value, "
                "read=excluded.read",
                rows,
            )


def reading_now(path: Path, size: int, modified: int, checksum: str, value: str) -> Reading:
    """One of this moment."""
    return Reading(str(path), size, modified, checksum, value, time.time())


def readings_of(paths: Iterable[str]) -> dict[str, Reading]:
    """What is kept of some files, by path. Raises StateError."""
    wanted = sorted(set(paths))
    found = {}
    with opened(state_file(), _TABLE) as db:
        for first in range(0, len(wanted), _AT_ONCE):
            some = wanted[first : first + _AT_ONCE]
            rows = db.execute(f"SELECT * FROM readings WHERE path IN ({', '.join('?' * len(some))})", some).fetchall()
            found.update({row[0]: Reading(*row) for row in rows})
    return found


def readings_below(root: Path) -> dict[str, Reading]:
    """What is kept of files below a folder, by path. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        rows = db.execute(f"SELECT * FROM readings WHERE {BELOW.format('path')}", below_values(root)).fetchall()
    return {row[0]: Reading(*row) for row in rows}
