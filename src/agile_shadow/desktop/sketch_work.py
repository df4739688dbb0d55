"""Sketches of clips that came in without a proxy, taken in the background; places are told of each."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from ..core.amounts import counted
from ..core.ingest import Sketching
from .work import Work


class SketchWork(QObject):
    """``came`` tells, on the interface thread, of a clip whose sketch is there; ``changed`` that :attr:`text` has."""

    came = Signal(str)
    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._sketching = Sketching(
            work.machine.shared("search"), lambda clip: work.call_here(lambda: self.came.emit(clip)),
            lambda: work.call_here(self.changed.emit),
        )

    def start(self) -> None:
        """Take them from now on, as clips come in."""
        self._work.project_changed.connect(self._look)
        self._look()

    def _look(self) -> None:
        self._sketching.want(self._work.session.project)
        self.changed.emit()

    def came_or_went(self) -> None:
        """Files came back: what could not be read is tried once more."""
        self._sketching.again()

    @property
    def text(self) -> str:
        """What is being done, for the strip; "" when nothing is."""
        left = self._sketching.left
        return f"sketching {counted(left, 'clip')}" if left else ""

    def end(self) -> None:
        """Take no more."""
        self._sketching.end()
        self._work.at_the_end(self._sketching.close)
