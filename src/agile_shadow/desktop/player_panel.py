"""A viewer with its transport: scrub bar, timecode, marks, buttons."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from ..core.playback import ClipProgram, MeterReading, Player, Program, Reason, SoundOutput, why_late
from ..core.project import Clip, Project
from ..core.time import frame_of, is_drop_frame, rate_label, timecode_at
from .actions import COMMANDS, all_keys, keys_of
from .full_screen import FullScreen
from .reason_bar import ReasonBar
from .scrub_bar import ScrubBar
from .timecode_field import jump
from .transport import Transport, detail_text, next_detail
from .viewer import Viewer

_TICK = 6  # milliseconds between two looks at the clock while playing
_WORDS = 15  # milliseconds that timecode and names wait for the picture they belong to
_IN_FULL = ("Playing", "Marking")
_FASTEST = 8
_STEPS = {"back_1": -1, "on_1": 1, "back_10": -10, "on_10": 10}


class PlayerPanel(QWidget):
    """Viewer and transport over one player. ``moved`` tells each new position, ``metered`` the play meter or None.

    Large: half of its methods hand one command each on to the player.
    """

    moved = Signal(int)
    metered = Signal(object)
    heard = Signal(object)  # the peaks of what is heard, left and right, or None
    picture_came = Signal()
    hand_moved = Signal()  # in full screen, which is a window of its own
    switch_asked = Signal()
    mend_asked = Signal(object)  # the Reason whose button was pressed
    _picture_ready = Signal()
    _unheard = Signal()

    def __init__(self, sound: SoundOutput) -> None:
        super().__init__()
        self.player = Player(self._picture_ready.emit, sound)
        self.viewer = Viewer(self.player.window)
        self.transport = Transport(self.viewer)
        self.why = ReasonBar()
        self.scrub = ScrubBar()
        self.clip: Clip | None = None
        self.loop_range: Callable[[], tuple[int, int]] = lambda: (0, self.scrub.length)
        self.looping = False
        self._project: Project | None = None
        self._start_timecode: str | None = None
        self._marks: dict[str, tuple[int | None, int | None]] = {}
        self._full: FullScreen | None = None
        self._build()
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)
        self._say = QTimer(self)
        self._say.setSingleShot(True)
        self._say.setInterval(_WORDS)
        self._say.timeout.connect(self._say_position)
        self._painted = QTimer(self)  # of no time: what is posted, as painting is, comes before timers
        self._painted.setSingleShot(True)
        self._painted.setInterval(0)
        self._painted.timeout.connect(self._after_painting)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.pictures = QStackedWidget()  # other ways of looking may stand in the viewer's place
        self.pictures.addWidget(self.viewer)
        layout.addWidget(self.pictures, 1)
        for part in (self.why, self.scrub, self.transport):
            layout.addWidget(part)
        self.why.mend_asked.connect(self._mend)
        self.scrub.scrubbed.connect(self.seek)
        self.transport.asked.connect(self.command)
        self.transport.went_to.connect(self._go_to)
        self.transport.detailed.connect(self.set_detail)
        self.viewer.resized.connect(self.player.set_view)
        self.viewer.zoomed.connect(self._zoomed)
        self.viewer.opened.connect(lambda: self.command("full"))
        self._picture_ready.connect(self._take)
        self._unheard.connect(self._say_silence)
        self.player.heard.on_unheard = self._unheard.emit

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.transport.show_width(self.width())

    # Loading

    def show_clip(self, clip: Clip, project: Project, frame: int = 0) -> None:
        """Load one clip."""
        self.clip = clip
        self._load(ClipProgram.of(clip), project, frame, clip.original.info.start_timecode)

    def show_program(self, program: Program, project: Project, frame: int) -> None:
        """Load a timeline."""
        self.clip = None
        if program.length == 0:
            self.show_nothing("The timeline is empty. Mark a clip and add it.")
            return
        self._load(program, project, frame, project.timeline.timecode(0))

    def show_nothing(self, text: str) -> None:
        """Nothing to play: a sentence instead."""
        self._stop_timer()
        self.player.release()
        self.viewer.clear(text)
        self.scrub.length = 0
        self.transport.clear()
        self.why.show_reason(None)
        self.scrub.update()

    def _load(self, program: Program, project: Project, frame: int, start_timecode: str | None) -> None:
        self._project, self._start_timecode = project, start_timecode
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
        else:
            self._start_timecode = project.timeline.timecode(0)
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

    def command(self, identity: str) -> None:
        """One of the playing and marking commands."""
        if not self.loaded:
            return
        if identity in _STEPS:
            self.seek(self.player.position + _STEPS[identity])
        elif identity in ("first", "last"):
            self.seek(0 if identity == "first" else self.scrub.length - 1)
        elif identity == "play":
            self.halt() if self.player.playing else self._play(Fraction(1))
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
            self.set_detail(next_detail(self.player.view.detail))
        elif identity == "zoom":
            self.viewer.next_zoom()
        elif identity == "safe":
            self.viewer.safe = not self.viewer.safe
            self.viewer.update()
        elif identity == "full":
            self._full_screen()
        elif identity == "position":
            self.transport.timecode.begin()
        self._show_view()

    def set_detail(self, detail: Fraction) -> None:
        """Part of the picture's width and height that is drawn while playing."""
        self.player.see(replace(self.player.view, detail=detail))
        self._show_view()

    def _zoomed(self, zoom: Fraction, x: float, y: float) -> None:
        self.player.see(replace(self.player.view, zoom=zoom, centre=(x, y)))
        self._show_view()

    def _show_view(self) -> None:
        detail = self.player.view.detail
        self.viewer.detail_text = detail_text(detail) if self.player.playing else ""
        self.transport.show_view(detail, self.looping)
        self.transport.show_playing(self.player.playing)

    def _full_screen(self) -> None:
        if self._full is not None:
            self._full.close()
            return

        def left() -> None:
            self._full = None

        self._full = FullScreen(self.viewer, self.pictures, left, self._key)

    def _key(self, keys: str) -> bool:
        """What a key means in full screen: the playing and marking commands."""
        self.hand_moved.emit()
        command = next((one for one in COMMANDS if keys in all_keys(one.id) and one.area in _IN_FULL), None)
        if command is not None:
            self.command(command.id)
        elif keys == keys_of("switch"):
            self.switch_asked.emit()
        return command is not None

    def _go_to(self, text: str) -> None:
        start = start_of(self._start_timecode, self.player.heard.rate)[0]
        try:
            frame = jump(text, self.player.position, self.player.heard.rate, start)
        except ValueError as error:
            self.transport.timecode.refuse(str(error))
            return
        self.seek(max(0, min(frame, self.scrub.length - 1)))
        self._say_position()  # in place of what was typed

    def _shuttle(self, direction: int) -> None:
        speed = self.player.clock.speed
        same = speed * direction > 0
        self._play((min(abs(speed) * 2, Fraction(_FASTEST)) if same else Fraction(1)) * direction)

    def _play(self, speed: Fraction) -> None:
        first, end = self.loop_range()
        self.player.set_loop((first, end) if self.looping and end - first > 1 else None)
        self.player.play(speed)
        self.why.show_reason(None)
        self._timer.start()
        self._show_view()

    def _stop(self) -> None:
        self.player.stop()
        self._stop_timer()
        self._show_position()

    def _stop_timer(self) -> None:
        self._timer.stop()
        self.heard.emit(None)
        self._show_view()
        self.metered.emit(None)

    def halt(self) -> None:
        """Stop playing if it runs."""
        if self.player.playing:
            self._stop()

    def seek(self, frame: int) -> None:
        """Stand at a frame."""
        if self.loaded:
            self.player.seek(frame)
            if self._timer.isActive():
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
        if reading is None or not reading.short or self._project is None or self.why.reason is not None:
            return
        if abs(self.player.clock.speed) <= 1:
            detail, pace = self.player.view.detail, self.player.lanes.pace
            self.why.show_reason(why_late(reading, self._project, self.player.choices_now(), detail, pace))

    def _say_silence(self) -> None:
        unheard, now = self.player.heard.unheard, self.why.reason
        if unheard and (now is None or now.what != "Silent"):
            self.why.show_reason(Reason(unheard, "", what="Silent"))

    def _mend(self, reason: Reason) -> None:
        self._view_command("detail") if reason.mend == "less detail" else self.mend_asked.emit(reason)

    def _take(self) -> None:
        picture = self.player.take_due()
        if picture is not None:
            self.viewer.show_picture(picture)
            self._painted.start()

    def _after_painting(self) -> None:
        """All else that is to be said of a picture comes after it: the hand waits for the picture."""
        self.picture_came.emit()
        if self._say.isActive():
            self._say_position()

    # Marks

    def _marks_now(self) -> tuple[int | None, int | None]:
        return self._marks.get(self.clip.id, (None, None)) if self.clip is not None else (None, None)

    def _mark(self, identity: str) -> None:
        if self.clip is None:
            return
        first, last = self._marks_now()
        position = self.player.position
        if identity == "unmark":
            first = last = None
        elif identity == "mark_in":
            first, last = position, last if last is not None and last >= position else None
        else:
            first, last = first if first is not None and first <= position else None, position
        self._marks[self.clip.id] = (first, last)
        self._show_marks()

    def marked_range(self) -> tuple[int, int]:
        """First frame and the frame after the last one of the marked range of the clip; all of it without marks."""
        first, last = self._marks_now()
        return (first or 0), (last + 1 if last is not None else self.scrub.length)

    def _show_marks(self) -> None:
        marks = self._marks_now()
        self.scrub.show_marks(*marks)
        start, end = self.marked_range()
        self.transport.marked.setText("" if marks == (None, None) else f"marked {end - start} frames")

    # Showing

    def _show_position(self) -> None:
        position = self.player.position
        if position != self.scrub.position or not self.player.playing:
            self.scrub.position = position
            self.moved.emit(position)
            if self.player.playing:
                self._say_position()
            elif not self._say.isActive():  # the hand moves on: words come with the picture, or soon
                self._say.start()

    def _say_position(self) -> None:
        self._say.stop()
        position, row = self.player.position, self.transport
        self.scrub.show_position(position)
        row.timecode.show_text(self.timecode_of(position))
        row.source.setText(self._source_at(position))
        row.length.setText(f"frame {position} of {self.scrub.length}")
        row.length.setToolTip(f"{rate_label(self.player.heard.rate)} frames per second")

    def _source_at(self, position: int) -> str:
        """On the timeline: the clip under the playhead and its own timecode."""
        if self.clip is not None or self._project is None or self.player.program is None:
            return ""
        layers = [one for step in self.player.program.steps(position) for one in step if one.block.title is None]
        clip = self._project.clip(layers[-1].block.clip) if layers else None
        if clip is None or not clip.original.info.frame_rate:
            return ""
        rate = clip.original.info.frame_rate
        start, drop = start_of(clip.original.info.start_timecode, rate)
        return f"{clip.name} {timecode_at(start + int(layers[-1].seconds * rate), rate, drop)}"

    def timecode_of(self, frame: int) -> str:
        """Timecode of a frame of what is loaded: the clip's own, or counted from zero."""
        start, drop = start_of(self._start_timecode, self.player.heard.rate)
        return timecode_at(start + frame, self.player.heard.rate, drop)

    def close_player(self) -> Callable[[float], bool]:
        """Have the player's threads end; what waits for it."""
        self._timer.stop()
        self._say.stop()
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
