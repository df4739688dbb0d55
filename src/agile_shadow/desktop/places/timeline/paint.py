"""How the timeline is drawn: ruler, heads of tracks, blocks with the mark of what they play from, dissolves, waves."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from ....core.timeline import Block, Timeline, Track
from ... import theme
from ...marks import paint_block
from .block_paint import paint_dissolve, paint_fades, paint_handles, paint_picture, paint_sound
from .rows import HEAD, RULER, Rows
from .scene import BlockScene

_STEPS = (1, 2, 5, 10)
_NARROW = 5  # pixels
_SECONDS = (1, 2, 5, 10, 30, 60, 300, 600, 1800, 3600)


def paint(painter: QPainter, scene: BlockScene, width: int, height: int) -> None:
    """Everything but the playhead."""
    rects = scene.rows.rects(scene.line)
    painter.save()
    painter.setClipRect(QRectF(HEAD, RULER, width - HEAD, height - RULER))
    for track in scene.line.tracks:
        _paint_row(painter, scene, track, rects[track.id], width)
    _paint_stretch(painter, scene, height)
    painter.restore()
    painter.save()
    painter.setClipRect(QRectF(0, RULER, HEAD, height - RULER))
    for track in scene.line.tracks:
        _paint_head(painter, scene, track, rects[track.id])
    painter.restore()
    _paint_ruler(painter, scene, width)
    if scene.caught is not None:
        x = scene.rows.x_of(scene.caught)
        painter.setPen(QPen(theme.colour("focus"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(x, RULER, x, height))


def _paint_ruler(painter: QPainter, scene: BlockScene, width: int) -> None:
    rows, line = scene.rows, scene.line
    painter.fillRect(QRectF(0, 0, width, RULER), theme.colour("raised"))
    if not line.rate:
        return
    painter.setFont(theme.mono(8))
    nominal = round(line.rate)
    steps = [*_STEPS, *(seconds * nominal for seconds in _SECONDS)]
    step = next((s for s in steps if s * rows.scale >= 104), steps[-1])
    painter.save()
    painter.setClipRect(QRectF(HEAD, 0, width - HEAD, RULER))
    frame = int(rows.offset // step * step)
    while (x := rows.x_of(frame)) < width:
        painter.setPen(theme.colour("line"))
        painter.drawLine(QLineF(x, RULER - 9, x, RULER))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(x + 4, RULER - 5), line.timecode(frame))
        frame += step
    if line.mark_in is not None or line.mark_out is not None:
        first, end = marked(line)
        painter.fillRect(QRectF(rows.x_of(first), 12, max(2.0, (end - first) * rows.scale), 4), theme.colour("focus"))
    for first, end, used, text in scene.baked:
        _paint_baked(painter, QRectF(rows.x_of(first), RULER - 4, (end - first) * rows.scale, 4), used, text)
    painter.setFont(theme.sans(8))
    for marker in line.markers:
        _paint_marker(painter, rows.x_of(marker.frame), marker.note)
    painter.restore()


def _paint_baked(painter: QPainter, rect: QRectF, used: bool, text: str) -> None:
    painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.SolidLine if used else Qt.PenStyle.DotLine))
    if used:
        painter.fillRect(rect, theme.colour("text"))
    else:
        painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))
    if rect.width() > 70:
        painter.setFont(theme.sans(8))
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.fillRect(QRectF(rect.x(), rect.y() - 11, wide + 8, 11), theme.colour("raised"))
        painter.drawText(QPointF(rect.x() + 3, rect.y() - 2), text)


def _paint_marker(painter: QPainter, x: float, note: str) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("focus"))
    painter.drawPolygon(QPolygonF([QPointF(x, 1), QPointF(x + 6, 1), QPointF(x + 6, 7), QPointF(x, 11)]))
    painter.setPen(theme.colour("text"))
    painter.drawText(QPointF(x + 9, 10), note[:40])


def marked(line: Timeline) -> tuple[int, int]:
    """First frame and the frame after the last one of the marked stretch; to the ends where a mark is missing."""
    first = line.mark_in if line.mark_in is not None else 0
    return first, (line.mark_out + 1 if line.mark_out is not None else max(line.length, first + 1))


def _paint_stretch(painter: QPainter, scene: BlockScene, height: int) -> None:
    if scene.line.mark_in is None and scene.line.mark_out is None:
        return
    first, end = marked(scene.line)
    veil = QColor(theme.colour("focus"))
    veil.setAlpha(26)
    painter.fillRect(QRectF(scene.rows.x_of(first), RULER, (end - first) * scene.rows.scale, height - RULER), veil)


def head_buttons(rect: QRectF) -> dict[str, QRectF]:
    """Where the two words of a track's head are."""
    y = rect.bottom() - 19
    return {"locked": QRectF(8, y, 44, 15), "off": QRectF(56, y, 44, 15)}


