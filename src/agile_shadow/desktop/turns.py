"""Calls that need not be made at once, each in a turn of the event loop of its own, so that none makes another long."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

_FIRST, _NEXT = 40, 4  # milliseconds before the first, and between two


class Turns(QObject):
    """For the interface thread alone. What is asked for again before its turn came is called once."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._waiting: dict[str, Callable[[], None]] = {}
        self._over = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._next)

    def later(self, name: str, call: Callable[[], None]) -> None:
        """Have it called soon; of one name the last counts, in the place of the first. Nothing after :meth:`end`."""
        if self._over:
            return
        self._waiting[name] = call
        if not self._timer.isActive():
            self._timer.start(_FIRST)

    def end(self) -> None:
        """Nothing is called any more, whether it waits or comes later."""
        self._over = True
        self._waiting.clear()
        self._timer.stop()

    def _next(self) -> None:
        name = next(iter(self._waiting), None)
        if name is None:
            return
        call = self._waiting.pop(name)
        if self._waiting:
            self._timer.start(_NEXT)
        call()
