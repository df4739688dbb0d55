"""The timelines of the project: which one is open and what it is, its settings, another one, a new one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QPushButton, QToolButton, QWidget

from ....core.project import Project
from ....core.time import rate_label, timecode_at
from ....core.timeline import Settings, Timeline, with_settings
from ...actions import COMMANDS, keys_of
from ...work import Work
from .settings_dialog import TimelineSettingsDialog

_TRACKS = {command.id: command.title for command in COMMANDS if command.area == "Tracks"}


class LinesBar(QWidget):
    """``about_to_change``: another timeline is about to be open; ``opened``: one was opened; ``commanded`` gives a
    command of the table."""

    about_to_change = Signal()
    opened = Signal()
    commanded = Signal(str)

    def __init__(self, work: Work, parent: QWidget) -> None:
        super().__init__(parent)
        self._work = work
        self.dialog: TimelineSettingsDialog | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.settings = QPushButton("")
        self.settings.setProperty("small", True)
        self.settings.setToolTip("Timeline settings: frame size, rate, first timecode, footage of other shapes. At "
                                 "first they are those of the first clip's original, never of a proxy.")  # fmt: skip
        self.settings.clicked.connect(lambda _checked=False: self.open_settings())
        row.addWidget(self.settings)
        self.button = QToolButton()
        self.button.setProperty("small", True)
        self.button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.button.setToolTip("The timelines of this project")
        self.menu = QMenu(self.button)
        self.menu.aboutToShow.connect(self.fill)
        self.button.setMenu(self.menu)
        row.addWidget(self.button)

    def show_project(self, project: Project) -> None:
        """The open timeline's name and what it is."""
        line = project.timeline
        self.button.setText(line.name)
        self.settings.setEnabled(bool(line.rate))
        if not line.rate:
            self.settings.setText("No clips yet")
            return
        length = timecode_at(line.length, line.rate)
        self.settings.setText(f"{line.width} x {line.height} at {rate_label(line.rate)}, {length}")

    def fill(self) -> None:
        """The menu as it is now."""
        self.menu.clear()
        project = self._work.session.project
        for line in project.timelines:
            action = self._add(line.name, partial(self.open_line, line))
            action.setCheckable(True)
            action.setChecked(line.id == project.timeline.id)
        self.menu.addSeparator()
        for text, call, possible in (
            (f"New timeline\t{keys_of('new_timeline')}", lambda: self.commanded.emit("new_timeline"), True),
            ("Duplicate timeline", lambda: self.change("Copy a timeline", lambda p: p.with_new_timeline(True)), True),
            ("Rename…", self._rename, True),
            ("Timeline settings…", self.open_settings, bool(project.timeline.rate)),
            ("Delete timeline", lambda: self.change("Delete a timeline", lambda p: p.without_timeline()),
             bool(project.others)),
        ):  # fmt: skip
            self._add(text, call).setEnabled(possible)
        self.menu.addSeparator()
        for identity in ("picture_track", "sound_track", "remove_track"):
            text = f"{_TRACKS[identity]}\t{keys_of(identity)}"
            self._add(text, partial(self.commanded.emit, identity))

    def _add(self, text: str, call: Callable[[], None]) -> QAction:
        action = QAction(text, self.menu)
        action.triggered.connect(lambda _checked=False: call())
        self.menu.addAction(action)
        return action

    def open_settings(self) -> None:
        """Ask for the settings of the open timeline."""
        project = self._work.session.project
        if not project.timeline.rate:
            return
        self.dialog = TimelineSettingsDialog(project, self)
        self.dialog.taken.connect(self._set)
        self.dialog.open()

    def _set(self, settings: Settings) -> None:
        self._work.session.edit("Timeline settings", lambda project: project.but(
            timeline=with_settings(project.timeline, settings)[0]
        ))  # fmt: skip

    def change(self, label: str, change: Callable[[Project], Project]) -> None:
        """Change which timelines there are."""
        self.about_to_change.emit()
        self._work.session.edit(label, change)

    def open_line(self, line: Timeline) -> None:
        """Open another timeline."""
        self.change(f"Open {line.name}", lambda project: project.with_open(line.id))
        self.opened.emit()

    def _rename(self) -> None:
        line = self._work.session.project.timeline
        name, good = QInputDialog.getText(self, "Timeline", "Name", text=line.name)
        if good and name.strip():
            renamed = replace(line, name=name.strip()[:80])
            self._work.session.edit("Rename a timeline", lambda project: project.but(timeline=renamed))
