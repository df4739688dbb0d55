"""The marks of a preset: a list, and the fields of the chosen one."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QVBoxLayout, QWidget

from ..core.presets import Mark, mark_words, open_picture
from .fields import Amount, AttachedFile, OneOf, Text, _Combo
from .flow import Flow

_KINDS = (("text", "text"), ("timecode", "running timecode"), ("picture", "picture"))
_MOST = 8


class MarksEditor(QWidget):
    """Adds, changes and removes marks. ``changed`` tells; ``failed`` says why a picture cannot be taken.

    Large: its attributes are its controls.
    """

    changed = Signal()
    failed = Signal(str)

    def __init__(self, first: str = "PROXY") -> None:
        super().__init__()
        self._first = first  # what a new mark says
        self.path = "proxies.marks"
        self._marks: list[dict[str, Any]] = []
        self._loading = False
        self.list = _Combo()
        self.list.setAccessibleName("Burn-ins")
        self.list.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.list.currentIndexChanged.connect(self._show)
        self.add = QPushButton("Add burn-in")
        self.add.setToolTip("Add text, timecode or a picture that is drawn into every frame of the proxies")
        self.add.clicked.connect(self._add)
        self.remove = QPushButton("Remove burn-in")
        self.remove.clicked.connect(self._remove)
        self.kind = OneOf("kind", "Kind of burn-in", _KINDS)
        self.text = Text("text", "Text of the burn-in, with tokens such as {name}", 150)
        self.picture = AttachedFile(
            "picture",
            "Picture of the burn-in",
            "Choose a picture…",
            "Pictures (*.png *.jpg *.jpeg *.webp *.tif)",
            open_picture,
        )
        self.picture.failed.connect(self.failed)
        self.across = Amount("x", "How far to the right", 0, 100, 0, suffix=" % right")
        self.down = Amount("y", "How far down", 0, 100, 100, suffix=" % down")
        self.height_of = Amount("size", "Height", 2, 50, 6, suffix=" % high")
        self.opacity = Amount("opacity", "Opacity", 10, 100, 90, suffix=" % opaque")
        self.fields = (self.kind, self.text, self.picture, self.across, self.down, self.height_of, self.opacity)
        for field in self.fields:
            field.changed.connect(self._changed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._none = QLabel("No burn-ins.")
        self._none.setObjectName("quiet")
        layout.addWidget(Flow(self._none, self.list, self.add, self.remove))
        self._fields = Flow(*self.fields)
        layout.addWidget(self._fields)
        self._refresh()

    def read(self) -> list[dict[str, Any]]:
        """The marks as the file has them."""
        return [dict(mark) for mark in self._marks]

    def write(self, marks: tuple[Mark, ...]) -> None:
        """Show marks; tells nobody."""
        self._marks = [{**mark.model_dump(mode="json"), "picture": mark.picture} for mark in marks]
        self._refresh(0)

    @property
    def chosen(self) -> int:
        """Number of the mark in hand; -1 without marks."""
        return self.list.currentIndex()

    def move_chosen(self, x: float, y: float) -> None:
        """Put the mark in hand elsewhere, in parts of the room there is (0 to 1)."""
        if self.chosen >= 0:
            self._marks[self.chosen].update(x=round(x, 3), y=round(y, 3))
            self._refresh(self.chosen)
            self.changed.emit()

    def choose(self, number: int) -> None:
        """Take a mark in hand."""
        self.list.setCurrentIndex(number)

    def _add(self) -> None:
        taken = {(mark["x"], mark["y"]) for mark in self._marks}
        free = next(
            (place for place in ((0.0, 1.0), (1.0, 1.0), (0.0, 0.0), (1.0, 0.0)) if place not in taken), (0.5, 0.5)
        )
        mark = Mark(kind="text", text=self._first, x=free[0], y=free[1])
        self._marks.append({**mark.model_dump(mode="json"), "picture": None})
        self._refresh(len(self._marks) - 1)
        self.changed.emit()

    def _remove(self) -> None:
        if self.chosen >= 0:
            del self._marks[self.chosen]
            self._refresh(0)
            self.changed.emit()

    def _changed(self) -> None:
        if self._loading or self.chosen < 0:
            return
        kind = self.kind.read()
        self._marks[self.chosen].update(
            kind=kind,
            text=self.text.read(),
            picture=self.picture.read() if kind == "picture" else None,
            x=(self.across.read() or 0) / 100,
            y=(self.down.read() or 0) / 100,
            size=(self.height_of.read() or 0) / 100,
            opacity=(self.opacity.read() or 0) / 100,
        )
        self._name_marks()
        self._show_fields()
        self.changed.emit()

    def _refresh(self, chosen: int = -1) -> None:
        self._loading = True
        self.list.clear()
        self.list.addItems([""] * len(self._marks))
        self._name_marks()
        self._loading = False
        self.list.setCurrentIndex(min(chosen, len(self._marks) - 1))
        self._show()

    def _name_marks(self) -> None:
        for number, mark in enumerate(self._marks):
            self.list.setItemText(number, f"{number + 1}: {_words(mark)}")

    def _show(self) -> None:
        if self._loading:
            return
        there = self.chosen >= 0
        for widget in (self.list, self.remove, self._fields):
            widget.setVisible(there)
        self._none.setVisible(not there)
        self.add.setEnabled(len(self._marks) < _MOST)
        if not there:
            return
        mark = self._marks[self.chosen]
        self._loading = True
        for field in (self.kind, self.text, self.picture):
            field.write(mark[field.path])
        for amount in (self.across, self.down, self.height_of, self.opacity):
            amount.write(round(mark[amount.path] * 100))
        self._loading = False
        self._show_fields()

    def _show_fields(self) -> None:
        kind = self.kind.read()
        self.text.setVisible(kind == "text")
        self.picture.setVisible(kind == "picture")


def _words(mark: dict[str, Any]) -> str:
    if mark["kind"] == "picture" and mark["picture"] is None:
        return "picture, none selected yet"
    if mark["kind"] == "text" and not mark["text"].strip():
        return "text, still empty"
    try:
        return mark_words(Mark.model_validate(mark))
    except ValueError:
        return str(mark["kind"])
