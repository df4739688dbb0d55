"""The ledger: a table of two halves and a spine, with a poster and two lines in each row."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable

from PySide6.QtCore import QItemSelectionModel, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from ... import theme
from ...marks import paint_block
from ...tables import Index, RowsModel, rows_table
from ...texts import MIDDLE, fitted
from .rows import COLUMNS, ORIGINAL, PROXY, STATE, Group, Pair

POSTER = QSize(60, 34)
_ROW = 40  # pixels
_KEPT, _KEPT_LARGE = 600, 300  # posters held as pixmaps
# Put together once: a flag that is made anew for each cell takes longer than the cell's text.
_OF_GROUP = Qt.ItemFlag.ItemIsEnabled
_OF_PAIR = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemNeverHasChildren
_CHOSEN = QStyle.StateFlag.State_Selected
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class LedgerModel(RowsModel):
    """Rows of pairs and groups. ``wants_poster`` is asked for clips whose poster is not there yet."""

    def __init__(self) -> None:
        super().__init__(COLUMNS)
        self._posters: OrderedDict[str, QPixmap] = OrderedDict()
        self._large: OrderedDict[str, QPixmap | None] = OrderedDict()
        self.wants_poster: Callable[[Pair], None] = lambda pair: None

    def flags(self, index: Index) -> Qt.ItemFlag:
        return _OF_GROUP if isinstance(self.rows[index.row()], Group) else _OF_PAIR

    def forget_icons(self) -> None:
        super().forget_icons()
        self._posters.clear()
        self._large.clear()

    def poster(self, pair: Pair) -> QPixmap | None:
        """The small picture of a clip, None while it is not there."""
        found = self._posters.get(pair.clip.id)
        if found is None:
            self.wants_poster(pair)
        return found

    def keep_poster(self, clip: str, data: bytes | None) -> None:
        """A poster came (JPEG), or there is none."""
        self._posters[clip] = _framed(data)
        large = QPixmap()
        self._large[clip] = large if data and large.loadFromData(data) else None
        while len(self._posters) > _KEPT:
            self._posters.popitem(last=False)
        while len(self._large) > _KEPT_LARGE:
            self._large.popitem(last=False)

    def large(self, pair: Pair) -> QPixmap | None:
        """The poster in its own size, None while it is not there or where there is none."""
        if pair.clip.id not in self._large:
            self.wants_poster(pair)
        return self._large.get(pair.clip.id)


def _framed(data: bytes | None) -> QPixmap:
    out = QPixmap(POSTER)
    out.fill(theme.colour("surround"))
    picture = QPixmap()
    if data and picture.loadFromData(data):
        small = picture.scaled(POSTER, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        painter = QPainter(out)
        painter.drawPixmap((POSTER.width() - small.width()) // 2, (POSTER.height() - small.height()) // 2, small)
        painter.end()
    return out


class RowDelegate(QStyledItemDelegate):
    """Draws the cells: poster, mark and two lines in the halves, the state and its reason on the spine."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, LedgerModel)
        row, column, rect = model.rows[index.row()], index.column(), QRectF(option.rect)
        if isinstance(row, Group):
            self._paint_group(painter, rect, row, column)
            return
        chosen = bool(option.state & _CHOSEN)
        painter.fillRect(rect, theme.colour("raised" if chosen else "ground" if column == STATE else "panel"))
        self._paint_cell(painter, rect, model, row, column)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(80, _ROW)

    @staticmethod
    def _paint_group(painter: QPainter, rect: QRectF, row: Group, column: int) -> None:
        painter.fillRect(rect, theme.colour("ground"))
        if column == ORIGINAL:
            painter.save()
            painter.setClipping(False)
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.sans(10, True))
            painter.drawText(rect.adjusted(8, 0, 600, 0), _LEFT, row.title)
            painter.restore()

    def _paint_cell(self, painter: QPainter, rect: QRectF, model: LedgerModel, pair: Pair, column: int) -> None:
        if column == ORIGINAL:
            poster = model.poster(pair)
            place = QRectF(rect.x() + 3, rect.y() + 3, POSTER.width(), POSTER.height())
            painter.fillRect(place, theme.colour("surround"))
            if poster is not None:
                painter.drawPixmap(place.toRect(), poster)
            inner = rect.adjusted(POSTER.width() + 10, 0, -4, 0)
            under = ", ".join([pair.original_shelf, *pair.clip.tags])
            self._two_lines(painter, inner, COLUMNS[column].text(pair), under, COLUMNS[column].mark(pair))
        elif column == PROXY:
            under = pair.proxy_shelf
            if pair.proxy is not None and pair.proxy.offset:
                under = f"from frame {pair.proxy.offset}, {under}"
            text, mark = COLUMNS[column].text(pair), COLUMNS[column].mark(pair)
            self._two_lines(painter, rect.adjusted(8, 0, -4, 0), text, under, mark)
        elif column == STATE:
            grave = pair.kind in ("doubtful", "refused", "original missing", "proxy missing")
            self._two_lines(painter, rect.adjusted(8, 0, -6, 0), pair.state, pair.why, None, grave)
        else:
            painter.setPen(theme.colour("text"))
            painter.setFont(theme.sans(10))
            text = fitted(COLUMNS[column].text(pair), 10, int(rect.width()) - 12)
            painter.drawText(rect.adjusted(6, 0, -6, 0), _RIGHT if COLUMNS[column].right else _LEFT, text)

    @staticmethod
    def _two_lines(
        painter: QPainter, rect: QRectF, first: str, second: str, mark: str | None, grave: bool = False
    ) -> None:
        left = rect.x()
        middle = rect.center().y()
        if mark is not None:
            paint_block(painter, QRectF(left, (middle - 8 if second else middle) - 5, 14, 11), mark)
            left += 20
        width = int(rect.right() - left)
        painter.setFont(theme.sans(10))
        painter.setPen(theme.colour("warn" if grave else "text"))
        painter.drawText(QPointF(left, middle - 3 if second else middle + 5), fitted(first, 10, width, MIDDLE))
        if second:
            painter.setFont(theme.sans(8))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(left, middle + 13), fitted(second, 8, width))


