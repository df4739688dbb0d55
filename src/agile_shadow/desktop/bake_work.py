"""Baking in the background: one stretch at a time, in a worker."""

from __future__ import annotations

import logging
import time
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from ..core.errors import Cancelled, sentence
from ..core.jobs import Executor
from ..core.pairs import FileRef
from ..core.playback import BakeRequest, bake, new_bake_name, remove_bake_file, stretch_digest
from ..core.project import Bake, Project
from ..core.shelves import Shelf
from ..core.time import clock_text
from ..core.timeline import new_id
from .job_lines import JobLine

if TYPE_CHECKING:
    from .work import Work

log = logging.getLogger(__name__)


@dataclass
class _Baking:
    one: Bake
    future: Future[Any] | None = None
    fraction: float = 0.0
    begun: float = field(default_factory=time.monotonic)

    def remaining(self) -> float | None:
        """Seconds, None while it cannot be told."""
        elapsed = time.monotonic() - self.begun
        return elapsed * (1 - self.fraction) / self.fraction if self.fraction > 0.02 else None


class BakeWork(QObject):
    """What is being baked; the finished ones are in the document."""

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._pool: Executor | None = None
        self._running: list[_Baking] = []

    @property
    def busy(self) -> bool:
        """Whether anything is being baked."""
        return bool(self._running)

    def bake(self, start: int, end: int) -> None:
        """Bake frames ``start`` to before ``end`` of the open timeline, as the switch stands."""
        session = self._work.session
        shelf = _scratch(session.project, session.path.parent)
        if session.project.shelf(shelf.id) is None:
            session.absorb(lambda now: now.with_shelf_replaced(shelf))
        project = session.project
        file = FileRef(shelf.id, new_bake_name())
        digest = stretch_digest(project, start, end)
        baking = _Baking(Bake(project.timeline.id, start, end, project.showing, digest, file))
        if self._pool is None:
            self._pool = self._work.machine.hire("render")
        self._running.append(baking)
        baking.future = self._pool.submit(
            bake, BakeRequest(project, start, end, file), lambda done: setattr(baking, "fraction", done)
        )
        baking.future.add_done_callback(lambda done: self._work.call_here(lambda: self._ended(baking, done)))
        self._work.wake()

    def _ended(self, baking: _Baking, future: Future[Any]) -> None:
        if baking not in self._running:
            return
        self._running.remove(baking)
        try:
            future.result()
        except Cancelled:
            pass
        except Exception as error:  # the boundary to the user
            log.warning("baking", exc_info=True)
            self._work.problem.emit(sentence(error))
        else:
            self._put(baking.one)
        self.changed.emit()

    def _put(self, one: Bake) -> None:
        """Into the document, in the place of bakes of that side that it covers."""
        gone = [
            old for old in self._work.session.project.bakes
            if (old.timeline, old.side) == (one.timeline, one.side) and old.start < one.end and old.end > one.start
        ]  # fmt: skip
        self._work.session.absorb(lambda now: replace(now, bakes=(*(old for old in now.bakes if old not in gone), one)))
        self._remove_files(gone)

    def remove(self, bakes: list[Bake]) -> None:
        """Take bakes away, with their files."""
        self._work.session.absorb(lambda now: replace(now, bakes=tuple(old for old in now.bakes if old not in bakes)))
        self._remove_files(bakes)

    def _remove_files(self, bakes: list[Bake]) -> None:
        project = self._work.session.project

        def work() -> None:
            for one in bakes:
                remove_bake_file(project, one)

        if bakes:
            self._work.in_background(work, lambda _done: None)

    def cancel(self) -> None:
        """Take back what is being baked."""
        for baking in list(self._running):
            if baking.future is not None and self._pool is not None:
                self._pool.cancel(baking.future)

    def texts(self) -> list[str]:
        """For the jobs chip."""
        if not self._running:
            return []
        left = self._running[0].remaining()
        more = f", about {clock_text(left)}" if left is not None else ""
        return [f"baking {self._running[0].fraction:.0%}{more}"]

    def lines(self) -> list[JobLine]:
        """Rows for the drawer."""
        rows = []
        for number, baking in enumerate(self._running):
            one = baking.one
            state = "drawing" if number == 0 else "waiting"
            rows.append(
                JobLine("bake", f"Bake {one.end - one.start} frames", f"from {one.side}", baking.fraction, state, True)
            )
        return rows

    def end(self) -> None:
        """The worker ends with the machine; what is half done is dropped."""
        self._running.clear()


def _scratch(project: Project, folder: Path) -> Shelf:
    """The scratch shelf of a project; a new one beside it where there is none."""
    known = next((shelf for shelf in project.shelves if shelf.role == "scratch"), None)
    return known or Shelf(new_id(), "Scratch", "scratch", folder.absolute() / "Scratch", made=False)
