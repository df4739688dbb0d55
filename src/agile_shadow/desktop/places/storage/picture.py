"""What takes room on a shelf, as areas in proportion; pressed to go in."""

from __future__ import annotations

from dataclasses import dataclass

import squarify
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QToolTip, QWidget

from ....core.amounts import counted
from ....core.storage import ROOM_KINDS, Area, RoomKind
from ... import theme, words
from ...marks import paint_block

_GAP = 3.0  # pixels between areas
_LABEL = 17.0  # pixels of an area's name
_LEAST = 46.0  # pixels of width from which it has one

KIND_WORDS: dict[RoomKind, str] = {
    "originals": "Originals", "second copies": "Second copies", "used proxies": "Proxies in use",
    "stale proxies": "Outdated proxies", "unused proxies": "Unused proxies", "doubled proxies": "Replaced proxies",
    "proxies without a clip": "Proxies without a clip", "bakes": "Bakes", "films": "Films",
    "records": "Records", "leftovers": "Half-made files", "other files": "Other files", "folders": "Folders themselves",
}  # fmt: skip
KIND_TIPS: dict[RoomKind, str] = {
    "originals": "Originals of any project that this machine knows, and what belongs to them.",
    "second copies": "Second copies of originals and proxies.",
    "used proxies": "Proxies of clips that a timeline uses.",
    "stale proxies": "Their original is another file now, or they were made with other settings than the preset's.",
    "unused proxies": "Proxies of clips that no timeline uses.",
    "doubled proxies": "Another proxy of their clip is shown in their place.",
    "proxies without a clip": "Made here, and no project knows them any more.",
    "bakes": "Parts of timelines rendered for smooth playback; they can be baked again.",
    "films": "Finished films with their certificates.",
    "records": "Manifests, certificates and marks of shelves.",
    "leftovers": "Left by work that was interrupted, or being written now.",
    "other files": "Nothing of this program's: never removed.",
    "folders": "The space that folders themselves take on the drive.",
}


def paint_kind(painter: QPainter, rect: QRectF, kind: RoomKind) -> None:
    """Fill a rectangle as a kind: originals and proxies as everywhere; what is not in use is only outlined."""
    painter.save()
    ochre, plum = theme.colour("ochre"), theme.colour("plum")
    if kind == "originals":
        painter.fillRect(rect, ochre)
    elif kind == "used proxies":
        paint_block(painter, rect, "proxy")
    elif kind == "second copies":
        _outlined(painter, rect, ochre, 110, Qt.PenStyle.SolidLine)
    elif kind in ("stale proxies", "proxies without a clip"):
        _outlined(painter, rect, plum, 40, Qt.PenStyle.DashLine)
    elif kind in ("unused proxies", "doubled proxies"):
        _outlined(painter, rect, plum, 90, Qt.PenStyle.SolidLine)
    elif kind in ("bakes", "films"):
        painter.fillRect(rect, QBrush(theme.colour("quiet"), Qt.BrushStyle.Dense5Pattern))
    elif kind == "leftovers":
        _outlined(painter, rect, theme.colour("warn"), 20, Qt.PenStyle.DashLine)
    else:
        painter.fillRect(rect, theme.colour("line"))
    painter.restore()


def _outlined(painter: QPainter, rect: QRectF, colour: QColor, alpha: int, style: Qt.PenStyle) -> None:
    face = QColor(colour)
    face.setAlpha(alpha)
    painter.fillRect(rect, face)
    painter.setPen(QPen(colour, 1.2, style))
    painter.drawRect(rect.adjusted(0.6, 0.6, -0.6, -0.6))


@dataclass(frozen=True)
class _Tile:
    rect: QRectF
    area: Area


