"""One shelf: what takes room on it, what may go, when it was read and what came of it."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted, needing
from ....core.shelves import SECOND
from ....core.storage import ROOM_KINDS, Room, RoomKind, age_words
from ... import theme, words
from ...flow import FlowLayout
from ...labels import set_look
from .picture import KIND_TIPS, KIND_WORDS, RoomPicture, paint_kind
from .shelves import ShelfRow, shelf_words

if TYPE_CHECKING:
    from .place import StoragePlace

_PLANS = ((0, "only when asked"), (1, "every week"), (2, "every 2 weeks"), (4, "every 4 weeks"), (13, "every 13 weeks"))


class KindChip(QWidget):
    """A kind in the legend: its face, its words, its amount."""

    def __init__(self, kind: RoomKind, room: int, files: int) -> None:
        super().__init__()
        self.kind = kind
        self.text = f"{KIND_WORDS[kind]} {words.gigabytes(room)}"
        many = f"{counted(files, 'file')}. " if files > 1 else ""
        self.setToolTip(f"{many}{KIND_TIPS[kind]}")
        self.setAccessibleName(self.text)
        self.setFont(theme.sans(9))

    def sizeHint(self) -> QSize:
        return QSize(24 + self.fontMetrics().horizontalAdvance(self.text), 18)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        paint_kind(painter, QRectF(1, 3, 15, 12), self.kind)
        painter.setPen(theme.colour("text"))
        painter.drawText(QRectF(21, 0, self.width() - 21, 18), Qt.AlignmentFlag.AlignVCenter, self.text)


class ShelfPanel(QWidget):
    """``room``: what was counted last; None while it is being counted or the shelf is away.

    Large: its attributes are its controls.
    """

    def __init__(self, place: StoragePlace) -> None:
        super().__init__()
        self._place = place
        self.row: ShelfRow | None = None
        self.room: Room | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        top = QHBoxLayout()
        self.name = QLabel("")
        self.name.setObjectName("heading")
        self.role = QLabel("")
        self.role.setObjectName("quiet")
        self.for_all = QCheckBox("Available in all projects")
        self.for_all.setToolTip("Offer this shelf in other projects too")
        self.for_all.clicked.connect(lambda on: self._with(lambda row: place.set_for_all(row.state.shelf, on)))
        top.addWidget(self.name)
        top.addWidget(self.role)
        top.addStretch(1)
        top.addWidget(self.for_all)
        self.rename = self._button(top, "Rename…", lambda row: place.rename(row.state.shelf))
        self.rename.setToolTip("Give this shelf another name; its folder keeps its own")
        self.move_ = self._button(top, "Locate…", lambda row: place.point_elsewhere(row.state.shelf))
        self.move_.setToolTip("Choose the folder this shelf is in now.")
        self.remove = self._button(top, "Remove from list", lambda row: place.remove(row.state.shelf))
        self.remove.setToolTip("The folder and its files are kept.")
        layout.addLayout(top)
        self.path = QLabel("")
        self.path.setObjectName("path")
        self.path.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.path)
        self.says = QLabel("")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        layout.addLayout(self._way())
        self.picture = RoomPicture()
        self.picture.went.connect(self._show_way)
        layout.addWidget(self.picture, 1)
        self.legend = QWidget()
        self._chips = FlowLayout(14, 4)
        self.legend.setLayout(self._chips)
        layout.addWidget(self.legend)
        layout.addLayout(self._actions())

    def _button(self, row: QHBoxLayout, title: str, call: Any) -> QPushButton:
        button = QPushButton(title)
        button.setProperty("small", True)
        button.clicked.connect(lambda _checked=False: self._with(call))
        row.addWidget(button)
        return button

    def _with(self, call: Any) -> None:
        if self.row is not None:
            call(self.row)

    def _way(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.up = QPushButton("Up")
        self.up.setToolTip("Back to the folder above (Backspace).")
        self.up.clicked.connect(lambda: self.picture.go_out())
        self.way = QLabel("")
        self.way.setObjectName("quiet")
        self.again = QPushButton("Recount")
        self.again.setToolTip("Measure again what is on the shelf")
        self.again.clicked.connect(lambda: self._with(self._place.count))
        row.addWidget(self.up)
        row.addWidget(self.way, 1)
        row.addWidget(self.again)
        return row

    def _actions(self) -> QVBoxLayout:
        self.tidy = QPushButton("Free up space…")
        self.tidy.setToolTip("Choose files that can be made again, see what that frees and costs, and trash them.")
        self.tidy.clicked.connect(lambda: self._place.open_tidy())
        self.bring = QPushButton("Update copies")
        self.bring.setToolTip("Copy what this shelf for second copies lacks, and read it back.")
        self.bring.clicked.connect(lambda: self._with(lambda one: self._place.bring_up(one.state.shelf)))
        self.read = QPushButton("Check now")
        self.read.setToolTip("Read every file and compare it with its recorded checksum.")
        self.read.clicked.connect(lambda: self._with(lambda one: self._place.keep(one.state.shelf)))
        self.plan = QComboBox()
        self.plan.setAccessibleName("How often this shelf is checked automatically")
        self.plan.setToolTip("How often this shelf is checked automatically")
        for weeks, text in _PLANS:
            self.plan.addItem(f"read {text}", weeks)
        self.plan.activated.connect(lambda _number: self._planned())
        self.night = QCheckBox("at night")
        self.night.setToolTip("Start only between 22:00 and 6:00.")
        self.night.clicked.connect(lambda _on: self._planned())
        buttons = FlowLayout(8, 6)
        for widget in (self.tidy, self.bring, self.read, self.plan, self.night):
            buttons.addWidget(widget)
        self.found = QPushButton("Show…")
        self.found.setToolTip("Files that are not as recorded, and those without a record")
        self.found.hide()
        self.found.clicked.connect(lambda: self._with(self._place.show_kept))
        self.last = QLabel("")
        self.last.setObjectName("quiet")
        self.last.setWordWrap(True)
        row = QHBoxLayout()
        row.addWidget(self.last, 1)
        row.addWidget(self.found)
        column = QVBoxLayout()
        column.setSpacing(5)
        column.addLayout(buttons)
        column.addLayout(row)
        return column

    def _planned(self) -> None:
        weeks, night = int(self.plan.currentData()), self.night.isChecked()
        self._with(lambda row: self._place.set_plan(row.state.shelf, weeks, night))

    # Showing

    def show_row(self, row: ShelfRow) -> None:
        """Show a shelf as it was looked at."""
        another = self.row is None or self.row.state.shelf.id != row.state.shelf.id
        self.row = row
        shelf, used = row.state.shelf, bool(row.originals or row.proxies)
        self.name.setText(shelf.name)
        self.role.setText(f"for {shelf.role}")
        self.path.setText(str(shelf.root))
        self.says.setText(shelf_words(row))
        set_look(self.says, "quiet" if row.state.present and not row.missing else "warn")
        self.for_all.setChecked(row.for_all)
        self.remove.setEnabled(not used)
        self.remove.setToolTip("It holds files of this project." if used else "The folder and its files are kept.")
        self.bring.setVisible(shelf.role == SECOND)
        for widget in (self.read, self.bring, self.again):
            widget.setEnabled(row.state.present and row.in_project)
        index = max(0, self.plan.findData(row.plan.weeks))
        self.plan.setCurrentIndex(index)
        self.night.setChecked(row.plan.night)
        self.night.setEnabled(row.plan.weeks > 0)
        self._show_last(row)
        if another or not row.state.present:
            self.show_room(None)

    def _show_last(self, row: ShelfRow) -> None:
        kept = row.kept
        self.found.setVisible(kept is not None and bool(kept.lost or kept.added))
        if kept is None:
            self.last.setText("Never read as a whole")
            return
        self.last.setText(f"Read {age_words(time.time() - kept.ended)}: {kept.said()}")
        set_look(self.last, "warn" if kept.lost else "quiet")
        self.found.setText(f"{needing(len(kept.lost))}…" if kept.lost else "Show…")

    def show_room(self, room: Room | None) -> None:
        """Show what was counted; None: nothing yet."""
        self.room = room
        self.picture.show_area(room.whole if room is not None else None)
        while (item := self._chips.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()
        if room is not None:
            for kind in ROOM_KINDS:
                if room.whole.kinds.get(kind):
                    self._chips.addWidget(KindChip(kind, room.whole.kinds[kind], room.counts.get(kind, 0)))
        self._show_way()

    def _show_way(self) -> None:
        path = self.picture.path
        self.up.setEnabled(len(path) > 1)
        if not path:
            away = self.row is not None and not self.row.state.present
            self.way.setText("Nothing can be counted while the shelf is not connected" if away else "Counting…")
            return
        names = " / ".join(area.name for area in path)
        unread = f"; {len(self.room.unread)} could not be read" if self.room and self.room.unread else ""
        self.way.setText(f"{names}: {words.gigabytes(path[-1].room)} in {path[-1].files} files{unread}")
        self.way.setToolTip("\n".join(f"{where}: {why}" for where, why in self.room.unread[:30]) if self.room else "")
