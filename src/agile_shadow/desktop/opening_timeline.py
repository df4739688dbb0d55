"""A timeline of another tool is opened: a project is made of it, and media that are not where it says are asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QListWidget, QPushButton, QVBoxLayout

from ..core.amounts import counted
from ..core.errors import sentence
from ..core.handover import Opened, Opening, keep_opened, open_in_worker
from .choosing import ask_folder

if TYPE_CHECKING:
    from .window import MainWindow

_LOOKING = 600.0  # seconds without a sign of life
_NOTES = 3  # sentences shown at once


def open_timeline(window: MainWindow, path: Path, target: Path) -> None:
    """Make a project of a timeline and open it."""
    window.tell(f"Searching for the media of {path.name}.", calm=True)
    asked = Opening(path)

    def read(opened: Opened) -> None:
        if opened.missing:
            MissingMediaDialog(window, asked, opened, target).open()
        else:
            _keep(window, opened, target)

    window.work.in_background(lambda: _read(window, asked), read)


def _read(window: MainWindow, asked: Opening) -> Opened:
    opened: Opened = window.work.machine.shared("wanted").submit(open_in_worker, asked, stalled_after=_LOOKING).result()
    return opened


def _keep(window: MainWindow, opened: Opened, target: Path) -> None:
    window.work.in_background(lambda: keep_opened(opened, target), lambda _done: window.reopen(target))


class MissingMediaDialog(QDialog):
    """Names what was not found and asks for folders to search. Closed by Escape, and then nothing was written."""

    def __init__(self, window: MainWindow, asked: Opening, opened: Opened, target: Path) -> None:
        super().__init__(window)
        self.setWindowTitle(f"Media of {asked.path.name}")
        self._window, self._asked, self._target = window, asked, target
        self.opened = opened
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        self.headline = QLabel()
        self.headline.setObjectName("heading")
        says = QLabel(
            "Choose a folder in which they may be. They are searched for by name in it and in all folders below, and "
            "stay where they are."
        )
        says.setObjectName("quiet")
        says.setWordWrap(True)
        says.setMinimumWidth(560)
        self.missing = QListWidget()
        self.missing.setAccessibleName("Media that were not found")
        self.missing.setToolTip("Media that the timeline names and that were not found")
        self.missing.setMinimumHeight(180)
        self.missing.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.missing.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.notes = QLabel()
        self.notes.setObjectName("warn")
        self.notes.setWordWrap(True)
        for widget in (self.headline, says, self.missing, self.notes):
            layout.addWidget(widget)
        layout.addLayout(self._buttons())
        self.search.setFocus()
        self._show()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addStretch(1)
        self.search = self._button("Search a folder…", "Search a folder and all below it for these media", self._ask)
        self.search.setDefault(True)
        self.without = self._button("Open without them", "", self._open_without)
        self.cancel = self._button("Cancel", "Open nothing and write nothing (Esc)", self.reject)
        for button in (self.search, self.without, self.cancel):
            row.addWidget(button)
        return row

    def _button(self, text: str, tip: str, call: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda _checked=False: call())
        return button

    def _show(self, problem: str = "") -> None:
        missing, found = self.opened.missing, len(self.opened.project.clips)
        whole = len(missing) + found
        self.headline.setText(f"{len(missing)} of {counted(whole, 'media file')} not found")
        self.missing.clear()
        for name in missing:
            self.missing.addItem(name)
            self.missing.item(self.missing.count() - 1).setToolTip(name)
        notes = [problem] if problem else list(self.opened.notes)
        more = f"And {len(notes) - _NOTES} more." if len(notes) > _NOTES else ""
        self.notes.setText("\n".join(filter(None, (*notes[:_NOTES], more))))
        self.notes.setVisible(bool(notes))
        self._enable(True)

    def _enable(self, ready: bool) -> None:
        self.search.setEnabled(ready)
        self.search.setText("Search a folder…" if ready else "Searching…")
        found = bool(self.opened.project.clips)
        self.without.setEnabled(ready and found)
        self.without.setToolTip(
            "Open the timeline with gaps where they are used" if found else "None of its media was found yet"
        )

    def _ask(self) -> None:
        place = ask_folder(self, "Search a folder for media")
        if place is None:
            return
        self._enable(False)
        asked = replace(self._asked, places=(*self._asked.places, place))

        def look() -> tuple[Opened | None, str]:
            try:
                return _read(self._window, asked), ""
            except Exception as error:
                return None, sentence(error)

        self._window.work.in_background(look, lambda found: self._looked(asked, *found))

    def _looked(self, asked: Opening, opened: Opened | None, problem: str) -> None:
        if not self.isVisible():
            return
        if opened is None:
            self._show(problem)
            return
        self._asked, self.opened = asked, opened
        if opened.missing:
            self._show()
        else:
            self._open_without()

    def _open_without(self) -> None:
        self.accept()
        _keep(self._window, self.opened, self._target)
