"""What playing looks like from outside: how loud it is, and how many pictures come in time."""

from __future__ import annotations

import math
import time
from collections import deque

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from ..core.playback import MeterReading
from . import theme

_BARS = 40
_BAR = 0.25  # seconds


class Levels(QWidget):
    """How loud left and right are, as two bars; the mark stays at the loudest of the last moments."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(56, 16)
        self.setToolTip("Sound, left above right; the line is full scale")
        self.setAccessibleName("Sound levels")
        self.levels: tuple[float, float] = (0.0, 0.0)
        self._held = [0.0, 0.0]

    def show_levels(self, levels: tuple[float, float] | None) -> None:
        """Peaks from 0 to 1 (more is too loud); None: nothing is heard."""
        new = levels or (0.0, 0.0)
        self._held = [0.0, 0.0] if levels is None else [
            max(now, held * 0.97) for now, held in zip(new, self._held, strict=True)
        ]  # fmt: skip
        if new != self.levels:
            self.levels = new
            self.update()

    @staticmethod
    def _part(level: float) -> float:
        """Of the bar's length: 0 for -48 dB, 0.9 for full scale."""
        return 0.0 if level <= 0.004 else min(1.0, 0.9 * (1 + 20 * math.log10(level) / 48))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for number, level in enumerate(self.levels):
            bar = QRectF(0, 1 + 8 * number, self.width(), 6)
            painter.fillRect(bar, theme.colour("raised"))
            colour = theme.colour("warn" if level >= 1 else "quiet")
            painter.fillRect(QRectF(bar.x(), bar.y(), bar.width() * self._part(level), 6), colour)
            held = bar.width() * self._part(self._held[number])
            if held:
                painter.fillRect(QRectF(held - 2, bar.y(), 2, 6), theme.colour("text"))
        painter.fillRect(QRectF(self.width() * 0.9, 0, 1, self.height()), theme.colour("line"))


class PlayGraph(QWidget):
    """The last ten seconds of playing, a bar for each quarter: how many of the wanted pictures came. Bars that fall
    short are hollow, so that they can be told without colour."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(_BARS * 2 + 2, 22)
        self.setAccessibleName("Play meter of the last seconds")
        self.setToolTip("The last ten seconds of playing: filled bars came in time, hollow ones fell short")
        self.bars: deque[tuple[float, bool]] = deque(maxlen=_BARS)
        self._due = 0.0
        self.hide()

    def show_reading(self, reading: MeterReading | None) -> None:
        """One more reading; None: playing has stopped, the graph stays for a look."""
        if reading is None:
            self._due = 0.0
            return
        now = time.monotonic()
        if not self._due:
            self.bars.clear()
            self._due = now + _BAR
            self.show()
        if now >= self._due:
            self._due += _BAR
            self.bars.append((min(1.0, reading.shown / max(1.0, float(reading.wanted))), reading.short))
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("panel"))
        high = self.height() - 2
        for number, (part, short) in enumerate(self.bars):
            bar = QRectF(1 + 2 * number, 1 + high * (1 - part), 2, high * part)
            if short:
                painter.fillRect(QRectF(bar.x(), bar.y(), 2, 2), theme.colour("warn"))
            else:
                painter.fillRect(bar, theme.colour("quiet"))
