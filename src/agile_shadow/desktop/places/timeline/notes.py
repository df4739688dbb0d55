"""The notes of a timeline as a list: where, what; chosen, changed, taken away."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from ....core.timeline import Marker, Timeline
from ...tables import Column, RowsModel, rows_table


class Notes(QWidget):
    """The tab."""

    sought = Signal(int)
    changed = Signal(object, str)  # the marker, its new note
    removed = Signal(object)
    left = Signal()  # Return was pressed: the keys go back to the timeline

    def __init__(self, timecode: Callable[[int], str]) -> None:
        super().__init__()
        columns = (
            Column("At", lambda marker: timecode(marker.frame), 100),
            Column("Note", lambda marker: marker.note or "(empty)", 140),
        )
        self.model = RowsModel(columns)
        self.table = rows_table(self.model, 1, "Notes")
        self.table.selectionModel().selectionChanged.connect(lambda *_rest: self._chosen())
        self.note = QLineEdit()
        self.note.setPlaceholderText("Text of the selected note")
        self.note.setAccessibleName("Text of the note")
        self.note.setToolTip("Text of the selected note")
        self.note.editingFinished.connect(self._edited)
        self.note.returnPressed.connect(self.left)
        remove = QPushButton("Delete")
        remove.setToolTip("Delete the selected note")
        remove.clicked.connect(self._remove)
        self.hint = QLabel("N adds a note at the playhead; Shift+N goes to the next one.")
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(self.note, 1)
        row.addWidget(remove)
        column.addLayout(row)
        column.addWidget(self.hint)

    def show_notes(self, line: Timeline) -> None:
        """Show the notes of a timeline."""
        before = self.current()
        self.model.set_rows(line.markers)
        if before is not None and not self.note.hasFocus():
            again = next((n for n, marker in enumerate(line.markers) if marker.id == before.id), None)
            if again is not None:
                self.table.selectRow(again)

    def current(self) -> Marker | None:
        """The chosen note."""
        rows = self.table.selectionModel().selectedRows()
        return self.model.rows[rows[0].row()] if rows and rows[0].row() < len(self.model.rows) else None

    def choose(self, frame: int) -> None:
        """Choose the note at a frame and let its words be typed."""
        for number, marker in enumerate(self.model.rows):
            if marker.frame == frame:
                self.table.selectRow(number)
                self.note.setFocus()
                self.note.selectAll()

    def _chosen(self) -> None:
        marker = self.current()
        if marker is not None:
            self.note.setText(marker.note)
            self.sought.emit(marker.frame)

    def _edited(self) -> None:
        marker = self.current()
        if marker is not None and self.note.text() != marker.note:
            self.changed.emit(marker, self.note.text())

    def _remove(self) -> None:
        marker = self.current()
        if marker is not None:
            self.removed.emit(marker)
