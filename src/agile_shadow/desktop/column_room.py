"""Columns share the room they have, by what is in them, until somebody drags one."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QApplication, QHeaderView, QTableView

BY_HAND = "by_hand"  # property of a table whose columns were dragged, or are as they were kept
_LEAST = 44  # pixels
_MARGIN, _TIGHT = 14, 3  # pixels beside a text; where there is too little room
_READABLE = 96  # pixels in which most texts can be read
_WHOLE = 184  # pixels for a column that is always shown, before an optional one gets any
_MAIN = 0.3  # of the room, for the column that the others stand beside
_MOST = 0.5  # of the room, for it before an optional column gets any
_SOON, _LATER = 60, 500  # milliseconds


def shared(wants: list[int], room: int, stretch: int, least: int = _LEAST) -> list[int]:
    """Widths of columns in pixels. What is left over goes to the column ``stretch``; where there is too little, the
    widest give way first, down to ``least``, and the column ``stretch`` keeps about a third of the room if it wants as
    much; where even that is too much, all others have ``least``."""
    wants = [max(least, want) for want in wants]
    if sum(wants) <= room:
        return [want + (room - sum(wants) if number == stretch else 0) for number, want in enumerate(wants)]
    floors = [min(want, max(least, int(room * _MAIN))) if number == stretch else least
              for number, want in enumerate(wants)]  # fmt: skip
    low, high = least, max(wants)
    while low < high:  # the greatest width that no column may pass, but for the floor of the main one
        middle = (low + high + 1) // 2
        if sum(_between(want, floor, middle) for want, floor in zip(wants, floors, strict=True)) <= room:
            low = middle
        else:
            high = middle - 1
    return [_between(want, floor, low) for want, floor in zip(wants, floors, strict=True)]


def _between(want: int, floor: int, most: int) -> int:
    return max(floor, min(want, most))


def left_out(wants: list[int], room: int, stretch: int, optional: Sequence[int]) -> set[int]:
    """Columns that are not shown, the first of ``optional`` first, so that what is in the others can be read: those
    that are always shown have what they want, within reason, before an optional one has its part."""
    needs = {
        number: min(want, max(_LEAST, int(room * _MOST)) if number == stretch
                    else _READABLE if number in optional else _WHOLE)
        for number, want in enumerate(wants)
    }  # fmt: skip
    gone: set[int] = set()
    for number in optional:
        if sum(needs.values()) <= room:
            break
        needs.pop(number, None)
        gone.add(number)
    return gone


class ColumnRoom(QObject):
    """Belongs to a table. ``optional``: columns that a narrow table leaves out, the first of them first."""

    def __init__(self, table: QTableView, stretch: int, optional: Sequence[int] = ()) -> None:
        super().__init__(table)
        self._table, self._stretch, self._optional = table, stretch, tuple(optional)
        self._setting = False
        self._widest: list[int] = []  # hints of rows that were in sight: widths do not jump while one scrolls
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SOON)
        self._timer.timeout.connect(self.share)
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(_LATER)
        self._late.timeout.connect(self.share)
        header = table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setResizeContentsPrecision(0)  # the rows in sight: asking a thousand for their widths takes seconds
        header.sectionResized.connect(self._resized)
        table.verticalScrollBar().valueChanged.connect(self._share_later)
        table.viewport().installEventFilter(self)
        self.follow()

    def follow(self) -> None:
        """Share the room anew when the table's model shows other rows."""
        model = self._table.model()
        model.modelReset.connect(self._begin_anew)
        model.rowsInserted.connect(self._timer.start)
        model.dataChanged.connect(self._changed)
        self._timer.start()

    def _begin_anew(self) -> None:
        self._widest = []
        self._timer.start()

    def _changed(self) -> None:
        self._widest = []  # what was long for a moment takes no room for good
        self._share_later()

    def _share_later(self) -> None:
        """What is in the rows changes often while work goes on: now and then is enough."""
        if not self._late.isActive():
            self._late.start()

    def share(self) -> None:
        """Give every column its width."""
        table = self._table
        model = table.model()
        if table.property(BY_HAND) or model is None or not table.isVisible():
            return
        header = table.horizontalHeader()
        hints = [
            max(table.sizeHintForColumn(number), header.sectionSizeHint(number))
            for number in range(model.columnCount())
        ]
        if len(self._widest) == len(hints):
            hints = [max(hint, known) for hint, known in zip(hints, self._widest, strict=True)]
        self._widest = hints
        room = table.viewport().width()
        gone = left_out([hint + _TIGHT for hint in hints], room, self._stretch, self._optional)
        spare = room - sum(hint for number, hint in enumerate(hints) if number not in gone)
        margin = max(_TIGHT, min(_MARGIN, spare // (len(hints) - len(gone))))
        wants = [hint + margin for hint in hints]
        shown = [number for number in range(len(wants)) if number not in gone]
        widths = shared([wants[number] for number in shown], room, shown.index(self._stretch))
        self._setting = True
        for number in self._optional:
            table.setColumnHidden(number, number in gone)
        for number, width in zip(shown, widths, strict=True):
            table.setColumnWidth(number, width)
        self._setting = False

    def _resized(self, _section: int, _old: int, _new: int) -> None:
        if not self._setting and QApplication.mouseButtons() & Qt.MouseButton.LeftButton:
            self._table.setProperty(BY_HAND, True)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Another width of the table is other room."""
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Show):
            self._timer.start()
        return super().eventFilter(watched, event)
