"""The timeline as it is seen and handled: tracks, blocks, ruler, playhead; drags with the mouse."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....core.project import Project
from ....core.switch import Presence
from ....core.timeline import Block, Kind, Targets, Timeline, Track, with_track
from ... import theme
from . import paint
from .gesture import Gesture
from .rows import HEAD, RULER, Rows
from .sights import Sights
from .still import Still


class TimelineView(QWidget):
    """Shows one timeline. Gestures give whole edits: nothing changes in the document before the button is let go.

    Large: one method for each of the toolkit's events, and one for each thing that others ask of the view.
    """

    sought = Signal(int)
    edited = Signal(str, object)  # label, new timeline
    selected_changed = Signal()
    targets_changed = Signal()
    opened = Signal()  # a block was clicked twice
    in_sight_changed = Signal()
    asked = Signal(object, object)  # a menu is wanted: place on the screen, block or track under it

    def __init__(self, presence: Presence, sights: Sights) -> None:
        super().__init__()
        self.project: Project | None = None
        self.rows = Rows()
        self.position = 0
        self.chosen: tuple[str, ...] = ()
        self.snapping = True
        self.shows_sights = True
        self.baked: tuple[tuple[int, int, bool, str], ...] = ()
        self._targets: dict[Kind, str] = {}
        self._fit = True
        self.gesture = Gesture(self)
        self._still = Still(self, presence, sights)
        self.setMinimumHeight(RULER + 110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Timeline")

    def sizeHint(self) -> QSize:
        return QSize(600, RULER + 120)

    # What it shows

    def set_project(self, project: Project) -> None:
        """Show a document; a timeline that was in sight as a whole stays so when it grows."""
        whole = self.project is not None and self.rows.shows_all(self.project.timeline.length)
        self.project = project
        if whole and not self.rows.shows_all(project.timeline.length):
            self.rows.show_all(project.timeline.length * 5 // 4)  # with room for the next blocks
        left = tuple(block for block in self.chosen if project.timeline.block(block) is not None)
        if left != self.chosen:
            self.choose(left)
        self._scroll_to(self.rows.top)
        self._changed()

    @property
    def timeline(self) -> Timeline:
        """As shown: with the gesture under way."""
        if self.gesture.preview is not None:
            return self.gesture.preview
        return self.project.timeline if self.project is not None else Timeline()

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
        line = self.project.timeline if self.project is not None else Timeline()
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
        if event.button() == Qt.MouseButton.LeftButton and self.project is not None:
            self.gesture.press(event.position(), event.modifiers())

    def flip_track(self, track: Track, name: str) -> None:
        """Lock or unlock a track, hide, show, mute or hear it."""
        on = not getattr(track, name)
        words = {"locked": ("Lock", "Unlock"), "off": ("Hide or mute", "Show or hear")}[name]
        self.edited.emit(f"{words[0 if on else 1]} {track.name}", with_track(self.timeline, track.id, **{name: on}))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.gesture.move(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.gesture.release(event.position())

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
        if event.key() == Qt.Key.Key_Escape and self.gesture.under_way:
            self.gesture.end()
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
        if self.project is None:
            painter.fillRect(self.rect(), theme.colour("panel"))
            return
        painter.drawPixmap(0, 0, self._still.picture(self.project))
        paint.paint_playhead(painter, self.rows, self.position, self.height())
        self.gesture.paint(painter)
