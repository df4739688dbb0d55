"""The player: asked for a position or to run, it has pictures ready in time, decoded on its own threads."""

from __future__ import annotations

import logging
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from av.video.reformatter import VideoReformatter

from ..errors import ShadowError, sentence
from ..media import SAMPLE_RATE, FrameReader, Overtaken, ProgressiveReader, fit_rectangle, open_reader, to_bgra
from ..media.pictures import Bgra
from ..media.sequence import exists
from ..project import Project
from .choice import Choice, Presence, choose
from .meter import Meter, MeterReading
from .program import Point, Program
from .program_sound import ProgramSound
from .sound_output import SoundOutput

log = logging.getLogger(__name__)
_Reader = FrameReader | ProgressiveReader

_READY = 6  # pictures decoded ahead while playing
_OPEN_FILES = {"originals": 2, "proxies": 6}
_BEHIND = Fraction(2, 5)  # seconds behind the clock from which a heavy file leaps to its next key frame


@dataclass(frozen=True)
class Picture:
    """What came for a position. ``pixels`` is uint8 (height, width, 4) in the order B G R A, or None for a stand-in.

    ``frame`` counts in the program, ``file_frame`` in the file.
    """

    asked: int
    frame: int
    file_frame: int
    choice: Choice | None
    pixels: Bgra | None
    problem: str = ""


@dataclass(frozen=True)
class _Asked:
    """One request, complete: lanes read nothing else of the player while they serve it."""

    number: int
    program: Program
    project: Project
    frame: int
    speed: Fraction
    view: tuple[int, int]
    warm: bool = False  # decode and keep, for the case that the switch is flipped


