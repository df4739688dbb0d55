"""The strip along the top: project, the switch, the play meter, the jobs chip."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QToolButton, QWidget

from ..core.playback import MeterReading
from . import theme
from .actions import keys_of, tip
from .labels import ElidedLabel, set_look
from .marks import paint_block
from .meters import Levels, PlayGraph

_METER_HEIGHT, _STEP = 30, 24  # pixels
_SIDES = (("originals", "original", "Originals"), ("proxies", "proxy", "Proxies"))


class Switch(QWidget):
    """Showing: Originals / Proxies. Both words are always there; the one in force is framed and its mark is filled."""

    flipped = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.side = "originals"
        self.setFixedSize(QSize(272, 30))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        tip(self, lambda: f"Switch: {keys_of('switch')}")
        self.setAccessibleName("Showing")

    def set_side(self, side: str) -> None:
        """Show which side is in force."""
        self.side = side
        self.setAccessibleDescription(side)
        self.update()

    def _cell(self, number: int) -> QRectF:
        return QRectF(68 + number * 102, 1, 100, 28)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for number, (side, _kind, _word) in enumerate(_SIDES):
            if self._cell(number).contains(event.position()) and side != self.side:
                self.flipped.emit(side)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.sans(10))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QRectF(0, 0, 64, 30), Qt.AlignmentFlag.AlignVCenter, "Showing:")
        for number, (side, kind, word) in enumerate(_SIDES):
            cell = self._cell(number)
            here = side == self.side
            if here:
                painter.setPen(QPen(theme.colour("focus"), 1.6))
                painter.setBrush(theme.colour("raised"))
                painter.drawRoundedRect(cell, 4, 4)
            painter.setOpacity(1.0 if here else 0.55)
            paint_block(painter, QRectF(cell.x() + 9, cell.y() + 8, 15, 12), kind)
            painter.setOpacity(1.0)
            painter.setFont(theme.sans(10, here))
            painter.setPen(theme.colour("text" if here else "quiet"))
            painter.drawText(cell.adjusted(30, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, word)


class StatusStrip(QWidget):
    """The whole strip."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setFixedHeight(46)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 6, 12, 6)
        layout.setSpacing(12)
        self.project = QToolButton()
        self.project.setObjectName("project")
        self.project.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.project.setMaximumWidth(240)
        self.menu = QToolButton()
        self.menu.setText("Menu")
        self.menu.setObjectName("project")
        self.menu.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        tip(self.menu, lambda: f"All commands and their keys ({keys_of('menu')}); search: {keys_of('search')}")
        self.saved = QLabel("")
        self.saved.setObjectName("quiet")
        self.switch = Switch()
        self.counts = ElidedLabel(Qt.TextElideMode.ElideRight)
        self.counts.setObjectName("quiet")
        self.counts.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.meter = QLabel("")
        self.meter.setMinimumWidth(150)
        self.meter.hide()  # until something was played: then its room stays
        self.meter.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.graph = PlayGraph()
        self.levels = Levels()
        self.levels.hide()
        self.sound = QLabel("")
        self.sound.setObjectName("quiet")
        self.jobs = QPushButton("No jobs")
        tip(self.jobs, lambda: f"Jobs drawer: {keys_of('jobs')}")
        for widget in (self.menu, self.project, self.saved):
            layout.addWidget(widget)
        layout.addWidget(self.switch)
        layout.addWidget(self.counts, 1)
        layout.addWidget(self.meter)
        layout.addWidget(self.graph)
        layout.addWidget(self.levels)
        layout.addWidget(self.sound)
        layout.addWidget(self.jobs)

    def show_meter(self, reading: MeterReading | None) -> None:
        """Frames shown per second, of how many, and how many came late."""
        self.graph.show_reading(reading)
        if reading is None:
            self.meter.setText("")
            return
        self.meter.show()
        set_look(self.meter, "warn" if reading.short else "")
        text = f"shown {reading.text()}"
        # a text in a place that may grow has the whole window laid out again, at each picture: it grows by steps
        room = (self.meter.fontMetrics().horizontalAdvance(text) // _STEP + 1) * _STEP
        self.meter.setFixedSize(max(self.meter.minimumWidth(), room), _METER_HEIGHT)
        self.meter.setText(text)

    def show_levels(self, levels: tuple[float, float] | None) -> None:
        """How loud it is; the bars are there once something was heard."""
        if levels is not None:
            self.levels.show()
        self.levels.show_levels(levels)