class RoomPicture(QWidget):
    """``went`` when another folder is shown. Arrows choose, Enter goes in, Backspace goes out."""

    went = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("What takes space, in proportion")
        self.setMinimumHeight(110)
        self.path: list[Area] = []
        self.tiles: list[_Tile] = []
        self.chosen = 0

    def sizeHint(self) -> QSize:
        return QSize(600, 260)

    def show_area(self, whole: Area | None) -> None:
        """Show a shelf; the folder that was open stays open where it is still there."""
        names = [area.name for area in self.path[1:]]
        self.path = [whole] if whole is not None else []
        for name in names:
            inner = next((one for one in self.path[-1].inner if one.name == name and one.kind is None), None)
            if inner is None:
                break
            self.path.append(inner)
        self._lay()

    def enter_area(self, area: Area) -> None:
        """Go into a folder."""
        if area.kind is None and area.inner:
            self.path.append(area)
            self.chosen = 0
            self._lay()
            self.went.emit()

    def go_out(self, to: int = -2) -> None:
        """Go back to a folder of the way here; by itself to the one before."""
        if len(self.path) > 1:
            self.path = self.path[: to + 1 if to >= 0 else -1]
            self.chosen = 0
            self._lay()
            self.went.emit()

    def _lay(self) -> None:
        self.tiles = []
        if self.path:
            here = self.path[-1]
            areas = [one for one in here.inner if one.room > 0]
            if here.rest[1] > 0:
                areas.append(_rest(here))
            areas.sort(key=lambda one: -one.room)
            width, height = max(1.0, float(self.width())), max(1.0, float(self.height()))
            if areas:
                sizes = squarify.normalize_sizes([float(one.room) for one in areas], width, height)
                for found, area in zip(squarify.squarify(sizes, 0, 0, width, height), areas, strict=True):
                    rect = QRectF(found["x"], found["y"], found["dx"], found["dy"])
                    self.tiles.append(_Tile(rect.adjusted(_GAP / 2, _GAP / 2, -_GAP / 2, -_GAP / 2), area))
        self.chosen = min(self.chosen, max(0, len(self.tiles) - 1))
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("ground"))
        for number, tile in enumerate(self.tiles):
            self._paint(painter, tile)
            if number == self.chosen and self.hasFocus():
                painter.setPen(QPen(theme.colour("focus"), 2.0))
                painter.drawRect(tile.rect.adjusted(1, 1, -1, -1))

    def _paint(self, painter: QPainter, tile: _Tile) -> None:
        rect, area = tile.rect, tile.area
        if rect.width() < 1 or rect.height() < 1:
            return
        label = rect.width() >= _LEAST and rect.height() >= _LABEL + 4
        face = rect.adjusted(0, _LABEL, 0, 0) if label else rect
        if area.kind is not None:
            paint_kind(painter, face, area.kind)
        else:
            _paint_parts(painter, face, area)
        if label:
            head = QRectF(rect.left(), rect.top(), rect.width(), _LABEL)
            painter.fillRect(head, theme.colour("raised"))
            painter.setPen(theme.colour("text"))
            painter.setFont(theme.sans(8))
            name = f"{area.name} ›" if area.kind is None and area.inner else area.name
            text = painter.fontMetrics().elidedText(
                f"{name}  {words.gigabytes(area.room)}", Qt.TextElideMode.ElideMiddle, int(rect.width()) - 8
            )
            painter.drawText(head.adjusted(4, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def _at(self, point: QPointF) -> int | None:
        return next((number for number, tile in enumerate(self.tiles) if tile.rect.contains(point)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        number = self._at(event.position())
        if number is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen = number
            self.update()
            self.enter_area(self.tiles[number].area)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, most = event.key(), len(self.tiles) - 1
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
            self.chosen = min(most, self.chosen + 1)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Up):
            self.chosen = max(0, self.chosen - 1)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and 0 <= self.chosen <= most:
            self.enter_area(self.tiles[self.chosen].area)
        elif key == Qt.Key.Key_Backspace:
            self.go_out()
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            number = self._at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), tile_words(self.tiles[number].area) if number is not None else "")
            return True
        return super().event(event)


def _rest(here: Area) -> Area:
    number = here.rest[0]
    shown: dict[RoomKind, int] = {}
    for kind, room in here.kinds.items():
        left = room - sum(one.kinds.get(kind, 0) for one in here.inner)
        if left > 0:
            shown[kind] = left
    name = f"{number} smaller files" if number != 1 else "1 smaller file"
    return Area(name if number else "the folder itself", here.rest[1], number, shown)


def _paint_parts(painter: QPainter, rect: QRectF, area: Area) -> None:
    """A folder: its kinds side by side, in proportion."""
    whole = sum(area.kinds.values()) or 1
    x = rect.left()
    for kind in ROOM_KINDS:
        width = rect.width() * area.kinds.get(kind, 0) / whole
        if width >= 0.5:
            paint_kind(painter, QRectF(x, rect.top(), width, rect.height()), kind)
        x += width


def tile_words(area: Area) -> str:
    """Name, size and what it is, for a person."""
    lines = [area.name, words.gigabytes(area.room)]
    if area.kind is not None:
        lines[1] += f", {KIND_WORDS[area.kind].lower()}"
        lines += [f"Clip {area.clip} of {area.project}"] if area.clip else []
    else:
        lines[1] += f", {counted(area.files, 'file')}"
        parts = ((kind, area.kinds[kind]) for kind in ROOM_KINDS if area.kinds.get(kind))
        lines += [f"{KIND_WORDS[kind]}: {words.gigabytes(room)}" for kind, room in parts]
    return "\n".join(lines)
