"""The first start: where files go, which preset, what to bring in. Three steps that can be left at any time."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..core.presets import PRESETS, Preset, describes
from ..core.project import Footage
from .choosing import typed_path
from .folders import Folders
from .late_places import INGEST
from .places.ingest.card import path_edit

if TYPE_CHECKING:
    from .window import MainWindow

_STEPS = ("Where files go", "Which preset", "Bring in footage")
_USUAL = "Everyday, quarter size"


class FirstSteps(QDialog):
    """``finished_with`` gives the folders of originals and proxies, the preset, and a source or None."""

    finished_with = Signal(object, object, object, object)
    wants_demo = Signal()

    def __init__(self, parent: QWidget, folders: Folders) -> None:
        super().__init__(parent)
        self.setWindowTitle("First steps")
        self.resize(660, 460)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        self.heading = QLabel("")
        self.heading.setObjectName("heading")
        layout.addWidget(self.heading)
        self.pages = QStackedWidget()
        for page in (self._folders_page(folders), self._preset_page(), self._source_page()):
            self.pages.addWidget(page)
        layout.addWidget(self.pages, 1)
        row = QHBoxLayout()
        self.demo = self._button("Open the demo instead", "A short film with drawn footage, to try everything on")
        self.demo.clicked.connect(self._to_demo)
        self.skip = self._button("Skip", "Close these steps; everything can be set later in Presets and Ingest")
        self.skip.clicked.connect(self.reject)
        self.back = self._button("Back", "The step before")
        self.back.clicked.connect(lambda: self.show_step(self.pages.currentIndex() - 1))
        self.next = self._button("Next", "The next step")
        self.next.setObjectName("main")
        self.next.setDefault(True)
        self.next.clicked.connect(self._next)
        row.addWidget(self.demo)
        row.addStretch(1)
        for button in (self.skip, self.back, self.next):
            row.addWidget(button)
        layout.addLayout(row)
        self.show_step(0)

    @staticmethod
    def _button(text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setAutoDefault(False)
        return button

    def _folders_page(self, folders: Folders) -> QWidget:
        page = QWidget()
        grid = QGridLayout(page)
        grid.setSpacing(8)
        _intro(grid, "Originals are the files of the camera; the copies here are verified, byte by byte. Proxies are "
                     "small copies for editing. Both may be on any drive.")  # fmt: skip
        self.originals = path_edit("Folder of originals")
        self.proxies = path_edit("Folder of proxies")
        for number, (text, edit, path) in enumerate((
            ("Originals go to", self.originals, folders.originals), ("Proxies go to", self.proxies, folders.proxies),
        )):  # fmt: skip
            edit.setText(str(path))
            edit.setToolTip("A folder; it is made if it does not exist")
            grid.addWidget(QLabel(text), number + 1, 0)
            grid.addWidget(edit, number + 1, 1)
            button = self._button("Browse…", f"Choose the folder: {text.casefold()}")
            button.clicked.connect(lambda _checked=False, edit=edit: self._browse(edit))
            grid.addWidget(button, number + 1, 2)
        grid.setRowStretch(3, 1)
        return page

    def _preset_page(self) -> QWidget:
        page = QWidget()
        column = QGridLayout(page)
        _intro(column, "A preset says what an ingest does: what is copied, how it is verified, which proxies are made. "
                       "It can be changed at any time in Presets.")  # fmt: skip
        self.presets = QListWidget()
        self.presets.setAccessibleName("Presets")
        self.presets.setToolTip("Select the preset to begin with")
        self.words = QLabel("")
        self.words.setWordWrap(True)
        self.words.setObjectName("quiet")
        for entry in PRESETS.read().entries:
            item = QListWidgetItem(entry.value.name)
            item.setData(Qt.ItemDataRole.UserRole, entry.value)
            self.presets.addItem(item)
        self.presets.currentItemChanged.connect(lambda *_: self._show_words())
        usual = self.presets.findItems(_USUAL, Qt.MatchFlag.MatchExactly)
        self.presets.setCurrentItem(usual[0] if usual else self.presets.item(0))
        column.addWidget(self.presets, 1, 0, 1, 3)
        column.addWidget(self.words, 2, 0, 1, 3)
        return page

    def _source_page(self) -> QWidget:
        page = QWidget()
        grid = QGridLayout(page)
        grid.setSpacing(8)
        _intro(grid, "Insert a card: it appears in Ingest by itself. Or choose a folder with footage now. Nothing is "
                     "copied before you click Ingest there.")  # fmt: skip
        self.source = path_edit("Folder with footage")
        self.source.setPlaceholderText("no folder: wait for a card")
        self.source.setToolTip("A card, a drive or any folder with footage; may stay empty")
        button = self._button("Browse…", "Choose a folder with footage")
        button.clicked.connect(lambda: self._browse(self.source))
        grid.addWidget(QLabel("Footage"), 1, 0)
        grid.addWidget(self.source, 1, 1)
        grid.addWidget(button, 1, 2)
        grid.setRowStretch(2, 1)
        return page

    def _browse(self, edit: QLineEdit) -> None:
        chosen = QFileDialog.getExistingDirectory(self, edit.accessibleName(), edit.text())
        if chosen:
            edit.setText(chosen)

    def _show_words(self) -> None:
        preset = self.preset()
        self.words.setText(describes(preset) if preset is not None else "")

    def preset(self) -> Preset | None:
        """The selected preset."""
        item = self.presets.currentItem()
        found = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return found if isinstance(found, Preset) else None

    def show_step(self, number: int) -> None:
        """Go to a step, from 0."""
        self.pages.setCurrentIndex(number)
        self.heading.setText(f"Step {number + 1} of {len(_STEPS)}: {_STEPS[number]}")
        self.back.setEnabled(number > 0)
        self.next.setText("Finish" if number == len(_STEPS) - 1 else "Next")
        (self.originals, self.presets, self.source)[number].setFocus()

    def _next(self) -> None:
        number = self.pages.currentIndex()
        if number < len(_STEPS) - 1:
            self.show_step(number + 1)
            return
        source = self.source.text().strip()
        self.accept()
        self.finished_with.emit(_path(self.originals), _path(self.proxies), self.preset(), _path(self.source) if source
                                else None)  # fmt: skip

    def _to_demo(self) -> None:
        self.reject()
        self.wants_demo.emit()


def _intro(grid: QGridLayout, text: str) -> None:
    label = QLabel(text)
    label.setWordWrap(True)
    grid.addWidget(label, 0, 0, 1, 3)


def _path(edit: QLineEdit) -> Path | None:
    text = edit.text().strip()
    return typed_path(text) if text else None


def ask_first_steps(window: MainWindow, folders: Folders) -> None:
    """Ask where files go, for a preset and for footage; all of it can be left."""
    dialog = FirstSteps(window, folders)
    dialog.finished_with.connect(partial(_take, window))
    dialog.wants_demo.connect(window.open_demo)
    window.kept.first_steps = True
    window.kept.write()
    window.commands.dialog = dialog
    dialog.open()


def _take(
    window: MainWindow, originals: Path | None, proxies: Path | None, preset: Preset | None, source: Path | None
) -> None:
    session = window.work.session
    for role, root in (("originals", originals), ("proxies", proxies)):
        if root is not None:
            session.absorb(partial(Footage.with_shelf_chosen, role=role, root=root.absolute()))
    if preset is not None:
        session.edit("Set the standing preset", lambda project: project.but(preset=preset))
    window.open_place(INGEST)
    window.ingest.card.reload_presets()
    if source is not None:
        window.ingest.bring_in(source.absolute())
