"""The picture of the selected block, moved, sized, turned and cropped by hand in the viewer."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ....core.compositing.handling import EDGES, GRIPS, Held, Point
from ....core.compositing.placing import laid_as
from ....core.project import Project
from ....core.timeline import Block, Effects, Placement, with_effects
from ...viewer import Viewer
from ...work import Work

_GRIP, _REACH = 5.0, 11.0  # pixels
_AWAY = 0.09  # of the frame's height: the knob by which it is turned


class PlacingOverlay:
    """Lies over the viewer while a block of the timeline is in it, selected, and the picture stands still."""

    def __init__(self, work: Work, viewer: Viewer) -> None:
        self._work, self._viewer = work, viewer
        self._block: Block | None = None
        self._end = False  # the end of a slow movement is placed, not its beginning
        self.held: Held | None = None
        self._drag: tuple[str, Point, Held] | None = None
        self._gesture = 0
        viewer.overlay = self

    def show(self, project: Project, block: Block | None, frame: int) -> None:
        """Let a block be placed, or none. ``frame``: of the timeline, which is shown."""
        self._block = block
        held = _held(project, block, frame) if block is not None else None
        self._end = block is not None and block.effects.move is not None and 2 * (frame - block.start) > block.length
        if held != self.held:
            self.held = held
            self._viewer.update()

    # Gestures

    def press(self, point: QPointF, frame: QRectF) -> bool:
        """A drag begins; False when there is nothing to take hold of."""
        at = _part(point, frame)
        grip = self._grip(point, frame)
        if self.held is None or not grip:
            return False
        self._gesture += 1
        self._drag = (grip, at, self.held)
        return True

    def drag(self, point: QPointF, frame: QRectF, keys: Qt.KeyboardModifier) -> bool:
        """The drag goes on."""
        if self._drag is None:
            return False
        grip, start, held = self._drag
        at = _part(point, frame)
        shift = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        if grip == "body":
            placement = held.moved(start, at, shift)
        elif grip == "knob":
            placement = held.turned(start, at, shift)
        elif grip in EDGES:
            placement = held.cropped(grip, at)
        else:
            placement = held.sized(start, at)
        self._put(placement)
        return True

    def release(self) -> bool:
        """The drag has ended."""
        was, self._drag = self._drag is not None, None
        return was

    def cursor(self, point: QPointF, frame: QRectF) -> Qt.CursorShape:
        """The pointer over a place."""
        grip = self._grip(point, frame)
        if grip in GRIPS:
            falling = grip in ("upper left", "lower right")
            return Qt.CursorShape.SizeFDiagCursor if falling else Qt.CursorShape.SizeBDiagCursor
        if grip in EDGES:
            return Qt.CursorShape.SizeVerCursor if grip in ("top", "bottom") else Qt.CursorShape.SizeHorCursor
        return {"body": Qt.CursorShape.SizeAllCursor, "knob": Qt.CursorShape.CrossCursor}.get(
            grip, Qt.CursorShape.ArrowCursor
        )

    def _grip(self, point: QPointF, frame: QRectF) -> str:
        if self.held is None:
            return ""
        places = [("knob", self.held.knob(_AWAY)), *zip(GRIPS, self.held.corners(), strict=True),
                  *zip(EDGES, self.held.middles(), strict=True)]  # fmt: skip
        for name, place in places:
            away = _pixel(place, frame) - point
            if abs(away.x()) <= _REACH and abs(away.y()) <= _REACH:
                return name
        return "body" if self.held.contains(_part(point, frame)) else ""

    def _put(self, placement: Placement) -> None:
        block, end = self._block, self._end
        if block is None:
            return

        def change(effects: Effects) -> Effects:
            if effects.move is None or not end:
                return replace(effects, placement=placement)
            own = effects.placement
            kept = replace(placement, x=own.x, y=own.y, scale=own.scale, opacity=own.opacity)
            moved = replace(effects.move, x=placement.x, y=placement.y, scale=placement.scale)
            return replace(effects, placement=kept, move=moved)

        self._work.session.edit(
            "Place a block",
            lambda project: project.but(timeline=with_effects(project.timeline, [block.id], change)),
            gesture=("placing", self._gesture),
        )

    # Drawing

    def paint(self, painter: QPainter, frame: QRectF) -> None:
        """The outline with its grips."""
        if self.held is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        corners = [_pixel(corner, frame) for corner in self.held.corners()]
        middles = [_pixel(middle, frame) for middle in self.held.middles()]
        knob = _pixel(self.held.knob(_AWAY), frame)
        for colour, width in (("#b0101218", 3.0), ("#f2eadb", 1.2)):
            painter.setPen(QPen(QColor(colour), width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF(corners))
            painter.drawLine(middles[0], knob)
        painter.setPen(QPen(QColor("#101218"), 1))
        painter.setBrush(QColor("#f2eadb"))
        for corner in corners:
            painter.drawRect(QRectF(corner.x() - _GRIP, corner.y() - _GRIP, 2 * _GRIP, 2 * _GRIP))
        for middle in middles:
            painter.drawRect(QRectF(middle.x() - _GRIP * 0.7, middle.y() - _GRIP * 0.7, 1.4 * _GRIP, 1.4 * _GRIP))
        painter.drawEllipse(knob, _GRIP, _GRIP)
        painter.restore()


def _held(project: Project, block: Block, frame: int) -> Held | None:
    line, clip = project.timeline, project.clip(block.clip)
    aspect = Fraction(line.width or 16, line.height or 9)
    shape = float(aspect)
    enlarged = 1.0
    end = block.effects.move is not None and 2 * (frame - block.start) > block.length
    placement = block.effects.placed(block.length - 1 if end else 0, block.length)
    if clip is not None:
        info = clip.original.info
        shape = float(info.display_aspect or aspect)
        laid = laid_as(placement.shape or line.shape, placement, shape, float(aspect), info.display_width, line.width)
        enlarged = laid.scale / placement.scale
    elif block.title is None:
        return None
    return Held(placement, shape, float(aspect), enlarged)


def _part(point: QPointF, frame: QRectF) -> Point:
    return (point.x() - frame.x()) / max(1.0, frame.width()), (point.y() - frame.y()) / max(1.0, frame.height())


def _pixel(point: Point, frame: QRectF) -> QPointF:
    return QPointF(frame.x() + point[0] * frame.width(), frame.y() + point[1] * frame.height())
