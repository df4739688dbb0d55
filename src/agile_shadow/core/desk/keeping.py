"""Reading a shelf against its records, and bringing its second copies up to date, in the queue."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from ..errors import ShadowError
from ..jobs import JobStore, Machine, Piece
from ..project import Project, ProjectSession
from ..shelves import Shelf
from ..storage.behind import Behind, behind, bring_up
from ..storage.keeping import KeepResult, keep_request, keep_shelf
from ..storage.kept import note_kept
from .queued import QueuedRun


def keep_values(shelf: Shelf) -> dict[str, Any]:
    """What the queue keeps of a reading: which shelf, and when it was begun, so that it goes on where it was."""
    return {"shelf": shelf.id, "begun": time.time()}


class KeepRun(QueuedRun):
    """Reads one shelf. ``result`` is there at its end. Raises KeyError for a request that names no shelf."""

    kind = "keep"
    rank = "prove"

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.shelf = str(values["shelf"])
        self.begun = float(values["begun"])
        self.result: KeepResult | None = None
        super().__init__(values, session, store, machine)

    @property
    def title(self) -> str:
        """What it is, for a person."""
        shelf = self.session.project.shelf(self.shelf)
        return f"Reading {shelf.name if shelf is not None else 'a shelf'}"

    def pieces(self) -> list[Piece]:
        """One job."""
        shelf = _shelf(self.session.project, self.shelf)
        return [Piece(0, "keep", shelf.name, str(shelf.root), "", "every file against what is recorded of it")]

    def work(self, piece: Piece) -> tuple[Any, Any]:
        """Read it."""
        project = self.session.project
        return keep_shelf, keep_request(project, _shelf(project, self.shelf), self.begun)

    def take(self, piece: Piece, result: Any) -> str:
        """What came of it is kept for the shelf."""
        if not isinstance(result, KeepResult):
            raise ShadowError("the worker brought no result", None, "Retry.")
        self.result = result
        note_kept(result)
        if result.lost:
            self.problems.append(f"{piece.path}: {result.said()}. Open Storage to fix it.")
        return result.said()


class SecondRun(QueuedRun):
    """Brings the second copies on a shelf up to date. Raises KeyError for a request that names no shelf."""

    kind = "seconds"
    rank = "copy"
    gives_way = False

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.shelf = str(values["shelf"])
        self._items: dict[str, Behind] = {}
        super().__init__(values, session, store, machine)

    @property
    def title(self) -> str:
        """What it is, for a person."""
        shelf = self.session.project.shelf(self.shelf)
        return f"Second copies on {shelf.name if shelf is not None else 'a shelf'}"

    def pieces(self) -> list[Piece]:
        """One for each file that the shelf lacks."""
        shelf = _shelf(self.session.project, self.shelf)
        self._items = {one.target.relative_to(one.root).as_posix(): one for one in behind(self.session.project, shelf)}
        return [
            Piece(0, "second copy", path, str(one.source), str(one.target), "read back", size=one.size)
            for path, one in self._items.items()
        ]

    def work(self, piece: Piece) -> tuple[Any, Any] | None:
        """Copy it, and read it back."""
        one = self._items.get(piece.path)
        return (bring_up, one) if one is not None else None

    def take(self, piece: Piece, result: Any) -> str:
        """It lies there."""
        return Path(result.target).name


def _shelf(project: Project, identity: str) -> Shelf:
    shelf = project.shelf(identity)
    if shelf is None:
        raise ShadowError("the shelf is not in the project any more", None, "")
    return shelf