class Player:
    """Plays one program at a time. Methods are for one thread (the window's) and return at once.

    ``on_picture`` is called on a thread of the player when a picture for a paused position has come.
    """

    def __init__(self, on_picture: Callable[[], None], sound: SoundOutput | None = None) -> None:
        self.presence = Presence()
        self._on_picture = on_picture
        self._sound = sound
        self._lock = threading.Condition()
        self._ready: deque[Picture] = deque()
        self._asked: _Asked | None = None
        self._number = 0
        self._program: Program | None = None
        self._project: Project | None = None
        self._view = (640, 360)
        self._position = 0
        self._looked_at = True
        self._speed = Fraction(0)
        self._clock_start = 0.0
        self._clock_frame = Fraction(0)
        self._sound_runs = False
        self._meter: Meter | None = None
        self._lanes = {side: _Lane(self, side) for side in ("originals", "proxies")}

    # What the window says

    def show(self, program: Program | None, project: Project, frame: int = 0) -> None:
        """Load a program and stand at a frame."""
        self._halt()
        self._program, self._project = program, project
        self._position = self._within(frame)
        self._ask()

    def update_project(self, project: Project, program: Program | None = None) -> None:
        """The document changed (the switch, a pin, an edit): show the same position as it is now, without a stop."""
        playing = self.playing
        frame = self.position
        same_files = project.showing == getattr(self._project, "showing", None) and project.clips is getattr(
            self._project, "clips", None
        )
        self._project = project
        if program is not None and program != self._program:
            self._program = program
            same_files = False
        if same_files:
            return
        self._position = self._within(frame)
        self._ask(ahead=1 if playing else 0)  # a running sound asks for its file block by block anyway

    def look(self, yes: bool) -> None:
        """Whether anybody looks at its pictures: without, positions are kept and nothing is decoded."""
        if yes == self._looked_at:
            return
        self._looked_at = yes
        if yes:
            self._ask()
        else:
            self.release()

    def set_view(self, width: int, height: int) -> None:
        """Pixels there are for the picture."""
        view = (max(16, width), max(16, height))
        if view != self._view:
            self._view = view
            self._ask()

    def seek(self, frame: int) -> None:
        """Stand at a frame; the newest request wins. Playing stops."""
        self._halt()
        self._position = self._within(frame)
        self._ask()

    def play(self, speed: Fraction = Fraction(1)) -> None:
        """Run forward or, with a negative speed, backward."""
        if self._program is None or self._program.length == 0:
            return
        start = self.position
        self._halt()
        if speed > 0 and start >= self._program.length - 1:
            start = 0
        self._position, self._speed = start, speed
        self._clock_frame = Fraction(start)
        self._start_sound(start)
        self._clock_start = time.monotonic()
        self._meter = Meter(self._program.rate * abs(speed), start, self._clock_start)
        self._ask()

    def stop(self) -> None:
        """Stand still where the clock is, and show exactly that frame."""
        if self.playing:
            self.seek(self.position)

    def close(self) -> None:
        """End all threads."""
        self._halt()
        for lane in self._lanes.values():
            lane.close()

    # What the window asks

    @property
    def playing(self) -> bool:
        """Whether it runs."""
        return self._speed != 0

    @property
    def speed(self) -> Fraction:
        """1 is the program's own rate; 0 stands."""
        return self._speed

    @property
    def program(self) -> Program | None:
        """What is loaded."""
        return self._program

    @property
    def position(self) -> int:
        """The frame of the program that is to be seen now."""
        if not self.playing:
            return self._position
        return self._within(self._clock_now().__floor__())

    def at_end(self) -> bool:
        """Whether the running clock has left the program."""
        if not self.playing or self._program is None:
            return False
        now = self._clock_now()
        return now >= self._program.length or now < 0

    def take_due(self) -> Picture | None:
        """The picture that is to come on screen now, if there is a new one."""
        position = self.position
        with self._lock:
            due: Picture | None = None
            while self._ready and self._is_due(self._ready[0], position):
                due = self._ready.popleft()
            if due is not None:
                self._lock.notify_all()
        if due is not None and self.playing and self._meter is not None:
            self._meter.picture_shown(due.frame, position, time.monotonic())
        return due

    def _is_due(self, picture: Picture, position: int) -> bool:
        if self._speed == 0:
            return True
        return picture.frame <= position if self._speed > 0 else picture.frame >= position

    def meter(self) -> MeterReading | None:
        """The play meter while playing, else None."""
        return self._meter.read(self.position, time.monotonic()) if self.playing and self._meter is not None else None

    def choice_now(self) -> Choice | None:
        """What is to be seen at this position."""
        if self._program is None or self._project is None:
            return None
        point = self._program.at(self.position)
        return self._choice(self._project, point.clip, point.seconds) if point is not None else None

    @property
    def silent_because(self) -> str | None:
        """Why there is no sound, when there is none."""
        return self._sound.problem if self._sound is not None else "no sound output"

    # Inside

    def _within(self, frame: int) -> int:
        length = self._program.length if self._program is not None else 0
        return max(0, min(frame, length - 1))

    def _clock_now(self) -> Fraction:
        assert self._program is not None
        if self._sound_runs and self._sound is not None and self._sound.failed:
            self._sound_runs, self._clock_start = False, time.monotonic()
        sounding = self._sound_runs and self._sound is not None
        elapsed = self._sound.elapsed() if sounding and self._sound else time.monotonic() - self._clock_start
        return self._clock_frame + Fraction(elapsed) * self._speed * self._program.rate

    def _halt(self) -> None:
        if self.playing:
            self._position = self.position
        self._speed = Fraction(0)
        if self._sound_runs and self._sound is not None:
            self._sound.stop()
        self._sound_runs = False

    def _start_sound(self, frame: int) -> None:
        program = self._program
        if self._sound is None or self._speed != 1 or program is None:
            return
        position = round(Fraction(frame) / program.rate * SAMPLE_RATE)
        self._sound_runs = self._sound.start(lambda: ProgramSound(program, self._sound_choice), position)

    def _sound_choice(self, point: Point) -> Choice | None:
        project = self._project
        return self._choice(project, point.clip, point.seconds) if project is not None else None

    def _choice(self, project: Project, clip: str, seconds: Fraction) -> Choice | None:
        found = project.clip(clip)
        return choose(project, found, self.presence, seconds) if found is not None else None

    def _ask(self, ahead: int = 0) -> None:
        if self._program is None or self._project is None or not self._looked_at:
            with self._lock:
                self._ready.clear()
            return
        self._number += 1
        frame = self._within(self.position + ahead)
        asked = _Asked(self._number, self._program, self._project, frame, self._speed, self._view)
        with self._lock:
            self._asked = asked
            self._ready.clear()
            self._lock.notify_all()
        for side, lane in self._lanes.items():
            lane.give(asked if side == self._project.showing else self._warm(asked, side))

    @staticmethod
    def _warm(asked: _Asked, side: str) -> _Asked | None:
        """What the other side does meanwhile: proxies stand ready at the frame; heavy originals are left alone."""
        if side != "proxies" or asked.speed:
            return None
        return replace(asked, project=replace(asked.project, showing="proxies"), warm=True)

    # What lanes call

    def release(self) -> None:
        """Stop, and let go of all files: nobody looks."""
        self._halt()
        with self._lock:
            self._asked = None
            self._ready.clear()
            self._lock.notify_all()
        for lane in self._lanes.values():
            lane.release()

    def is_current(self, asked: _Asked) -> bool:
        """Whether a request has not been overtaken."""
        return self._asked is not None and self._asked.number == asked.number

    def clock_frame(self, asked: _Asked) -> int:
        """The frame the clock stands at, for a running request."""
        return self._clock_now().__floor__() if self.playing else asked.frame

    def deliver(self, picture: Picture, asked: _Asked) -> None:
        """Hand over a picture; waits while playing until there is room. Dropped when overtaken or only kept warm."""
        if asked.warm:
            return
        with self._lock:
            while asked.speed and len(self._ready) >= _READY and self.is_current(asked):
                self._lock.wait(0.1)
            if not self.is_current(asked):
                return
            self._ready.append(picture)
        if not asked.speed:
            self._on_picture()


