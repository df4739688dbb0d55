"""The list of all keys, in which they can be changed."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ..core.errors import ShadowError, sentence
from . import key_map
from .actions import COMMANDS, PLACE_NAMES, Command, all_keys, use_keys
from .tables import Column, RowsModel, rows_table

_COLUMNS = (
    Column("Keys", lambda one: "  or  ".join(all_keys(one.id)), 190),
    Column("Command", lambda one: one.title, 300),
    Column("Area", lambda one: one.area, 110),
    Column("Works in", lambda one: where(one), 130),
)


def where(command: Command) -> str:
    """The places in which a command has a meaning."""
    if len(command.places) == len(PLACE_NAMES):
        return "everywhere"
    return ", ".join(PLACE_NAMES[number] for number in sorted(command.places))


class KeysDialog(QDialog):
    """Every command with its keys. ``changed`` is called when one of them was changed."""

    def __init__(self, parent: QWidget, changed: Callable[[], None]) -> None:
        super().__init__(parent)
        self._changed = changed
        self.setWindowTitle("Keyboard shortcuts")
        self.resize(820, 640)
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search commands and keys")
        self.search.setAccessibleName("Search commands and keys")
        self.search.setToolTip("Shows the commands whose name, keys or area contain all words")
        self.search.textChanged.connect(self.show_commands)
        layout.addWidget(self.search)
        self._model = RowsModel(_COLUMNS)
        self.table: QTableView = rows_table(self._model, 1, "Commands and their keys")
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._show_chosen())
        layout.addWidget(self.table, 1)
        layout.addLayout(self._change_row())
        self.told = QLabel("")
        self.told.setWordWrap(True)
        self.told.setObjectName("quiet")
        layout.addWidget(self.told)
        self.show_commands()
        self.table.selectRow(0)

    def _change_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(QLabel("New key:"))
        self.edit = QKeySequenceEdit()
        self.edit.setMaximumSequenceLength(1)
        self.edit.setAccessibleName("New key of the selected command")
        self.edit.setToolTip("Click here and press the new key")
        self.use = self._button("Use this key", "Give the selected command this key instead", self._use)
        self.none = self._button("No key", "Leave the selected command without a key", self._none)
        self.reset = self._button("Reset", "Give the selected command its original keys again", self._reset)
        self.reset_all = self._button("Reset all", "Give all commands their original keys again", self._reset_all)
        self.close_button = self._button("Close", "Close this list (Esc)", self.accept)
        row.addWidget(self.edit, 1)
        for button in (self.use, self.none, self.reset, self.reset_all, self.close_button):
            row.addWidget(button)
        return row

    @staticmethod
    def _button(text: str, tip: str, call: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _checked=False: call())
        return button

    def show_commands(self) -> None:
        """Those that contain all words of the search."""
        words = self.search.text().casefold().split()
        rows = [one for one in COMMANDS if all(word in _haystack(one) for word in words)]
        chosen = self.chosen()
        self._model.set_rows(rows)
        if chosen in rows:
            self.table.selectRow(rows.index(chosen))
        elif rows:
            self.table.selectRow(0)
        self._show_chosen()

    def chosen(self) -> Command | None:
        """The selected command."""
        rows = self.table.selectionModel().selectedRows()
        number = rows[0].row() if rows else -1
        return self._model.rows[number] if 0 <= number < len(self._model.rows) else None

    def _show_chosen(self) -> None:
        for widget in (self.edit, self.use, self.none, self.reset):
            widget.setEnabled(self.chosen() is not None)

    def _use(self) -> None:
        command = self.chosen()
        key = self.edit.keySequence().toString(QKeySequence.SequenceFormat.PortableText)
        if command is None or not key:
            self.told.setText("Click the field beside “New key” and press a key first.")
            return
        own = key_map.load_keys()
        taken = key_map.taken_by(key, command.id, own)
        if taken is not None:
            self.told.setText(f"{key} already belongs to: {taken.title}. Give that command another key first.")
            return
        self._keep(key_map.with_keys(own, command.id, (key,)), f"{command.title}: {key}.")
        self.edit.clear()

    def _none(self) -> None:
        command = self.chosen()
        if command is not None:
            self._keep(key_map.with_keys(key_map.load_keys(), command.id, ()), f"{command.title}: no key.")

    def _reset(self) -> None:
        command = self.chosen()
        if command is None:
            return
        own = key_map.load_keys()
        for key in command.keys:
            taken = key_map.taken_by(key, command.id, own)
            if taken is not None:
                self.told.setText(f"{key} belongs to: {taken.title}. Give that command another key first.")
                return
        self._keep(key_map.with_keys(own, command.id, command.keys), f"{command.title}: original keys.")

    def _reset_all(self) -> None:
        self._keep({}, "All commands have their original keys.")

    def _keep(self, own: key_map.Keys, told: str) -> None:
        try:
            key_map.save_keys(own)
        except ShadowError as error:
            self.told.setText(sentence(error))
            return
        use_keys(own)
        self._changed()
        self.show_commands()
        self.told.setText(told)


def _haystack(command: Command) -> str:
    return f"{command.title} {command.area} {' '.join(all_keys(command.id))}".casefold()
