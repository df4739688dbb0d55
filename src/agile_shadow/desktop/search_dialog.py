"""One field that finds commands, clips, places, presets, timelines and settings.

Imports inside functions: a place's module is imported when its settings are found: the field opens sooner.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout

from ..core.finding import best
from ..core.presets import PRESETS
from .actions import COMMANDS, PLACE_NAMES, keys_of
from .late_places import PAIRS, TIMELINE
from .late_places import PRESETS as PRESETS_PLACE

if TYPE_CHECKING:
    from .window import MainWindow

_SETTINGS = (
    ("Timeline settings: frame size, frame rate, first timecode", TIMELINE, "timeline"),
    ("Film settings", 4, "film"),
)


@dataclass(frozen=True)
class Hit:
    """One thing that can be gone to: its ``title``, what ``kind`` of thing it is, more about it, and the way there."""

    title: str
    kind: str
    more: str
    go: Callable[[], object]
    why_not: Callable[[], str] = lambda: ""


class SearchDialog(QDialog):
    """Type, choose with the arrows, Enter goes there."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.setWindowTitle("Search")
        self.resize(640, 460)
        layout = QVBoxLayout(self)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Commands, clips, places, presets, timelines, settings")
        self.field.setAccessibleName("Search everything")
        self.field.setToolTip("Type some words; Up and Down select, Enter opens, Esc closes")
        self.field.installEventFilter(self)
        self.field.textChanged.connect(self.show_hits)
        self.list = QListWidget()
        self.list.setAccessibleName("Found")
        self.list.setToolTip("What was found; Enter or a double click opens it")
        self.list.itemActivated.connect(lambda _item: self.go())
        self.told = QLabel("")
        self.told.setObjectName("quiet")
        self.told.setWordWrap(True)
        layout.addWidget(self.field)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.told)
        self._all = list(hits(window))
        self.found: list[Hit] = []
        self.show_hits()

    def show_hits(self) -> None:
        """What fits what was typed; before anything is typed, the places."""
        typed = self.field.text()
        if typed.strip():
            self.found = best(self._all, lambda hit: f"{hit.title} {hit.kind}", typed)
        else:
            self.found = [hit for hit in self._all if hit.kind == "place"]
        self.list.clear()
        for hit in self.found:
            self.list.addItem(QListWidgetItem(f"{hit.title}\n{hit.kind}{f', {hit.more}' if hit.more else ''}"))
        self.list.setCurrentRow(0)
        self.told.setText("" if self.found else f"Nothing here is called “{typed.strip()}”. Try fewer letters.")

    def go(self) -> None:
        """Open what is selected."""
        row = self.list.currentRow()
        if not 0 <= row < len(self.found):
            return
        hit = self.found[row]
        why = hit.why_not()
        if why:
            self.told.setText(why)
            return
        self.accept()
        hit.go()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The arrows move in the list while the field has the focus."""
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.go()
                return True
        return super().eventFilter(watched, event)


def block_fields() -> list[str]:
    """The fields of a block's settings."""
    from .places.timeline.block_numbers import COLOUR, FADES, PLACE, SOUND

    numbers = [one.label for group in (SOUND, FADES, PLACE, COLOUR) for one in group]
    return [*numbers, "Speed", "Dissolve", "LUT", "Text of a title"]


def hits(window: MainWindow) -> Iterator[Hit]:
    """Everything that can be found, of the project as it is."""
    for number, name in enumerate(PLACE_NAMES):
        yield Hit(name, "place", keys_of(f"place_{number + 1}"), partial(window.open_place, number))
    for command in COMMANDS:
        if not command.id.startswith("place_"):
            yield Hit(command.title, "command", keys_of(command.id) or command.area,
                      partial(window.command, command.id), partial(window.commands.why_not, command))  # fmt: skip
    project = window.work.session.project
    for clip in project.clips:
        yield Hit(clip.name, "clip", clip.original.file.path, partial(_show_clip, window, clip.id))
    for line in project.timelines:
        yield Hit(line.name, "timeline", line.timecode(line.length), partial(_open_line, window, line.id))
    for entry in PRESETS.read().entries:
        yield Hit(entry.value.name, "preset", "", partial(_show_preset, window, entry.value.name))
    for field in block_fields():
        yield Hit(f"{field} of the selected block", "setting", "Timeline, tab Block", partial(_block, window))
    for title, number, what in _SETTINGS:
        yield Hit(title, "setting", PLACE_NAMES[number], partial(_setting, window, number, what))


def _show_clip(window: MainWindow, identity: str) -> None:
    window.open_place(PAIRS)
    window.pairs.show_clip(identity)


def _open_line(window: MainWindow, identity: str) -> None:
    window.open_place(TIMELINE)
    line = next((one for one in window.work.session.project.timelines if one.id == identity), None)
    if line is not None:
        window.timeline.lines.open_line(line)


def _show_preset(window: MainWindow, name: str) -> None:
    window.open_place(PRESETS_PLACE)
    window.presets.library.choose(name)


def _block(window: MainWindow) -> None:
    window.open_place(TIMELINE)
    window.command("settings")


def _setting(window: MainWindow, number: int, what: str) -> None:
    window.open_place(number)
    if what == "timeline":
        window.timeline.lines.open_settings()
    else:
        window.export.card.change.click()