def ledger_table(model: LedgerModel) -> QTableView:
    """The view: several rows can be chosen, a click on a heading orders them."""
    table = rows_table(model, STATE, "Pairs", share=False)
    table.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
    table.verticalHeader().setDefaultSectionSize(_ROW)
    table.setItemDelegate(RowDelegate(table))
    header = table.horizontalHeader()
    header.setSectionResizeMode(ORIGINAL, header.ResizeMode.Stretch)
    header.setSectionsClickable(True)
    header.setSortIndicatorShown(True)
    header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
    header.setSortIndicatorClearable(True)
    return table


def chosen_pairs(table: QTableView) -> list[Pair]:
    """The chosen rows, in their order."""
    model = table.model()
    assert isinstance(model, LedgerModel)
    numbers = sorted(index.row() for index in table.selectionModel().selectedRows())
    rows = [model.rows[number] for number in numbers if number < len(model.rows)]
    return [row for row in rows if isinstance(row, Pair)]


def choose_clips(table: QTableView, clips: set[str]) -> None:
    """Choose the rows of some clips; what is not shown is not chosen."""
    model = table.model()
    assert isinstance(model, LedgerModel)
    selection = table.selectionModel()
    flag = QItemSelectionModel.SelectionFlag
    selection.clearSelection()
    first = True
    for number, row in enumerate(model.rows):
        if isinstance(row, Pair) and row.clip.id in clips:
            index = model.index(number, 0)
            if first:
                selection.setCurrentIndex(index, flag.NoUpdate)
                first = False
            selection.select(index, flag.Select | flag.Rows)
