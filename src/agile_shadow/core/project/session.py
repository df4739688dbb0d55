"""An open project: the document of the moment, its history, and its saving in the background."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from psygnal import Signal

from ..errors import ProjectError, sentence
from ..files import remove_partials, remove_partials_beside
from ..log import config_folder
from ..threads import joined
from .cut import Cut
from .document import Project
from .earlier import earlier_folder, keep_aside
from .file import Memo, load_project, prepare, save_project
from .footage import Footage
from .known import remember_project
from .ready import begin_project

Edit = Callable[[Project], Project]
Found = Callable[[Footage], Footage]
_HISTORY = 200
_LOOK = 3.0  # seconds between two looks whether another program has changed the file
_AT_ONCE = 40  # clips
_REST = 0.02  # seconds
_QUIET = 0.7  # seconds without a change before an autosave
_LIMIT = 30.0  # seconds that an autosave under way may take to end

log = logging.getLogger(__name__)


class ProjectSession:
    """Holds one project open. Any thread may call any method; signals come on the thread that made the change.

    Large: one lock for the document, its history and its file, so that they are one thing.
    """

    changed = Signal()
    saved_state_changed = Signal()
    changed_elsewhere = Signal()

    def __init__(self, path: Path, project: Project) -> None:
        self.path = path
        self.begin(project)
        self._save_lock = threading.Lock()
        self._closing = threading.Event()
        self.save_problem = ""
        self._memo = Memo()
        self._saved: Project | None = project
        self._stamp = _stamp(path)
        self.is_changed_elsewhere = False
        self._aside: Path | None = None  # where this document was kept when it could not be saved
        self._saver = threading.Thread(target=self._autosave, name="autosave", daemon=True)
        self._saver.start()

    def begin(self, project: Project) -> None:
        """Hold a document, without steps before it."""
        self._project = project
        self._undo: list[tuple[str, Cut]] = []
        self._redo: list[tuple[str, Cut]] = []
        self._gesture: object = None
        self._lock = threading.RLock()
        self._dirty = threading.Event()

    @classmethod
    def open(cls, path: Path, ready_made: str | None = None) -> ProjectSession:
        """Open a project file, or begin one where there is none, from a ready-made one if named.

        Raises ProjectError.
        """
        path = path.absolute()
        _tidy(path)
        if path.exists():
            session = cls(path, load_project(path))
            remember_project(path)
            return session
        remember_project(path)
        session = cls(path, begin_project(path.stem, ready_made))
        session._saved = None
        session.save()
        return session

    @property
    def project(self) -> Project:
        """The document of this moment; it will not change under the caller's hands."""
        return self._project

    @property
    def is_saved(self) -> bool:
        """Whether the file holds this document."""
        return self._project.is_same(self._saved)

    def edit(self, label: str, change: Edit, gesture: object = None) -> None:
        """One step of the user's, which undo takes back: what it decided, not what it found of footage. A change that
        decides nothing else is no step.

        Changes of one ``gesture`` that follow each other are one step.
        """
        with self._lock:
            before, after = self._project, change(self._project)
            if after is before or after == before:
                return
            if after.cut is not before.cut and after.cut != before.cut:
                goes_on = gesture is not None and gesture == self._gesture and bool(self._undo)
                if not goes_on:
                    self._undo = [*self._undo[-_HISTORY + 1 :], (label, before.cut)]
                self._gesture = gesture
                self._redo = []
            self._project = after
        self._announce()

    def absorb(self, change: Found) -> None:
        """Take in what background work found: it stays when the user undoes steps of before or after."""
        with self._lock:
            before = self._project.footage
            after = change(before)
            if after is before:
                return
            self._project = Project(after, self._project.cut)
        self._announce()

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self._undo[-1][0] if self._undo else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._redo[-1][0] if self._redo else None

    def undo(self) -> None:
        """Take back the last step, if there is one."""
        self._step(self._undo, self._redo)

    def redo(self) -> None:
        """Do again the step last taken back, if there is one."""
        self._step(self._redo, self._undo)

    def _step(self, source: list[tuple[str, Cut]], target: list[tuple[str, Cut]]) -> None:
        with self._lock:
            if not source:
                return
            self._gesture = None
            label, cut = source.pop()
            target.append((label, self._project.cut))
            self._project = Project(self._project.footage, cut)
        self._announce()

    def _announce(self) -> None:
        self._dirty.set()
        self.changed.emit()
        self.saved_state_changed.emit()

    def save(self) -> None:
        """Write the file now. Raises ProjectError, also when another program has changed the file since."""
        with self._save_lock:
            project = self._project
            if project.is_same(self._saved):
                return
            if self._look():
                raise ProjectError("was changed by another program", self.path, "Choose which version to keep.")
            self._write(project)
        self.saved_state_changed.emit()

    def _write(self, project: Project) -> None:
        save_project(project, self.path, self._memo)
        self._stamp = _stamp(self.path)
        self._saved = project
        self.save_problem = ""

    def save_as(self, path: Path) -> None:
        """Write the document to another file, and go on with that one. Raises ProjectError where it cannot be written.
        """
        path = path.absolute()
        with self._save_lock:
            project = self._project
            save_project(project, path)
            self.path, self._stamp, self._saved = path, _stamp(path), project
            self.save_problem, self.is_changed_elsewhere = "", False
        self.saved_state_changed.emit()

    def _look_alone(self) -> None:
        with self._save_lock:
            self._look()

    def _look(self) -> bool:
        """Whether another program has changed the file since it was read or written here; told once. With the lock."""
        now = _stamp(self.path)
        if now is None or self._stamp is None or now == self._stamp:
            return self.is_changed_elsewhere
        if not self.is_changed_elsewhere:
            self.is_changed_elsewhere = True
            self.changed_elsewhere.emit()
        return True

    def keep_mine(self) -> None:
        """Write this document over what another program wrote, which is kept among the earlier saves.

        Raises ProjectError.
        """
        with self._save_lock:
            keep_aside(self.path)
            self._write(self._project)
            self.is_changed_elsewhere = False
        self.saved_state_changed.emit()

    def take_theirs(self) -> None:
        """Go on with what another program wrote, and with the footage of both; undo brings back the cut that was open.

        Raises ProjectError.
        """
        with self._save_lock:
            stamp = _stamp(self.path)
            theirs = load_project(self.path)
            self._stamp, self.is_changed_elsewhere, self.save_problem = stamp, False, ""
            self._saved = theirs
        self.edit("Use the other version", lambda mine: _both(theirs, mine))
        self.saved_state_changed.emit()

    def _prepare(self) -> None:
        """Have the texts of all clips ready before the first save, a few at a time."""
        project = self._project
        for first in range(0, len(project.clips), _AT_ONCE):
            if self._closing.wait(_REST):
                return
            with self._save_lock:
                prepare(project, project.clips[first : first + _AT_ONCE], self._memo)

    def _autosave(self) -> None:
        """Goes on whatever happens: an exception is told as the reason why the document is not saved."""
        self._telling(self._prepare)
        while not self._closing.is_set():
            self._telling(self._autosave_once)

    def _autosave_once(self) -> None:
        if not self._dirty.wait(_LOOK):
            self._look_alone()
            if self.save_problem and not self.is_changed_elsewhere:
                self.save()  # its drive may be there again
            return
        while self._dirty.is_set() and not self._closing.is_set():
            self._dirty.clear()
            self._closing.wait(_QUIET)
        if not self._closing.is_set():
            self.save()

    def _telling(self, work: Callable[[], None]) -> None:
        try:
            work()
        except Exception as error:
            if sentence(error) != self.save_problem:
                log.warning("autosave: %s", error, exc_info=True)
                self.save_problem = sentence(error)
                self.saved_state_changed.emit()
            self._closing.wait(_REST)

    def end(self) -> None:
        """End the background saving, without saving: what is not saved is lost."""
        self._closing.set()
        self._dirty.set()
        joined(self._saver, _LIMIT)

    def close(self) -> None:
        """Save what is not saved and end the background saving.

        Raises ProjectError. What cannot be saved because another program changed the file is written beside it.
        """
        self.end()
        self.save_at_last()

    def save_at_last(self) -> None:
        """Like :meth:`save`, for the last time. What cannot be saved because another program changed the file is
        written beside it. Raises ProjectError."""
        try:
            self.save()
        except ProjectError as error:
            if not self.is_changed_elsewhere:
                raise
            named = self.path.with_name(f"{self.path.stem} - yours {time.strftime('%Y-%m-%d %H-%M-%S')}.otio")
            aside = self._aside = self._aside or named  # closing saves twice: before work ends, and what it brought
            save_project(self._project, aside)
            raise ProjectError(
                "was changed by another program", self.path, f"Your version is kept beside it as {aside.name}."
            ) from error


def _both(theirs: Project, mine: Project) -> Project:
    footage = theirs.footage.together_with(mine.footage)
    return theirs if footage is theirs.footage else Project(footage, theirs.cut)


def _tidy(path: Path) -> None:
    """Remove what saves that were killed have left: of the project, its earlier saves, and the settings."""
    with suppress(OSError):
        remove_partials(earlier_folder(path))
        remove_partials(config_folder())
        remove_partials_beside(path)


def _stamp(path: Path) -> tuple[int, int] | None:
    try:
        status = path.stat()
    except OSError:
        return None
    return status.st_mtime_ns, status.st_size
