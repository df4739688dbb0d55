"""Two timelines, one above the other, with what differs between them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ....core.handover import Difference
from ....core.timeline import Timeline, Track
from ... import theme

_ROW, _GAP, _LEFT = 11, 7, 78  # pixels
_MOST_ROWS = 8


class BothLines(QWidget):
    """For each track a row of mine and below it one of theirs; blocks that differ are filled, the others outlined."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Both timelines")
        self.setToolTip("Above yours, below the one that came")
        self._mine: Timeline | None = None
        self._theirs: Timeline | None = None
        self._differences: Sequence[Difference] = ()
        self._pointed = -1
        self.setFixedHeight(0)

    def show_lines(self, mine: Timeline, theirs: Timeline | None, differences: Sequence[Difference]) -> None:
        """Two timelines, and how they differ."""
        self._mine, self._theirs, self._differences = mine, theirs, differences
        self._pointed = -1
        rows = len(list(self._pairs()))
        self.setFixedHeight(rows * (2 * _ROW + _GAP) if theirs is not None else 0)
        self.update()

    def point_at(self, number: int) -> None:
        """Show one of the differences, by its number."""
        self._pointed = number
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def _pairs(self) -> Iterator[tuple[str, Track | None, Track | None]]:
        """Name and both tracks of each row that has something on it."""
        if self._mine is None or self._theirs is None:
            return
        shown = 0
        for tracks, others in ((self._mine.pictures, self._theirs.pictures), (self._mine.sounds, self._theirs.sounds)):
            for number in range(max(len(tracks), len(others))):
                mine = tracks[number] if number < len(tracks) else None
                theirs = others[number] if number < len(others) else None
                one = mine or theirs
                if one is not None and shown < _MOST_ROWS and any(t is not None and t.blocks for t in (mine, theirs)):
                    shown += 1
                    yield one.name, mine, theirs

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._mine is None or self._theirs is None:
            return
        painter = QPainter(self)
        painter.setFont(theme.sans(8))
        length = max(1, self._mine.length, self._theirs.length)
        scale = (self.width() - _LEFT - 4) / length
        changed = {block.id for one in self._differences for block in (*one.mine, *one.theirs)}
        pointed: set[str] = set()
        if 0 <= self._pointed < len(self._differences):
            one = self._differences[self._pointed]
            pointed = {block.id for block in (*one.mine, *one.theirs)}
        for number, (name, mine, theirs) in enumerate(self._pairs()):
            top = number * (2 * _ROW + _GAP)
            painter.setPen(theme.colour("quiet"))
            text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, _LEFT - 8)
            painter.drawText(QRectF(0, top, _LEFT - 8, 2 * _ROW), int(Qt.AlignmentFlag.AlignVCenter), text)
            for row, track in enumerate((mine, theirs)):
                self._paint_row(painter, track, top + row * _ROW, scale, changed, pointed)

    def _paint_row(
        self, painter: QPainter, track: Track | None, top: int, scale: float, changed: set[str], pointed: set[str]
    ) -> None:
        for block in track.blocks if track is not None else ():
            width = max(2.0, block.length * scale - 1)
            box = QRectF(_LEFT + block.start * scale, top + 1, width, _ROW - 2)
            fill = QColor(theme.colour("warn" if block.id in changed else "raised"))
            painter.fillRect(box, fill)
            if block.id in pointed:
                painter.setPen(QPen(theme.colour("text"), 2))
                painter.drawRect(box)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Nothing is chosen here; the list below does that."""
        event.ignore()
