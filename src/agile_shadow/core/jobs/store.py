"""What this machine must remember across a crash: unfinished jobs and proven copies (SQLite, WAL)."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..state import opened, state_file

_TABLES = """
CREATE TABLE IF NOT EXISTS jobs (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, project TEXT NOT NULL, request TEXT NOT NULL,
  state TEXT NOT NULL, created REAL NOT NULL, ended REAL, result TEXT);
CREATE UNIQUE INDEX IF NOT EXISTS open_jobs ON jobs (kind, project, request) WHERE state = 'open';
CREATE TABLE IF NOT EXISTS copies (
  source TEXT NOT NULL, size INTEGER NOT NULL, source_mtime INTEGER NOT NULL,
  target TEXT NOT NULL, target_mtime INTEGER NOT NULL, checksum TEXT NOT NULL, value TEXT NOT NULL,
  PRIMARY KEY (source, target));
"""


@dataclass(frozen=True)
class JobRecord:
    """An unfinished job: ``request`` holds plain JSON values."""

    id: int
    kind: str
    project: str
    request: dict[str, Any]


@dataclass(frozen=True)
class CopyRecord:
    """A copy that was read back and found equal. Times are modification times in nanoseconds."""

    source: str
    size: int
    source_mtime: int
    target: str
    target_mtime: int
    checksum: str
    value: str


class JobStore:
    """The file behind it; any thread may call any method. Deleting the file loses no project."""

    def __init__(self, path: Path | None = None) -> None:
        self._path = path or state_file()
        self._path.parent.mkdir(parents=True, exist_ok=True)
        with opened(self._path) as db:
            db.executescript(_TABLES)

    def begin(self, kind: str, project: Path, request: dict[str, Any]) -> int:
        """Note a job as open and return its number; the same open job keeps the number it has."""
        text = json.dumps(request, sort_keys=True)
        with opened(self._path) as db:
            db.execute(
                "INSERT INTO jobs (kind, project, request, state, created) VALUES (?, ?, ?, 'open', ?) "
                "ON CONFLICT DO NOTHING",
                (kind, str(project), text, time.time()),
            )
            row = db.execute(
                "SELECT id FROM jobs WHERE kind=? AND project=? AND request=? AND state='open'",
                (kind, str(project), text),
            ).fetchone()
        return int(row[0])

    def end(self, job: int, state: str, result: dict[str, Any] | None = None) -> None:
        """Close a job as ``done``, ``cancelled`` or ``failed``."""
        with opened(self._path) as db:
            db.execute(
                "UPDATE jobs SET state=?, ended=?, result=? WHERE id=?", (state, time.time(), json.dumps(result), job)
            )

    def open_jobs(self, project: Path) -> list[JobRecord]:
        """Jobs of a project that were begun and not ended, oldest first."""
        with opened(self._path) as db:
            rows = db.execute(
                "SELECT id, kind, project, request FROM jobs WHERE state='open' AND project=? ORDER BY id",
                (str(project),),
            ).fetchall()
        return [JobRecord(row[0], row[1], row[2], json.loads(row[3])) for row in rows]

    def remember_copy(self, record: CopyRecord) -> None:
        """Keep the proof of a copy."""
        with opened(self._path) as db:
            db.execute(
                "INSERT OR REPLACE INTO copies VALUES (?, ?, ?, ?, ?, ?, ?)",
                (record.source, record.size, record.source_mtime, record.target, record.target_mtime,
                 record.checksum, record.value),
            )  # fmt: skip

    def proven_copy(self, source: Path, target: Path) -> CopyRecord | None:
        """The kept proof of a copy, if any; the caller compares sizes and times with what is there now."""
        with opened(self._path) as db:
            row = db.execute("SELECT * FROM copies WHERE source=? AND target=?", (str(source), str(target))).fetchone()
        return CopyRecord(*row) if row else None
