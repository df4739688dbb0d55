"""The two marks: an original is a solid ochre block, a proxy a hatched plum block with a shadow; missing is dashed."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QIcon, QPainter, QPen, QPixmap

from .theme import colour

_TILE = 64  # pixels, a multiple of the pattern's eight


def paint_block(painter: QPainter, rect: QRectF, kind: str) -> None:
    """Fill a rectangle as ``original``, ``proxy`` or ``missing``."""
    if kind == "original":
        painter.fillRect(rect, colour("ochre"))
    elif kind == "proxy":
        _paint_proxy(painter, rect)
    else:
        painter.save()
        painter.setPen(QPen(colour("warn"), 1.4, Qt.PenStyle.DashLine))
        painter.drawRect(rect.adjusted(0.7, 0.7, -0.7, -0.7))
        painter.restore()


def _paint_proxy(painter: QPainter, rect: QRectF) -> None:
    offset = max(2.0, min(4.0, rect.height() / 5))
    shadow = QColor(colour("plum"))
    shadow.setAlpha(110)
    painter.fillRect(rect.adjusted(offset, offset, 0, 0), shadow)
    face = rect.adjusted(0, 0, -offset, -offset)
    painter.drawTiledPixmap(face, _hatched(colour("plum").name(), colour("text").name()))


@lru_cache(maxsize=4)
def _hatched(plum: str, text: str) -> QPixmap:
    """The face of a proxy's mark as a tile: filling large blocks with a pattern each time takes milliseconds."""
    tile = QPixmap(_TILE, _TILE)
    tile.fill(QColor(plum))
    hatch = QColor(text)
    hatch.setAlpha(70)
    painter = QPainter(tile)
    painter.fillRect(tile.rect(), QBrush(hatch, Qt.BrushStyle.BDiagPattern))
    painter.end()
    return tile


def mark_icon(kind: str, size: int = 14) -> QIcon:
    """The mark as an icon, to stand beside its word."""
    pixmap = QPixmap(QSize(size * 2, size * 2))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.scale(2, 2)
    paint_block(painter, QRectF(1, size * 0.18, size - 2, size * 0.64), kind)
    painter.end()
    pixmap.setDevicePixelRatio(2)
    icon = QIcon(pixmap)
    icon.addPixmap(pixmap, QIcon.Mode.Selected)  # a chosen row does not tint it
    return icon