def _paint_head(painter: QPainter, scene: BlockScene, track: Track, rect: QRectF) -> None:
    painter.fillRect(QRectF(0, rect.y(), HEAD - 2, rect.height()), theme.colour("raised"))
    here = track.id in scene.targets
    if here:
        painter.fillRect(QRectF(0, rect.y(), 4, rect.height()), theme.colour("focus"))
    painter.setFont(theme.sans(9, here))
    painter.setPen(theme.colour("text" if here else "quiet"))
    name = painter.fontMetrics().elidedText(track.name, Qt.TextElideMode.ElideRight, HEAD - 44)
    painter.drawText(QRectF(9, rect.y() + 3, HEAD - 40, 16), Qt.AlignmentFlag.AlignVCenter, name)
    if here:
        painter.setFont(theme.sans(8))
        painter.drawText(QRectF(HEAD - 36, rect.y() + 3, 30, 16), Qt.AlignmentFlag.AlignCenter, "active")
    words = {"locked": "Lock", "off": "Hide" if track.kind == "picture" else "Mute"}
    done = {"locked": "Locked", "off": "Hidden" if track.kind == "picture" else "Muted"}
    painter.setFont(theme.sans(8))
    for name, button in head_buttons(rect).items():
        on = bool(getattr(track, name))
        painter.setPen(QPen(theme.colour("focus" if on else "line"), 1))
        painter.setBrush(theme.colour("focus") if on else Qt.BrushStyle.NoBrush)
        painter.drawRect(button.adjusted(0.5, 0.5, -0.5, -0.5))
        painter.setPen(theme.colour("on_mark") if on and theme.theme().name == "ink" else theme.colour("text"))
        if on and theme.theme().name != "ink":
            painter.setPen(theme.colour("raised"))
        painter.drawText(button, Qt.AlignmentFlag.AlignCenter, done[name] if on else words[name])


def _paint_row(painter: QPainter, scene: BlockScene, track: Track, row: QRectF, width: int) -> None:
    painter.fillRect(QRectF(HEAD, row.y(), width - HEAD, row.height()), theme.colour("ground"))
    rows = scene.rows
    painter.setOpacity(0.4 if track.off else 1.0)
    first, end = rows.frame_at(HEAD), rows.frame_at(width) + 1
    shown, run = [], _Run(painter, row)
    scale, left, kinds = rows.scale, HEAD - rows.offset * rows.scale, scene.kinds
    for block in track.blocks[track.first_in(first) : track.first_from(end)]:
        wide = block.length * scale
        if wide < _NARROW:
            choice = kinds.get((block.clip, block.pin))
            run.add(left + block.start * scale, wide, choice.kind if choice is not None else _kind(scene, block))
            continue
        shown.append(block)
        rect = rows.in_row(row, block)
        if track.kind == "picture":
            paint_picture(painter, scene, block, rect)
        else:
            paint_sound(painter, scene, block, rect)
        if block.effects.fade_in or block.effects.fade_out:
            paint_fades(painter, rows, block, rect)
    run.flush()
    for block in shown:
        if block.dissolve is not None:
            paint_dissolve(painter, rows, block, row)
    painter.setOpacity(1.0)
    if track.locked:
        painter.fillRect(QRectF(HEAD, row.y(), width - HEAD, row.height()), _locked_brush())
    for block in track.between(first, end) if scene.selected else ():
        if block.id in scene.selected:
            paint_handles(painter, rows, block, rows.in_row(row, block))
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rows.in_row(row, block).adjusted(1.5, 1, -1.5, -1))


def _kind(scene: BlockScene, block: Block) -> str:
    if block.title is not None:
        return "title"
    choice = scene.choice(block)
    return choice.kind if choice is not None else "missing"


class _Run:
    """Blocks that are too narrow to be told apart, drawn together as long as they are of one kind and touch."""

    def __init__(self, painter: QPainter, row: QRectF) -> None:
        self._painter, self._row = painter, row
        self._left = self._right = 0.0
        self._kind = ""

    def add(self, left: float, wide: float, kind: str) -> None:
        """One more block."""
        if kind != self._kind or left > self._right + 1:
            self.flush()
            self._left, self._kind = left, kind
        self._right = left + wide

    def flush(self) -> None:
        """Draw what has come together."""
        if self._kind:
            wide = max(1.0, self._right - self._left)
            rect = QRectF(self._left, self._row.y(), wide, self._row.height())
            if self._kind == "title":
                self._painter.fillRect(rect, theme.colour("raised"))
            else:
                paint_block(self._painter, rect, self._kind)
        self._kind = ""


def _locked_brush() -> QColor:
    veil = QColor(theme.colour("ground"))
    veil.setAlpha(120)
    return veil


def paint_playhead(painter: QPainter, rows: Rows, position: int, height: int) -> None:
    """The playhead, over everything."""
    x = rows.x_of(position)
    if x < HEAD - 1:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("text"), 1.4))
    painter.drawLine(QLineF(x, 16, x, height))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("text"))
    painter.drawPolygon(QPolygonF([QPointF(x - 6, 10), QPointF(x + 6, 10), QPointF(x, 19)]))
