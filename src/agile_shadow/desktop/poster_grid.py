"""Things as posters: as large as one likes, with their marks, a name and a state; the pointer looks through them."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPoint, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from . import theme
from .marks import paint_block
from .tables import Index

LEAST, USUAL, MOST = 120, 184, 360  # pixels of a poster's width
_TEXT = 42  # pixels below a poster


@dataclass(frozen=True)
class Cell:
    """What is shown of one thing. ``kinds``: its marks; ``word``: what stands where there is no picture; ``heading``:
    only its name is shown, as that of the cells after it."""

    name: str
    state: str = ""
    kinds: tuple[str, ...] = ()
    picture: QPixmap | None = None
    word: str = ""
    grave: bool = False
    heading: bool = False


class _Delegate(QStyledItemDelegate):
    """Draws a cell."""

    def __init__(self, grid: PosterGrid) -> None:
        super().__init__(grid)
        self._grid = grid

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return self._grid.cell_size()

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        cell = self._grid.cell_of(index)
        rect = QRectF(option.rect).adjusted(4, 4, -4, -4)
        painter.save()
        if cell.heading:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.sans(10, True))
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, cell.name)
        else:
            _paint_cell(painter, rect, cell, bool(option.state & QStyle.StateFlag.State_Selected))
        painter.restore()


def _paint_cell(painter: QPainter, rect: QRectF, cell: Cell, chosen: bool) -> None:
    if chosen:
        painter.fillRect(rect, theme.colour("raised"))
    place = rect.adjusted(3, 3, -3, -_TEXT + 3)
    painter.fillRect(place, theme.colour("surround"))
    if cell.picture is not None and not cell.picture.isNull():
        _paint_fitted(painter, place, cell.picture)
    elif cell.word:
        painter.setPen(QPen("#f0f0f0"))
        painter.setFont(theme.sans(9))
        painter.drawText(place, Qt.AlignmentFlag.AlignCenter, cell.word)
    inside = rect.adjusted(6, 0, -6, 0)
    line = QRectF(inside.x(), place.bottom() + 2, inside.width(), 18)
    for number, kind in enumerate(cell.kinds):
        paint_block(painter, QRectF(line.x() + number * 20, line.y() + 3, 14, 11), kind)
    painter.setFont(theme.sans(10))
    painter.setPen(theme.colour("text"))
    room = line.adjusted(20 * len(cell.kinds) + (2 if cell.kinds else 0), 0, 0, 0)
    name = painter.fontMetrics().elidedText(cell.name, Qt.TextElideMode.ElideMiddle, int(room.width()))
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
    painter.setFont(theme.sans(8))
    painter.setPen(theme.colour("warn" if cell.grave else "quiet"))
    state = painter.fontMetrics().elidedText(cell.state, Qt.TextElideMode.ElideRight, int(inside.width()))
    painter.drawText(line.translated(0, 17), Qt.AlignmentFlag.AlignVCenter, state)
    if chosen:
        painter.setPen(QPen(theme.colour("focus"), 2))
        painter.drawRect(rect.adjusted(1, 1, -1, -1))


def _paint_fitted(painter: QPainter, place: QRectF, picture: QPixmap) -> None:
    scale = min(place.width() / picture.width(), place.height() / picture.height())
    wide, high = picture.width() * scale, picture.height() * scale
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    target = QRectF(place.center().x() - wide / 2, place.center().y() - high / 2, wide, high)
    painter.drawPixmap(target, picture, QRectF(picture.rect()))


class PosterGrid(QListView):
    """``over``: the row under the pointer, and how far across its poster, from 0 to 1; None where there is none."""

    def __init__(self, name: str, tip: str) -> None:
        super().__init__()
        self._wide = USUAL
        self.over: tuple[int, float] | None = None
        self.setItemDelegate(_Delegate(self))
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setMovement(QListView.Movement.Static)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setMouseTracking(True)
        self.set_width(USUAL)

    def cell_of(self, index: Index) -> Cell:
        """What is shown of a row."""
        raise NotImplementedError

    def cell_size(self) -> QSize:
        """Pixels of a cell."""
        return QSize(self._wide + 14, round(self._wide * 9 / 16) + _TEXT + 12)

    def set_width(self, wide: int) -> None:
        """Posters of another width, in pixels."""
        self._wide = wide
        self.setGridSize(self.cell_size())
        self.doItemsLayout()

    def rows_in_sight(self) -> list[int]:
        """The rows that are on screen."""
        model, view = self.model(), self.viewport().rect()
        count = model.rowCount() if model is not None else 0
        first = self.indexAt(QPoint(self._wide // 2, 8))
        begin = max(0, first.row()) if first.isValid() else 0
        across = max(1, view.width() // self.cell_size().width())
        down = view.height() // self.cell_size().height() + 2
        return list(range(begin, min(count, begin + across * down)))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.look_at(event.position().toPoint())
        super().mouseMoveEvent(event)

    def look_at(self, point: QPoint) -> None:
        """Have the pointer at a place."""
        index = self.indexAt(point)
        rect = self.visualRect(index) if index.isValid() else QRect()
        before, across = self.over, (point.x() - rect.x()) / max(1, rect.width())
        self.over = (index.row(), min(0.999, max(0.0, across))) if index.isValid() else None
        if before != self.over:
            self.viewport().update()

    def leaveEvent(self, event: QEvent) -> None:
        self.over = None
        self.viewport().update()
        super().leaveEvent(event)
