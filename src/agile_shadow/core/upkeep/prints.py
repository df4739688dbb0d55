"""Fingerprints of files, kept on this machine (SQLite): a file is looked at once."""

from __future__ import annotations

import time
from pathlib import Path

from ..media.fingerprint import Fingerprint
from ..state import opened, state_file

_TABLE = """
CREATE TABLE IF NOT EXISTS fingerprints (key TEXT PRIMARY KEY, data BLOB NOT NULL, taken REAL NOT NULL);
"""


class Prints:
    """The file behind it; any thread may call any method. Deleting it costs only looking again.

    Keys are those of :func:`agile_shadow.core.estimates.measurements.key_of`.
    """

    def __init__(self, path: Path | None = None) -> None:
        self._path = path or state_file()

    def keep(self, key: str, one: Fingerprint) -> None:
        """Remember a fingerprint."""
        with opened(self._path, _TABLE) as db:
            db.execute("INSERT OR REPLACE INTO fingerprints VALUES (?, ?, ?)", (key, one.to_bytes(), time.time()))

    def kept(self, key: str) -> Fingerprint | None:
        """One taken earlier, if any."""
        with opened(self._path, _TABLE) as db:
            row = db.execute("SELECT data FROM fingerprints WHERE key=?", (key,)).fetchone()
        if row is None:
            return None
        try:
            return Fingerprint.from_bytes(row[0])
        except (ValueError, KeyError, OSError):
            return None
