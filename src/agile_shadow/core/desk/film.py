"""A film in the queue: of the timeline as it was when it was asked for, whatever is changed meanwhile."""

from __future__ import annotations

import logging
import secrets
from contextlib import suppress
from pathlib import Path
from typing import Any

from ..errors import ExportError
from ..export import ExportRequest, ExportResult, run_export
from ..files import remove_partials_beside
from ..jobs import JobStore, Machine, Piece
from ..log import state_folder
from ..project import Project, ProjectSession, load_project, save_project
from .queued import QueuedRun

log = logging.getLogger(__name__)
_KEPT = 20  # timelines of films that failed or were taken back, for another try


def film_request(project: Project, out: Path) -> dict[str, Any]:
    """What the queue keeps of a film; its timeline is written beside the queue. Raises ProjectError."""
    folder = state_folder() / "films"
    kept = sorted(folder.glob("*.otio"), key=lambda path: path.stat().st_mtime) if folder.is_dir() else []
    for old in kept[: max(0, len(kept) + 1 - _KEPT)]:
        old.unlink(missing_ok=True)
    path = folder / f"{secrets.token_hex(8)}.otio"
    save_project(project, path)
    return {"out": str(out), "project": str(path)}


class FilmRun(QueuedRun):
    """``result`` is there when it is finished. Raises KeyError for a request that names no file."""

    kind = "export"
    rank = "render"
    gives_way = False

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.out = Path(values["out"])
        self.result: ExportResult | None = None
        super().__init__(values, session, store, machine)

    @property
    def title(self) -> str:
        """What it is, for a person."""
        return f"Film {self.out.name}"

    def pieces(self) -> list[Piece]:
        """One job."""
        project = self._project()
        length = float(project.timeline.length / (project.timeline.rate or 25))
        made_of = f"{project.timeline.name} of {self.session.project.name}"
        return [Piece(0, "film", self.out.name, made_of, str(self.out), "from originals", length)]

    def _project(self) -> Project:
        kept = self.values.get("project")
        return load_project(Path(kept)) if kept else self.session.project

    def work(self, piece: Piece) -> tuple[Any, ExportRequest]:
        """Render it."""
        if self.out.parent.is_dir():
            with suppress(OSError):  # what a try that was killed has left
                remove_partials_beside(self.out)
        return run_export, ExportRequest(self._project(), self.out)

    def take(self, piece: Piece, result: Any) -> str:
        """It lies there."""
        if not isinstance(result, ExportResult):
            raise ExportError("the worker brought no film", self.out, "Try again.")
        self.result = result
        return f"{result.frames} frames"

    def forget(self) -> None:
        """Its timeline is not needed any more."""
        if self.values.get("project"):
            with suppress(OSError):
                Path(self.values["project"]).unlink(missing_ok=True)
