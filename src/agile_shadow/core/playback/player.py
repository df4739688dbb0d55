"""The player: asked for a position or to run, it has pictures ready in time, decoded on its own threads."""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ..compositing import AtSpeed, Choice, Compositor, Layer, Looping, Mixer, Presence, Shown, Window, choose, window_of
from ..compositing.files import Reader
from ..errors import ShadowError
from ..media import SAMPLE_RATE, Overtaken
from ..media.pictures import Bgra
from ..project import Project
from ..timeline import Side
from .baking import Baked
from .meter import Meter, MeterReading
from .program import Program
from .sound_output import SoundOutput

log = logging.getLogger(__name__)

_READY = 16  # pictures drawn ahead while playing: a dissolve may take longer than its time
_OPEN_FILES = {"originals": 2, "proxies": 8}
_HEARD = 2  # the fastest speed with sound
_BEHIND = Fraction(2, 5)  # seconds behind the clock from which a heavy file leaps to its next key frame


@dataclass(frozen=True)
class Picture:
    """What came for a position. ``pixels`` is uint8 (height, width, 4) in the order B G R A, or None for nothing.

    ``frame`` counts in the program; ``shown`` are the layers it was made of, the lowest first.
    """

    asked: int
    frame: int
    pixels: Bgra | None
    shown: tuple[Shown, ...] = ()
    tick: int = 0  # frames since playing began that are to be seen before this one, rounds of a loop counted
    baked: bool = False  # it comes from a baked stretch

    @property
    def choice(self) -> Choice | None:
        """The file of the uppermost layer."""
        return self.shown[-1].choice if self.shown else None

    @property
    def file_frame(self) -> int:
        """The frame of that file, -1 for none."""
        return self.shown[-1].file_frame if self.shown else -1

    @property
    def problem(self) -> str:
        """Why a layer could not be shown, in a sentence; "" when all could."""
        return next((one.problem for one in self.shown if one.problem), "")

    @property
    def mark(self) -> str:
        """The text on the picture: what it is."""
        if self.baked:
            return "BAKED"
        if len(self.shown) < 2:
            return self.shown[0].choice.mark if self.shown else ""
        kinds = [one.choice.kind for one in self.shown]
        texts = []
        for kind in dict.fromkeys(kinds):
            count = kinds.count(kind)
            texts.append(f"{kind.upper()} ({count} layers)" if count > 1 else kind.upper())
        return " and ".join(texts)


