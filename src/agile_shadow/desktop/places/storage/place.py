"""Storage: the shelves with what lies on them, the cards, and this machine."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.desk import KeepRun, SecondRun
from ....core.errors import ShadowError, sentence
from ....core.jobs import Executor
from ....core.shelves import ROLES, Shelf, forget_user_shelf, keep_user_shelf, mark_shelf, user_shelves
from ....core.storage import Room, RoomRequest, claims_of, measure_room
from ....core.storage.kept import set_plan
from ....core.timeline.model import new_id
from ...choosing import ask_folder
from ...work import Work
from ..place import PlacePage
from .cards_panel import CardsPanel
from .helpers_panel import HelpersPanel
from .kept_dialog import KeptDialog
from .kit_panel import KitPanel
from .machine_panel import MachinePanel
from .shelf_panel import ShelfPanel
from .shelves import ShelfRow, look_at_shelves, lying_at, mended
from .tidy_dialog import TidyDialog

_KEY = Qt.ItemDataRole.UserRole
_CARDS, _KITS, _HELPERS, _MACHINE = "cards", "kits", "helpers", "machine"


class StoragePlace(PlacePage):
    """``rows``: the shelves as they were looked at last; ``rooms``: what was counted, by the shelf's identity.

    Large: its attributes are its controls, its methods what each of them is connected to.
    """

    def __init__(self, work: Work, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self._work = work
        self.rows: list[ShelfRow] = []
        self._looks = 0
        self._wish = ""  # what is to be chosen once the list is there
        self.rooms: dict[str, Room] = {}
        self._counting: set[str] = set()
        self._counter: Executor | None = None
        self._running: set[int] = set()
        self.dialog: QDialog | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(14)
        layout.addLayout(self._side())
        right = QVBoxLayout()
        layout.addLayout(right, 1)
        self.message = QLabel("")
        self.message.setObjectName("warn")
        self.message.setWordWrap(True)
        self.message.hide()
        right.addWidget(self.message)
        self.pages = QStackedWidget()
        right.addWidget(self.pages, 1)
        self.shelf = ShelfPanel(self)
        self.cards = CardsPanel(work)
        self.kits = KitPanel(work)
        self.helpers = HelpersPanel(work)
        self.machine = MachinePanel(work)
        self.empty = QLabel("No shelves yet. An ingest adds those it needs, or add one here.")
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        for page in (self.shelf, self.cards, self.kits, self.helpers, self.machine, self.empty):
            self.pages.addWidget(page)
        self.list.currentItemChanged.connect(lambda _now, _before: self._chosen())
        work.jobs_changed.connect(self._look_at_runs)

    def _side(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setSpacing(7)
        self.list = QListWidget()
        self.list.setFixedWidth(212)
        self.list.setAccessibleName("Shelves, cards, helpers, this machine")
        self.list.setToolTip("Select what to see on the right")
        side.addWidget(self.list, 1)
        self.role = QComboBox()
        self.role.setAccessibleName("Role of a new shelf")
        self.role.setToolTip("What the new shelf is for")
        for role in ROLES:
            self.role.addItem(f"for {role}", role)
        self.add = QPushButton("Add shelf…")
        self.add.setToolTip("Choose a folder for this role")
        self.add.clicked.connect(lambda: self._add())
        self.again = QPushButton("Refresh")
        self.again.setToolTip("Look again where the shelves are")
        self.again.clicked.connect(lambda: self.refresh())
        for widget in (self.role, self.add, self.again):
            side.addWidget(widget)
        return side

    def entered(self) -> None:
        """The place was opened."""
        self.refresh()
        if self.pages.currentWidget() is self.cards:
            self.cards.entered()

    def left(self) -> None:
        """Another place was opened."""
        self.cards.left()

    def refresh(self) -> None:
        """Look at all shelves on a thread; those that moved are mended by themselves."""
        project = self._work.session.project
        self._looks += 1
        number = self._looks

        def then(rows: list[ShelfRow]) -> None:
            if number == self._looks:  # what was asked for before may come after it
                self._show(rows)

        self._work.in_background(lambda: look_at_shelves(project, user_shelves()), then)

    def _show(self, rows: list[ShelfRow]) -> None:
        found = [row for row in rows if row.state.found_at is not None and row.in_project]
        if found:
            self._work.session.absorb(lambda footage: mended(footage, found))
            names = "; ".join(f"{row.state.shelf.name} at {row.state.found_at}" for row in found)
            self._tell(f"Found again: {names}.")
            self.refresh()
            return
        self.rows = rows
        self._list_rows()

    def _list_rows(self) -> None:
        chosen = self.list.currentItem()
        key = chosen.data(_KEY) if chosen is not None else None
        self.list.blockSignals(True)
        self.list.clear()
        for row in self.rows:
            shelf = row.state.shelf
            state = f"for {shelf.role}" if row.state.present else "not connected"
            missing = f"{row.missing} of {counted(row.files, 'file')} missing"
            text = f"{shelf.name}\n{missing if row.missing else state}"
            self._item(text, shelf.id)
        self._item("Cards\nwhich may be wiped", _CARDS)
        self._item("Travel kit\nto cut elsewhere", _KITS)
        self._item("Helpers\nother machines", _HELPERS)
        self._item("This machine\noutside the shelves", _MACHINE)
        keys = [self.list.item(number).data(_KEY) for number in range(self.list.count())]
        self.list.setCurrentRow(keys.index(key) if key in keys else 0)
        self.list.blockSignals(False)
        wish, self._wish = self._wish, ""
        if wish in keys:  # asked for before the list was there
            self.choose(wish)
        self._chosen(again=not wish)

    def _item(self, text: str, key: str) -> None:
        item = QListWidgetItem(text)
        item.setData(_KEY, key)
        item.setSizeHint(QSize(190, 44))
        self.list.addItem(item)

    def choose(self, key: str) -> None:
        """Choose a shelf by its identity, ``cards``, ``kits``, ``helpers`` or ``machine``."""
        self._wish = key
        for number in range(self.list.count()):
            if self.list.item(number).data(_KEY) == key:
                self._wish = ""
                self.list.setCurrentRow(number)

    def _chosen(self, again: bool = False) -> None:
        item = self.list.currentItem()
        key = item.data(_KEY) if item is not None else ""
        row = next((one for one in self.rows if one.state.shelf.id == key), None)
        pages: dict[str, QWidget] = {_CARDS: self.cards, _KITS: self.kits, _HELPERS: self.helpers,
                                     _MACHINE: self.machine}  # fmt: skip
        page = self.shelf if row is not None else pages.get(key, self.empty)
        before = self.pages.currentWidget()
        self.pages.setCurrentWidget(page)
        if row is not None:
            self.shelf.show_row(row)
            self.shelf.show_room(self.rooms.get(key) if row.state.present else None)
            self.count(row)
        if isinstance(page, CardsPanel | KitPanel | HelpersPanel | MachinePanel) and not again:
            page.entered()
        if before is self.cards and page is not self.cards:
            self.cards.left()

    def _tell(self, text: str) -> None:
        self.message.setText(text)
        self.message.setVisible(bool(text))

    # Counting

    def count(self, row: ShelfRow) -> None:
        """Count what lies on a shelf, in a worker."""
        shelf = row.state.shelf
        if not row.state.present or shelf.id in self._counting:
            return
        self._counting.add(shelf.id)
        session = self._work.session

        def ask() -> RoomRequest:
            return RoomRequest(shelf.root, tuple(claims_of(session.project)), session.path, shelf.role)

        def failed(why: str) -> None:
            self._counting.discard(shelf.id)
            self.shelf.way.setText(why)

        self._work.in_background(ask, lambda request: self._submit(shelf, request), failed)

    def _submit(self, shelf: Shelf, request: RoomRequest) -> None:
        if self._counter is None:
            self._counter = self._work.machine.hire("wanted", 1, 120.0)
        future = self._counter.submit(measure_room, request, lambda _done: None)
        future.add_done_callback(lambda done: self._work.call_here(lambda: self._counted(shelf, done)))

    def _counted(self, shelf: Shelf, future: Any) -> None:
        self._counting.discard(shelf.id)
        try:
            room: Room = future.result()
        except Exception as error:
            self.shelf.way.setText(sentence(error))
            return
        self.rooms[shelf.id] = room
        if self.shelf.row is not None and self.shelf.row.state.shelf.id == shelf.id:
            self.shelf.show_room(room)

    # What can be done

    def _add(self) -> None:
        chosen = ask_folder(self, "Add a shelf")
        if chosen is not None:
            self.add_shelf(chosen, self.role.currentData())

    def add_shelf(self, root: Path, role: str) -> None:
        """Make a folder a shelf of this project."""
        shelf = Shelf(new_id(), root.name or str(root), role, root)
        self._change(lambda: mark_shelf(shelf))

    def rename(self, shelf: Shelf) -> None:
        """Ask for another name."""
        name, good = QInputDialog.getText(self, "Rename", f"New name of the shelf {shelf.name}", text=shelf.name)
        if good and name.strip():
            self._change(lambda: replace(shelf, name=name.strip()))

    def point_elsewhere(self, shelf: Shelf) -> None:
        """Ask where it lies now."""
        chosen = ask_folder(self, f"Locate shelf {shelf.name}", str(shelf.root.parent), kind="Locate a shelf")
        if chosen is not None:
            self._change(lambda: lying_at(shelf, chosen))

    def set_for_all(self, shelf: Shelf, on: bool) -> None:
        """Keep it for all projects, or for this one only."""
        if on:
            self._change(lambda: shelf, keep=True)
        else:
            self._do(lambda: forget_user_shelf(shelf.id))

    def remove(self, shelf: Shelf) -> None:
        """Take it off the lists; nothing on the drive changes."""

        def forget() -> None:
            if any(known.id == shelf.id for known in user_shelves()):
                forget_user_shelf(shelf.id)

        self._do(forget)
        self._work.session.absorb(lambda footage: footage.without_shelf(shelf.id))
        self.refresh()

    def set_plan(self, shelf: Shelf, weeks: int, night: bool) -> None:
        """Choose how often a shelf is read by itself."""
        self._work.in_background(lambda: set_plan(shelf.root, weeks, night), lambda _done: self.refresh())

    def keep(self, shelf: Shelf) -> None:
        """Read a shelf, in the queue."""
        self._work.asked.keep(shelf)

    def bring_up(self, shelf: Shelf) -> None:
        """Bring second copies up to date, in the queue."""
        self._work.asked.second_copies(shelf)

    def show_kept(self, row: ShelfRow) -> None:
        """What was found when the shelf was read."""
        if row.kept is not None:
            self._open(KeptDialog(self._work, row.state.shelf, row.kept, self))

    def open_tidy(self) -> None:
        """Tick what to remove."""
        self._open(TidyDialog(self._work, self))

    def _open(self, dialog: QDialog) -> None:
        self.dialog = dialog
        dialog.finished.connect(lambda _result: self._closed())
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _closed(self) -> None:
        self.dialog = None
        self.refresh()

    def _look_at_runs(self) -> None:
        """A reading or copying ended: look again."""
        running = {id(run) for run in self._work.desk.runs if isinstance(run, KeepRun | SecondRun)}
        if self._running - running and self.isVisible():
            self.refresh()
        self._running = running

    def _change(self, make: Any, keep: bool = False) -> None:
        """Make a shelf on a thread, then put it into the project, and among the user's where it is one of them. One
        that was taken off the list meanwhile stays off it."""
        before = {shelf.id for shelf in self._work.session.project.shelves}

        def work() -> Shelf:
            shelf: Shelf = make()
            if keep or any(known.id == shelf.id for known in user_shelves()):
                keep_user_shelf(shelf)
            return shelf

        def then(shelf: Shelf) -> None:
            now = {one.id for one in self._work.session.project.shelves}
            if shelf.id in now or shelf.id not in before:
                self._work.session.absorb(lambda footage: footage.with_shelf_replaced(shelf))
            self.refresh()

        self._work.in_background(work, then)

    def _do(self, work: Any) -> None:
        try:
            work()
        except ShadowError as error:
            self._tell(sentence(error))
        self.refresh()
