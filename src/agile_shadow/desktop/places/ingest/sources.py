"""Where footage comes from: cards and drives as they come and go, folders, watched folders."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PySide6.QtCore import QAbstractListModel, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QPainter, QPalette
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListView,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from ....core.ingest import MountedPlace, mounted_places, mounts_text
from ... import theme, words
from ...tables import Index
from ...work import Work

_LOOK = 1.0  # seconds between two looks at what is mounted
_AGAIN = 15  # looks after which a drive's contents are asked again, though none came or went
_HEIGHT = 44


@dataclass(frozen=True)
class SourceEntry:
    """One entry: ``kind`` is ``card``, ``drive``, ``folder`` or ``watched``; ``more`` says what there is to say."""

    path: Path
    name: str
    kind: str
    more: str = ""


class _Entries(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.sources: list[SourceEntry] = []

    def set_sources(self, sources: list[SourceEntry]) -> None:
        if [one.path for one in sources] == [one.path for one in self.sources]:
            self.sources = sources
            if sources:
                self.dataChanged.emit(self.index(0), self.index(len(sources) - 1))
            return
        self.beginResetModel()
        self.sources = sources
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.sources)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        source = self.sources[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return source.name
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{source.path}\n{source.more}".strip()
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{source.name}, {source.kind}, {source.more}"
        return source if role == Qt.ItemDataRole.UserRole else None


class _Painter(QStyledItemDelegate):
    """Two lines: the name, and below it what it is and what is going on."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(100, _HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        source = index.data(Qt.ItemDataRole.UserRole)
        rect = option.rect
        chosen = bool(option.state & option.state.State_Selected)
        painter.fillRect(rect, theme.colour("raised" if chosen else "panel"))
        if chosen:
            painter.fillRect(rect.adjusted(0, 0, 3 - rect.width(), 0), theme.colour("focus"))
        inner = rect.adjusted(11, 4, -8, -4)
        for font, colour, text, where in (
            (theme.sans(10, chosen), "text", source.name, Qt.AlignmentFlag.AlignTop),
            (theme.sans(8), "quiet", ", ".join(part for part in (source.kind, source.more) if part),
             Qt.AlignmentFlag.AlignBottom),
        ):  # fmt: skip
            painter.setFont(font)
            painter.setPen(theme.colour(colour))
            text = QFontMetrics(font).elidedText(text, Qt.TextElideMode.ElideMiddle, inner.width())
            painter.drawText(inner, where | Qt.AlignmentFlag.AlignLeft, text)


