"""The jobs of one run as the queue lists them, kept up to date change by change and written now and then."""

from __future__ import annotations

import logging
import threading
import time
from dataclasses import replace
from typing import Any

from ..errors import StateError
from .piece import Piece
from .store import JobStore

log = logging.getLogger(__name__)
_FLUSH = 0.5  # seconds between two writings


class Listing:
    """Any thread may call any method. ``run``: the number of its run, 0 before it began."""

    def __init__(self, store: JobStore) -> None:
        self._store = store
        self._lock = threading.RLock()
        self._pieces: dict[tuple[str, str], Piece] = {}
        self._dirty: set[tuple[str, str]] = set()
        self._flushed = 0.0
        self._ended = 0
        self._going: dict[tuple[str, str], float] = {}  # parts of those that are at it
        self.run = 0

    def begin(self, run: int) -> None:
        """Take over what the queue on disk knows of a run's jobs."""
        known = self._store.pieces(run=run)
        with self._lock:
            self.run = run
            for piece in known:
                self._keep(replace(piece, part=0.0, begun=0.0, ended=0.0))

    def _keep(self, piece: Piece) -> None:
        before = self._pieces.get(piece.key)
        self._ended += int(not piece.active) - int(before is not None and not before.active)
        if piece.active and piece.part:
            self._going[piece.key] = piece.part
        else:
            self._going.pop(piece.key, None)
        self._pieces[piece.key] = piece

    def piece(self, kind: str, path: str) -> Piece | None:
        """A job of this run."""
        return self._pieces.get((kind, path))

    def pieces(self) -> list[Piece]:
        """All jobs of this run, in the order they came. Whoever asks waits for nobody: the copy is made in one step."""
        return list(self._pieces.values())

    def tally(self) -> tuple[int, int, float]:
        """Jobs that ended, jobs in all, and the part of the whole that is done; without a look at each."""
        count = len(self._pieces)
        return self._ended, count, (self._ended + sum(list(self._going.values()))) / max(1, count)

    def put(self, piece: Piece) -> Piece:
        """List a job, or set one back to waiting; order and standing still as they were asked for stay."""
        with self._lock:
            known = self._pieces.get(piece.key)
            if known is not None:
                piece = replace(piece, id=known.id, priority=known.priority, held=known.held)
            self._keep(piece)
            self._dirty.add(piece.key)
            return piece

    def change(self, key: tuple[str, str], **changes: Any) -> None:
        """Change what is known of a job."""
        with self._lock:
            piece = self._pieces.get(key)
            if piece is None:
                return
            if "part" in changes and "begun" not in changes and not piece.begun:
                changes = {**changes, "begun": time.time(), "state": changes.get("state", "running")}
            self._keep(replace(piece, **changes))
            self._dirty.add(key)

    def edge(self, first: bool) -> int:
        """A priority before (or after) all others."""
        with self._lock:
            known = [piece.priority for piece in self._pieces.values()] or [0]
        return max(known) + 1 if first else min(known) - 1

    def flush_soon(self) -> None:
        """:meth:`flush`, where it is time for it."""
        if time.monotonic() - self._flushed >= _FLUSH:
            self.flush()

    def flush(self) -> None:
        """Write what changed to the queue on disk."""
        self._flushed = time.monotonic()
        with self._lock:
            changed = [piece for key, piece in self._pieces.items() if key in self._dirty] if self._dirty else []
            self._dirty.clear()
        if changed:
            try:
                self._store.write_pieces(changed)
            except StateError:  # the work itself does not depend on its list
                log.warning("the queue on disk is behind", exc_info=True)
                with self._lock:
                    self._dirty.update(piece.key for piece in changed)
