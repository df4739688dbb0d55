"""What this machine must remember across a crash: unfinished jobs and proven copies (SQLite, WAL)."""

from __future__ import annotations

import json
import time
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import StateError
from ..state import BELOW, below_values, opened, state_file
from .piece import Piece

_TABLES = """
CREATE TABLE IF NOT EXISTS jobs (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, project TEXT NOT NULL, request TEXT NOT NULL,
  state TEXT NOT NULL, created REAL NOT NULL, ended REAL, result TEXT);
CREATE UNIQUE INDEX IF NOT EXISTS open_jobs ON jobs (kind, project, request) WHERE state = 'open';
CREATE TABLE IF NOT EXISTS copies (
  source TEXT NOT NULL, size INTEGER NOT NULL, source_mtime INTEGER NOT NULL,
  target TEXT NOT NULL, target_mtime INTEGER NOT NULL, checksum TEXT NOT NULL, value TEXT NOT NULL,
  PRIMARY KEY (source, target));
CREATE TABLE IF NOT EXISTS pieces (
  id INTEGER PRIMARY KEY, run INTEGER NOT NULL, kind TEXT NOT NULL, path TEXT NOT NULL, source TEXT NOT NULL,
  target TEXT NOT NULL, settings TEXT NOT NULL, seconds REAL NOT NULL, size INTEGER NOT NULL, state TEXT NOT NULL,
  priority INTEGER NOT NULL, held INTEGER NOT NULL, part REAL NOT NULL, begun REAL NOT NULL, ended REAL NOT NULL,
  note TEXT NOT NULL, wish TEXT NOT NULL DEFAULT '', UNIQUE (run, kind, path));
CREATE INDEX IF NOT EXISTS wishes ON pieces (run) WHERE wish != '';
CREATE TABLE IF NOT EXISTS listings (run INTEGER PRIMARY KEY, found TEXT NOT NULL);
"""
_COLUMNS = (
    "run", "kind", "path", "source", "target", "settings", "seconds", "size", "state", "priority", "held", "part",
    "begun", "ended", "note", "id",
)  # fmt: skip
_WRITTEN = _COLUMNS[:-1]
_ASKED = {
    "jobs": "id, kind, project, request, state, created, ended, result",
    "copies": "source, size, source_mtime, target, target_mtime, checksum, value",
    "pieces": ", ".join((*_COLUMNS, "wish")),
    "listings": "run, found",
}
SHORT = 2.0  # seconds a run waits for others that write here: its work does not depend on it
_KEPT_RUNS = 20  # ended ones whose jobs stay listed


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
        self._look()

    def _look(self) -> None:
        """Have a file that cannot be used set aside now, not in the middle of work."""
        for last in (False, True):
            try:
                with opened(self._path, _TABLES) as db:
                    for table, columns in _ASKED.items():
                        db.execute(f"SELECT {columns} FROM {table} LIMIT 1").fetchall()
                return
            except StateError:
                if last:
                    raise

    def begin(self, kind: str, project: Path, request: dict[str, Any]) -> int:
        """Note a job as open and return its number; the same open job keeps the number it has."""
        text = json.dumps(request, sort_keys=True)
        with opened(self._path, _TABLES) as db:
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
        with opened(self._path, _TABLES) as db:
            db.execute(
                "UPDATE jobs SET state=?, ended=?, result=? WHERE id=?", (state, time.time(), json.dumps(result), job)
            )

    def open_jobs(self, project: Path) -> list[JobRecord]:
        """Jobs of a project that were begun and not ended, oldest first."""
        with opened(self._path, _TABLES) as db:
            rows = db.execute(
                "SELECT id, kind, project, request FROM jobs WHERE state='open' AND project=? ORDER BY id",
                (str(project),),
            ).fetchall()
        return [JobRecord(row[0], row[1], row[2], json.loads(row[3])) for row in rows]

    def remember_copies(self, records: Iterable[CopyRecord]) -> None:
        """Keep what copies were when they were read back. One change on disk."""
        with opened(self._path, _TABLES) as db:
            db.executemany(
                "INSERT OR REPLACE INTO copies VALUES (?, ?, ?, ?, ?, ?, ?)",
                [(one.source, one.size, one.source_mtime, one.target, one.target_mtime, one.checksum, one.value)
                 for one in records],
            )  # fmt: skip

    def copies_of(self, source: Path) -> list[CopyRecord]:
        """What is remembered of copies of a file; the caller reads them."""
        with opened(self._path, _TABLES) as db:
            rows = db.execute("SELECT * FROM copies WHERE source=?", (str(source),)).fetchall()
        return [CopyRecord(*row) for row in rows]

    def copies_below(self, root: Path, sources: bool = False) -> list[CopyRecord]:
        """What is remembered of copies that lie below a folder; with ``sources``, of files that lay there."""
        where = BELOW.format("source" if sources else "target")
        with opened(self._path, _TABLES) as db:
            rows = db.execute(f"SELECT * FROM copies WHERE {where} ORDER BY target", below_values(root)).fetchall()
        return [CopyRecord(*row) for row in rows]

    # The jobs of a run, one by one

    def keep_listing(self, run: int, found: dict[str, Any]) -> None:
        """Keep what a run found on its source, so that it can go on without it."""
        with opened(self._path, _TABLES) as db:
            db.execute("INSERT OR REPLACE INTO listings VALUES (?, ?)", (run, json.dumps(found)))

    def listing(self, run: int) -> dict[str, Any] | None:
        """What a run found, if it was kept."""
        with opened(self._path, _TABLES) as db:
            row = db.execute("SELECT found FROM listings WHERE run=?", (run,)).fetchone()
        return json.loads(row[0]) if row else None

    def write_pieces(self, pieces: Iterable[Piece]) -> None:
        """Write jobs as they are now; those of a run are known by kind and path. One change on disk."""
        changes = ", ".join(f"{name}=excluded.{name}" for name in _WRITTEN[3:])
        marks = ", ".join("?" * len(_WRITTEN))
        with opened(self._path, _TABLES, SHORT) as db:
            db.executemany(
                f"INSERT INTO pieces ({', '.join(_WRITTEN)}) VALUES ({marks}) "
                f"ON CONFLICT (run, kind, path) DO UPDATE SET {changes}",
                [tuple(getattr(piece, name) for name in _WRITTEN) for piece in pieces],
            )

    def pieces(self, run: int | None = None, project: Path | None = None) -> list[Piece]:
        """Jobs of one run, of a project, or all that are kept, in the order they came."""
        where, values = "1", []
        if run is not None:
            where, values = "run=?", [str(run)]
        elif project is not None:
            where, values = "run IN (SELECT id FROM jobs WHERE project=?)", [str(project)]
        with opened(self._path, _TABLES) as db:
            rows = db.execute(
                f"SELECT {', '.join(_COLUMNS)} FROM pieces WHERE {where} ORDER BY id",
                values,
            ).fetchall()
        return [Piece(**{**dict(zip(_COLUMNS, row, strict=True)), "held": bool(row[10])}) for row in rows]

    def ask(self, piece: int, wish: str) -> bool:
        """Ask whoever runs a job for something (see WISHES); whether there is such a job."""
        with opened(self._path, _TABLES) as db:
            return db.execute("UPDATE pieces SET wish=? WHERE id=?", (wish, piece)).rowcount == 1

    def wishes(self, run: int, patience: float = 20.0) -> list[tuple[str, str, str]]:
        """(kind, path, wish) of what was asked for since; each is given once; ``patience`` in seconds."""
        with opened(self._path, _TABLES, patience) as db:
            rows = db.execute("SELECT kind, path, wish FROM pieces WHERE run=? AND wish != ''", (run,)).fetchall()
            if rows:
                db.execute("UPDATE pieces SET wish='' WHERE run=? AND wish != ''", (run,))
        return [(row[0], row[1], row[2]) for row in rows]

    def job(self, identity: int) -> tuple[str, dict[str, Any] | None]:
        """State and result of a job; an empty state when there is none."""
        with opened(self._path, _TABLES) as db:
            row = db.execute("SELECT state, result FROM jobs WHERE id=?", (identity,)).fetchone()
        return (row[0], json.loads(row[1]) if row[1] else None) if row else ("", None)

    def reopen(self, identity: int) -> JobRecord | None:
        """Open an ended job again, so that it goes on; None when there is none or the same is open already."""
        with opened(self._path, _TABLES) as db:
            row = db.execute("SELECT id, kind, project, request FROM jobs WHERE id=?", (identity,)).fetchone()
            if row is None:
                return None
            changed = db.execute("UPDATE OR IGNORE jobs SET state='open', ended=NULL WHERE id=?", (identity,)).rowcount
        return JobRecord(row[0], row[1], row[2], json.loads(row[3])) if changed else None

    def forget_old(self) -> None:
        """Drop the single jobs of runs that ended long ago; what was proven stays known."""
        with opened(self._path, _TABLES) as db:
            ended = "SELECT id FROM jobs WHERE state != 'open' ORDER BY id DESC LIMIT -1 OFFSET ?"
            for table in ("pieces", "listings"):
                db.execute(f"DELETE FROM {table} WHERE run IN ({ended})", (_KEPT_RUNS,))
