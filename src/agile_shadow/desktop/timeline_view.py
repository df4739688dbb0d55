"""The timeline as drawn: ruler, blocks with the mark of what they play from, playhead; drag to move and trim."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ..core.playback import Presence, choose
from ..core.project import Project
from ..core.time import timecode_at
from ..core.timeline import Block, Timeline, move, trim_end, trim_start
from . import theme
from .marks import paint_block

_RULER = 26
_EDGE = 7  # pixels at either end of a block that trim it
_LEFT = 10


class TimelineView(QWidget):
    """Shows one timeline. Gestures give whole edits: nothing changes in the document before the button is let go."""

    sought = Signal(int)
    edited = Signal(str, object)  # label, new timeline
    selected_changed = Signal()

    def __init__(self, presence: Presence) -> None:
        super().__init__()
        self._presence = presence
        self._project: Project | None = None
        self._scale = 4.0  # pixels per frame
        self._offset = 0.0  # first frame shown
        self.position = 0
        self.selected: str | None = None
        self._drag: tuple[str, str, int] | None = None  # kind, block, frame where it began
        self._preview: Timeline | None = None
        self.setMinimumHeight(120)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Timeline")

    def sizeHint(self) -> QSize:
        return QSize(600, 132)

    # What it shows

    def set_project(self, project: Project) -> None:
        """Show a document."""
        self._project = project
        if self.selected is not None and project.timeline.block(self.selected) is None:
            self.select(None)
        self.update()

    @property
    def timeline(self) -> Timeline:
        """As shown: with the gesture under way."""
        if self._preview is not None:
            return self._preview
        return self._project.timeline if self._project is not None else Timeline()

    def set_position(self, frame: int) -> None:
        """Put the playhead at a frame and keep it in sight."""
        if frame == self.position:
            return
        self.position = frame
        room = max(1.0, (self.width() - 2 * _LEFT) / self._scale)
        if frame < self._offset or frame > self._offset + room:
            self._offset = max(0.0, frame - room * 0.2)
        self.update()

    def select(self, block: str | None) -> None:
        """Choose a block."""
        if block != self.selected:
            self.selected = block
            self.selected_changed.emit()
            self.update()

    # Zoom

    def zoom(self, factor: float) -> None:
        """More or fewer pixels per frame, around the playhead."""
        before = self.x_of(self.position)
        self._scale = min(40.0, max(0.02, self._scale * factor))
        self._offset = max(0.0, self.position - (before - _LEFT) / self._scale)
        self.update()

    def zoom_all(self) -> None:
        """The whole timeline in the width there is."""
        length = max(25, self.timeline.length)
        self._scale = min(40.0, max(0.02, (self.width() - 2 * _LEFT) / (length * 1.04)))
        self._offset = 0.0
        self.update()

    def x_of(self, frame: float) -> float:
        """Where a frame begins, in pixels."""
        return _LEFT + (frame - self._offset) * self._scale

    def frame_at(self, x: float) -> int:
        """The frame at a place."""
        return max(0, int((x - _LEFT) / self._scale + self._offset))

    def block_rect(self, block: Block) -> QRectF:
        """Where a block is drawn."""
        return QRectF(self.x_of(block.start), _RULER + 14, block.length * self._scale, self.height() - _RULER - 30)

    # Gestures

    def _block_under(self, point: QPointF) -> tuple[Block, str] | None:
        for block in self.timeline.blocks:
            rect = self.block_rect(block)
            if rect.contains(point):
                if rect.width() > 3 * _EDGE:
                    if point.x() < rect.x() + _EDGE:
                        return block, "start"
                    if point.x() > rect.right() - _EDGE:
                        return block, "end"
                return block, "move"
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position()
        hit = self._block_under(point)
        if point.y() < _RULER or hit is None:
            self.select(None if point.y() >= _RULER else self.selected)
            self._drag = ("seek", "", 0)
            self.sought.emit(self.frame_at(point.x()))
            return
        block, part = hit
        self.select(block.id)
        self._drag = (part, block.id, self.frame_at(point.x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            hit = self._block_under(event.position())
            edge = hit is not None and hit[1] != "move"
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        kind, block, begun = self._drag
        frame = self.frame_at(event.position().x())
        if kind == "seek":
            self.sought.emit(frame)
            return
        assert self._project is not None
        if frame == begun and self._preview is None:
            return
        self._preview = _gesture(self._project.timeline, kind, block, frame, frame - begun)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, preview = self._drag, self._preview
        self._drag = self._preview = None
        if drag is not None and preview is not None:
            label = {"move": "Move a block", "start": "Trim the start", "end": "Trim the end"}[drag[0]]
            self.edited.emit(label, preview)
        elif drag is not None and drag[0] != "seek":
            self.sought.emit(self.frame_at(event.position().x()))
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._drag is not None:
            self._drag = self._preview = None
            self.update()
            return
        super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.2 if steps > 0 else 1 / 1.2)
        else:
            self._offset = max(0.0, self._offset - steps / self._scale / 2)
            self.update()

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("panel"))
        self._paint_ruler(painter)
        if not self.timeline.blocks:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.sans(10))
            text = "Nothing here yet: choose a clip, mark in and out (I, O), and put it here with Ctrl+Return."
            painter.drawText(self.rect().adjusted(12, _RULER, -12, 0), Qt.AlignmentFlag.AlignCenter, text)
        for block in self.timeline.blocks:
            rect = self.block_rect(block)
            if rect.right() > 0 and rect.x() < self.width():
                self._paint_block(painter, block, rect)
        self._paint_playhead(painter)

    def _paint_ruler(self, painter: QPainter) -> None:
        rate = self.timeline.rate
        painter.fillRect(QRectF(0, 0, self.width(), _RULER), theme.colour("raised"))
        if not rate:
            return
        painter.setFont(theme.mono(8))
        nominal = round(rate)
        steps = [1, 2, 5, 10, *(seconds * nominal for seconds in (1, 2, 5, 10, 30, 60, 300, 600, 3600))]
        step = next((s for s in steps if s * self._scale >= 110), steps[-1])
        frame = int(self._offset // step * step)
        while (x := self.x_of(frame)) < self.width():
            painter.setPen(theme.colour("line"))
            painter.drawLine(QPointF(x, _RULER - 9), QPointF(x, _RULER))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(x + 4, _RULER - 9), timecode_at(frame, rate))
            frame += step

    def _paint_block(self, painter: QPainter, block: Block, rect: QRectF) -> None:
        assert self._project is not None
        clip = self._project.clip(block.clip)
        kind = choose(self._project, clip, self._presence).kind if clip is not None else "missing"
        body = rect.adjusted(0.5, 0, -0.5, 0)
        paint_block(painter, body, kind)
        painter.save()
        painter.setClipRect(body)
        name = clip.name if clip is not None else "?"
        painter.setFont(theme.sans(9, True))
        wanted = painter.fontMetrics().horizontalAdvance(name) + 12
        label = QRectF(body.x() + 5, body.y() + 5, max(0.0, min(wanted, body.width() - 14)), 34)
        painter.fillRect(label.adjusted(-1, -1, 1, 1), "#d0101218")
        painter.setPen("#f2eadb")
        inside = label.adjusted(4, 1, -2, 0)
        metrics = painter.fontMetrics()
        painter.drawText(
            inside,
            Qt.AlignmentFlag.AlignTop,
            metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(inside.width())),
        )
        painter.setFont(theme.sans(8))
        pinned = ", pinned" if clip is not None and clip.pin else ""
        text = painter.fontMetrics().elidedText(kind + pinned, Qt.TextElideMode.ElideRight, int(inside.width()))
        painter.drawText(inside, Qt.AlignmentFlag.AlignBottom, text)
        painter.restore()
        if block.id == self.selected:
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.drawRect(body.adjusted(1, 1, -1, -1))

    def _paint_playhead(self, painter: QPainter) -> None:
        x = self.x_of(self.position)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("text"), 1.4))
        painter.drawLine(QPointF(x, 8), QPointF(x, self.height()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        painter.drawPolygon(QPolygonF([QPointF(x - 6, 0), QPointF(x + 6, 0), QPointF(x, 9)]))


def _gesture(timeline: Timeline, kind: str, block: str, frame: int, by: int) -> Timeline:
    if kind == "move":
        return move(timeline, block, frame)
    return trim_start(timeline, block, by) if kind == "start" else trim_end(timeline, block, by)