class SourcesList(QWidget):
    """``chosen`` tells that other sources are chosen; ``came`` gives a card that was put in just now."""

    chosen = Signal()
    came = Signal(MountedPlace)
    wants_folder = Signal()
    wants_watch = Signal()
    wants_no_watch = Signal(Path)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._places: list[MountedPlace] = []
        self._folders: list[Path] = []
        self._closing = threading.Event()
        self._first = True
        self._build()
        work.jobs_changed.connect(self.refresh)
        work.watches_changed.connect(self.refresh)
        work.ingest_ended.connect(self.refresh)
        threading.Thread(target=self._look, name="drives", daemon=True).start()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        self._entries = _Entries()
        self.list = QListView()
        self.list.setAccessibleName("Sources")
        self.list.setToolTip("Cards, drives, folders and watched folders; select one or several")
        self.list.setModel(self._entries)
        self.list.setItemDelegate(_Painter(self.list))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.selectionModel().selectionChanged.connect(lambda *_: self.chosen.emit())
        layout.addWidget(QLabel("Sources"))
        layout.addWidget(self.list, 1)
        self.hint = QLabel("Insert a card, or drop folders here.")
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        layout.addWidget(self.hint)
        row = QHBoxLayout()
        self.add = QPushButton("Folder…")
        self.add.setToolTip("Choose any folder as a source")
        self.add.clicked.connect(self.wants_folder)
        self.watch = QPushButton("Watch…")
        self.watch.setToolTip("Watch a folder: new files in it are ingested automatically with the preset shown")
        self.watch.clicked.connect(self._watch_clicked)
        for button in (self.add, self.watch):
            button.setProperty("small", True)
            row.addWidget(button)
        layout.addLayout(row)

    # What there is

    def add_folder(self, folder: Path) -> None:
        """Have a folder among the sources."""
        if folder not in self._folders and folder not in [place.path for place in self._places]:
            self._folders.append(folder)
        self.refresh()

    def choose(self, path: Path) -> None:
        """Choose one source."""
        for number, source in enumerate(self._entries.sources):
            if source.path == path:
                self.list.setCurrentIndex(self._entries.index(number))
                return
        self.list.clearSelection()

    def chosen_paths(self) -> list[Path]:
        """The sources chosen, in the order of the list."""
        rows = sorted(index.row() for index in self.list.selectionModel().selectedIndexes())
        return [self._entries.sources[row].path for row in rows if row < len(self._entries.sources)]

    @property
    def sources(self) -> list[SourceEntry]:
        """All entries."""
        return self._entries.sources

    def refresh(self) -> None:
        """Show what there is and what is going on."""
        chosen = self.chosen_paths()
        watched = {watch.request.source: watch for watch in self._work.desk.minding.watches}
        found: dict[Path, SourceEntry] = {}
        for place in self._places:
            more = self._more(place.path) or words.gigabytes(place.used)
            found[place.path] = SourceEntry(place.path, place.name, "card" if place.card else "drive", more)
        for folder in self._folders:
            if folder not in watched:
                found.setdefault(folder, SourceEntry(folder, folder.name, "folder", self._more(folder)))
        for folder, watch in watched.items():
            growing = f"{watch.growing} still being written" if watch.growing else ""
            more = watch.problem or self._more(folder) or growing
            found[folder] = SourceEntry(folder, folder.name, "watched", more)
        before = [source.path for source in self._entries.sources]
        quiet = list(found) == before
        self._entries.set_sources(list(found.values()))
        if not quiet:
            self._choose_again(chosen)
        path = chosen[0] if len(chosen) == 1 else None
        self.watch.setText("Stop watching" if path in watched else "Watch…")

    def _choose_again(self, paths: list[Path]) -> None:
        model = self.list.selectionModel()
        for number, source in enumerate(self._entries.sources):
            if source.path in paths:
                model.select(self._entries.index(number), model.SelectionFlag.Select)

    def _more(self, path: Path) -> str:
        run = self._work.run_of(path)
        if run is None:
            return ""
        person = run.waits_for_a_person
        return f"waits for {person}" if person else run.progress().in_short()

    def _watch_clicked(self) -> None:
        path = self.chosen_paths()[0] if len(self.chosen_paths()) == 1 else None
        if path is not None and any(watch.request.source == path for watch in self._work.desk.minding.watches):
            self.wants_no_watch.emit(path)
        else:
            self.wants_watch.emit()

    # Cards come and go

    def _look(self) -> None:
        last, looks = None, 0
        while not self._closing.wait(0.0 if last is None else _LOOK):
            now, looks = mounts_text(), looks + 1
            if now != last or looks % _AGAIN == 0:
                last = now
                places = mounted_places()
                self._tell(partial(self._take, places))

    def _tell(self, call: Callable[[], None]) -> None:
        if not self._closing.is_set():
            self._work.call_here(call)

    def _take(self, places: list[MountedPlace]) -> None:
        if self._closing.is_set():
            return
        known = {place.path for place in self._places}
        self._places = places
        self.refresh()
        for place in places:
            if place.path not in known and place.card and not self._first:
                self.came.emit(place)
        self._first = False

    def palette_changed(self) -> None:
        """The colours changed."""
        self.list.setPalette(QPalette())

    def close_list(self) -> None:
        """Look no more."""
        self._closing.set()
