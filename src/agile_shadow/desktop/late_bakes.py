"""Has what came late baked while the hand rests, where the project says so."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QTimer

from ..core import playback  # its parts are loaded when something came late
from .work import Work

if TYPE_CHECKING:
    from ..core.playback import LateStretch

_TICK = 250  # milliseconds
_HAND = frozenset((
    QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease, QEvent.Type.MouseMove,
    QEvent.Type.Wheel,
))  # fmt: skip


class LateBakes(QObject):
    """``late`` gives what came late, the worst first. ``rest``: seconds without a key, a mouse or playing from which on
    the hand rests. Installed on the window, it hears keys and mouse."""

    def __init__(self, work: Work, late: Callable[[], tuple[LateStretch, ...]]) -> None:
        super().__init__()
        self.rest = 5.0
        self._work = work
        self._late = late
        self._tried: set[str] = set()  # digests: what could not be baked is not tried again and again
        self._moved = time.monotonic()
        self._looking = False
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)

    def start(self) -> None:
        """Bake from now on."""
        self._timer.start()

    def end(self) -> None:
        """Nothing is begun any more."""
        self._timer.stop()

    def hand(self) -> None:
        """The hand moved: what was begun here stands still at once."""
        self._moved = time.monotonic()
        self._hold(True)

    def rested(self) -> float:
        """Seconds since the hand last moved."""
        return time.monotonic() - self._moved

    def _hold(self, on: bool) -> None:
        for run in self._work.desk.bakes:
            if run.alone:
                run.hold(on)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Of the window as the system sees it: what goes to any widget of it passes here."""
        if event.type() in _HAND:
            self.hand()
        return False

    def _tick(self) -> None:
        if self._work.is_playing():
            self.hand()
        if self.rested() < self.rest:
            return
        self._hold(False)
        project = self._work.session.project
        late = self._late() if project.footage.bake_room else ()
        if not late or self._looking or self._work.desk.bakes:
            return
        self._looking, tried = True, frozenset(self._tried)

        def look() -> LateStretch | None:
            try:
                return playback.next_to_bake(project, late, tried)
            finally:
                self._looking = False

        self._work.in_background(look, self._found)

    def _found(self, one: LateStretch | None) -> None:
        if one is None or one.digest in self._tried or self.rested() < self.rest:
            return
        if one.timeline != self._work.session.project.timeline.id:
            return
        self._tried.add(one.digest)
        self._work.asked.bake(one.start, one.end, alone=True)