@dataclass(frozen=True)
class _Asked:
    """One request, complete: lanes read nothing else of the player while they serve it."""

    number: int
    program: Program
    project: Project
    frame: int
    speed: Fraction
    window: Window
    loop: tuple[int, int] | None = None
    warm: bool = False  # decode and keep, for the case that the switch is flipped

    def frame_of(self, tick: int) -> int:
        """The frame of the program that is to be seen at a tick of the clock."""
        if self.loop is None:
            return tick
        first, end = self.loop
        return first + (tick - first) % (end - first)


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
        self._detail = Fraction(1)
        self._zoom = Fraction(0)
        self._centre = (0.5, 0.5)
        self._loop: tuple[int, int] | None = None
        self._running_loop: tuple[int, int] | None = None
        self.unheard = ""  # which sound of what played last cannot be read, and why
        self.on_unheard: Callable[[], None] = lambda: None  # called on the sound's thread when there is such
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
        known = self._project
        same_files = (
            known is not None
            and project.showing == known.showing
            and project.clips is known.clips
            and project.shelves is known.shelves
        )
        self._project = project
        if program is not None and program != self._program:
            self._program = program
            same_files = False
        if same_files:
            return
        self._position = self._within(frame)
        self._ask(ahead=1 if playing else 0)  # a running sound asks for its file block by block anyway

    def look_again(self) -> None:
        """Files came or went: show the same position as it is now."""
        if self._project is not None and not self.playing:
            self._ask()

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

    def set_zoom(self, zoom: Fraction, centre: tuple[float, float]) -> None:
        """Screen pixels to one of the frame's, 0 for the whole frame; ``centre``: the point (0 to 1) in the middle."""
        if (zoom, centre) != (self._zoom, self._centre):
            self._zoom, self._centre = zoom, centre
            self._ask(ahead=1 if self.playing else 0)

    def window(self) -> Window:
        """The part of the frame that is in sight, and its size in pixels."""
        program = self._program
        aspect, pixels = (program.aspect, program.pixels) if program is not None else (Fraction(16, 9), (1920, 1080))
        return window_of(aspect, pixels, self._view, self._zoom, self._centre)

    def set_detail(self, detail: Fraction) -> None:
        """Part of the view's width and height that is drawn while playing; a picture that stands is always whole."""
        if detail != self._detail:
            self._detail = detail
            if self.playing:
                self._ask(ahead=1)

    def set_loop(self, loop: tuple[int, int] | None) -> None:
        """Play from a frame to before another again and again, from the next start on; None: once."""
        self._loop = loop

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
        loop = self._loop
        if loop is not None and not loop[0] <= start < loop[1]:
            start = loop[0] if speed > 0 else loop[1] - 1
        elif loop is None and speed > 0 and start >= self._program.length - 1:
            start = 0
        self._running_loop = loop
        self._position, self._speed = start, speed
        self._clock_frame = Fraction(start)
        self._start_sound(start)
        self._clock_start = time.monotonic()
        self._meter = Meter(self._program.rate * abs(speed), start, self._clock_start, _step_of(speed))
        self._ask()

    def stop(self) -> None:
        """Stand still where the clock is, and show exactly that frame."""
        if self.playing:
            self.seek(self.position)

    def end(self) -> None:
        """Have all threads end soon, without waiting for it."""
        self._halt()
        with self._lock:
            self._asked = None  # whoever waits to hand over a picture need not wait any longer
            self._lock.notify_all()
        for lane in self._lanes.values():
            lane.end()

    def close(self, limit: float | None = None) -> bool:
        """End all threads; whether they had ended within ``limit`` seconds each."""
        self.end()
        ended = [lane.wait(limit) for lane in self._lanes.values()]
        return all(ended)

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
        return self._within(self._frame_of(self._clock_now().__floor__()))

    def _frame_of(self, tick: int) -> int:
        if self._running_loop is None:
            return tick
        first, end = self._running_loop
        return first + (tick - first) % (end - first)

    def at_end(self) -> bool:
        """Whether the running clock has left the program."""
        if not self.playing or self._program is None or self._running_loop is not None:
            return False
        now = self._clock_now()
        return now >= self._program.length or now < 0

    def take_due(self) -> Picture | None:
        """The picture that is to come on screen now, if there is a new one."""
        tick = self._clock_now().__floor__() if self.playing else 0
        with self._lock:
            due: Picture | None = None
            while self._ready and self._is_due(self._ready[0], tick):
                due = self._ready.popleft()
            if due is not None:
                self._lock.notify_all()
        if due is not None and self.playing and self._meter is not None:
            self._meter.picture_shown(due.tick, tick, time.monotonic())
        return due

    def _is_due(self, picture: Picture, tick: int) -> bool:
        if self._speed == 0:
            return True
        return picture.tick <= tick if self._speed > 0 else picture.tick >= tick

    def meter(self) -> MeterReading | None:
        """The play meter while playing, else None."""
        if not self.playing or self._meter is None:
            return None
        return self._meter.read(self._clock_now().__floor__(), time.monotonic())

    def choices_now(self) -> tuple[Choice, ...]:
        """What is to be seen at this position, the lowest layer first."""
        if self._program is None or self._project is None:
            return ()
        project = self._project
        layers = (layer for step in self._program.steps(self.position) for layer in step if layer.block.title is None)
        found = (self._choice(project, layer) for layer in layers)
        return tuple(choice for choice in found if choice is not None)

    def pace(self, path: Path) -> float | None:
        """How many times its own rate a file was decoded while playing, None where that is not known."""
        known = [pace for lane in self._lanes.values() if (pace := lane.pace(path)) is not None]
        return max(known, default=None)

    @property
    def detail(self) -> Fraction:
        """The part of the view's width and height that is drawn while playing."""
        return self._detail

    def levels(self) -> tuple[float, float] | None:
        """The peaks of what is heard now, left and right, 1 is full scale; None while nothing is heard."""
        return self._sound.levels() if self._sound is not None and self.playing else None

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
        program, speed, loop = self._program, self._speed, self._running_loop
        if self._sound is None or abs(speed) > _HEARD or program is None:
            return
        position = round(Fraction(frame) / program.rate * SAMPLE_RATE)
        self.unheard = ""

        def source() -> Mixer | AtSpeed:
            mixer = Mixer(program, self._sound_choice, self._not_heard)
            if speed == 1 and loop is None:
                return mixer
            bounds = [round(Fraction(edge) / program.rate * SAMPLE_RATE) for edge in loop] if loop is not None else None
            return AtSpeed(Looping(mixer, bounds[0], bounds[1]) if bounds is not None else mixer, speed, position)

        self._sound_runs = self._sound.start(source, position)

    def _not_heard(self, path: Path, why: str) -> None:
        """On the sound's thread: what is silent because it cannot be read is told."""
        self.unheard = f"{path.name}: {why}"
        self.on_unheard()

    def _sound_choice(self, layer: Layer) -> Choice | None:
        project = self._project
        return self._choice(project, layer) if project is not None else None

    def _choice(self, project: Project, layer: Layer) -> Choice | None:
        found = project.clip(layer.block.clip)
        if found is None:
            return None
        return choose(project, found, self.presence, layer.seconds, layer.block)

    def _ask(self, ahead: int = 0) -> None:
        if self._program is None or self._project is None or not self._looked_at:
            with self._lock:
                self._ready.clear()
            return
        self._number += 1
        playing = self.playing
        frame = self._clock_now().__floor__() + ahead if playing else self._within(self._position)
        loop = self._running_loop if playing else None
        window = self.window()
        if playing:
            window = window.at_detail(self._detail)
        asked = _Asked(self._number, self._program, self._project, frame, self._speed, window, loop)
        with self._lock:
            self._asked = asked
            self._ready.clear()
            self._lock.notify_all()
        for side, lane in self._lanes.items():
            lane.give(asked if side == self._project.showing else self._warm(asked, side))

    @staticmethod
    def _warm(asked: _Asked, side: str) -> _Asked | None:
        """What the other side does meanwhile: proxies stand ready at the frame; of originals, which may be heavy, the
        files are open."""
        if asked.speed:
            return None
        showing: Side = "proxies" if side == "proxies" else "originals"
        return replace(asked, project=asked.project.but(showing=showing), warm=True)

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

    def clock_tick(self, asked: _Asked) -> int:
        """The tick the clock stands at, for a running request."""
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


