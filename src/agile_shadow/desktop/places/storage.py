"""Storage: the shelves of this project and the user's own, what lies on them, whether they are there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ...core.below import Anchor
from ...core.errors import ShadowError, sentence
from ...core.project import Footage, Project
from ...core.shelves import (
    ROLES,
    KnownFile,
    Shelf,
    ShelfState,
    forget_user_shelf,
    keep_user_shelf,
    look_at,
    mark_shelf,
    mounted_volumes,
    put_mark_and_remember,
    user_shelves,
    with_volume,
)
from ...core.timeline.model import new_id
from .. import theme, words
from ..marks import paint_block
from ..work import Work

_TELLING = 5  # files by which a moved shelf is known again


@dataclass(frozen=True)
class ShelfRow:
    """A shelf, its state, and the bytes of this project on it."""

    state: ShelfState
    originals: int
    proxies: int
    in_project: bool
    for_all: bool


def files_on(project: Project, shelf: Shelf) -> tuple[list[KnownFile], int, int]:
    """(some files by which it is known again, bytes of originals, bytes of proxies) of a project on a shelf."""
    files: list[KnownFile] = []
    originals = proxies = 0
    for clip in project.clips:
        if clip.original.file.shelf == shelf.id:
            originals += clip.original.size
            files.append(KnownFile(clip.original.file.path, clip.original.size))
        for proxy in clip.proxies:
            if proxy.file.shelf == shelf.id:
                proxies += proxy.size
                files.append(KnownFile(proxy.file.path, proxy.size))
    return files[:: max(1, len(files) // _TELLING)][:_TELLING], originals, proxies


def look_at_shelves(project: Project, own: Sequence[Shelf]) -> list[ShelfRow]:
    """The state of all shelves. Touches drives: not for the interface thread."""
    volumes = mounted_volumes()
    known = {shelf.id for shelf in own}
    rows = []
    for shelf in (*project.shelves, *(shelf for shelf in own if project.shelf(shelf.id) is None)):
        files, originals, proxies = files_on(project, shelf)
        state = look_at(shelf, volumes, files)
        rows.append(ShelfRow(state, originals, proxies, project.shelf(shelf.id) is not None, shelf.id in known))
    return rows


def mended(footage: Footage, rows: Sequence[ShelfRow]) -> Footage:
    """The footage with each shelf that was found again at its new place."""
    for row in rows:
        if row.state.found_at is not None and row.in_project:
            moved = with_volume(replace(row.state.shelf, root=row.state.found_at))
            footage = footage.with_shelf_moved(moved)
    return footage


def _lying_at(shelf: Shelf, root: Path) -> Shelf:
    """The shelf at a place that a person named; it gets its mark there where that can be written."""
    moved = with_volume(replace(shelf, root=root))
    put_mark_and_remember(moved, Anchor.of(root))
    return moved


class _Bar(QWidget):
    """What fills the drive of a shelf: this project's originals and proxies, other things, free room."""

    def __init__(self, row: ShelfRow) -> None:
        super().__init__()
        self._row = row
        self.setFixedHeight(20)
        self.setAccessibleName("What lies on the shelf")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        row, whole = self._row, QRectF(0, 2, self.width(), 16)
        if not row.state.present:
            paint_block(painter, whole.adjusted(1, 1, -1, -1), "missing")
            return
        painter.fillRect(whole, theme.colour("raised"))
        total = row.originals + row.proxies + row.state.free
        x = 0.0
        for size, kind in ((row.originals, "original"), (row.proxies, "proxy")):
            width = whole.width() * size / total if total else 0
            if size:
                width = max(width, 10)
                paint_block(painter, QRectF(x, 2, width, 16), kind)
                x += width + 2


class _ShelfCard(QFrame):
    """One shelf with what can be done to it."""

    def __init__(self, place: StoragePlace, row: ShelfRow) -> None:
        super().__init__()
        self.setObjectName("card")
        self.row = row
        shelf = row.state.shelf
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 10)
        layout.setSpacing(5)
        top = QHBoxLayout()
        name = QLabel(shelf.name)
        name.setObjectName("part")
        top.addWidget(name)
        role = QLabel(f"for {shelf.role}")
        role.setObjectName("quiet")
        top.addWidget(role)
        top.addStretch(1)
        self.for_all = QCheckBox("for all projects")
        self.for_all.setChecked(row.for_all)
        self.for_all.toggled.connect(lambda on: place.set_for_all(shelf, on))
        self.rename = QPushButton("Rename…")
        self.rename.clicked.connect(lambda: place.rename(shelf))
        self.move_ = QPushButton("It lies elsewhere…")
        self.move_.clicked.connect(lambda: place.point_elsewhere(shelf))
        self.remove = QPushButton("Take off the list")
        self.remove.clicked.connect(lambda: place.remove(shelf))
        used = bool(row.originals or row.proxies)
        self.remove.setEnabled(not used)
        self.remove.setToolTip("Files of this project lie on it." if used else "Its folder and files stay.")
        for widget in (self.for_all, self.rename, self.move_, self.remove):
            top.addWidget(widget)
        layout.addLayout(top)
        path = QLabel(str(shelf.root))
        path.setObjectName("path")
        path.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(path)
        layout.addWidget(_Bar(row))
        self.says = QLabel(_words(row))
        self.says.setObjectName("quiet" if row.state.present else "warn")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)


