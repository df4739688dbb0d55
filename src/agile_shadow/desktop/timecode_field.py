"""The position, which can be typed: a timecode, a frame number, or a jump."""

from __future__ import annotations

import re
from fractions import Fraction

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit

from ..core.time import frame_of, nominal_rate
from . import theme

_NUMBER = re.compile(r"([+-]?)(\d{1,8})")
_SHORT = re.compile(r"(\d{1,2})[:.](\d{1,3})")


def jump(text: str, position: int, rate: Fraction, start: int) -> int:
    """The frame that is meant by what was typed at ``position``; ``start``: the frame number of the first one.

    ``01:00:00:12`` is a timecode, ``2:05`` seconds and frames from here's beginning, ``+12`` and ``-12`` jumps, ``12``
    a frame. Raises ValueError.
    """
    text = text.strip().replace("−", "-")
    number = _NUMBER.fullmatch(text)
    if number is not None:
        sign = {"+": 1, "-": -1, "": 0}[number[1]]
        return position + sign * int(number[2]) if sign else int(number[2])
    short = _SHORT.fullmatch(text)
    if short is not None:
        return int(short[1]) * nominal_rate(rate) + int(short[2])
    return frame_of(text, rate) - start


class TimecodeField(QLineEdit):
    """Shows the position; typing changes it with Return and is forgotten with Escape."""

    entered = Signal(str)

    def __init__(self) -> None:
        super().__init__("--:--:--:--")
        self.setFont(theme.mono(11))
        self.setFixedWidth(self.fontMetrics().horizontalAdvance("00:00:00:000") + 14)
        self.setAccessibleName("Position")
        self.returnPressed.connect(self._enter)
        self._shown = self.text()

    def show_text(self, text: str) -> None:
        """Show a position, unless one is being typed."""
        self._shown = text
        if not self.isModified():
            self.setText(text)

    def begin(self) -> None:
        """Type here."""
        self.setFocus()
        self.selectAll()

    def refuse(self, why: str) -> None:
        """What was typed is no position."""
        self.setToolTip(f"{why}. Type a timecode, a frame number, or +12 and -12 to jump.")
        self.selectAll()

    def _enter(self) -> None:
        typed = self.text()
        self._forget()
        if typed != self._shown:
            self.entered.emit(typed)

    def _forget(self) -> None:
        self.setModified(False)
        self.setText(self._shown)
        self.clearFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() and not self.isModified() and not self.hasSelectedText():
            self.selectAll()
        super().keyPressEvent(event)
        if event.key() == 0x01000000:  # Escape
            self._forget()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.setModified(False)
        self.setText(self._shown)
