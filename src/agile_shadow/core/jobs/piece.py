"""A job as the queue lists it: one piece of background work, from where to where, how far, how it ended."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any, Literal

State = Literal["waiting", "running", "done", "failed", "cancelled"]
_BY_TIME = ("proxy", "film", "bake")  # whose speed is told in times real time
WISHES = ("cancel", "retry", "hold", "go on", "first", "last")


@dataclass(frozen=True)
class Piece:
    """``path`` names what it is about, below the source; with ``run`` and ``kind`` it is the job's identity.

    ``kind``: ``copy``, ``proxy``, ``second copy``, ``film``, ``bake``. ``seconds`` of media and ``size`` in bytes.
    ``priority``: higher goes first; ``held``: it stands still. ``part`` from 0 to 1. ``begun`` and ``ended``: seconds
    since 1970, 0 for not yet. ``note``: the result or the reason. ``id`` is 0 until the queue on disk gave one. Its
    values are the columns of its row there.
    """

    run: int
    kind: str
    path: str
    source: str = ""
    target: str = ""
    settings: str = ""
    seconds: float = 0.0
    size: int = 0
    state: State = "waiting"
    priority: int = 0
    held: bool = False
    part: float = 0.0
    begun: float = 0.0
    ended: float = 0.0
    note: str = ""
    id: int = 0

    @property
    def key(self) -> tuple[str, str]:
        """What it is within its run."""
        return self.kind, self.path

    @property
    def active(self) -> bool:
        """Whether it is still to be done."""
        return self.state in ("waiting", "running")

    def elapsed(self, now: float | None = None) -> float:
        """Seconds it has run so far, or ran."""
        if not self.begun:
            return 0.0
        return max(0.0, (self.ended or (time.time() if now is None else now)) - self.begun)

    def speed(self) -> float | None:
        """How many times real time a picture is made; bytes a second of a copy; None while it cannot be told."""
        took = self.elapsed()
        whole = self.seconds if self.kind in _BY_TIME else float(self.size)
        return self.part * whole / took if took > 0.2 and self.part > 0.01 and whole else None

    def remaining(self) -> float | None:
        """Seconds still to go, None while it cannot be told."""
        took = self.elapsed()
        if self.state != "running" or self.held or self.part < 0.02 or took < 0.2:
            return None
        return took * (1 - self.part) / self.part

    def state_words(self) -> str:
        """Its state for a person."""
        if self.active and self.held:
            return "paused"
        if self.state == "running":
            return {"proxy": "making", "film": "rendering", "bake": "drawing"}.get(self.kind, "copying and verifying")
        return {"done": "finished", "failed": "failed"}.get(self.state, self.state)

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return {
            "id": self.id, "run": self.run, "kind": self.kind, "path": self.path, "from": self.source,
            "to": self.target, "settings": self.settings, "state": self.state, "held": self.held,
            "priority": self.priority, "part": round(self.part, 4), "speed": self.speed(),
            "remaining": self.remaining(), "note": self.note,
        }  # fmt: skip
