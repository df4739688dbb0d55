"""Lines of text: shortened where there is no room for all of it, and with another look where it says another thing."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QSizePolicy, QWidget


def set_look(widget: QWidget, name: str) -> None:
    """Give it the look of that name in the style sheet. Finding a look has all around it laid out again: only where it
    is another."""
    if widget.objectName() != name:
        widget.setObjectName(name)
        widget.style().polish(widget)


def set_warned(widget: QWidget, warned: bool) -> None:
    """Give it the look of what warns, or take it off."""
    if bool(widget.property("warned")) != warned:
        widget.setProperty("warned", warned)
        widget.style().polish(widget)


class ElidedLabel(QLabel):
    """Asks for the room of its text and does with less."""

    def __init__(self, mode: Qt.TextElideMode = Qt.TextElideMode.ElideMiddle) -> None:
        super().__init__()
        self._mode = mode
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), self._mode, self.width())
        painter.setPen(self.palette().windowText().color())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, text)
