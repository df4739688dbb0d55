"""A helper as it is seen from here."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from .version import own_version

LOST = 12.0  # seconds without a word, after which a helper's jobs are done by others
HERE = ""  # this machine, among those whose pace is known


@dataclass(frozen=True)
class Helper:
    """A helper at one moment. ``state``: ready, paused, away, or other version. ``shelves``: where it has those that
    it sees, by identity. ``doing``: name and part (0 to 1) of each job. ``pace``: pixels of originals per second and
    job, 0 before any was made. ``heard``: seconds since its last word, None where it never came."""

    id: str
    name: str
    state: str = "away"
    cores: int = 0
    slots: int = 0
    shelves: dict[str, str] = field(default_factory=dict)
    doing: tuple[tuple[str, float], ...] = ()
    pace: float = 0.0
    heard: float | None = None
    version: str = ""


def helper_of(values: dict[str, Any], now: float) -> Helper | None:
    """A helper as the scheduler tells of it; None for what cannot be read."""
    try:
        told = values["metrics"].get("shadow")
        heard = max(0.0, now - float(values["last_seen"]))
        if told is None:  # it has only just come
            return None
        version = str(told["version"])[:200]
        state = "away" if heard > LOST else "ready" if version == own_version() else "other version"
        return Helper(
            str(values["name"]), "", state, int(told["cores"]), min(256, max(0, int(told["slots"]))),
            {str(key)[:200]: str(value)[:4000] for key, value in told["shelves"].items()},
            tuple((str(title)[:300], float(part)) for title, part in told["doing"][:256]), 0.0, heard, version,
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, AttributeError):
        return None
