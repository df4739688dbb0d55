"""Laying recordings under blocks, in the background: found in a worker, then one edit."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from typing import TYPE_CHECKING

from ..core.errors import Cancelled, ShadowError, sentence
from ..core.matching.lag import Lag, lag_of
from ..core.project import Project
from ..core.project.laying import lay, pictures_of, recordings
from ..core.upkeep.laying import LayingAsked, asked_for, decided

if TYPE_CHECKING:
    from .work import Work

log = logging.getLogger(__name__)
_STALLED = 120.0  # seconds


class LayWork:
    """One search at a time."""

    def __init__(self, work: Work) -> None:
        self._work = work
        self._busy = False

    @property
    def busy(self) -> bool:
        """Whether it looks for recordings."""
        return self._busy

    def lay(self, chosen: Sequence[str]) -> None:
        """Look for recordings that belong under chosen blocks and lay them there, one step that can be undone."""
        refuse = self._work.problem.emit
        project = self._work.session.project
        if self._busy:
            refuse("A search for recordings is already running.")
        elif not pictures_of(project, chosen):
            refuse("Select the picture blocks, at normal speed, that need sound.")
        elif not recordings(project):
            refuse("This project has no sound recorded separately. Ingest the recorder's card first.")
        else:
            self._busy = True
            self._work.told.emit("Searching for recordings by timecode and sound.")
            self._work.in_background(lambda: self._found(project, list(chosen)), lambda found: self._put(*found))

    def _found(self, project: Project, chosen: list[str]) -> tuple[list[LayingAsked], list[Lag | None]]:
        """On another thread: ask a worker about each recording."""
        try:
            asked = asked_for(project, chosen)
            return asked, [self._heard(one) for one in asked]
        finally:
            self._busy = False

    def _heard(self, one: LayingAsked) -> Lag | None:
        if one.listen is None:
            return None
        try:
            listener = self._work.machine.shared("wanted")
            found: Lag | None = listener.submit(lag_of, one.listen, stalled_after=_STALLED).result()
        except Cancelled:
            return None
        except (ShadowError, OSError) as error:
            log.warning("listening: %s", sentence(error))
            return None
        return found

    def _put(self, asked: list[LayingAsked], heard: list[Lag | None]) -> None:
        """On the interface thread: one edit, of the blocks that are still there."""
        leads, told = decided(asked, heard)
        session = self._work.session
        before = session.project.timeline
        if leads and lay(session.project, leads).timeline != before:
            session.edit("Lay sound", lambda project: lay(project, leads))
            self._work.told.emit(told)
        else:
            gone = "No sound was added: the blocks are gone, or the recordings end before a whole frame of them."
            self._work.problem.emit(gone if leads else told)
