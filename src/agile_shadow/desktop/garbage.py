"""The garbage collector on the interface thread, in small steps.

Left to itself it runs on whatever thread happens to allocate: there it may destroy widgets, which only the interface
thread may do, and a full round over a large project holds everything up for a tenth of a second and more.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QCoreApplication, QEvent, QObject, QTimer

_STEP = 1000  # milliseconds between two rounds over what is new
_FULL = 120  # steps between two rounds over everything


class Garbage(QObject):
    """Collects for as long as it lives."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._steps = 0
        gc.collect()
        gc.freeze()
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(_STEP)
        self._timer.timeout.connect(self._step)
        self._timer.start()

    def _step(self) -> None:
        self._steps += 1
        if self._steps % _FULL:
            gc.collect(1)
            return
        gc.collect()
        gc.freeze()  # what is alive now is not walked over again; what is no cycle is freed all the same


def forget_dead() -> None:
    """Collect over everything, also what was set aside as long-lived: a window was closed, and another one opens."""
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    gc.unfreeze()
    gc.collect()
    gc.freeze()
