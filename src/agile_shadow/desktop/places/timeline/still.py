"""The timeline without its playhead as one picture, drawn anew only when something in it has changed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QPainter, QPixmap

from ....core.project import Project
from ....core.switch import Choice, Presence
from ....core.timeline import Kind, Timeline
from ... import theme
from . import paint
from .rows import HEAD, RULER
from .scene import BlockScene
from .sights import Sights

if TYPE_CHECKING:
    from .view import TimelineView

_EMPTY = "Nothing here yet. Select a clip, mark in and out (I, O), then add it with Ctrl+Return."


class Still:
    """The playhead moves all the time; all else seldom."""

    def __init__(self, view: TimelineView, presence: Presence, sights: Sights) -> None:
        self._view, self._presence, self._sights = view, presence, sights
        self._pixmap: QPixmap | None = None
        self._drawn_of: tuple[object, ...] = ()
        self._kinds: dict[tuple[str, str | None], Choice] = {}
        self._kinds_of: tuple[object, ...] = ()
        self._in_turn = False
        self._turn = QTimer(view)
        self._turn.setSingleShot(True)
        self._turn.setInterval(0)
        self._turn.timeout.connect(self._its_turn)

    def picture(self, project: Project) -> QPixmap:
        """All but the playhead. Where only something else of the project has changed, as what its blocks play from when
        the switch is flipped, it is drawn anew in the next turn: the picture in the viewer comes first."""
        view, rows, ratio = self._view, self._view.rows, self._view.devicePixelRatioF()
        kinds: tuple[Kind, ...] = ("picture", "sound")
        targets = frozenset(track.id for kind in kinds if (track := view.target(kind)) is not None)
        drawn_of = (
            project, view.timeline, theme.theme(), (rows.scale, rows.offset, rows.top), view.size(), ratio,
            view.chosen, targets, view.gesture.caught, view.baked, self._presence.version, self._sights.version,
            view.shows_sights,
        )  # fmt: skip
        same = [_same(*pair) for pair in zip(drawn_of, self._drawn_of, strict=True)] if self._drawn_of else [False]
        if self._pixmap is not None and all(same[1:]) and not same[0] and not self._in_turn:
            self._turn.start()
        elif self._pixmap is None or not all(same):
            self._in_turn = False
            self._drawn_of = drawn_of
            self._pixmap = QPixmap(view.size() * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            self._paint(self._pixmap, project, targets)
        return self._pixmap

    def _its_turn(self) -> None:
        self._in_turn = True
        self._view.update()

    def _paint(self, pixmap: QPixmap, project: Project, targets: frozenset[str]) -> None:
        view = self._view
        pixmap.fill(theme.colour("panel"))
        painter = QPainter(pixmap)
        scene = BlockScene(
            project, view.timeline, view.rows, self._presence, self._sights, frozenset(view.chosen), targets,
            view.gesture.caught, view.baked, self._kinds_known(project), view.shows_sights,
        )  # fmt: skip
        paint.paint(painter, scene, view.width(), view.height())
        if not view.timeline.length:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.sans(10))
            painter.drawText(view.rect().adjusted(HEAD + 12, RULER, -12, 0), Qt.AlignmentFlag.AlignCenter, _EMPTY)
        painter.end()

    def _kinds_known(self, project: Project) -> dict[tuple[str, str | None], Choice]:
        """What blocks play from, as found in earlier drawings of the same clips."""
        known = (project.clips, project.shelves, project.showing, self._presence.version)
        if len(self._kinds_of) != 4 or any(a is not b for a, b in zip(known, self._kinds_of, strict=True)):
            self._kinds_of, self._kinds = known, {}
        return self._kinds


def _same(one: object, other: object) -> bool:
    """Documents by identity: comparing them by value would take longer than drawing them."""
    if isinstance(one, Project | Timeline):
        return one is other
    return one == other
