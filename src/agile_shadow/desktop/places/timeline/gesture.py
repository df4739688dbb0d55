"""What the mouse does in the timeline: it seeks, chooses in a band, or drags blocks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from ....core.timeline import Block, Timeline
from ... import theme
from . import paint
from .drags import Drag, catches_of, caught, rolled, told, way_of
from .rows import HEAD, RULER

if TYPE_CHECKING:
    from .view import TimelineView

_REACH = 8  # pixels within which an edge catches


class Gesture:
    """From pressing the button to letting it go. ``preview``: the timeline as it would be; ``caught``: the frame that
    an edge snapped to."""

    def __init__(self, view: TimelineView) -> None:
        self._view = view
        self._drag: Drag | None = None
        self._band: tuple[QPointF, QPointF] | None = None
        self._seeking = False
        self._told: tuple[str, QPointF] = ("", QPointF())
        self.preview: Timeline | None = None
        self.caught: int | None = None

    @property
    def under_way(self) -> bool:
        """Whether blocks are dragged or chosen in a band."""
        return self._drag is not None or self._band is not None

    def _line(self) -> Timeline:
        """The timeline as it was before the gesture."""
        return self._view.project.timeline if self._view.project is not None else Timeline()

    def press(self, point: QPointF, keys: Qt.KeyboardModifier) -> None:
        """The button went down."""
        rows, line = self._view.rows, self._line()
        if point.y() < RULER:
            self._seeking = True
            self._view.sought.emit(rows.frame_at(point.x()))
        elif point.x() < HEAD:
            self._press_head(line, point)
        elif (hit := rows.block_at(line, point)) is None:
            self._band = (point, point)
        else:
            self._press_block(*hit, point, keys)

    def _press_head(self, line: Timeline, point: QPointF) -> None:
        track = self._view.rows.track_at(line, point.y())
        if track is None:
            return
        buttons = paint.head_buttons(self._view.rows.rects(line)[track.id])
        name = next((name for name, button in buttons.items() if button.contains(point)), None)
        if name is not None:
            self._view.flip_track(track, name)
        else:
            self._view.take_in_hand(track)

    def _press_block(self, block: Block, part: str, point: QPointF, keys: Qt.KeyboardModifier) -> None:
        shift = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        control = bool(keys & Qt.KeyboardModifier.ControlModifier)
        alt = bool(keys & Qt.KeyboardModifier.AltModifier)
        view, line = self._view, self._view.timeline
        if block.id not in view.chosen:
            view.choose((*view.chosen, block.id) if control and part == "body" else (block.id,))
        cut = rolled(line, block, part) if part in ("start", "end") else None
        way = way_of(part, shift, control, cut is not None, alt)
        handle = cut if way == "roll" and cut is not None else block
        if way == "roll" and cut is None:
            way = part
        track = line.track_of(block.id)
        assert track is not None
        self._drag = Drag(way, handle.id, view.chosen, view.rows.edge_at(point.x()), track.id)

    def move(self, point: QPointF) -> None:
        """The mouse went somewhere, with the button down or not."""
        if self._seeking:
            self._view.sought.emit(self._view.rows.frame_at(point.x()))
        elif self._band is not None:
            self._band = (self._band[0], point)
            self._choose_in_band(QRectF(*self._band).normalized())
            self._view.update()
        elif self._drag is not None:
            self._drag_to(self._drag, point)
        else:
            hit = self._view.rows.block_at(self._view.timeline, point) if point.y() >= RULER else None
            edge = hit is not None and hit[1] != "body"
            self._view.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)

    def _drag_to(self, drag: Drag, point: QPointF) -> None:
        view, line = self._view, self._line()
        by = view.rows.edge_at(point.x()) - drag.begun
        tracks = self._tracks_up(drag, point) if drag.way == "move" else 0
        self.caught = None
        if view.snapping:
            catches = catches_of(line, drag.ids, view.position)
            by, self.caught = caught(drag.edges(line), by, catches, _REACH / view.rows.scale)
        if not by and not tracks and self.preview is None:
            return
        self.preview = drag.apply(line, by, tracks, view.rows.edge_at(point.x()))
        self._told = (told(drag, line, self.preview, by), point)
        view.update()

    def _tracks_up(self, drag: Drag, point: QPointF) -> int:
        line = self._line()
        source, target = line.track(drag.track), self._view.rows.track_at(line, point.y())
        if source is None or target is None or source.kind != target.kind:
            return 0
        row = line.pictures if source.kind == "picture" else line.sounds
        return row.index(target) - row.index(source)

    def _choose_in_band(self, area: QRectF) -> None:
        view, line = self._view, self._view.timeline
        rects = view.rows.rects(line)
        first, end = view.rows.frame_at(area.left()), view.rows.frame_at(area.right()) + 1
        whole = QRectF(0, area.y(), view.width(), max(1.0, area.height()))
        touched = [track for track in line.tracks if rects[track.id].intersects(whole)]
        view.choose(tuple(block.id for track in touched for block in track.between(first, end)))

    def release(self, point: QPointF) -> None:
        """The button was let go: what was dragged becomes an edit, a click seeks."""
        drag, preview, band, view = self._drag, self.preview, self._band, self._view
        self.end()
        if band is not None and (band[1] - band[0]).manhattanLength() < 4:
            view.select(None)
            view.sought.emit(view.rows.frame_at(point.x()))
        elif drag is not None and preview is not None:
            view.edited.emit(drag.label, preview)
        elif drag is not None and drag.way in ("move", "start", "end", "fade in", "fade out", "speed"):
            view.choose((drag.block,))
            view.sought.emit(view.rows.frame_at(point.x()))

    def end(self) -> None:
        """Nothing is under way any more; nothing was changed."""
        self._drag = self.preview = self._band = self.caught = None
        self._seeking = False
        self._told = ("", QPointF())
        self._view.update()

    def paint(self, painter: QPainter) -> None:
        """The band, or beside the mouse what the drag comes to."""
        if self._band is not None:
            painter.setPen(QPen(theme.colour("focus"), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._band).normalized())
        text, point = self._told
        if not text:
            return
        painter.setFont(theme.sans(9))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 14
        x = min(point.x() + 14, self._view.width() - wide - 4)
        box = QRectF(x, max(2.0, point.y() - 28), wide, 20)
        painter.fillRect(box, theme.colour("raised"))
        painter.setPen(theme.colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
