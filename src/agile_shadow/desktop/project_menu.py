"""The menu of the project: another one, ready-made ones, saving; and the demo's card reader."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from ..core.errors import NotAProject, ShadowError, StateError, sentence
from ..core.handover import ENDINGS
from ..core.project import known_projects, load_project, ready_made_projects, save_ready_made
from ..stand_ins.reader import StandInDrive
from .choosing import ask_file, ask_new_file

if TYPE_CHECKING:
    from .window import MainWindow

_SLOW = 6_000_000  # bytes a second
_RECENT, _LISTED = 10, 30  # projects shown, and looked for
_PROJECTS = "Projects (*.otio)"


def _is_plain(path: Path) -> bool:
    """Whether it is a timeline but no project. What is wrong with a project is told when it is opened."""
    try:
        load_project(path)
    except NotAProject:
        return True
    except ShadowError:
        return path.suffix.lower() != ".otio" and path.suffix.lower() in ENDINGS
    return False


def _recent(but: Path) -> list[Path]:
    """On a thread: the projects opened last that are there, the last first."""
    try:
        known = [path for path, _when in known_projects() if path != but.absolute()]
    except StateError:
        return []
    return [path for path in known[:_LISTED] if path.is_file()][:_RECENT]


class ProjectMenu(QMenu):
    """Owned by the window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        for title, call in (
            ("New project…", self.new_project), ("Open project…", self.open_project),
            ("New project from template…", self.new_from_ready_made),
            ("Save as template…", self.keep_as_ready_made),
        ):  # fmt: skip
            self._line(title, call)
        self._line("Save now", partial(window.command, "save"))
        self.recent = self.addMenu("Recent projects")
        self.recent.setToolTipsVisible(True)
        self._show_recent([])
        window.work.in_background(partial(_recent, window.work.session.path), self._show_recent)

    def _show_recent(self, paths: list[Path]) -> None:
        self.recent.clear()
        self.recent.setEnabled(bool(paths))
        for path in paths:
            action = QAction(path.stem, self.recent)
            action.setToolTip(str(path))
            action.triggered.connect(lambda _checked=False, path=path: self.open_file(path))
            self.recent.addAction(action)

    def _line(self, title: str, call: Callable[[], None]) -> None:
        action = QAction(title, self)
        action.triggered.connect(lambda _checked=False: call())
        self.addAction(action)

    def add_demo_drive(self, drive: StandInDrive) -> None:
        """Let the demo's card be pulled out, put in and read slowly, as a real one would."""
        self.addSeparator()
        for title, call in (
            ("Demo: remove the card", drive.pull_out), ("Demo: insert the card", drive.insert),
            ("Demo: a slow card reader", lambda: drive.behave(speed=_SLOW)),
            ("Demo: a fast card reader", lambda: drive.behave(speed=0.0)),
        ):  # fmt: skip
            self._line(title, partial(self._demo, call))

    def _demo(self, call: Callable[[], None]) -> None:
        try:
            call()
        except OSError as error:
            self._window.tell(sentence(error), calm=True)

    def new_project(self) -> None:
        """Ask for a file, and begin a project there."""
        chosen = ask_new_file(self._window, "New project", _PROJECTS)
        if chosen is not None:
            self._window.reopen(chosen.with_suffix(".otio"))

    def new_from_ready_made(self) -> None:
        """Begin a project with a set-up that was kept."""
        names, window = ready_made_projects(), self._window
        if not names:
            window.tell("There are no templates yet. Save one first.", calm=True)
            return
        name, good = QInputDialog.getItem(window, "New project", "Template", names, 0, False)
        chosen = ask_new_file(window, "New project", _PROJECTS) if good else None
        if chosen is not None:
            window.reopen(chosen.with_suffix(".otio"), name)

    def keep_as_ready_made(self) -> None:
        """Keep the set-up of this project."""
        window = self._window
        project = window.work.session.project
        name, good = QInputDialog.getText(
            window, "Save as template", "Template name (keeps preset, shelves and timeline settings)", text=project.name
        )
        if good and name.strip():
            window.work.in_background(
                lambda: save_ready_made(project, name.strip()),
                lambda path: window.tell(f"Template {path.stem} saved.", calm=True),
            )

    def open_project(self) -> None:
        """Ask for a project or a timeline, and open it."""
        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        chosen = ask_file(self._window, "Open project", f"{_PROJECTS};;Timelines of other tools ({kinds})")
        if chosen is not None:
            self.open_file(chosen)

    def open_file(self, path: Path) -> None:
        """Open a project; of a timeline from another tool one is made first."""
        self._window.work.in_background(lambda: _is_plain(path), lambda plain: self._opened(path, plain))

    def _opened(self, path: Path, plain: bool) -> None:
        if not plain:
            self._window.reopen(path)
            return
        window = self._window
        wanted = str(path.with_name(f"{path.stem} project.otio"))
        chosen, _filter = QFileDialog.getSaveFileName(
            window, f"{path.name} is a timeline from another tool: keep the project made of it as", wanted, _PROJECTS
        )
        if not chosen:
            return
        target = Path(chosen).with_suffix(".otio")
        from .opening_timeline import open_timeline  # loads what reads other tools' timelines

        open_timeline(window, path, target)
