"""The files of a source: rows with posters, sorted and filtered by what is known of them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QSize, QSortFilterProxyModel, Qt, Signal
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ....core.ingest import Inspection, ItemState, SourceFile
from ... import theme, words
from ...column_room import ColumnRoom
from ...invitation import Invitation
from ...poster_grid import Cell, PosterGrid
from ...poster_switch import PosterSwitch
from ...tables import SORT, Column, Index, RowsModel, rows_table

POSTER = QSize(64, 36)
_KEPT_LARGE = 300  # posters in their own size
_KEPT = 600  # posters held as pixmaps
PHASES = {
    "": "new", "here": "known", "waiting": "waiting", "copying": "copying and verifying", "copied": "copied",
    "queued": "proxy waiting", "making": "making proxy", "paired": "paired with its proxy",
    "looking": "reading file details", "measuring": "measuring headroom", "no need": "no proxy needed on this machine",
    "passed over": "skipped", "in place": "in place", "failed": "needs attention", "stopped": "stopped",
    "cancelled": "cancelled", "waiting for the card": "waiting for its card",
    "waiting for room": "waiting for free space", "waiting for a drive": "waiting for a drive",
}  # fmt: skip
_KINDS = {"video": "video", "sequence": "image sequence", "still": "still", "sound": "sound"}


@dataclass(frozen=True)
class FileRow:
    """One file of the source: as found, as the run has it, and what its head says once it was opened."""

    file: SourceFile
    item: ItemState
    seen: Inspection | None = None

    @property
    def name(self) -> str:
        """File name; of a recording its first file and how many follow."""
        own = self.file.files
        if len(own) > 1 and self.file.kind == "video":
            return f"{PurePosixPath(own[0]).name} and {len(own) - 1} more"
        return PurePosixPath(self.file.path).name

    @property
    def folder(self) -> str:
        """Folder below the source."""
        folder = str(PurePosixPath(self.file.path).parent)
        return "" if folder == "." else folder

    @property
    def state(self) -> str:
        """In words, with the part done."""
        if self.item.here and self.item.phase == "in place":
            return PHASES["here"]
        text = PHASES.get(self.item.phase, self.item.phase)
        if self.item.proved and self.item.phase in ("copied", "queued"):
            text = "verified" if self.item.phase == "copied" else f"verified; {text}"
        return f"{text}, {self.item.done:.0%}" if self.item.phase in ("copying", "making") else text

    @property
    def recorded(self) -> str:
        """Day and time as the file says."""
        return self.seen.head.recorded if self.seen is not None and self.seen.head is not None else ""

    @property
    def camera(self) -> str:
        """Camera and reel as the file says."""
        head = self.seen.head if self.seen is not None else None
        return " ".join(part for part in (head.camera, head.reel) if part) if head is not None else ""

    @property
    def seconds(self) -> float:
        """Length of the picture, 0 while it is not known."""
        moving = self.file.kind in ("video", "sequence")
        return float(self.seen.head.seconds) if moving and self.seen is not None and self.seen.head is not None else 0.0


def _length(row: FileRow) -> str:
    seconds = row.seconds
    return f"{int(seconds) // 60}:{seconds % 60:04.1f}" if seconds else ""


def _with_it(row: FileRow) -> str:
    parts = []
    if row.file.sidecars:
        parts.append(f"{len(row.file.sidecars)} sidecar{'s' if len(row.file.sidecars) > 1 else ''}")
    if row.file.copies:
        parts.append("camera proxy")
    return ", ".join(parts)


def _tip(row: FileRow) -> str:
    lines = [row.folder, *(PurePosixPath(path).name for path in row.file.files[:12])]
    if row.file.copies:
        lines.append(f"camera proxy: {', '.join(row.file.copies)}")
    lines += [f"sidecar: {path}" for path in row.file.sidecars[:12]]
    return "\n".join(line for line in lines if line)


COLUMNS = (
    Column("File", lambda row: row.name, 196, tip=_tip),
    Column("State", lambda row: row.state, 168, tip=lambda row: row.item.note or row.state),
    Column("Size", lambda row: words.gigabytes(row.file.size), 78, right=True, key=lambda row: row.file.size),
    Column("Length", _length, 60, right=True, key=lambda row: row.seconds),
    Column("Recorded", lambda row: row.recorded[:16], 118),
    Column("Camera, reel", lambda row: row.camera, 112),
    Column("Kind", lambda row: _KINDS[row.file.kind], 100),
    Column("Sidecars, proxy", _with_it, 112, tip=_tip),
    Column("Folder", lambda row: row.folder, 160),
)


class FilesModel(RowsModel):
    """Rows with a poster before the name."""

    def __init__(self) -> None:
        super().__init__(COLUMNS)
        self._posters: OrderedDict[str, QPixmap] = OrderedDict()

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == SORT:
            row = self.rows[index.row()]
            return self.columns[index.column()].sort_key(row)
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            return self._poster(self.rows[index.row()])
        return super().data(index, role)

    def _poster(self, row: FileRow) -> QPixmap:
        data = row.seen.picture if row.seen is not None else None
        key = row.file.path if data else f" {row.file.kind}"
        if key not in self._posters:
            self._posters[key] = _framed(data, row.file.kind)
            while len(self._posters) > _KEPT:
                self._posters.popitem(last=False)
        return self._posters[key]

    def forget(self) -> None:
        """Another source, or other colours."""
        self._posters.clear()


def _framed(data: bytes | None, kind: str) -> QPixmap:
    """A poster on the neutral surround; without one, the kind in a word."""
    out = QPixmap(POSTER)
    out.fill(theme.colour("surround"))
    painter = QPainter(out)
    picture = QPixmap()
    if data is not None and picture.loadFromData(data):
        small = picture.scaled(POSTER, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        painter.drawPixmap((POSTER.width() - small.width()) // 2, (POSTER.height() - small.height()) // 2, small)
    else:
        painter.setPen(Qt.GlobalColor.lightGray)
        painter.setFont(theme.sans(7))
        painter.drawText(out.rect(), Qt.AlignmentFlag.AlignCenter, {"sequence": "images"}.get(kind, kind))
    painter.end()
    return out


class _Filter(QSortFilterProxyModel):
    """Shows the rows that have the words, day and state asked for."""

    def __init__(self) -> None:
        super().__init__()
        self.text, self.day, self.state = "", "", ""
        self.setSortRole(SORT)

    def filterAcceptsRow(self, number: int, parent: QModelIndex | QPersistentModelIndex) -> bool:
        if not (self.text or self.day or self.state):
            return True
        model = self.sourceModel()
        assert isinstance(model, FilesModel)
        row: FileRow = model.rows[number]
        if self.day and row.recorded[:10] != self.day:
            return False
        if self.state and group_of(row) != self.state:
            return False
        whole = f"{row.file.path} {row.camera} {row.state} {_KINDS[row.file.kind]} {row.recorded}".casefold()
        return all(word in whole for word in self.text.split())

    def lessThan(self, left: QModelIndex | QPersistentModelIndex, right: QModelIndex | QPersistentModelIndex) -> bool:
        one, two = left.data(SORT), right.data(SORT)
        return bool(one < two) if one != two else left.row() < right.row()


GROUPS = ("new", "known", "in progress", "done", "needs attention")


def group_of(row: FileRow) -> str:
    """The state in the few words by which rows are chosen."""
    phase = row.item.phase
    if phase == "":
        return "new"
    if phase == "here" or row.item.here:
        return "known"
    if phase == "failed":
        return "needs attention"
    return "done" if row.item.ended else "in progress"


class SourcePosters(PosterGrid):
    """The files of a source as posters, those that the list shows in its order."""

    def __init__(self, shown: _Filter, model: FilesModel) -> None:
        super().__init__("Files as posters", "Each file with what becomes of it")
        self._shown, self._files = shown, model
        self._large: OrderedDict[str, QPixmap] = OrderedDict()
        self.setModel(shown)

    def cell_of(self, index: Index) -> Cell:
        """What is shown of a row."""
        row: FileRow = self._files.rows[self._shown.mapToSource(self._shown.index(index.row(), 0)).row()]
        there = row.item.phase == "here" or row.item.here or row.item.ended
        kinds = ("original", "proxy") if row.item.phase == "paired" else ("original",) if there else ()
        word = {"sequence": "images"}.get(row.file.kind, row.file.kind)
        return Cell(row.name, row.state, kinds, self._picture(row), word, row.item.phase == "failed")

    def _picture(self, row: FileRow) -> QPixmap | None:
        data = row.seen.picture if row.seen is not None else None
        if data is None:
            return None
        key = f"{row.file.path} {len(data)}"
        if key not in self._large:
            picture = QPixmap()
            picture.loadFromData(data)
            self._large[key] = picture
            while len(self._large) > _KEPT_LARGE:
                self._large.popitem(last=False)
        return self._large[key]

    def forget(self) -> None:
        """Another source."""
        self._large.clear()


class FilesList(QWidget):
    """The table with its search line. ``looked`` tells that other rows came into sight."""

    looked = Signal()
    wants_folder = Signal()

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search names, cameras, reels, states")
        self.search.setAccessibleName("Search files")
        self.search.setToolTip("Shows the files whose name, camera, reel or state contains all words")
        self.search.textChanged.connect(self._filter)
        self.day = QComboBox()
        self.day.setAccessibleName("Day of recording")
        self.day.setToolTip("Show the files of one day only")
        self.state = QComboBox()
        self.state.setAccessibleName("State")
        self.state.setToolTip("Show the files in one state only")
        self.state.addItem("All states", "")
        for group in GROUPS:
            self.state.addItem(group, group)
        for box in (self.day, self.state):
            box.currentIndexChanged.connect(self._filter)
        self.count = QLabel("")
        self.count.setObjectName("quiet")
        row.setSpacing(4)
        row.addWidget(self.search, 1)
        row.addWidget(self.day)
        row.addWidget(self.state)
        row.addWidget(self.count)
        self.posters = PosterSwitch("Show the files as posters instead of rows")
        row.addWidget(self.posters)
        layout.addLayout(row)
        self.model = FilesModel()
        self._shown = _Filter()
        self._shown.setSourceModel(self.model)
        self.table: QTableView = rows_table(self.model, 0, "Files on the source", optional=(8, 7, 6, 5, 4, 3))
        self.table.setModel(self._shown)
        room = self.table.findChild(ColumnRoom)
        assert isinstance(room, ColumnRoom)
        room.follow()
        self.invitation = Invitation(
            self.table, "No source is shown. Insert a card, drop a folder here, or choose one.",
            ("Choose a folder…", self.wants_folder.emit), lambda: not self.model.rows,
        )  # fmt: skip
        self.table.verticalHeader().setDefaultSectionSize(POSTER.height() + 6)
        self.table.setIconSize(POSTER)
        self.table.setSortingEnabled(True)
        self.table.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.table.verticalScrollBar().valueChanged.connect(self.looked)
        self.grid = SourcePosters(self._shown, self.model)
        self.grid.verticalScrollBar().valueChanged.connect(self.looked)
        self._views = QStackedWidget()
        self._views.addWidget(self.table)
        self._views.addWidget(self.grid)
        self.posters.button.toggled.connect(self._show_posters)
        self.posters.size_slider.valueChanged.connect(self.grid.set_width)
        layout.addWidget(self._views, 1)
        self._known: dict[str, int] = {}
        self._fill_days()

    @property
    def rows(self) -> list[FileRow]:
        """All rows, in the order of the source."""
        return self.model.rows

    def set_rows(self, rows: Sequence[FileRow]) -> None:
        """Show another source, or the same with other files."""
        self.model.set_rows(rows)
        self._known = {row.file.path: number for number, row in enumerate(rows)}
        self._fill_days()
        self._count()

    def set_items(self, changes: Iterable[tuple[str, ItemState]]) -> None:
        """Other states of some files, by path."""
        rows = []
        for path, item in changes:
            number = self._known.get(path)
            if number is not None:
                rows.append((number, replace(self.model.rows[number], item=item)))
        self.model.change_rows(rows)
        if rows:
            self._count()

    def set_seen(self, path: str, seen: Inspection) -> None:
        """What the head of a file says."""
        number = self._known.get(path)
        if number is not None:
            row = replace(self.model.rows[number], seen=seen)
            self.model.change_rows([(number, row)])
            if row.recorded and self.day.findData(row.recorded[:10]) < 0:
                self._fill_days()

    def _show_posters(self, on: bool) -> None:
        self._views.setCurrentWidget(self.grid if on else self.table)
        self.looked.emit()

    def in_sight(self) -> list[FileRow]:
        """The rows that are on screen."""
        if self._views.currentWidget() is self.grid:
            shown = [self._shown.mapToSource(self._shown.index(row, 0)) for row in self.grid.rows_in_sight()]
            return [self.model.rows[index.row()] for index in shown if index.isValid()]
        first = max(0, self.table.rowAt(0))
        last = self.table.rowAt(self.table.viewport().height() - 1)
        last = last if last >= 0 else self._shown.rowCount() - 1
        indexes = (self._shown.mapToSource(self._shown.index(number, 0)) for number in range(first, last + 1))
        return [self.model.rows[index.row()] for index in indexes if index.isValid()]

    def _fill_days(self) -> None:
        days = sorted({row.recorded[:10] for row in self.model.rows if row.recorded})
        chosen = self.day.currentData()
        self.day.blockSignals(True)
        self.day.clear()
        self.day.addItem("All days", "")
        for day in days:
            self.day.addItem(day, day)
        self.day.setCurrentIndex(max(0, self.day.findData(chosen)))
        self.day.blockSignals(False)

    def _filter(self, *_ignored: Any) -> None:
        self._shown.text = self.search.text().casefold()
        self._shown.day = self.day.currentData() or ""
        self._shown.state = self.state.currentData() or ""
        self._shown.invalidate()
        self._count()
        self.looked.emit()

    def _count(self) -> None:
        shown, whole = self._shown.rowCount(), len(self.model.rows)
        self.count.setText(f"{shown} of {whole}" if shown != whole else "")