def _words(row: ShelfRow) -> str:
    parts = []
    if row.originals:
        parts.append(f"originals of this project {words.gigabytes(row.originals)}")
    if row.proxies:
        parts.append(f"proxies {words.gigabytes(row.proxies)}")
    if not parts:
        parts.append("nothing of this project")
    known = "known by its drive" if row.state.shelf.volume else "known by its path and what lies on it"
    if not row.state.present:
        where = f"It seems to be at {row.state.found_at} now." if row.state.found_at else "Connect its drive."
        return f"Not there: {', '.join(parts)}. {where}"
    return f"{', '.join(parts)}; {words.gigabytes(row.state.free)} free; {known}"


class StoragePlace(QWidget):
    """The place."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self.cards: list[_ShelfCard] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        row = QHBoxLayout()
        title = QLabel("Shelves: named places, known again when a drive is mounted elsewhere or a folder renamed")
        title.setObjectName("quiet")
        title.setWordWrap(True)
        row.addWidget(title, 1)
        self.role = QComboBox()
        self.role.setAccessibleName("Role of a new shelf")
        for role in ROLES:
            self.role.addItem(f"for {role}", role)
        self.add = QPushButton("Make a folder a shelf…")
        self.add.clicked.connect(self._add)
        self.again = QPushButton("Look again")
        self.again.clicked.connect(self.refresh)
        for widget in (self.role, self.add, self.again):
            row.addWidget(widget)
        layout.addLayout(row)
        self.message = QLabel("")
        self.message.setObjectName("warn")
        self.message.setWordWrap(True)
        self.message.hide()
        layout.addWidget(self.message)
        inner = QWidget()
        inner.setObjectName("place")
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(8)
        self._list.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        layout.addWidget(scroll, 1)
        self.empty = QLabel("No shelf yet. An ingest makes those it needs, or make a folder a shelf here.")
        self.empty.setObjectName("quiet")
        layout.addWidget(self.empty)

    def entered(self) -> None:
        """The place was opened."""
        self.refresh()

    def refresh(self) -> None:
        """Look at all shelves on a thread; those that moved are mended by themselves."""
        project = self._work.session.project

        def look() -> list[ShelfRow]:
            return look_at_shelves(project, user_shelves())

        self._work.in_background(look, self._show)

    def _show(self, rows: list[ShelfRow]) -> None:
        found = [row for row in rows if row.state.found_at is not None and row.in_project]
        if found:
            self._work.session.absorb(lambda footage: mended(footage, found))
            for row in found:
                self._tell(f"Shelf {row.state.shelf.name} was found again at {row.state.found_at}.")
            self.refresh()
            return
        for card in self.cards:
            card.deleteLater()
        self.cards = [_ShelfCard(self, row) for row in rows]
        for number, card in enumerate(self.cards):
            self._list.insertWidget(number, card)
        self.empty.setVisible(not rows)

    def _tell(self, text: str) -> None:
        self.message.setText(text)
        self.message.setVisible(bool(text))

    # What can be done

    def _add(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Make a folder a shelf")
        if chosen:
            self.add_shelf(Path(chosen), self.role.currentData())

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
        chosen = QFileDialog.getExistingDirectory(
            self, f"Where the shelf {shelf.name} lies now", str(shelf.root.parent)
        )
        if chosen:
            self._change(lambda: _lying_at(shelf, Path(chosen)))

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

    def _change(self, make: object, keep: bool = False) -> None:
        """Make a shelf on a thread, then put it into the project, and among the user's where it is one of them."""

        def work() -> Shelf:
            shelf: Shelf = make()  # type: ignore[operator]
            if keep or any(known.id == shelf.id for known in user_shelves()):
                keep_user_shelf(shelf)
            return shelf

        def then(shelf: Shelf) -> None:
            self._work.session.absorb(lambda footage: footage.with_shelf_replaced(shelf))
            self.refresh()

        self._work.in_background(work, then)

    def _do(self, work: object) -> None:
        try:
            work()  # type: ignore[operator]
        except ShadowError as error:
            self._tell(sentence(error))
        self.refresh()
