"""The timeline as it is seen and handled: tracks, blocks, ruler, playhead; drags with the mouse."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....core.project import Project
from ....core.switch import Choice, Presence
from ....core.timeline import Block, Kind, Targets, Timeline, Track, with_track
from ... import theme
from . import paint
from .drags import Drag, catches_of, caught, rolled, told, way_of
from .rows import HEAD, RULER, Rows
from .scene import Scene
from .sights import Sights

_REACH = 8  # pixels within which an edge catches


class TimelineView(QWidget):
    """Shows one timeline. Gestures give whole edits: nothing changes in the document before the button is let go."""

    sought = Signal(int)
    edited = Signal(str, object)  # label, new timeline
    selected_changed = Signal()
    targets_changed = Signal()
    opened = Signal()  # a block was clicked twice
    in_sight_changed = Signal()
    asked = Signal(object, object)  # a menu is wanted: place on the screen, block or track under it

    def __init__(self, presence: Presence, sights: Sights) -> None:
        super().__init__()
        self._presence = presence
        self._sights = sights
        self._project: Project | None = None
        self.rows = Rows()
        self.position = 0
        self.chosen: tuple[str, ...] = ()
        self.snapping = True
        self.shows_sights = True
        self.baked: tuple[tuple[int, int, bool, str], ...] = ()
        self._targets: dict[Kind, str] = {}
        self._drag: Drag | None = None
        self._band: tuple[QPointF, QPointF] | None = None
        self._seeking = False
        self._fit = True
        self._kinds: dict[tuple[str, str | None], Choice] = {}
        self._kinds_of: tuple[object, ...] = ()
        self._pixmap: QPixmap | None = None
        self._still_of: tuple[object, ...] = ()
        self._preview: Timeline | None = None
        self._caught: int | None = None
        self._told: tuple[str, QPointF] = ("", QPointF())
        self.setMinimumHeight(RULER + 110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Timeline")

    def sizeHint(self) -> QSize:
        return QSize(600, RULER + 120)

    # What it shows

    def set_project(self, project: Project) -> None:
        """Show a document."""
        self._project = project
        left = tuple(block for block in self.chosen if project.timeline.block(block) is not None)
        if left != self.chosen:
            self.choose(left)
        self._scroll_to(self.rows.top)
        self._changed()

    @property
    def timeline(self) -> Timeline:
        """As shown: with the gesture under way."""
        if self._preview is not None:
            return self._preview
        return self._project.timeline if self._project is not None else Timeline()

    def set_position(self, frame: int) -> None:
        """Put the playhead at a frame and keep it in sight."""
        if frame == self.position:
            return
        before, self.position = self.rows.x_of(self.position), frame
        room = max(1.0, (self.width() - HEAD) / self.rows.scale)
        if frame < self.rows.offset or frame > self.rows.offset + room:
            self.rows.offset = max(0.0, frame - room * 0.2)
            self._changed()
            return
        for x in (before, self.rows.x_of(frame)):  # nothing else has moved
            self.update(int(x) - 8, 0, 17, self.height())

    # Choosing

    @property
    def selected(self) -> str | None:
        """The block chosen last."""
        return self.chosen[-1] if self.chosen else None

    def choose(self, blocks: tuple[str, ...]) -> None:
        """Choose blocks."""
        if blocks != self.chosen:
            self.chosen = blocks
            self.selected_changed.emit()
            self.update()

    def select(self, block: str | None) -> None:
        """Choose one block, or none."""
        self.choose((block,) if block is not None else ())

    def target(self, kind: Kind) -> Track | None:
        """The track of a kind that new footage goes to: the one in hand, else the first."""
        line = self._project.timeline if self._project is not None else Timeline()
        row = line.pictures if kind == "picture" else line.sounds
        chosen = next((track for track in row if track.id == self._targets.get(kind)), None)
        return chosen or next((track for track in row if not track.locked), None) or (row[0] if row else None)

    def targets(self) -> Targets:
        """The tracks in hand."""
        picture, sound = self.target("picture"), self.target("sound")
        return Targets(picture.id if picture is not None else "", sound.id if sound is not None else "")

    def take_in_hand(self, track: Track) -> None:
        """Let new footage go to a track."""
        self._targets[track.kind] = track.id
        self.targets_changed.emit()
        self.update()

    # Zoom

    def zoom(self, factor: float) -> None:
        """More or fewer pixels per frame, around the playhead."""
        self.rows.zoom(factor, self.position)
        self._changed()

    def zoom_all(self) -> None:
        """The whole timeline in the width there is, as soon as that is known."""
        self._fit = not self.isVisible()
        self.rows.width = self.width()
        self.rows.show_all(self.timeline.length)
        self._changed()

    def _changed(self) -> None:
        """What is in sight has changed."""
        self.in_sight_changed.emit()
        self.update()

    def span(self) -> tuple[int, int]:
        """Frames that can be scrolled over, and frames in sight."""
        sight = max(1, int((self.width() - HEAD) / self.rows.scale))
        return self.timeline.length + sight // 4, sight

    def scroll_to(self, frame: int) -> None:
        """Let a frame be the first in sight."""
        self.rows.offset = float(max(0, frame))
        self.update()

    def x_of(self, frame: float) -> float:
        """Where a frame begins, in pixels."""
        return self.rows.x_of(frame)

    def block_rect(self, block: Block) -> QRectF:
        """Where a block is drawn."""
        return self.rows.block_rect(self.timeline, block)

    def _scroll_to(self, top: float) -> None:
        most = max(0.0, self.rows.height(self.timeline) + 12 - (self.height() - RULER))
        self.rows.top = min(most, max(0.0, top))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.rows.width = self.width()
        self._scroll_to(self.rows.top)
        if self._fit and self.isVisible():
            self.zoom_all()
        self._changed()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._fit:
            self.zoom_all()

    # Gestures

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self._project is None:
            return
        point, line = event.position(), self._project.timeline
        if point.y() < RULER:
            self._seeking = True
            self.sought.emit(self.rows.frame_at(point.x()))
            return
        if point.x() < HEAD:
            self._press_head(point)
            return
        hit = self.rows.block_at(line, point)
        if hit is None:
            self._band = (point, point)
            return
        self._press_block(*hit, point, event.modifiers())

    def _press_head(self, point: QPointF) -> None:
        line = self._project.timeline if self._project is not None else Timeline()
        track = self.rows.track_at(line, point.y())
        if track is None:
            return
        rect = self.rows.rects(line)[track.id]
        for name, button in paint.head_buttons(rect).items():
            if button.contains(point):
                self.flip_track(track, name)
                return
        self.take_in_hand(track)

    def flip_track(self, track: Track, name: str) -> None:
        """Lock or unlock a track, hide, show, mute or hear it."""
        on = not getattr(track, name)
        words = {"locked": ("Lock", "Unlock"), "off": ("Hide or mute", "Show or hear")}[name]
        self.edited.emit(f"{words[0 if on else 1]} {track.name}", with_track(self.timeline, track.id, **{name: on}))

    def _press_block(self, block: Block, part: str, point: QPointF, keys: Qt.KeyboardModifier) -> None:
        shift = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        control = bool(keys & Qt.KeyboardModifier.ControlModifier)
        line = self.timeline
        if block.id not in self.chosen:
            self.choose((*self.chosen, block.id) if control and part == "body" else (block.id,))
        alt = bool(keys & Qt.KeyboardModifier.AltModifier)
        cut = rolled(line, block, part) if part in ("start", "end") else None
        way = way_of(part, shift, control, cut is not None, alt)
        handle = cut if way == "roll" and cut is not None else block
        if way == "roll" and cut is None:
            way = part
        track = line.track_of(block.id)
        assert track is not None
        self._drag = Drag(way, handle.id, self.chosen, self.rows.edge_at(point.x()), track.id)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self._seeking:
            self.sought.emit(self.rows.frame_at(point.x()))
        elif self._band is not None:
            self._band = (self._band[0], point)
            self._choose_in_band()
            self.update()
        elif self._drag is not None:
            self._move(self._drag, point)
        else:
            self._show_cursor(point)

    def _show_cursor(self, point: QPointF) -> None:
        hit = self.rows.block_at(self.timeline, point) if point.y() >= RULER else None
        edge = hit is not None and hit[1] != "body"
        self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)

    def _move(self, drag: Drag, point: QPointF) -> None:
        assert self._project is not None
        line = self._project.timeline
        by = self.rows.edge_at(point.x()) - drag.begun
        tracks = self._tracks_up(drag, point) if drag.way == "move" else 0
        self._caught = None
        if self.snapping:
            catches = catches_of(line, drag.ids, self.position)
            by, self._caught = caught(drag.edges(line), by, catches, _REACH / self.rows.scale)
        if not by and not tracks and self._preview is None:
            return
        self._preview = drag.apply(line, by, tracks, self.rows.edge_at(point.x()))
        self._told = (told(drag, line, self._preview, by), point)
        self.update()

    def _tracks_up(self, drag: Drag, point: QPointF) -> int:
        assert self._project is not None
        line = self._project.timeline
        source, target = line.track(drag.track), self.rows.track_at(line, point.y())
        if source is None or target is None or source.kind != target.kind:
            return 0
        row = line.pictures if source.kind == "picture" else line.sounds
        return row.index(target) - row.index(source)

    def _choose_in_band(self) -> None:
        assert self._band is not None
        area = QRectF(*self._band).normalized()
        rects = self.rows.rects(self.timeline)
        first, end = self.rows.frame_at(area.left()), self.rows.frame_at(area.right()) + 1
        inside = [
            block.id
            for track in self.timeline.tracks
            if rects[track.id].intersects(QRectF(0, area.y(), self.width(), max(1.0, area.height())))
            for block in track.between(first, end)
        ]
        self.choose(tuple(inside))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, preview, band = self._drag, self._preview, self._band
        self._end_gesture()
        if band is not None and (band[1] - band[0]).manhattanLength() < 4:
            self.select(None)
            self.sought.emit(self.rows.frame_at(event.position().x()))
        elif drag is not None and preview is not None:
            self.edited.emit(drag.label, preview)
        elif drag is not None and drag.way in ("move", "start", "end", "fade in", "fade out", "speed"):
            self.choose((drag.block,))
            self.sought.emit(self.rows.frame_at(event.position().x()))

    def _end_gesture(self) -> None:
        self._drag = self._preview = self._band = self._caught = None
        self._seeking = False
        self._told = ("", QPointF())
        self.update()

    @property
    def dragging(self) -> bool:
        """Whether a gesture is under way."""
        return self._drag is not None or self._band is not None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.rows.block_at(self.timeline, event.position()) is not None:
            self.opened.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        point = QPointF(event.pos())
        hit = self.rows.block_at(self.timeline, point)
        if hit is not None and hit[0].id not in self.chosen:
            self.select(hit[0].id)
        track = self.rows.track_at(self.timeline, point.y())
        self.asked.emit(event.globalPos(), hit[0] if hit is not None else track)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.dragging:
            self._end_gesture()
            return
        super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.rows.zoom(1.2 if steps > 0 else 1 / 1.2, self.position)
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._scroll_to(self.rows.top - steps / 2)
        else:
            self.rows.offset = max(0.0, self.rows.offset - steps / self.rows.scale / 2)
        self._changed()

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self._project is None:
            painter.fillRect(self.rect(), theme.colour("panel"))
            return
        painter.drawPixmap(0, 0, self._still())
        paint.paint_playhead(painter, self.rows, self.position, self.height())
        if self._band is not None:
            painter.setPen(QPen(theme.colour("focus"), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._band).normalized())
        if self._told[0]:
            self._paint_told(painter)

    def _still(self) -> QPixmap:
        """All but the playhead, drawn anew only when something in it has changed: the playhead moves all the time."""
        assert self._project is not None
        kinds: tuple[Kind, ...] = ("picture", "sound")
        targets = frozenset(track.id for kind in kinds if (track := self.target(kind)) is not None)
        rows, ratio = self.rows, self.devicePixelRatioF()
        drawn_of = (
            self._project, self.timeline, theme.theme(), (rows.scale, rows.offset, rows.top), self.size(), ratio,
            self.chosen, targets, self._caught, self.baked, self._presence.version, self._sights.version,
            self.shows_sights,
        )  # fmt: skip
        same = len(drawn_of) == len(self._still_of) and all(map(_same, drawn_of, self._still_of))
        if not same or self._pixmap is None:
            self._still_of = drawn_of
            self._pixmap = QPixmap(self.size() * ratio)
            self._pixmap.setDevicePixelRatio(ratio)
            self._paint_still(self._pixmap, targets)
        return self._pixmap

    def _paint_still(self, pixmap: QPixmap, targets: frozenset[str]) -> None:
        assert self._project is not None
        pixmap.fill(theme.colour("panel"))
        painter = QPainter(pixmap)
        scene = Scene(
            self._project, self.timeline, self.rows, self._presence, self._sights, frozenset(self.chosen), targets,
            self._caught, self.baked, self._kinds_known(), self.shows_sights,
        )  # fmt: skip
        paint.paint(painter, scene, self.width(), self.height())
        if not self.timeline.length:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.sans(10))
            text = "Nothing here yet. Select a clip, mark in and out (I, O), then add it with Ctrl+Return."
            painter.drawText(self.rect().adjusted(HEAD + 12, RULER, -12, 0), Qt.AlignmentFlag.AlignCenter, text)
        painter.end()

    def _kinds_known(self) -> dict[tuple[str, str | None], Choice]:
        """What blocks play from, as found in earlier drawings of the same clips."""
        assert self._project is not None
        project = self._project
        known = (project.clips, project.shelves, project.showing, self._presence.version)
        if len(self._kinds_of) != 4 or any(a is not b for a, b in zip(known, self._kinds_of, strict=True)):
            self._kinds_of, self._kinds = known, {}
        return self._kinds

    def _paint_told(self, painter: QPainter) -> None:
        text, point = self._told
        painter.setFont(theme.sans(9))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 14
        x = min(point.x() + 14, self.width() - wide - 4)
        box = QRectF(x, max(2.0, point.y() - 28), wide, 20)
        painter.fillRect(box, theme.colour("raised"))
        painter.setPen(theme.colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _same(one: object, other: object) -> bool:
    """Documents by identity: comparing them by value would take longer than drawing them."""
    if isinstance(one, Project | Timeline):
        return one is other
    return one == other
