"""A viewer with its transport: scrub bar, timecode, marks, buttons."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from ..core.playback import ClipProgram, MeterReading, Player, Program, SoundOutput
from ..core.project import Clip, Project
from ..core.time import frame_of, is_drop_frame, rate_label, timecode_at
from . import theme
from .actions import keys_of
from .viewer import Viewer

_TICK = 6  # milliseconds between two looks at the clock while playing
_FASTEST = 8


class ScrubBar(QWidget):
    """The length of what is loaded, with playhead and marks; press and drag to scrub."""

    scrubbed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(22)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.length = 0
        self.position = 0
        self.mark_in: int | None = None
        self.mark_out: int | None = None

    def x_of(self, frame: int) -> float:
        """Where a frame lies, in pixels."""
        return 6 + (self.width() - 12) * frame / max(1, self.length - 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._scrub(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._scrub(event)

    def _scrub(self, event: QMouseEvent) -> None:
        if self.length and event.buttons() & Qt.MouseButton.LeftButton:
            part = (event.position().x() - 6) / max(1, self.width() - 12)
            self.scrubbed.emit(round(max(0.0, min(1.0, part)) * (self.length - 1)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(6, 9, self.width() - 12, 5), theme.colour("raised"))
        if not self.length:
            return
        first = self.mark_in if self.mark_in is not None else 0
        last = self.mark_out if self.mark_out is not None else self.length - 1
        if self.mark_in is not None or self.mark_out is not None:
            painter.fillRect(
                QRectF(self.x_of(first), 9, self.x_of(last) - self.x_of(first) + 1, 5), theme.colour("quiet")
            )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("text"))
        x = self.x_of(self.position)
        painter.drawPolygon(QPolygonF([QPointF(x - 5, 2), QPointF(x + 5, 2), QPointF(x, 9)]))
        painter.fillRect(QRectF(x - 0.75, 5, 1.5, 14), theme.colour("text"))


class PlayerPanel(QWidget):
    """Viewer and transport over one player. ``moved`` tells each new position, ``metered`` the play meter or None."""

    moved = Signal(int)
    metered = Signal(object)
    picture_came = Signal()
    _picture_ready = Signal()

    def __init__(self, sound: SoundOutput) -> None:
        super().__init__()
        self.player = Player(self._picture_ready.emit, sound)
        self.viewer = Viewer()
        self.clip: Clip | None = None
        self._rate = Fraction(25)
        self._start_timecode: str | None = None
        self._marks: dict[str, tuple[int | None, int | None]] = {}
        self._build()
        self.viewer.resized.connect(self.player.set_view)
        self._picture_ready.connect(self._take)
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.pictures = QStackedWidget()  # other ways of looking may stand in the viewer's place
        self.pictures.addWidget(self.viewer)
        layout.addWidget(self.pictures, 1)
        self.scrub = ScrubBar()
        self.scrub.scrubbed.connect(self.seek)
        layout.addWidget(self.scrub)
        row = QHBoxLayout()
        row.setSpacing(5)
        self.timecode = QLabel("--:--:--:--")
        self.timecode.setFont(theme.mono(12))
        self.length = QLabel("")
        self.length.setObjectName("quiet")
        self.length.setFont(theme.mono(9))
        self.marked = QLabel("")
        self.marked.setFont(theme.mono(9))
        self.marked.setObjectName("quiet")
        row.addWidget(self.timecode)
        row.addWidget(self.length)
        row.addStretch(1)
        self.buttons: dict[str, QToolButton] = {}
        for identity, text in (
            ("backward", "Back"), ("back_1", "−1"), ("play", "Play"), ("on_1", "+1"),
            ("mark_in", "In"), ("mark_out", "Out"),
        ):  # fmt: skip
            button = QToolButton()
            button.setText(text)
            button.setObjectName(identity)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setToolTip(f"Key: {keys_of(identity)}")
            button.clicked.connect(lambda _checked=False, identity=identity: self.command(identity))
            self.buttons[identity] = button
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.marked)
        layout.addLayout(row)

    # Loading

    def show_clip(self, clip: Clip, project: Project, frame: int = 0) -> None:
        """Load one clip."""
        if clip.original.info.kind != "video":
            self.clip = clip
            self.show_nothing(f"{clip.name} is a {clip.original.info.kind} file; it has no moving picture to show yet.")
            return
        self.clip = clip
        self._load(ClipProgram.of(clip), project, frame, clip.original.info.start_timecode)

    def show_program(self, program: Program, project: Project, frame: int) -> None:
        """Load a timeline."""
        self.clip = None
        if program.length == 0:
            self.show_nothing("The timeline is empty. Mark a clip and put it here.")
            return
        self._load(program, project, frame, None)

    def show_nothing(self, text: str) -> None:
        """Nothing to play: a sentence instead."""
        self._stop_timer()
        self.player.release()
        self.viewer.clear(text)
        self.scrub.length = 0
        self.timecode.setText("--:--:--:--")
        self.length.setText("")
        self.marked.setText("")
        self.scrub.update()

    def _load(self, program: Program, project: Project, frame: int, start_timecode: str | None) -> None:
        self._rate = program.rate
        self._start_timecode = start_timecode
        self.viewer.set_aspect(program.aspect)
        self._stop_timer()
        self.player.show(program, project, frame)
        self.viewer.await_picture(self.player.choice_now())
        self.scrub.length = program.length
        self._show_marks()
        self._show_position()

    def update_project(self, project: Project, program: Program | None = None) -> None:
        """The document changed: same position, as it is now."""
        if self.clip is not None:
            self.clip = project.clip(self.clip.id) or self.clip
        self.player.update_project(project, program)
        if program is not None:
            self.scrub.length = program.length
            self.viewer.set_aspect(program.aspect)
        self.viewer.await_picture(self.player.choice_now())
        self._show_position()

    @property
    def loaded(self) -> bool:
        """Whether there is something to play."""
        return self.scrub.length > 0

    # Transport

    def command(self, identity: str) -> None:
        """One of the playing and marking commands."""
        if not self.loaded:
            return
        steps = {"back_1": -1, "on_1": 1, "back_10": -10, "on_10": 10}
        if identity in steps:
            self.seek(self.player.position + steps[identity])
        elif identity == "first":
            self.seek(0)
        elif identity == "last":
            self.seek(self.scrub.length - 1)
        elif identity == "play":
            self._stop() if self.player.playing else self._play(Fraction(1))
        elif identity == "stop":
            self._stop()
        elif identity in ("forward", "backward"):
            self._shuttle(1 if identity == "forward" else -1)
        elif identity in ("mark_in", "mark_out", "unmark"):
            self._mark(identity)

    def _shuttle(self, direction: int) -> None:
        speed = self.player.speed
        same = speed * direction > 0
        faster = min(abs(speed) * 2, Fraction(_FASTEST)) if same else Fraction(1)
        self._play(faster * direction)

    def _play(self, speed: Fraction) -> None:
        self.player.play(speed)
        self._timer.start()
        self._show_play_button()

    def _stop(self) -> None:
        self.player.stop()
        self._stop_timer()
        self._show_position()

    def _stop_timer(self) -> None:
        self._timer.stop()
        self._show_play_button()
        self.metered.emit(None)

    def _show_play_button(self) -> None:
        speed = self.player.speed
        self.buttons["play"].setText("Stop" if speed else "Play")

    def halt(self) -> None:
        """Stop playing if it runs."""
        if self.player.playing:
            self._stop()

    def seek(self, frame: int) -> None:
        """Stand at a frame."""
        if not self.loaded:
            return
        self.player.seek(frame)
        self._stop_timer()
        self._show_position()

    def _tick(self) -> None:
        if self.player.at_end():
            self._stop()
            return
        picture = self.player.take_due()
        if picture is not None:
            self.viewer.show_picture(picture)
        self._show_position()
        self.metered.emit(self.player.meter())

    def _take(self) -> None:
        picture = self.player.take_due()
        if picture is not None:
            self.viewer.show_picture(picture)
            self.picture_came.emit()

    # Marks

    def _mark_key(self) -> str:
        return self.clip.id if self.clip is not None else ""

    def _mark(self, identity: str) -> None:
        if self.clip is None:
            return
        first, last = self._marks.get(self._mark_key(), (None, None))
        position = self.player.position
        if identity == "unmark":
            first = last = None
        elif identity == "mark_in":
            first, last = position, last if last is not None and last >= position else None
        else:
            first, last = first if first is not None and first <= position else None, position
        self._marks[self._mark_key()] = (first, last)
        self._show_marks()

    def marked_range(self) -> tuple[int, int]:
        """First frame and the frame after the last one of the marked range of the clip; all of it without marks."""
        first, last = self._marks.get(self._mark_key(), (None, None))
        return (first or 0), (last + 1 if last is not None else self.scrub.length)

    def _show_marks(self) -> None:
        first, last = self._marks.get(self._mark_key(), (None, None)) if self.clip is not None else (None, None)
        self.scrub.mark_in, self.scrub.mark_out = first, last
        self.scrub.update()
        if first is None and last is None:
            self.marked.setText("")
        else:
            start, end = self.marked_range()
            self.marked.setText(f"marked {end - start} frames")

    # Showing

    def _show_position(self) -> None:
        position = self.player.position
        if position != self.scrub.position or not self.player.playing:
            self.scrub.position = position
            self.scrub.update()
            self.timecode.setText(self.timecode_of(position))
            self.length.setText(f"frame {position} of {self.scrub.length}")
            self.length.setToolTip(f"{rate_label(self._rate)} frames per second")
            self.moved.emit(position)

    def timecode_of(self, frame: int) -> str:
        """Timecode of a frame of what is loaded: the clip's own, or counted from zero."""
        start = 0
        drop = False
        if self._start_timecode:
            drop = is_drop_frame(self._start_timecode)
            try:
                start = frame_of(self._start_timecode, self._rate)
            except ValueError:
                start = 0
        return timecode_at(start + frame, self._rate, drop)

    def close_player(self) -> None:
        """End the player's threads."""
        self._timer.stop()
        self.player.close()


def meter_text(reading: MeterReading | None) -> str:
    """The meter in words for the strip."""
    return reading.text() if reading is not None else "stopped"
