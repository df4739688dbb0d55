"""Texts that are painted again and again: how wide they are and what of them fits is found once.

Text, size and weight stand for the chrome's own face (``theme.sans``); widths are in pixels.
"""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetrics

from . import theme

MIDDLE, END = Qt.TextElideMode.ElideMiddle, Qt.TextElideMode.ElideRight


@lru_cache
def _metrics(size: int, bold: bool) -> QFontMetrics:
    return QFontMetrics(theme.sans(size, bold))


@lru_cache(maxsize=4096)  # some hundred texts are in sight, and most are those of the picture before
def fitted(text: str, size: int, width: int, where: Qt.TextElideMode = END, bold: bool = False) -> str:
    """The text, shortened where it is wider."""
    return _metrics(size, bold).elidedText(text, where, width)


@lru_cache(maxsize=4096)
def width_of(text: str, size: int, bold: bool = False) -> int:
    """How wide a text is."""
    return _metrics(size, bold).horizontalAdvance(text)
