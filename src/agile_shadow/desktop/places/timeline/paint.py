"""How the timeline is drawn: ruler, heads of tracks, blocks with the mark of what they play from, dissolves, waves."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from ....core.media.peaks import PER_SECOND, Peaks
from ....core.project import Clip, Project
from ....core.switch import Choice, Presence, choose
from ....core.timeline import NO_COLOUR, Block, Timeline, Track, out_of_step
from ... import theme
from ...marks import paint_block
from .rows import HEAD, ROOMY, RULER, Rows
from .sights import Sights

_NAME_ROOM, _LEAST_PLATE = 76, 26  # pixels of a block beside its poster, and of a plate
_PLATE, _ON_PLATE = "#d0101218", "#f2eadb"
_STEPS = (1, 2, 5, 10)
_NARROW = 5  # pixels
_WAVE = 0xB00B0C10  # dark ink, premultiplied
_SECONDS = (1, 2, 5, 10, 30, 60, 300, 600, 1800, 3600)


@dataclass
class Scene:
    """What is to be drawn."""

    project: Project
    line: Timeline
    rows: Rows
    presence: Presence
    sights: Sights
    selected: frozenset[str] = frozenset()
    targets: frozenset[str] = frozenset()
    caught: int | None = None
    baked: tuple[tuple[int, int, bool, str], ...] = ()  # first frame, end, whether it plays, in words
    kinds: dict[tuple[str, str | None], Choice] = field(default_factory=dict)
    shows_sights: bool = True  # pictures and waveforms on blocks

    def choice(self, block: Block) -> Choice | None:
        """What a block plays from; blocks of one clip with one pin are asked for once."""
        key = (block.clip, block.pin)
        known = self.kinds.get(key)
        if known is None:
            clip = self.project.clip(block.clip)
            if clip is None:
                return None
            known = self.kinds[key] = choose(self.project, clip, self.presence, None, block)
        return known


def paint(painter: QPainter, scene: Scene, width: int, height: int) -> None:
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


def _paint_ruler(painter: QPainter, scene: Scene, width: int) -> None:
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


def _paint_stretch(painter: QPainter, scene: Scene, height: int) -> None:
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


def _paint_head(painter: QPainter, scene: Scene, track: Track, rect: QRectF) -> None:
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


def _paint_row(painter: QPainter, scene: Scene, track: Track, row: QRectF, width: int) -> None:
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
            _paint_picture(painter, scene, block, rect)
        else:
            _paint_sound(painter, scene, block, rect)
        if block.effects.fade_in or block.effects.fade_out:
            _paint_fades(painter, rows, block, rect)
    run.flush()
    for block in shown:
        if block.dissolve is not None:
            _paint_dissolve(painter, rows, block, row)
    painter.setOpacity(1.0)
    if track.locked:
        painter.fillRect(QRectF(HEAD, row.y(), width - HEAD, row.height()), _locked_brush())
    for block in track.between(first, end) if scene.selected else ():
        if block.id in scene.selected:
            _paint_handles(painter, rows, block, rows.in_row(row, block))
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rows.in_row(row, block).adjusted(1.5, 1, -1.5, -1))


def _kind(scene: Scene, block: Block) -> str:
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


def _body(rect: QRectF) -> QRectF:
    return rect.adjusted(0.5, 0, -0.5, 0)


def _paint_picture(painter: QPainter, scene: Scene, block: Block, rect: QRectF) -> None:
    clip = scene.project.clip(block.clip)
    body = _body(rect)
    if block.title is not None:
        painter.fillRect(body, theme.colour("raised"))
        painter.setPen(QPen(theme.colour("quiet"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(body.adjusted(0.5, 0.5, -0.5, -0.5))
        _paint_plate(painter, body, block.title.text.replace("\n", " "), ["title", *_words(scene, block)], None)
        return
    choice = scene.choice(block)
    paint_block(painter, body, choice.kind if choice is not None else "missing")
    if clip is not None and scene.shows_sights and body.width() > 40:
        body = _paint_sights(painter, scene, block, clip, body)
    words: list[str] = [choice.kind if choice is not None else "missing"]
    if choice is not None and choice.note and choice.kind == "original":
        words[0] = f"original, {choice.note}"
    _paint_plate(painter, body, clip.name if clip is not None else "?", _ordered(words, _words(scene, block)), choice)


def _paint_sights(painter: QPainter, scene: Scene, block: Block, clip: Clip, body: QRectF) -> QRectF:
    """Pictures along a block, or its poster; and where its name goes."""
    poster = scene.sights.poster(scene.project, clip)
    if poster is None or poster.isNull():
        return body
    high = body.height() - 8
    wide = high * poster.width() / max(1, poster.height())
    strip = scene.sights.strip(scene.project, clip) if body.width() > 2 * wide + 8 else []
    if not strip or not clip.length:
        _paint_poster(painter, QRectF(body.x() + 4, body.y() + 4, min(wide, body.width() - 8), high), poster)
        beside = body.adjusted(min(wide, body.width() - 8) + 4, 0, 0, 0)
        return beside if beside.width() >= _NAME_ROOM else body
    left = max(body.left() + 4, float(HEAD) - wide)
    left = body.left() + 4 + int((left - body.left() - 4) / wide) * wide
    begin, step = float(block.source_start), float(block.speed / scene.line.rate) / scene.rows.scale
    length, right = float(clip.length), body.right() - 4
    while left < min(right, float(scene.rows.width)):
        part = (begin + (left + wide / 2 - body.left()) * step) / length
        picture = next((one for place, one in reversed(strip) if place <= part + 1e-6), strip[0][1])
        _paint_poster(painter, QRectF(left, body.y() + 4, min(wide, right - left), high), picture)
        left += wide
    return body


def _paint_poster(painter: QPainter, place: QRectF, poster: QPixmap) -> None:
    high = poster.height()
    wide = min(poster.width(), high * place.width() / place.height())
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawPixmap(place, poster, QRectF((poster.width() - wide) / 2, 0, wide, high))


def _words(scene: Scene, block: Block) -> list[str]:
    """What else is to be known of a block at a glance."""
    words = []
    late = out_of_step(scene.line, block)
    if late:
        words.append(f"{abs(late)} {'late' if late > 0 else 'early'}")
    clip = scene.project.clip(block.clip)
    if block.pin or (clip is not None and clip.pin):
        words.append("pinned")
    if block.speed != 1:
        words.append(f"{float(block.speed):.3g}x")
    if block.effects.colour != NO_COLOUR:
        words.append("colour")
    return words


def _ordered(kind: list[str], more: list[str]) -> list[str]:
    """What is wrong comes first."""
    lost = [word for word in more if word.endswith((" late", " early"))]
    return [*lost, *kind, *(word for word in more if word not in lost)]


def _paint_plate(painter: QPainter, body: QRectF, name: str, words: list[str], choice: Choice | None) -> None:
    """Name and words on a dark plate, as far as there is room."""
    room = body.width() - 12
    if room < _LEAST_PLATE:  # there would be nothing but dots on it
        return
    painter.save()
    painter.setClipRect(body)
    painter.setFont(theme.sans(9, True))
    metrics = painter.fontMetrics()
    text = ", ".join(words)
    wanted = max(metrics.horizontalAdvance(name), len(text) * 6) + 14
    label = QRectF(body.x() + 5, body.y() + 5, min(float(wanted), room), min(34.0, body.height() - 8))
    painter.fillRect(label, _PLATE)
    painter.setPen(_ON_PLATE)
    inside = label.adjusted(4, 1, -2, -1)
    wide = int(inside.width())
    painter.drawText(inside, Qt.AlignmentFlag.AlignTop, metrics.elidedText(name, Qt.TextElideMode.ElideRight, wide))
    painter.setFont(theme.sans(8))
    told = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, wide)
    painter.setPen("#ffb09a" if any(word.endswith((" late", " early")) for word in words) else _ON_PLATE)
    painter.drawText(inside, Qt.AlignmentFlag.AlignBottom, told)
    painter.restore()


def _paint_sound(painter: QPainter, scene: Scene, block: Block, rect: QRectF) -> None:
    clip = scene.project.clip(block.clip)
    body = _body(rect)
    choice = scene.choice(block)
    paint_block(painter, body, choice.kind if choice is not None else "missing")
    wave = scene.sights.wave(scene.project, clip) if clip is not None and scene.shows_sights else None
    if wave is not None and len(wave):
        _paint_wave(painter, scene, block, body, wave)
    if clip is not None:
        gain = f"{block.effects.gain:+.1f} dB" if block.effects.gain else ""
        words = [word for word in (*_words(scene, block), gain) if word and word != "colour"]
        _paint_sound_plate(painter, body, clip.name, words)


def _paint_sound_plate(painter: QPainter, body: QRectF, name: str, words: list[str]) -> None:
    lost = any(word.endswith((" late", " early")) for word in words)
    text = ", ".join([*words, name] if lost else [name, *words])
    painter.setFont(theme.sans(8))
    room = int(min(body.width() - 12, painter.fontMetrics().horizontalAdvance(text) + 8))
    if room < 14:
        return
    label = QRectF(body.x() + 5, body.y() + 3, room, 14)
    painter.fillRect(label, _PLATE)
    painter.setPen("#ffb09a" if lost else _ON_PLATE)
    told = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room - 6)
    painter.drawText(label.adjusted(3, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, told)


def _paint_wave(painter: QPainter, scene: Scene, block: Block, body: QRectF, wave: Peaks) -> None:
    """The peaks of what the block plays, filled, a column for every pixel in sight."""
    rate: Fraction = scene.line.rate
    left, right = max(body.left(), float(HEAD)), min(body.right(), float(scene.rows.width))
    if right - left < 4:
        return
    xs = np.arange(int(left), int(right))
    seconds = float(block.source_start) + (xs - body.left()) / scene.rows.scale * float(block.speed) / float(rate)
    numbers = (seconds * PER_SECOND).astype(np.int64)
    span = max(1, int(1 / scene.rows.scale * abs(float(block.speed)) / float(rate) * PER_SECOND))
    loud = np.zeros(len(numbers))
    for step in range(0, span, max(1, span // 8)):
        loud = np.maximum(loud, wave[np.clip(numbers + step, 0, len(wave) - 1)])
    half = max(1, (int(body.height()) - 8) // 2)
    tall = np.maximum(0.5, np.minimum(1.0, loud / 255 * 10 ** (block.effects.gain / 20)) ** 0.6 * half)
    away = np.abs(np.arange(2 * half) - half + 0.5)  # filled from the middle to both sides
    inked = away[:, None] <= tall[None, :]
    high = 2 * half
    pixels = np.where(inked, np.uint32(_WAVE), np.uint32(0))
    image = QImage(pixels.tobytes(), len(xs), high, 4 * len(xs), QImage.Format.Format_ARGB32_Premultiplied)
    painter.drawImage(QPointF(int(left), body.top() + (body.height() - high) / 2), image)


def _paint_fades(painter: QPainter, rows: Rows, block: Block, rect: QRectF) -> None:
    painter.setPen(QPen(QColor(_ON_PLATE), 1.4))
    painter.setBrush(QColor(0, 0, 0, 130))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if block.effects.fade_in:
        x = rect.x() + block.effects.fade_in * rows.scale
        painter.drawPolygon(QPolygonF([rect.topLeft(), QPointF(x, rect.y()), rect.bottomLeft()]))
    if block.effects.fade_out:
        x = rect.right() - block.effects.fade_out * rows.scale
        painter.drawPolygon(QPolygonF([QPointF(x, rect.y()), rect.topRight(), rect.bottomRight()]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _paint_handles(painter: QPainter, rows: Rows, block: Block, rect: QRectF) -> None:
    """Handles of the fades in the upper corners of a selected block."""
    if rect.width() <= ROOMY:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor("#101218"), 1))
    painter.setBrush(QColor(_ON_PLATE))
    for x in rows.fade_handles(block):
        painter.drawEllipse(QPointF(x, rect.y() + 6), 4, 4)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _paint_dissolve(painter: QPainter, rows: Rows, block: Block, row: QRectF) -> None:
    """Both blocks share a stretch: a light band with the falling and the rising line."""
    assert block.dissolve is not None
    left, right = rows.x_of(block.start - block.dissolve.before), rows.x_of(block.start + block.dissolve.after)
    band = QRectF(left, row.y(), right - left, row.height())
    veil = QColor(_ON_PLATE)
    veil.setAlpha(70)
    painter.fillRect(band, veil)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor("#101218"), 1.6))
    path = QPainterPath(band.topLeft())
    path.cubicTo(band.center(), band.center(), band.bottomRight())
    path.moveTo(band.bottomLeft())
    path.cubicTo(band.center(), band.center(), band.topRight())
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


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
