"""The length of what is loaded as a bar, with playhead and marks."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from . import theme


class ScrubBar(QWidget):
    """The length of what is loaded, with playhead and marks; press and drag to scrub."""

    scrubbed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(22)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.length = 0
        self.position = 0
        self.mark_in: int | None = None
        self.mark_out: int | None = None

    def x_of(self, frame: int) -> float:
        """Where a frame lies, in pixels."""
        return 6 + (self.width() - 12) * frame / max(1, self.length - 1)

    def show_marks(self, first: int | None, last: int | None) -> None:
        """Show marks; None for one that is not there."""
        self.mark_in, self.mark_out = first, last
        self.update()

    def show_position(self, frame: int) -> None:
        """Put the playhead at a frame."""
        self.position = frame
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._scrub(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._scrub(event)

    def _scrub(self, event: QMouseEvent) -> None:
        if self.length and event.buttons() & Qt.MouseButton.LeftButton:
            part = (event.position().x() - 6) / max(1, self.width() - 12)
            self.scrubbed.emit(round(max(0.0, min(1.0, part)) * (self.length - 1)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(6, 9, self.width() - 12, 5), theme.colour("raised"))
        if not self.length:
            return
        first = self.mark_in if self.mark_in is not None else 0
        last = self.mark_out if self.mark_out is not None else self.length - 1
        if self.mark_in is not None or self.mark_out is not None:
            painter.fillRect(
                QRectF(self.x_of(first), 9, self.x_of(last) - self.x_of(first) + 1, 5), theme.colour("quiet")
            )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        x = self.x_of(self.position)
        painter.drawPolygon(QPolygonF([QPointF(x - 5, 2), QPointF(x + 5, 2), QPointF(x, 9)]))
        painter.fillRect(QRectF(x - 0.75, 5, 1.5, 14), theme.colour("text"))
