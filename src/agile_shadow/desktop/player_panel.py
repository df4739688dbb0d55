"""A viewer with its transport: scrub bar, timecode, marks, buttons."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QAction, QMouseEvent, QPainter, QPaintEvent, QPolygonF, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ..core.playback import ClipProgram, MeterReading, Player, Program, Reason, SoundOutput, why_late
from ..core.project import Clip, Project
from ..core.time import frame_of, is_drop_frame, rate_label, timecode_at
from . import theme
from .actions import COMMANDS, keys_of
from .full_screen import FullScreen
from .labels import ElidedLabel
from .timecode_field import TimecodeField, jump
from .viewer import ZOOMS, Viewer

_TICK = 6  # milliseconds between two looks at the clock while playing
_FASTEST = 8
_ROOMY = 660  # pixels of width from which there is room for more than the buttons
DETAILS = (
    (Fraction(1), "full", ""), (Fraction(1, 2), "half", "half detail"), (Fraction(1, 4), "a quarter", "quarter detail"),
    (Fraction(1, 8), "an eighth", "eighth detail"),
)  # fmt: skip
_MENDS = {
    "show proxies": "Show proxies", "unpin": "Show its proxy", "make a proxy": "Make a proxy",
    "bake": "Bake this stretch", "less detail": "Less detail",
}  # fmt: skip


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
    heard = Signal(object)  # the peaks of what is heard, left and right, or None
    picture_came = Signal()
    switch_asked = Signal()
    mend_asked = Signal(object)  # the Reason whose button was pressed
    _picture_ready = Signal()
    _unheard = Signal()

    def __init__(self, sound: SoundOutput) -> None:
        super().__init__()
        self.player = Player(self._picture_ready.emit, sound)
        self.viewer = Viewer(self.player.window)
        self.clip: Clip | None = None
        self.loop_range: Callable[[], tuple[int, int]] = lambda: (0, self.scrub.length)
        self.looping = False
        self.reason: Reason | None = None
        self._project: Project | None = None
        self._rate = Fraction(25)
        self._start_timecode: str | None = None
        self._marks: dict[str, tuple[int | None, int | None]] = {}
        self._full: FullScreen | None = None
        self._build()
        self.viewer.resized.connect(self.player.set_view)
        self.viewer.zoomed.connect(self._zoom)
        self.viewer.zoomed.connect(lambda *_rest: self._show_view())
        self.viewer.opened.connect(lambda: self.command("full"))
        self._picture_ready.connect(self._take)
        self._unheard.connect(self._say_silence)
        self.player.heard.on_unheard = self._unheard.emit
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
        layout.addWidget(self._reason_bar())
        self.scrub = ScrubBar()
        self.scrub.scrubbed.connect(self.seek)
        layout.addWidget(self.scrub)
        layout.addLayout(self._transport())

    def _reason_bar(self) -> QWidget:
        self.reason_bar = QWidget()
        row = QHBoxLayout(self.reason_bar)
        row.setContentsMargins(0, 0, 0, 0)
        self.reason_text = QLabel("")
        self.reason_text.setObjectName("warn")
        self.reason_text.setWordWrap(True)
        self.mend = QPushButton("")
        self.mend.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.mend.clicked.connect(self._mend)
        row.addWidget(self.reason_text, 1)
        row.addWidget(self.mend)
        self.reason_bar.hide()
        return self.reason_bar

    def _transport(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.timecode = TimecodeField()
        self.timecode.setToolTip(f"Type a timecode, a frame number, or +12 and -12 to jump ({keys_of('position')})")
        self.timecode.entered.connect(self._go_to)
        self.length, self.marked, self.source = ElidedLabel(), ElidedLabel(), ElidedLabel()
        for label in (self.length, self.marked, self.source):
            label.setObjectName("quiet")
            label.setFont(theme.mono(9))
        row.addWidget(self.timecode)
        row.addWidget(self.length, 1)
        self.buttons: dict[str, QToolButton] = {}
        for identity, text in (
            ("backward", "Back"), ("back_1", "−1"), ("play", "Play"), ("on_1", "+1"),
            ("mark_in", "In"), ("mark_out", "Out"),
        ):  # fmt: skip
            button = QToolButton()
            button.setText(text)
            button.setObjectName(identity)
            button.setProperty("small", True)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setToolTip(f"Key: {keys_of(identity)}")
            button.clicked.connect(lambda _checked=False, identity=identity: self.command(identity))
            self.buttons[identity] = button
            row.addWidget(button)
        self.view_button = QToolButton()
        self.view_button.setText("View")
        self.view_button.setProperty("small", True)
        self.view_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.view_button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.view_button.setToolTip("Zoom, detail while playing, loop, safe areas, full screen")
        menu = QMenu(self.view_button)
        menu.aboutToShow.connect(lambda: self._fill_view_menu(menu))
        self.view_button.setMenu(menu)
        row.addWidget(self.view_button)
        row.addWidget(self.source, 1)
        row.addWidget(self.marked)
        return row

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for label in (self.length, self.source):
            label.setVisible(self.width() > _ROOMY)

    # Loading

    def show_clip(self, clip: Clip, project: Project, frame: int = 0) -> None:
        """Load one clip."""
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
        self.timecode.show_text("--:--:--:--")
        self.length.setText("")
        self.marked.setText("")
        self.source.setText("")
        self.show_reason(None)
        self.scrub.update()

    def _load(self, program: Program, project: Project, frame: int, start_timecode: str | None) -> None:
        self._project = project
        self._rate = program.rate
        self._start_timecode = start_timecode
        self.viewer.set_aspect(program.aspect)
        heard_only = self.clip is not None and self.clip.original.info.kind == "sound"
        self.viewer.caption = f"{self.clip.name}: sound only" if heard_only and self.clip is not None else ""
        self._stop_timer()
        self.player.show(program, project, frame)
        self.viewer.await_picture(self.player.choices_now())
        self.scrub.length = program.length
        self._show_marks()
        self._show_position()

    def update_project(self, project: Project, program: Program | None = None) -> None:
        """The document changed: same position, as it is now."""
        self._project = project
        if self.clip is not None:
            self.clip = project.clip(self.clip.id) or self.clip
        self.player.update_project(project, program)
        if program is not None:
            self.scrub.length = program.length
            self.viewer.set_aspect(program.aspect)
        self.viewer.await_picture(self.player.choices_now())
        self._show_position()

    def look_again(self) -> None:
        """Files came or went."""
        if self.loaded and self.isVisible():
            self.player.look_again()
            self.viewer.await_picture(self.player.choices_now())

    @property
    def loaded(self) -> bool:
        """Whether there is something to play."""
        return self.scrub.length > 0

    # Transport

    def _zoom(self, zoom: Fraction, x: float, y: float) -> None:
        self.player.see(replace(self.player.view, zoom=zoom, centre=(x, y)))

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
        else:
            self._view_command(identity)

    def _view_command(self, identity: str) -> None:
        if identity == "loop":
            self.looping = not self.looping
            if self.player.playing:
                self._play(self.player.clock.speed)
        elif identity == "detail":
            number = [part for part, _word, _text in DETAILS].index(self.player.view.detail)
            self.set_detail(DETAILS[(number + 1) % len(DETAILS)][0])
        elif identity == "zoom":
            self.viewer.next_zoom()
        elif identity == "safe":
            self.viewer.safe = not self.viewer.safe
            self.viewer.update()
        elif identity == "full":
            self._full_screen()
        elif identity == "position":
            self.timecode.begin()
        self._show_view()

    def set_detail(self, detail: Fraction) -> None:
        """Part of the picture's width and height that is drawn while playing."""
        self.player.see(replace(self.player.view, detail=detail))
        self._show_detail()
        self._show_view()

    def _show_detail(self) -> None:
        playing = self.player.playing
        text = next(text for part, _word, text in DETAILS if part == self.player.view.detail)
        self.viewer.detail_text = text if playing else ""

    def _show_view(self) -> None:
        """What differs from the usual, in words on the button."""
        words = [f"{int(self.viewer.zoom * 100)} %"] if self.viewer.zoom else []
        words += ["loop"] if self.looping else []
        words += [text for part, _word, text in DETAILS if part == self.player.view.detail and text]
        self.view_button.setText(f"View: {', '.join(words)}" if words else "View")

    def _fill_view_menu(self, menu: QMenu) -> None:
        menu.clear()
        for zoom in ZOOMS:
            text = f"{int(zoom * 100)} % of the frame's pixels" if zoom else "The whole frame"
            self._line(menu, text, self.viewer.zoom == zoom, partial(self.viewer.set_zoom, zoom))
        menu.addSeparator()
        for part, word, _text in DETAILS:
            text = f"Play at {word} detail" if part == 1 else f"Play at {word} of the detail"
            self._line(menu, text, self.player.view.detail == part, partial(self.set_detail, part))
        menu.addSeparator()
        for text, on, identity in (
            ("Again and again (loop)", self.looping, "loop"), ("Safe areas", self.viewer.safe, "safe"),
            ("Full screen", False, "full"),
        ):  # fmt: skip
            self._line(menu, f"{text}\t{keys_of(identity)}", on, partial(self.command, identity))

    @staticmethod
    def _line(menu: QMenu, text: str, on: bool, call: Callable[[], None]) -> None:
        action = QAction(text, menu)
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(lambda _checked=False: call())
        menu.addAction(action)

    def _full_screen(self) -> None:
        if self._full is not None:
            self._full.close()
            return
        self._full = FullScreen(self.viewer, self.pictures, self._left_full_screen, self._key)

    def _key(self, keys: str) -> bool:
        """What a key means in full screen: the playing and marking commands."""
        command = next((one for one in COMMANDS if keys in one.keys and one.area in ("Playing", "Marking")), None)
        if command is not None:
            self.command(command.id)
        elif keys == keys_of("switch"):
            self.switch_asked.emit()
        return command is not None

    def _left_full_screen(self) -> None:
        self._full = None

    def _go_to(self, text: str) -> None:
        start = self._start_frame()
        try:
            frame = jump(text, self.player.position, self._rate, start)
        except ValueError as error:
            self.timecode.refuse(str(error))
            return
        self.seek(max(0, min(frame, self.scrub.length - 1)))

    def _shuttle(self, direction: int) -> None:
        speed = self.player.clock.speed
        same = speed * direction > 0
        faster = min(abs(speed) * 2, Fraction(_FASTEST)) if same else Fraction(1)
        self._play(faster * direction)

    def _play(self, speed: Fraction) -> None:
        first, end = self.loop_range()
        self.player.set_loop((first, end) if self.looping and end - first > 1 else None)
        self.player.play(speed)
        self._show_detail()
        self.show_reason(None)
        self._timer.start()
        self._show_play_button()

    def _stop(self) -> None:
        self.player.stop()
        self._stop_timer()
        self._show_position()

    def _stop_timer(self) -> None:
        self._timer.stop()
        self.heard.emit(None)
        self._show_detail()
        self._show_play_button()
        self.metered.emit(None)

    def _show_play_button(self) -> None:
        speed = self.player.clock.speed
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
        self.heard.emit(self.player.heard.levels() if self.player.playing else None)
        reading = self.player.meter()
        self.metered.emit(reading)
        self._explain(reading)

    def _explain(self, reading: MeterReading | None) -> None:
        """Say why it is silent or slow when it is, until playing begins anew or the reason is mended."""
        self._say_silence()
        if reading is None or not reading.short or self._project is None or self.reason is not None:
            return
        if abs(self.player.clock.speed) > 1:
            return
        choices = self.player.choices_now()
        self.show_reason(why_late(reading, self._project, choices, self.player.view.detail, self.player.pace))

    def _say_silence(self) -> None:
        if self.player.heard.unheard and (self.reason is None or self.reason.what != "Silent"):
            self.show_reason(Reason(self.player.heard.unheard, "", what="Silent"))

    def show_reason(self, reason: Reason | None) -> None:
        """Why playing falls behind, with the button that mends it; None: it does not."""
        if reason == self.reason:
            return
        self.reason = reason
        self.reason_bar.setVisible(reason is not None)
        if reason is not None:
            self.reason_text.setText(f"{reason.what}: {reason.text}.")
            self.mend.setVisible(bool(reason.mend))
            self.mend.setText(_MENDS.get(reason.mend, ""))

    def _mend(self) -> None:
        reason = self.reason
        self.show_reason(None)
        if reason is None:
            return
        if reason.mend == "less detail":
            self._view_command("detail")
        else:
            self.mend_asked.emit(reason)

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

    def show_marks(self, first: int | None, last: int | None) -> None:
        """Marks of what is loaded that are kept elsewhere."""
        self.scrub.mark_in, self.scrub.mark_out = first, last
        self.scrub.update()

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
            self.timecode.show_text(self.timecode_of(position))
            self._show_source()
            self.length.setText(f"frame {position} of {self.scrub.length}")
            self.length.setToolTip(f"{rate_label(self._rate)} frames per second")
            self.moved.emit(position)

    def _show_source(self) -> None:
        """On the timeline: the clip under the playhead and its own timecode."""
        if self.clip is not None or self._project is None or self.player.program is None:
            self.source.setText("")
            return
        steps = self.player.program.steps(self.player.position)
        layers = [layer for step in steps for layer in step if layer.block.title is None]
        clip = self._project.clip(layers[-1].block.clip) if layers else None
        if clip is None or not clip.original.info.frame_rate:
            self.source.setText("")
            return
        rate = clip.original.info.frame_rate
        frame = int(layers[-1].seconds * rate)
        start, drop = start_of(clip.original.info.start_timecode, rate)
        self.source.setText(f"{clip.name} {timecode_at(start + frame, rate, drop)}")

    def _start_frame(self) -> int:
        return start_of(self._start_timecode, self._rate)[0]

    def timecode_of(self, frame: int) -> str:
        """Timecode of a frame of what is loaded: the clip's own, or counted from zero."""
        start, drop = start_of(self._start_timecode, self._rate)
        return timecode_at(start + frame, self._rate, drop)

    def close_player(self) -> Callable[[float], bool]:
        """Have the player's threads end; what waits for it."""
        self._timer.stop()
        self.player.end()
        return self.player.close


def start_of(timecode: str | None, rate: Fraction) -> tuple[int, bool]:
    """The frame number of a start timecode (0 for none) and whether it counts with dropped numbers."""
    if not timecode:
        return 0, False
    try:
        return frame_of(timecode, rate), is_drop_frame(timecode)
    except ValueError:
        return 0, is_drop_frame(timecode)