class _Lane:
    """A decoding thread for one side of the switch, with its open files; it serves the newest request."""

    def __init__(self, player: Player, side: str) -> None:
        self._player = player
        self._side = side
        self._mail = threading.Condition()
        self._request: _Asked | None = None
        self._closed = False
        self._releasing = False
        self._readers: OrderedDict[Path, _Reader] = OrderedDict()
        self._converters: dict[Path, VideoReformatter] = {}
        self._thread = threading.Thread(target=self._loop, name=f"frames {side}", daemon=True)
        self._thread.start()

    def give(self, request: _Asked | None) -> None:
        with self._mail:
            self._request = request
            self._mail.notify_all()

    def release(self) -> None:
        with self._mail:
            self._request = None
            self._releasing = True
            self._mail.notify_all()

    def close(self) -> None:
        with self._mail:
            self._closed = True
            self._request = None
            self._mail.notify_all()
        self._thread.join()

    def _loop(self) -> None:
        while True:
            with self._mail:
                while self._request is None and not self._closed and not self._releasing:
                    self._mail.wait()
                request, self._request = self._request, None
                closed, releasing, self._releasing = self._closed, self._releasing, False
            if closed or releasing:
                self._close_files()
            if closed:
                return
            if request is None:
                continue
            try:
                self._run(request) if request.speed else self._deliver_one(request, request.frame)
            except Overtaken:
                continue
            except Exception:  # a fault here must not end the thread: the window would stay on its last picture
                log.exception("showing frame %s", request.frame)

    def _close_files(self) -> None:
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
        self._converters.clear()

    def _overtaken(self, request: _Asked) -> Callable[[], bool]:
        return lambda: self._closed or not self._player.is_current(request)

    def _deliver_one(self, request: _Asked, frame: int) -> tuple[_Reader, Fraction] | None:
        """Decode and hand over one frame; the reader it came from, and seconds of the clip before its first frame."""
        point = request.program.at(frame)
        if point is None:
            self._player.deliver(Picture(request.number, frame, -1, None, None), request)
            return None
        while True:
            choice = self._player._choice(request.project, point.clip, point.seconds)
            if choice is None or choice.path is None:
                self._player.deliver(Picture(request.number, frame, -1, choice, None), request)
                return None
            try:
                reader = self._reader(request.project, choice)
            except ShadowError as error:
                if exists(choice.path):
                    self._player.deliver(Picture(request.number, frame, -1, choice, None, sentence(error)), request)
                    return None
                self._player.presence.tell(choice.path, False)
                continue
            self._show(request, frame, point, choice, reader)
            return reader, choice.lead

    def _show(self, request: _Asked, frame: int, point: Point, choice: Choice, reader: _Reader) -> None:
        number = reader.index.frame_at(point.seconds - choice.lead)
        try:
            decoded = reader.frame(number, self._overtaken(request))
        except ShadowError as error:
            self._player.deliver(Picture(request.number, frame, number, choice, None, sentence(error)), request)
            return
        outer = fit_rectangle(request.program.aspect, *request.view)
        inner = fit_rectangle(choice.clip.original.info.display_aspect, outer.width, outer.height)
        converter = self._converters.setdefault(reader.path, VideoReformatter())
        pixels = to_bgra(decoded, inner.width, inner.height, converter)
        self._player.deliver(Picture(request.number, frame, number, choice, pixels), request)

    def _reader(self, project: Project, choice: Choice) -> _Reader:
        path = choice.path
        assert path is not None and choice.file is not None
        reader = self._readers.get(path)
        if reader is None:
            project.path(choice.file)  # follows links: nothing outside the shelf is opened
            while len(self._readers) >= _OPEN_FILES[self._side]:
                old_path, old = self._readers.popitem(last=False)
                self._converters.pop(old_path, None)
                old.close()
            reader = self._readers[path] = _open(path, choice)
            self._player.presence.tell(path, True)
        self._readers.move_to_end(path)
        return reader

    def _run(self, request: _Asked) -> None:
        overtaken = self._overtaken(request)
        step = 1 if request.speed > 0 else -1
        step *= max(1, abs(request.speed).__floor__() // 2)
        frame = request.frame
        while not overtaken() and 0 <= frame < request.program.length:
            frame = self._after(request, frame, step, self._deliver_one(request, frame))

    def _after(self, request: _Asked, frame: int, step: int, shown: tuple[_Reader, Fraction] | None) -> int:
        """The next frame to show: the next one in order, or a later one when decoding falls behind the clock."""
        due = self._player.clock_frame(request)
        behind = (due - frame) * (1 if step > 0 else -1)
        if behind <= abs(step):
            return frame + step
        if shown is None or shown[0].index.intra or step < 0:
            return due + step
        reader, lead = shown
        point = request.program.at(due)
        if point is None or behind / request.program.rate < _BEHIND:
            return frame + step
        wanted = reader.index.frame_at(point.seconds - lead)
        key = reader.index.key_before(wanted)
        if key <= reader.position:
            return frame + step
        seconds = point.seconds - lead - reader.index.seconds(key)
        return max(frame + step, due - (seconds * request.program.rate).__floor__())


def _open(path: Path, choice: Choice) -> _Reader:
    if choice.kind == "proxy":
        return open_reader(path, False)
    info = choice.clip.original.info
    return open_reader(path, info.interlaced, info.sequence_rate)
