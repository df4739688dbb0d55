"""The menu of the project: another one, ready-made ones, saving; and the demo's card reader."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QMessageBox

from ..core.errors import NotAProject, ShadowError, sentence
from ..core.handover import ENDINGS, Opened, open_as_project_in
from ..core.project import load_project, ready_made_projects, save_ready_made
from ..core.stand_ins.reader import StandInDrive
from .actions import keys_of

if TYPE_CHECKING:
    from .window import MainWindow

_LOOKING = 600.0  # seconds without a sign of life
_SLOW = 6_000_000  # bytes a second
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


class ProjectMenu(QMenu):
    """Owned by the window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        for title, call in (
            ("New project…", self._new_project), ("Open project…", self._open_project),
            ("New project from a ready-made one…", self.new_from_ready_made),
            ("Keep this set-up as a ready-made project…", self.keep_as_ready_made),
        ):  # fmt: skip
            self._line(title, call)
        for title, identity in (("Save now", "save"), ("All keys", "keys"), ("Ink or paper", "theme")):
            self._line(f"{title} ({keys_of(identity)})", partial(window.command, identity))

    def _line(self, title: str, call: Callable[[], None]) -> None:
        action = QAction(title, self)
        action.triggered.connect(lambda _checked=False: call())
        self.addAction(action)

    def add_demo_drive(self, drive: StandInDrive) -> None:
        """Let the demo's card be pulled out, put in and read slowly, as a real one would."""
        self.addSeparator()
        for title, call in (
            ("Demo: pull the card out", drive.pull_out), ("Demo: put the card in", drive.insert),
            ("Demo: a slow card reader", lambda: drive.behave(speed=_SLOW)),
            ("Demo: a fast card reader", lambda: drive.behave(speed=0.0)),
        ):  # fmt: skip
            self._line(title, partial(self._demo, call))

    def _demo(self, call: Callable[[], None]) -> None:
        try:
            call()
        except OSError as error:
            self._window.tell(sentence(error), calm=True)

    def _new_project(self) -> None:
        chosen, _filter = QFileDialog.getSaveFileName(self._window, "New project", "", _PROJECTS)
        if chosen:
            self._window.reopen(Path(chosen).with_suffix(".otio"))

    def new_from_ready_made(self) -> None:
        """Begin a project with a set-up that was kept."""
        names, window = ready_made_projects(), self._window
        if not names:
            window.tell("There is no ready-made project yet: keep the set-up of one first.", calm=True)
            return
        name, good = QInputDialog.getItem(window, "New project", "Begin with the set-up of", names, 0, False)
        chosen = QFileDialog.getSaveFileName(window, "New project", "", _PROJECTS)[0] if good else ""
        if chosen:
            window.reopen(Path(chosen).with_suffix(".otio"), name)

    def keep_as_ready_made(self) -> None:
        """Keep the set-up of this project."""
        window = self._window
        project = window.work.session.project
        name, good = QInputDialog.getText(
            window, "Ready-made project", "Keep preset, shelves and timeline settings as", text=project.name
        )
        if good and name.strip():
            window.work.in_background(
                lambda: save_ready_made(project, name.strip()),
                lambda path: window.tell(f"{path.stem} can be the beginning of new projects now.", calm=True),
            )

    def _open_project(self) -> None:
        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        chosen, _filter = QFileDialog.getOpenFileName(
            self._window, "Open project", "", f"{_PROJECTS};;Timelines of other tools ({kinds})"
        )
        if chosen:
            self.open_file(Path(chosen))

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
        pool = window.work.machine.shared("wanted")
        window.tell(f"Looking for the media of {path.name}.", calm=True)

        def made() -> Opened:
            opened: Opened = pool.submit(open_as_project_in, (path, target), stalled_after=_LOOKING).result()
            return opened

        window.work.in_background(made, lambda opened: self._made(target, opened))

    def _made(self, target: Path, opened: Opened) -> None:
        if opened.missing:
            names = ", ".join(opened.missing[:3]) + (" and more" if len(opened.missing) > 3 else "")
            QMessageBox.information(
                self._window, "Not all media are there", f"{len(opened.missing)} files were not found ({names}): they "
                "are left out of the timeline. Bring them back and open the timeline once more, or ingest them and "
                "bring the timeline home.",
            )  # fmt: skip
        self._window.reopen(target)
