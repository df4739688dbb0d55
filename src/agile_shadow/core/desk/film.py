"""A film in the queue: of the timeline as it was when it was asked for, whatever is changed meanwhile."""

from __future__ import annotations

import logging
import secrets
import time
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

from .. import film  # its parts are loaded when a film is made
from ..amounts import counted
from ..errors import ExportError
from ..files import remove_partials_beside
from ..jobs import JobStore, Machine, Piece
from ..log import state_folder
from ..project import ProjectSession, load_project, save_project
from .queued import QueuedRun

if TYPE_CHECKING:
    from ..film import FilmRequest, FilmResult

log = logging.getLogger(__name__)
_KEPT = 20  # timelines of films that failed or were taken back, for another try
_YOUNG = 14 * 86_400  # seconds for which none is removed: it may be that of a film that waits


def film_request(request: FilmRequest) -> dict[str, Any]:
    """What the queue keeps of a film; its timeline is written beside the queue. Raises ProjectError, ExportError."""
    request.checked()
    folder = state_folder() / "films"
    kept = sorted(folder.glob("*.otio"), key=lambda path: path.stat().st_mtime) if folder.is_dir() else []
    for old in kept[: max(0, len(kept) + 1 - _KEPT)]:
        if time.time() - old.stat().st_mtime > _YOUNG:
            old.unlink(missing_ok=True)
    path = folder / f"{secrets.token_hex(8)}.otio"
    save_project(request.project, path)
    return {
        "out": str(request.out), "project": str(path), "settings": request.settings.to_json(), "first": request.first,
        "end": request.end, "draft": request.draft, "helpers": request.helpers,
    }  # fmt: skip


class FilmRun(QueuedRun):
    """``result`` is there when it is finished. Raises KeyError for a request that names no file."""

    kind = "export"
    rank = "render"
    gives_way = False

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.out = Path(values["out"])
        self.draft = values.get("draft") is True
        self.frames = 0  # known when it has begun
        self.result: FilmResult | None = None
        super().__init__(values, session, store, machine)

    def with_helpers(self) -> bool:
        """As it was asked for."""
        return self.values.get("helpers") is True

    @property
    def title(self) -> str:
        """What it is, for a person."""
        return f"{'Draft' if self.draft else 'Film'} {self.out.name}"

    @property
    def piece(self) -> Piece | None:
        """Its job, as the queue has it; None before it has begun."""
        return self.board.piece("film", self.out.name)

    def pieces(self) -> list[Piece]:
        """One job."""
        request = self._request()
        self.frames = request.count
        made_of = f"{request.line.name} of {self.session.project.name}"
        how = "from what is quickest" if self.draft else "from originals"
        known = self.piece
        if known is not None and known.active and known.begun:
            how += "; it was interrupted and begins again, for a film's file cannot be continued"
        return [Piece(0, "film", self.out.name, made_of, str(self.out), how, float(request.seconds))]

    def _request(self) -> FilmRequest:
        values, kept = self.values, self.values.get("project")
        project = load_project(Path(kept)) if kept else self.session.project
        chosen = values.get("settings")
        settings = film.FILM_SETTINGS.parse(chosen) if chosen else film.settings_for(self.out)
        end = values.get("end")
        return film.FilmRequest(
            project, self.out, settings, int(values.get("first", 0)), None if end is None else int(end), self.draft,
            self.with_helpers(),
        )  # fmt: skip

    def work(self, piece: Piece) -> tuple[Any, FilmRequest]:
        """Render it."""
        if self.out.parent.is_dir():
            with suppress(OSError):  # what a try that was killed has left
                remove_partials_beside(self.out)
        return film.make_film, self._request()

    def take(self, piece: Piece, result: Any) -> str:
        """It lies there."""
        if not isinstance(result, film.FilmResult):
            raise ExportError("the worker brought no film", self.out, "Retry.")
        self.result = result
        return f"{counted(result.frames, 'frame')}, read back and verified"

    def forget(self) -> None:
        """Its timeline is not needed any more."""
        if self.values.get("project"):
            with suppress(OSError):
                Path(self.values["project"]).unlink(missing_ok=True)

