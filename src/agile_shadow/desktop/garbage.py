"""The garbage collector on the interface thread, in small steps.

Left to itself it runs on whatever thread happens to allocate: there it may destroy widgets, which only the interface
thread may do, and a full round over a large project holds everything up for a tenth of a second and more.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QCoreApplication, QEvent, QObject, QTimer

_LOOK = 100  # milliseconds between two looks at how much is new
_MUCH = 8000  # new objects: a round over so many takes about 10 ms
_STEP = 10  # looks between two rounds over what is new, however little it is
_FULL = 1200  # looks between two rounds over everything


class Garbage(QObject):
    """Collects for as long as it lives."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._looks = 0
        gc.collect()
        gc.freeze()
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        self._looks += 1
        if self._looks % _FULL == 0:
            gc.collect()
            gc.freeze()  # what is alive now is not walked over again; what is no cycle is freed all the same
        elif self._looks % _STEP == 0 or gc.get_count()[0] > _MUCH:
            gc.collect(1)


def forget_dead() -> None:
    """Collect over everything, also what was set aside as long-lived: a window was closed, and another one opens."""
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    gc.unfreeze()
    gc.collect()
    gc.freeze()
