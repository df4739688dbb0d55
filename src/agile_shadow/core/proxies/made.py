"""What this machine remembers of the files it made: only such files are ever removed, and only while they are the same.

A project file may say anything; this is kept apart from it, in the state of the machine.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import xxhash

from ..below import open_ordinary
from ..state import BELOW, below_values, opened, state_file

_TABLE = """CREATE TABLE IF NOT EXISTS made (
  path TEXT PRIMARY KEY, device TEXT NOT NULL, inode TEXT NOT NULL, size INTEGER NOT NULL, digest TEXT NOT NULL)"""
_PIECE = 4 << 20  # bytes read at a time


@dataclass(frozen=True)
class MadeFile:
    """A file as it was when it was made: its path, device and inode (stat(2)), bytes, and xxh128 of all of them."""

    path: Path
    device: int
    inode: int
    size: int
    digest: str

    def is_at(self, other: MadeFile) -> bool:
        """Whether it is the same file with the same bytes; on a drive that was mounted anew, the same bytes."""
        return (self.size, self.digest) == (other.size, other.digest)


def as_it_is(path: Path, going_on: Callable[[], None] = lambda: None) -> MadeFile:
    """An ordinary file as it is now, all of it read; no link is followed at its end. Raises OSError.

    ``going_on`` is called now and then, and may raise to end it.
    """
    handle = open_ordinary(path)
    try:
        status = os.fstat(handle)
        hasher = xxhash.xxh3_128()
        while piece := os.read(handle, _PIECE):
            hasher.update(piece)
            going_on()
        return MadeFile(path.absolute(), status.st_dev, status.st_ino, status.st_size, hasher.hexdigest())
    finally:
        os.close(handle)


def remember_made(one: MadeFile) -> None:
    """Keep that this program made a file. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        db.execute(
            "INSERT OR REPLACE INTO made VALUES (?, ?, ?, ?, ?)",
            (str(one.path), str(one.device), str(one.inode), one.size, one.digest),
        )


def remembered_made(path: Path) -> MadeFile | None:
    """What was kept of a file at that place; None when nothing was. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        row = db.execute("SELECT * FROM made WHERE path=?", (str(path.absolute()),)).fetchone()
    return MadeFile(Path(row[0]), int(row[1]), int(row[2]), row[3], row[4]) if row else None


def was_made(one: MadeFile) -> bool:
    """Whether this program made a file of these bytes, here or where its shelf lay before. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        row = db.execute("SELECT 1 FROM made WHERE size=? AND digest=? LIMIT 1", (one.size, one.digest)).fetchone()
    return row is not None


def made_below(folder: Path) -> list[MadeFile]:
    """What is kept of files below a folder, whether they are there or not. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        rows = db.execute(f"SELECT * FROM made WHERE {BELOW.format('path')}", below_values(folder)).fetchall()
    return [MadeFile(Path(row[0]), int(row[1]), int(row[2]), row[3], row[4]) for row in rows]
