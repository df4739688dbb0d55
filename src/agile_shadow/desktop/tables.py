"""Tables over values: a model that shows rows of a document through columns given as functions."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QHeaderView, QTableView

from .column_room import ColumnRoom
from .marks import mark_icon

Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True)
class Column:
    """A column: its title, its text for a row, the mark beside the text, whether numbers line up right."""

    title: str
    text: Callable[[Any], str]
    width: int = 100
    mark: Callable[[Any], str | None] = lambda row: None
    right: bool = False
    tip: Callable[[Any], str] | None = None
    key: Callable[[Any], Any] | None = None

    def sort_key(self, row: Any) -> Any:
        """What rows are sorted by in this column: its ``key``, else its text."""
        return self.key(row) if self.key is not None else self.text(row).casefold()


SORT = Qt.ItemDataRole.UserRole


class RowsModel(QAbstractTableModel):
    """Rows of any kind; asked only for what is in sight."""

    def __init__(self, columns: Sequence[Column]) -> None:
        super().__init__()
        self.columns = list(columns)
        self.rows: list[Any] = []
        self._icons: dict[str, Any] = {}

    def set_rows(self, rows: Sequence[Any]) -> None:
        """Show other rows; selection and scroll position stay when their number does."""
        rows = list(rows)
        if len(rows) != len(self.rows):
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        elif rows:
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(self.columns) - 1))

    def change_rows(self, changes: Iterable[tuple[int, Any]]) -> None:
        """Put other rows in the place of some, by number."""
        changed = []
        for number, row in changes:
            if 0 <= number < len(self.rows):
                self.rows[number] = row
                changed.append(number)
        if changed:
            last = len(self.columns) - 1
            self.dataChanged.emit(self.index(min(changed), 0), self.index(max(changed), last))

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section].title
        if role == Qt.ItemDataRole.TextAlignmentRole and self.columns[section].right:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        column, row = self.columns[index.column()], self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.text(row)
        if role == Qt.ItemDataRole.ToolTipRole:
            return column.tip(row) if column.tip is not None else column.text(row)
        if role == Qt.ItemDataRole.DecorationRole:
            kind = column.mark(row)
            return self._icon(kind) if kind is not None else None
        if role == Qt.ItemDataRole.TextAlignmentRole and column.right:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def _icon(self, kind: str) -> Any:
        if kind not in self._icons:
            self._icons[kind] = mark_icon(kind)
        return self._icons[kind]

    def forget_icons(self) -> None:
        """The colours changed."""
        self._icons.clear()


_TIPS = {
    "Files on the source": "What is on the source, and what happens to each file",
    "Clips of the report": "Each clip of the ingest with its state",
    "Pairs": "Originals on the left, their proxies on the right, the state of the pair between them",
    "Final check": "Originals that the film uses, and whether they are the files that were ingested",
    "Cards that were ingested": "Cards of this project, and whether they may be wiped",
    "Files of the card": "Each file of the card with its copies",
    "What is kept outside the shelves": "Folders of this program outside the shelves, with their sizes",
    "Projects that were opened on this machine": "Projects that this machine knows",
    "Jobs": "Every job; select one or several to move, pause, cancel or retry them",
    "Notes": "Notes of this timeline; click one to go there",
    "Clips": "Clips of the project; click one to see it in the viewer",
    "Films": "Films that are rendered or waiting, and those made in this session",
    "Commands and their keys": "Select a command to change its key",
    "Events and their clips": "Events of the timeline that came, and the clip that was found for each",
    "Files found": "What was found, with how certain it is",
    "Files to be removed": "Each file with its size; Move to trash removes them",
    "Files to look at": "Files that are not as recorded",
}


def rows_table(
    model: RowsModel, stretch: int, name: str, share: bool = True, optional: Sequence[int] = ()
) -> QTableView:
    """A view of rows: one row chosen at a time, one column taking the room that is left; ``share``: all columns as
    wide as what is in them, where there is room; ``optional``: columns that are left out where there is too little."""
    table = QTableView()
    table.setModel(model)
    table.setAccessibleName(name)
    table.setToolTip(_TIPS.get(name, name))
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
    table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QTableView.SelectionMode.SingleSelection)
    table.setTabKeyNavigation(False)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(27)
    header = table.horizontalHeader()
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    header.setHighlightSections(False)
    for number, column in enumerate(model.columns):
        table.setColumnWidth(number, column.width)
    if share:
        ColumnRoom(table, stretch, optional)
    else:
        header.setSectionResizeMode(stretch, QHeaderView.ResizeMode.Stretch)
    return table
