"""What is there and what is missing, looked at all the time in the background, for all places alike.

A drive that goes or comes, a folder that is renamed: the system tells of none of it in a way that holds for every kind
of drive, so the folders of the project's files are listed again every few seconds, and the roots of shelves are looked
at more often. One that does not answer counts as away, until it does.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ..core.project import Project
from ..core.shelves import Attending
from ..core.switch import Presence
from ..core.upkeep.missing import lost_files, paths_below

if TYPE_CHECKING:
    from .work import Work

log = logging.getLogger(__name__)
EVERY = 3.0  # seconds between two looks
_ENDING = 1.0  # seconds that are waited for a look to end: it changes nothing, and may hang with a drive


class PresenceWatch(QObject):
    """``presences``: those that are told. ``changed`` comes on the interface thread when something came or went."""

    changed = Signal()

    def __init__(self, work: Work, presences: list[Presence], every: float = EVERY) -> None:
        super().__init__()
        self._work = work
        self._presences = presences
        self._every = every
        self._wake = threading.Event()
        self._closed = False
        self._missing: frozenset[str] = frozenset()  # as told last
        self._telling = threading.Lock()
        self.attending = Attending(self._came_or_went)
        self._thread = threading.Thread(target=self._loop, name="presence", daemon=True)

    def tell_too(self, presence: Presence) -> None:
        """One more that is told, at once what is known."""
        with self._telling:
            presence.only_missing(self._missing)
            self._presences.append(presence)

    def start(self) -> None:
        """Look from now on."""
        self._attend(self._work.session.project)
        self._thread.start()

    def look_now(self) -> None:
        """Look at once."""
        self._wake.set()

    def end(self) -> Callable[[float], None]:
        """Look no more; what waits for the end."""
        self._closed = True
        self._wake.set()
        self.attending.end()
        return lambda limit: self._thread.join(min(limit, _ENDING)) if self._thread.is_alive() else None

    def _loop(self) -> None:
        while not self._closed:
            try:
                self._look(self._work.session.project)
            except Exception:  # the next look may do better
                log.exception("looking what is there")
            self._wake.wait(self._every)
            self._wake.clear()

    def _attend(self, project: Project) -> None:
        self.attending.attend(shelf.root for shelf in project.shelves if shelf.made)

    def _came_or_went(self) -> None:
        """On a thread: what lies on a shelf that is away is missing, by name; all else is as it was seen last, until
        the next look, which may hang with the drive."""
        if self._closed:
            return
        away = self.attending.away
        if away:
            gone = paths_below(self._work.session.project, away)
            with self._telling:
                self._tell(self._missing | gone)
        self.look_now()

    def _look(self, project: Project) -> None:
        self._attend(project)
        away = self.attending.away
        missing = frozenset(one.path for one in lost_files(project, away) if one.path is not None)
        if not self.attending.away <= away:
            return  # one went meanwhile: what was seen of it does not count
        if project is not self._work.session.project and self._is_other(project):
            return  # files came in meanwhile: they were not looked at
        with self._telling:
            self._tell(missing)

    def _is_other(self, project: Project) -> bool:
        now = self._work.session.project
        return now.clips is not project.clips or now.shelves is not project.shelves

    def _tell(self, missing: frozenset[str]) -> None:
        """On a thread, which holds the lock: thousands of paths are not compared where somebody waits."""
        self._missing = missing
        before = [presence.version for presence in self._presences]
        for presence in self._presences:
            presence.only_missing(missing)
        if before != [presence.version for presence in self._presences]:
            self._work.call_here(self.changed.emit)
