"""The projects that this machine has opened: their footage is guarded when something is to be removed."""

from __future__ import annotations

import logging
import time
from pathlib import Path

from ..errors import ShadowError, StateError
from ..state import opened, state_file
from .document import Project
from .file import load_project

log = logging.getLogger(__name__)
_TABLE = "CREATE TABLE IF NOT EXISTS projects (path TEXT PRIMARY KEY, opened REAL NOT NULL)"


def remember_project(path: Path) -> None:
    """Keep that a project was opened here. What cannot be kept is logged."""
    try:
        with opened(state_file(), _TABLE) as db:
            db.execute("INSERT OR REPLACE INTO projects VALUES (?, ?)", (str(path.absolute()), time.time()))
    except StateError:
        log.warning("%s is not remembered", path, exc_info=True)


def known_projects() -> list[tuple[Path, float]]:
    """The projects that this machine has opened, and when, in seconds since 1970; the last first. Raises StateError."""
    with opened(state_file(), _TABLE) as db:
        rows = db.execute("SELECT path, opened FROM projects ORDER BY opened DESC").fetchall()
    return [(Path(path), when) for path, when in rows]


def other_projects(but: Path) -> list[Project]:
    """The projects that this machine has opened and that can be read now, besides one. Touches drives. Raises
    StateError."""
    found = []
    for path, _when in known_projects():
        if path != but.absolute() and path.is_file():
            try:
                found.append(load_project(path))
            except ShadowError:
                log.warning("%s cannot be read", path, exc_info=True)
    return found
