"""Widgets bound to fields of a preset: each reads and writes the plain value of one field."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt, QTime, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTimeEdit,
    QWidget,
)

from ..core.errors import ShadowError, sentence
from ..core.presets import Attached, attach


class Field(QWidget):
    """One field: ``path`` as in the file, such as ``proxies.codec``. ``changed`` tells of a change by the user."""

    changed = Signal()

    def __init__(self, path: str, name: str) -> None:
        super().__init__()
        self.path = path
        self.setAccessibleName(name)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(5)

    def _hold(self, widget: QWidget, name: str) -> None:
        widget.setAccessibleName(name)
        widget.setToolTip(name)
        self._row.addWidget(widget)
        if self.focusProxy() is None:
            self.setFocusProxy(widget)

    def read(self) -> Any:
        """The value as the file has it."""
        raise NotImplementedError

    def write(self, value: Any) -> None:
        """Show a value; tells nobody."""
        raise NotImplementedError


class _Combo(QComboBox):
    """Does not turn under the wheel that scrolls the page, unless it has the focus."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()


class OneOf(Field):
    """One of some values."""

    def __init__(self, path: str, name: str, options: Sequence[tuple[Any, str]]) -> None:
        super().__init__(path, name)
        self.box = _Combo()
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        for value, text in options:
            self.box.addItem(text, value)
        self._hold(self.box, name)
        self.box.currentIndexChanged.connect(self.changed)

    def read(self) -> Any:
        return self.box.currentData()

    def write(self, value: Any) -> None:
        with QSignalBlocker(self.box):
            if self.box.findData(value) < 0:
                self.box.addItem(str(value), value)
            self.box.setCurrentIndex(self.box.findData(value))


class Tick(Field):
    """On or off, with its words beside it."""

    def __init__(self, path: str, text: str) -> None:
        super().__init__(path, text)
        self.box = QCheckBox(text)
        self._hold(self.box, text)
        self.box.toggled.connect(self.changed)

    def read(self) -> bool:
        return self.box.isChecked()

    def write(self, value: Any) -> None:
        with QSignalBlocker(self.box):
            self.box.setChecked(bool(value))


class Text(Field):
    """A line of text."""

    def __init__(self, path: str, name: str, width: int = 170) -> None:
        super().__init__(path, name)
        self.edit = QLineEdit()
        self.edit.setMinimumWidth(width)
        self._hold(self.edit, name)
        self.edit.textChanged.connect(self.changed)

    def read(self) -> Any:
        return self.edit.text()

    def write(self, value: Any) -> None:
        if value != self.read():
            with QSignalBlocker(self.edit):
                self.edit.setText(str(value))


class Patterns(Text):
    """A few patterns with ``;`` between them."""

    def read(self) -> list[str]:
        return [part.strip() for part in self.edit.text().split(";") if part.strip()]

    def write(self, value: Any) -> None:
        if list(value) != self.read():
            with QSignalBlocker(self.edit):
                self.edit.setText("; ".join(value))


class Amount(Field):
    """A number; with ``off`` given it can be switched off and is then None."""

    def __init__(
        self, path: str, name: str, low: float, high: float, usual: float, decimals: int = 0, suffix: str = "",
        off: str = "",
    ) -> None:  # fmt: skip
        super().__init__(path, name)
        self.tick = QCheckBox(off) if off else None
        if self.tick is not None:
            self._hold(self.tick, off)
            self.tick.toggled.connect(self._ticked)
        self.spin: QSpinBox | QDoubleSpinBox
        if decimals:
            spin = QDoubleSpinBox()
            spin.setDecimals(decimals)
            spin.setRange(low, high)
            spin.setValue(usual)
            spin.setSingleStep(10**-decimals if decimals > 1 else 0.1)
            self.spin = spin
        else:
            whole = QSpinBox()
            whole.setRange(int(low), int(high))
            whole.setValue(int(usual))
            self.spin = whole
        self.spin.setSuffix(suffix)
        self.spin.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._hold(self.spin, name)
        self.spin.valueChanged.connect(self.changed)
        if self.tick is not None:
            self.spin.setEnabled(False)

    def _ticked(self, on: bool) -> None:
        self.spin.setEnabled(on)
        self.changed.emit()

    def read(self) -> float | int | None:
        return self.spin.value() if self.tick is None or self.tick.isChecked() else None

    def write(self, value: Any) -> None:
        with QSignalBlocker(self.spin):
            if value is not None:
                self.spin.setValue(value)
        if self.tick is not None:
            with QSignalBlocker(self.tick):
                self.tick.setChecked(value is not None)
            self.spin.setEnabled(value is not None)


class DayTime(Field):
    """A time of day."""

    def __init__(self, path: str, name: str) -> None:
        super().__init__(path, name)
        self.edit = QTimeEdit()
        self.edit.setDisplayFormat("HH:mm")
        self._hold(self.edit, name)
        self.edit.timeChanged.connect(self.changed)

    def read(self) -> str:
        return self.edit.time().toString("HH:mm")

    def write(self, value: Any) -> None:
        with QSignalBlocker(self.edit):
            self.edit.setTime(QTime.fromString(str(value), "HH:mm"))


class ShelfName(Field):
    """A shelf by its name: one that is known, or one that is typed; empty for the project's of that role."""

    def __init__(self, path: str, name: str, usual: str) -> None:
        super().__init__(path, name)
        self._usual = usual
        self.box = _Combo()
        self.box.setEditable(True)
        self.box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.box.setMinimumWidth(150)
        self.box.addItem(usual)
        self._hold(self.box, name)
        self.box.editTextChanged.connect(self.changed)

    def offer(self, names: Sequence[str]) -> None:
        """Which shelves are known."""
        with QSignalBlocker(self.box):
            text = self.box.currentText()
            self.box.clear()
            self.box.addItems([self._usual, *names])
            self.box.setEditText(text)

    def read(self) -> str:
        text = self.box.currentText().strip()
        return "" if text == self._usual else text

    def write(self, value: Any) -> None:
        with QSignalBlocker(self.box):
            self.box.setEditText(str(value) or self._usual)


class AttachedFile(Field):
    """A file that travels inside the preset. ``failed`` tells in a sentence why one cannot be taken."""

    failed = Signal(str)

    def __init__(self, path: str, name: str, none: str, kinds: str, check: Callable[[Attached], object]) -> None:
        super().__init__(path, name)
        self._name, self._none, self._kinds, self._check = name, none, kinds, check
        self._value: Attached | None = None
        self.button = QPushButton(none)
        self.button.clicked.connect(self._choose)
        self._hold(self.button, name)
        self.clear = QPushButton("Clear")
        self.clear.clicked.connect(lambda: self._take(None))
        self._hold(self.clear, f"{name}: none")
        self.write(None)

    def _choose(self) -> None:
        chosen, _filter = QFileDialog.getOpenFileName(self, self._name, "", self._kinds)
        if chosen:
            self.take_file(Path(chosen))

    def take_file(self, path: Path) -> None:
        """Take a file into the preset, or tell why not."""
        try:
            value = attach(path)
            self._check(value)
        except ShadowError as error:
            self.failed.emit(sentence(error))
        except ValueError as error:
            self.failed.emit(f"{path.name} {error}.")
        else:
            self._take(value)

    def _take(self, value: Attached | None) -> None:
        self.write(value)
        self.changed.emit()

    def read(self) -> Attached | None:
        return self._value

    def write(self, value: Any) -> None:
        self._value = Attached.model_validate(value) if isinstance(value, dict) else value
        self.button.setText(self._value.name if self._value is not None else self._none)
        self.clear.setVisible(self._value is not None)
