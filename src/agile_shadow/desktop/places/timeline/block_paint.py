"""How blocks are drawn: their pictures, waves, names, fades and dissolves."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from ....core.media.peaks import Peaks
from ....core.project import Clip
from ....core.switch import Choice
from ....core.timeline import NO_COLOUR, Block, out_of_step
from ... import theme
from ...marks import paint_block
from ...texts import fitted, width_of
from .rows import HEAD, ROOMY, Rows
from .scene import BlockScene
from .waves import WavePart

_NAME_ROOM, _LEAST_PLATE = 76, 26  # pixels of a block beside its poster, and of a plate
_PLATE, _ON_PLATE = "#d0101218", "#f2eadb"


def _body(rect: QRectF) -> QRectF:
    return rect.adjusted(0.5, 0, -0.5, 0)


def paint_picture(painter: QPainter, scene: BlockScene, block: Block, rect: QRectF) -> None:
    """A block of a picture track, with its pictures, its name and what is to be known of it."""
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


def _paint_sights(painter: QPainter, scene: BlockScene, block: Block, clip: Clip, body: QRectF) -> QRectF:
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


def _words(scene: BlockScene, block: Block) -> list[str]:
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
    text = ", ".join(words)
    wanted = max(width_of(name, 9, True), len(text) * 6) + 14
    label = QRectF(body.x() + 5, body.y() + 5, min(float(wanted), room), min(34.0, body.height() - 8))
    painter.fillRect(label, _PLATE)
    painter.setPen(_ON_PLATE)
    inside = label.adjusted(4, 1, -2, -1)
    wide = int(inside.width())
    painter.drawText(inside, Qt.AlignmentFlag.AlignTop, fitted(name, 9, wide, bold=True))
    painter.setFont(theme.sans(8))
    painter.setPen("#ffb09a" if any(word.endswith((" late", " early")) for word in words) else _ON_PLATE)
    painter.drawText(inside, Qt.AlignmentFlag.AlignBottom, fitted(text, 8, wide))
    painter.restore()


def paint_sound(painter: QPainter, scene: BlockScene, block: Block, rect: QRectF) -> None:
    """A block of a sound track, with its wave."""
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
    room = int(min(body.width() - 12, width_of(text, 8) + 8))
    if room < 14:
        return
    label = QRectF(body.x() + 5, body.y() + 3, room, 14)
    painter.fillRect(label, _PLATE)
    painter.setPen("#ffb09a" if lost else _ON_PLATE)
    painter.drawText(label.adjusted(3, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, fitted(text, 8, room - 6))


def _paint_wave(painter: QPainter, scene: BlockScene, block: Block, body: QRectF, wave: Peaks) -> None:
    """The peaks of what the block plays, filled, a column for every pixel in sight."""
    left, right = int(max(body.left(), float(HEAD))), int(min(body.right(), float(scene.rows.width)))
    if right - left < 4:
        return
    step = float(block.speed) / scene.rows.scale / float(scene.line.rate)
    half = max(1, (int(body.height()) - 8) // 2)
    begin = float(block.source_start) + (left - body.left()) * step
    image = scene.sights.wave_images.of(wave, WavePart(begin, step, block.effects.gain, right - left, half))
    painter.drawImage(QPointF(left, body.top() + body.height() / 2 - half), image)


def paint_fades(painter: QPainter, rows: Rows, block: Block, rect: QRectF) -> None:
    """The fades of a block, as they darken it."""
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


def paint_handles(painter: QPainter, rows: Rows, block: Block, rect: QRectF) -> None:
    """Handles of the fades in the upper corners of a selected block."""
    if rect.width() <= ROOMY:
        return
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor("#101218"), 1))
    painter.setBrush(QColor(_ON_PLATE))
    for x in rows.fade_handles(block):
        painter.drawEllipse(QPointF(x, rect.y() + 6), 4, 4)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_dissolve(painter: QPainter, rows: Rows, block: Block, row: QRectF) -> None:
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
