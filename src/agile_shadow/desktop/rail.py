"""The rail: the places in the order of the work."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from . import theme
from .actions import keys_of, tip

PLACES = ("Presets", "Ingest", "Pairs", "Timeline", "Export", "Storage")


class RailButton(QAbstractButton):
    """One place: its name, a bar when it is open, a number where something waits."""

    def __init__(self, name: str, command: str) -> None:
        super().__init__()
        self.setText(name)
        self.setCheckable(True)
        tip(self, lambda: f"{name}: {keys_of(command)}")
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.waiting = 0

    def sizeHint(self) -> QSize:
        return QSize(92, 50)

    def set_waiting(self, count: int) -> None:
        """The number of things that wait for the user here."""
        if count != self.waiting:
            self.waiting = count
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked():
            painter.fillRect(self.rect(), theme.colour("panel"))
            painter.fillRect(QRectF(0, 0, 3, self.height()), theme.colour("focus"))
        painter.setPen(theme.colour("text" if self.isChecked() or self.underMouse() else "quiet"))
        painter.setFont(theme.sans(10, self.isChecked()))
        painter.drawText(self.rect().adjusted(14, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.waiting:
            self._paint_waiting(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("focus"), 1))
            painter.drawRect(self.rect().adjusted(4, 4, -5, -5))

    def _paint_waiting(self, painter: QPainter) -> None:
        badge = QRectF(self.width() - 25, 5, 21, 15)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("warn"))
        painter.drawRoundedRect(badge, 7, 7)
        painter.setPen(theme.colour("on_mark") if theme.theme().name == "ink" else theme.colour("raised"))
        painter.setFont(theme.sans(8, True))
        painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, str(self.waiting))


class Rail(QWidget):
    """The column of places."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setFixedWidth(96)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 8)
        layout.setSpacing(2)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, RailButton] = {}
        for number, name in enumerate(PLACES):
            button = RailButton(name, f"place_{number + 1}")
            self._group.addButton(button, number)
            self.buttons[name] = button
            layout.addWidget(button)
        layout.addStretch(1)
        self._group.idClicked.connect(self.chosen)

    def open(self, number: int) -> None:
        """Show a place as open."""
        self._group.button(number).setChecked(True)
