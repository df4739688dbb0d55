"""When each shelf was read the last time and what came of it; and when it is to be read again."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass
from pathlib import Path

from ..state import opened, state_file
from .keeping import KeepResult

_TABLES = """
CREATE TABLE IF NOT EXISTS kept (root TEXT PRIMARY KEY, result TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS keep_plans (root TEXT PRIMARY KEY, weeks INTEGER NOT NULL, night INTEGER NOT NULL,
  since REAL NOT NULL);
"""
NIGHT = (22, 6)  # hours of the local day between which reading begins by itself
_WEEK = 7 * 86_400.0


@dataclass(frozen=True)
class KeepPlan:
    """Read a shelf every so many weeks (0: only when asked); ``night``: begin only at night. ``since``: when this was
    chosen, in seconds since 1970."""

    weeks: int = 0
    night: bool = True
    since: float = 0.0


def note_kept(result: KeepResult) -> None:
    """Keep what came of a reading. Raises StateError."""
    with opened(state_file(), _TABLES) as db:
        db.execute("INSERT OR REPLACE INTO kept VALUES (?, ?)", (result.root, json.dumps(result.to_json())))


def last_kept(root: Path) -> KeepResult | None:
    """What came of the last reading of a shelf. Raises StateError."""
    with opened(state_file(), _TABLES) as db:
        row = db.execute("SELECT result FROM kept WHERE root=?", (str(root),)).fetchone()
    try:
        return KeepResult.from_json(json.loads(row[0])) if row else None
    except (KeyError, TypeError, ValueError):
        return None  # of another version


def set_plan(root: Path, weeks: int, night: bool) -> None:
    """Choose how often a shelf is read by itself. Raises StateError."""
    with opened(state_file(), _TABLES) as db:
        values = (str(root), weeks, int(night), time.time())
        db.execute("INSERT OR REPLACE INTO keep_plans VALUES (?, ?, ?, ?)", values)


def plan_of(root: Path) -> KeepPlan:
    """How often a shelf is read by itself. Raises StateError."""
    with opened(state_file(), _TABLES) as db:
        row = db.execute("SELECT weeks, night, since FROM keep_plans WHERE root=?", (str(root),)).fetchone()
    return KeepPlan(row[0], bool(row[1]), row[2]) if row else KeepPlan()


def is_due(plan: KeepPlan, last: KeepResult | None, now: float) -> bool:
    """Whether a shelf is to be read now by itself."""
    if plan.weeks <= 0:
        return False
    hour = time.localtime(now).tm_hour
    if plan.night and not (hour >= NIGHT[0] or hour < NIGHT[1]):
        return False
    return now - max(plan.since, last.ended if last is not None else 0.0) >= plan.weeks * _WEEK
