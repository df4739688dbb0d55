"""What is set on a title: its text and how the letters look."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
)

from ....core.timeline import ALIGNMENTS, EDGES, FACES, SPOTS, Title


class TitleBox(QFrame):
    """``changed`` gives fields of :class:`Title` by name with their new values."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self._showing = False
        form = QFormLayout(self)
        form.setContentsMargins(8, 6, 8, 6)
        form.setSpacing(4)
        heading = QLabel("Title")
        heading.setObjectName("quiet")
        form.addRow(heading)
        self.text = QPlainTextEdit()
        self.text.setFixedHeight(58)
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName("Text of the title")
        self.text.setToolTip("Text of the title, in one line or several")
        self.text.textChanged.connect(lambda: self._tell(text=self.text.toPlainText()))
        form.addRow(self.text)
        self.face = self._combo(FACES, "face", "Typeface")
        self.spot = self._combo(SPOTS, "spot", "Position of the title")
        self.edge = self._combo(EDGES, "edge", "Edge of the letters")
        self.align = self._combo(ALIGNMENTS, "align", "Alignment of the lines")
        self.size_field = QDoubleSpinBox()
        self.size_field.setRange(0.5, 100)
        self.size_field.setDecimals(1)
        self.size_field.setSuffix(" %")
        self.size_field.setKeyboardTracking(False)
        self.size_field.setToolTip("Height of a line, of the frame's height")
        self.size_field.setAccessibleName("Size of the title")
        self.size_field.valueChanged.connect(lambda value: self._tell(size=value / 100))
        self.ink = QPushButton("")
        self.ink.setAccessibleName("Colour of the title")
        self.ink.setToolTip("Choose the colour of the letters")
        self.ink.clicked.connect(lambda _checked=False: self._choose_ink())
        self.roll = QCheckBox("roll from below to above")
        self.roll.setToolTip("The text rolls through the frame while its block lasts")
        self.roll.toggled.connect(lambda on: self._tell(roll=on))
        for label, field in (
            ("Typeface", self.face), ("Height", self.size_field), ("Position", self.spot), ("Alignment", self.align),
            ("Colour", self.ink), ("Edge", self.edge),
        ):  # fmt: skip
            form.addRow(label, field)
        form.addRow(self.roll)

    def _combo(self, texts: Sequence[str], field: str, name: str) -> QComboBox:
        combo = QComboBox()
        combo.addItems(list(texts))
        combo.setAccessibleName(name)
        combo.setToolTip(name)
        combo.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        combo.activated.connect(lambda _number: self._tell(**{field: combo.currentText()}))
        return combo

    def show_title(self, title: Title) -> None:
        """Show what is set; nothing is told."""
        self._showing = True
        if self.text.toPlainText() != title.text:
            self.text.setPlainText(title.text)
        for combo, value in (
            (self.face, title.face), (self.spot, title.spot), (self.edge, title.edge), (self.align, title.align),
        ):  # fmt: skip
            combo.setCurrentText(value)
        self.size_field.setValue(title.size * 100)
        self.roll.setChecked(title.roll)
        self.ink.setText(title.colour)
        self.ink.setIcon(_swatch(title.colour))
        self._showing = False

    def _tell(self, **values: object) -> None:
        if not self._showing:
            self.changed.emit(values)

    def _choose_ink(self) -> None:
        chosen = QColorDialog.getColor(QColor(self.ink.text()), self, "Colour of the title")
        if chosen.isValid():
            self._tell(colour=chosen.name())


def _swatch(colour: str) -> QIcon:
    """A small field of a colour."""
    field = QPixmap(14, 14)
    field.fill(QColor(colour))
    return QIcon(field)