def _step_of(speed: Fraction) -> int:
    """Frames from one that is shown to the next: above double speed not all are."""
    return max(1, abs(speed).__floor__() // 2) * (1 if speed > 0 else -1)


class _Lane:
    """A decoding thread for one side of the switch, with its open files; it serves the newest request."""

    def __init__(self, player: Player, side: str) -> None:
        self._player = player
        self._side = side
        self._mail = threading.Condition()
        self._request: _Asked | None = None
        self._closed = False
        self._releasing = False
        self._compositor = Compositor(player.presence, _OPEN_FILES[side])
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

    def pace(self, path: Path) -> float | None:
        """How many times its own rate a file was decoded in order."""
        return self._compositor.paces.ratio(path)

    def end(self) -> None:
        with self._mail:
            self._closed = True
            self._request = None
            self._mail.notify_all()

    def wait(self, limit: float | None) -> bool:
        self._thread.join(limit)
        return not self._thread.is_alive()

    def _loop(self) -> None:
        while True:
            with self._mail:
                while self._request is None and not self._closed and not self._releasing:
                    self._mail.wait()
                request, self._request = self._request, None
                closed, releasing, self._releasing = self._closed, self._releasing, False
            if closed or releasing:
                self._compositor.close()
            if closed:
                return
            if request is None:
                continue
            try:
                if request.speed:
                    self._run(request)
                elif request.warm and self._side == "originals":
                    self._compositor.prepare(request.project, request.program.steps(request.frame))
                else:
                    self._deliver_one(request, request.frame)
            except Overtaken:
                continue
            except Exception:  # a fault here must not end the thread: the window would stay on its last picture
                log.exception("showing frame %s", request.frame)

    def _overtaken(self, request: _Asked) -> Callable[[], bool]:
        return lambda: self._closed or not self._player.is_current(request)

    def _deliver_one(self, request: _Asked, tick: int) -> tuple[Reader, Fraction] | None:
        """Draw and hand over one frame; the file it came from, if it is one, and seconds of the clip before that."""
        frame = request.frame_of(tick)
        steps = request.program.steps(frame)
        if not steps:
            self._player.deliver(Picture(request.number, frame, None, tick=tick), request)
            return None
        baked = request.program.baked(frame)
        if baked is not None and self._deliver_baked(request, tick, baked):
            return None
        aspect, overtaken = request.program.aspect, self._overtaken(request)
        drawn = self._compositor.picture(request.project, steps, aspect, request.window, overtaken)
        self._player.deliver(Picture(request.number, frame, drawn.pixels, drawn.shown, tick), request)
        return self._compositor.only_file(drawn)

    def _deliver_baked(self, request: _Asked, tick: int, baked: Baked) -> bool:
        """Hand over a frame of a baked file; False where that cannot be read: then it is drawn again."""
        frame = request.frame_of(tick)
        try:
            pixels = self._compositor.baked(baked.path, frame - baked.start, request.program.aspect, request.window)
        except (ShadowError, IndexError) as error:
            log.warning("baked: %s", error)
            return False
        self._player.deliver(Picture(request.number, frame, pixels, tick=tick, baked=True), request)
        return True

    def _run(self, request: _Asked) -> None:
        overtaken = self._overtaken(request)
        step = _step_of(request.speed)
        tick = request.frame
        while not overtaken() and (request.loop is not None or 0 <= tick < request.program.length):
            tick = self._after(request, tick, step, self._deliver_one(request, tick))

    def _after(self, request: _Asked, tick: int, step: int, shown: tuple[Reader, Fraction] | None) -> int:
        """The next tick to show: the next one in order, or a later one when decoding falls behind the clock."""
        due = self._player.clock_tick(request)
        behind = (due - tick) * (1 if step > 0 else -1)
        if behind <= abs(step):
            return tick + step
        if shown is None or shown[0].index.intra or step < 0:
            return due + step
        reader, lead = shown
        steps = request.program.steps(request.frame_of(due))
        if not steps or behind / request.program.rate < _BEHIND:
            return tick + step
        layer = steps[-1][-1]
        wanted = reader.index.frame_at(layer.seconds - lead)
        key = reader.index.key_before(wanted)
        if key <= reader.position or layer.block.speed < 0:
            return tick + step
        seconds = (layer.seconds - lead - reader.index.seconds(key)) / layer.block.speed
        return max(tick + step, due - (seconds * request.program.rate).__floor__())
