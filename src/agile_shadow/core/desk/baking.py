"""A stretch of a timeline drawn for playing, in the queue: asked for by hand, or begun because it came late."""

from __future__ import annotations

import logging
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from .. import playback  # its parts are loaded when something is baked
from ..amounts import counted
from ..errors import MediaError
from ..jobs import JobStore, Machine, Piece, Rank
from ..pairs import FileRef
from ..project import Bake, Project, ProjectSession
from ..project.incoming import BakeIn
from ..shelves import Shelf
from ..timeline import new_id
from .queued import QueuedRun

log = logging.getLogger(__name__)


def bake_values(session: ProjectSession, start: int, end: int, alone: bool) -> dict[str, Any]:
    """What the queue keeps of a bake of the open timeline as the switch stands; a scratch shelf is there afterwards.
    ``alone``: nobody asked for it."""
    shelf = _scratch(session.project, session.path.parent)
    if session.project.shelf(shelf.id) is None:
        session.absorb(lambda now: now.with_shelf_replaced(shelf))
    one = playback.planned_bake(session.project, start, end, shelf)
    return {
        "timeline": one.timeline, "start": one.start, "end": one.end, "side": one.side, "digest": one.digest,
        "shelf": one.file.shelf, "path": one.file.path, "alone": alone,
    }  # fmt: skip


def place_of(values: dict[str, Any]) -> tuple[str, str, int, int]:
    """Which stretch is asked for."""
    return values["timeline"], values["side"], values["start"], values["end"]


class BakeRun(QueuedRun):
    """``one``: what it brings; ``alone``: nobody asked for it, so it gives way to all that is done here, and is taken
    back when the desk closes (after a kill it goes on like any other). Raises ValueError for a request that is none.
    """

    kind = "bake"
    rank: Rank = "render"
    gives_way = False

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        asked = BakeIn.model_validate({name: value for name, value in values.items() if name != "alone"})
        self.one = Bake(
            asked.timeline, asked.start, asked.end, asked.side, asked.digest, FileRef(asked.shelf, asked.path)
        )
        self.alone = values.get("alone") is True
        self._held = False
        if self.alone:
            self.rank = "measure"
        super().__init__(values, session, store, machine)

    @property
    def title(self) -> str:
        """What it is, for a person."""
        return f"Bake of {counted(self.one.end - self.one.start, 'frame')}"

    @property
    def waits(self) -> str:
        """What it stands still for, in words; "" when it does not."""
        return super().waits or ("while you work" if self._held else "")

    @property
    def held(self) -> bool:
        """Whether a person has its job stand still."""
        return any(piece.held for piece in self.board.pieces())

    def hold(self, on: bool) -> None:
        """Have it stand still at once, while the hand moves, or go on."""
        if on != self._held:
            self._held = on
            (self._executor.pause if on else self._executor.resume)("hand")

    def stop(self, for_good: bool) -> None:
        """End the run soon. What nobody asked for is found again when it plays late again."""
        super().stop(for_good or self.alone)

    def pieces(self) -> list[Piece]:
        """One job."""
        line = next((line for line in self.session.project.timelines if line.id == self.one.timeline), None)
        name = "a timeline" if line is None else f"{line.name} from {line.timecode(self.one.start)}"
        place = self.session.project.path(self.one.file)
        seconds = float((self.one.end - self.one.start) / line.rate) if line is not None and line.rate else 0.0
        why = ", for it came late" if self.alone else ""
        return [Piece(0, "bake", name, name, str(place or ""), f"from {self.one.side}{why}", seconds)]

    def work(self, piece: Piece) -> tuple[Any, Any] | None:
        """Draw it, unless it was changed since: then it would play nowhere."""
        project = self._as_asked()
        one = self.one
        if project is None or playback.stretch_digest(project, one.start, one.end) != one.digest:
            return None
        return playback.bake, playback.BakeRequest(project, one.start, one.end, one.file)

    def _as_asked(self) -> Project | None:
        """The project with that timeline open and the switch as it stood."""
        project = self.session.project
        if all(line.id != self.one.timeline for line in project.timelines):
            return None
        return project.with_open(self.one.timeline).but(showing=self.one.side)

    def take(self, piece: Piece, result: Any) -> str:
        """Into the project, in the place of bakes of that side that it covers; one that nobody asked for only while it
        plays."""
        if not isinstance(result, Path):
            raise MediaError("was not drawn", piece.target, "Bake it again.")
        project, one = self._as_asked(), self.one
        if self.alone and (project is None or playback.stretch_digest(project, one.start, one.end) != one.digest):
            self._remove([one])
            return "changed meanwhile, and not kept"
        gone = [
            old for old in self.session.project.bakes
            if (old.timeline, old.side) == (one.timeline, one.side) and old.start < one.end and old.end > one.start
            and old.file != one.file
        ]  # fmt: skip
        kept = {*gone, one}
        self.session.absorb(lambda now: replace(now, bakes=(*(old for old in now.bakes if old not in kept), one)))
        self._remove(gone)
        return counted(one.end - one.start, "frame")

    def _remove(self, bakes: list[Bake]) -> None:
        for one in bakes:
            with suppress(OSError):  # it stays in Scratch, where Storage shows it
                playback.remove_bake_file(self.session.project, one)


def remove_bakes(session: ProjectSession, bakes: list[Bake]) -> None:
    """Take bakes away, with their files. Raises OSError."""
    session.absorb(lambda now: replace(now, bakes=tuple(old for old in now.bakes if old not in bakes)))
    for one in bakes:
        playback.remove_bake_file(session.project, one)


def _scratch(project: Project, folder: Path) -> Shelf:
    """The scratch shelf of a project; a new one beside it where there is none."""
    known = next((shelf for shelf in project.shelves if shelf.role == "scratch"), None)
    return known or Shelf(new_id(), "Scratch", "scratch", folder.absolute() / "Scratch", made=False)
