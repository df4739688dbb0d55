"""The threads that draw a player's pictures, one for each side of the switch, and where they hand them over."""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path

from ..compositing import Compositor, Step
from ..compositing.compositor import step_of
from ..compositing.files import DeviceOf, Reader, in_software
from ..errors import ShadowError
from ..media import Overtaken
from ..switch import Presence
from .baking import Baked
from .clock import Clock
from .picture import Asked, Picture

log = logging.getLogger(__name__)

_REST = 0.1  # seconds that the hand must rest before the other side is kept warm
_READY = 16  # pictures drawn ahead while playing: a dissolve may take longer than its time
_OPEN_FILES = {"originals": 2, "proxies": 8}
_SHUTTLE = 2  # times the own speed, from which on key frames do where decoding does not keep up
_BEHIND = Fraction(2, 5)  # seconds behind the clock from which a heavy file leaps to its next key frame


class Handover:
    """Pictures on their way from the lanes to the screen. ``on_picture`` is called on a lane's thread when one for a
    position that stands has come."""

    def __init__(self, on_picture: Callable[[], None]) -> None:
        self._on_picture = on_picture
        self._changed = threading.Condition()
        self._ready: deque[Picture] = deque()
        self._asked: Asked | None = None

    def ask(self, asked: Asked | None) -> None:
        """From now on take pictures for this request only."""
        with self._changed:
            self._asked = asked
            self._ready.clear()
            self._changed.notify_all()

    def clear(self) -> None:
        """Forget what is ready."""
        with self._changed:
            self._ready.clear()

    def is_current(self, asked: Asked) -> bool:
        """Whether a request has not been overtaken."""
        now = self._asked
        return now is not None and now.number == asked.number

    def put(self, picture: Picture, asked: Asked) -> None:
        """Hand over a picture; waits while playing until there is room. Dropped when overtaken or only kept warm."""
        if asked.warm:
            return
        with self._changed:
            while asked.speed and len(self._ready) >= _READY and self.is_current(asked):
                self._changed.wait(0.1)
            if not self.is_current(asked):
                return
            self._ready.append(picture)
        if not asked.speed:
            self._on_picture()

    def due(self, tick: int, speed: Fraction) -> Picture | None:
        """The last picture that is to have come on screen at a tick of the clock, if there is a new one."""
        due: Picture | None = None
        with self._changed:
            while self._ready and _is_due(self._ready[0], tick, speed):
                due = self._ready.popleft()
            if due is not None:
                self._changed.notify_all()
        return due


def _is_due(picture: Picture, tick: int, speed: Fraction) -> bool:
    if speed == 0:
        return True
    return picture.tick <= tick if speed > 0 else picture.tick >= tick


class Lane:
    """A decoding thread for one side of the switch, with its open files; it serves the newest request."""

    def __init__(self, handover: Handover, clock: Clock, presence: Presence, side: str) -> None:
        self._handover = handover
        self._clock = clock
        self._side = side
        self._mail = threading.Condition()
        self._request: Asked | None = None
        self._closed = False
        self._releasing = False
        self.device_of: DeviceOf = in_software  # while playing
        self._compositor = Compositor(presence, _OPEN_FILES[side])
        self._drawing_since = 0.0  # by the monotonic clock; 0 while nothing is drawn
        self._thread = threading.Thread(target=self._loop, name=f"frames {side}", daemon=True)
        self._thread.start()

    def give(self, request: Asked | None) -> None:
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

    def drawing_for(self) -> float:
        """Seconds that the picture at hand has taken so far; 0 while there is none."""
        since = self._drawing_since
        return time.monotonic() - since if since else 0.0

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
            if request is None or (request.warm and self._is_overtaken_at_rest()):
                continue
            try:
                if request.speed:
                    self._run(request)
                elif request.warm and self._side == "originals":
                    with self._drawing():
                        self._compositor.prepare(request.project, request.program.steps(request.frame))
                else:
                    self._deliver_one(request, request.frame)
            except Overtaken:
                continue
            except Exception:  # a fault here must not end the thread: the window would stay on its last picture
                log.exception("showing frame %s", request.frame)

    def _is_overtaken_at_rest(self) -> bool:
        """Whether something else is asked soon: while the hand moves, nothing is kept warm that takes its processor."""
        with self._mail:
            return self._mail.wait_for(lambda: self._request is not None or self._closed or self._releasing, _REST)

    @contextmanager
    def _drawing(self) -> Iterator[None]:
        self._drawing_since = time.monotonic()
        try:
            yield
        finally:
            self._drawing_since = 0.0

    def _overtaken(self, request: Asked) -> Callable[[], bool]:
        return lambda: self._closed or not self._handover.is_current(request)

    def _deliver_one(self, request: Asked, tick: int) -> tuple[Reader, Fraction] | None:
        """Draw and hand over one frame; the file it came from, if it is one, and seconds of the clip before that."""
        frame = request.frame_of(tick)
        steps = request.program.steps(frame)
        if not steps:
            self._handover.put(Picture(request.number, frame, None, tick=tick), request)
            return None
        baked = request.program.baked(frame)
        if baked is not None and self._deliver_baked(request, tick, baked):
            return None
        aspect, overtaken = request.program.aspect, self._overtaken(request)
        if self._shows_sketch(request) and self._deliver_sketch(request, steps, tick) and request.speed:
            return None
        self._compositor.files.device_of = self.device_of if request.speed else in_software
        with self._drawing():
            drawn = self._compositor.picture(request.project, steps, aspect, request.window, overtaken, request.light)
        self._handover.put(Picture(request.number, frame, drawn.pixels, drawn.shown, tick), request)
        return self._compositor.only_file(drawn)

    def _shows_sketch(self, request: Asked) -> bool:
        """Whether key frames do: for a picture that stands and is not there yet, and while shuttling."""
        if request.warm:
            return False
        return request.speed < 0 or request.speed >= _SHUTTLE if request.speed else not request.seen

    def _deliver_sketch(self, request: Asked, steps: tuple[Step, ...], tick: int) -> bool:
        """Hand over what is at hand of a picture that will take its time; whether there was anything."""
        aspect, frame = request.program.aspect, request.frame_of(tick)
        try:
            drawn = self._compositor.sketched(request.project, steps, aspect, request.window, request.speed)
        except Exception:  # the picture itself is still to come
            log.warning("the sketch of frame %s", frame, exc_info=True)
            return False
        if drawn is None:
            return False
        passing = request.speed != 0
        picture = Picture(request.number, frame, drawn.pixels, drawn.shown, tick, sketch=True, passing=passing)
        self._handover.put(picture, request)
        return True

    def _deliver_baked(self, request: Asked, tick: int, baked: Baked) -> bool:
        """Hand over a frame of a baked file; False where that cannot be read: then it is drawn again."""
        frame = request.frame_of(tick)
        try:
            with self._drawing():
                pixels = self._compositor.baked(baked.path, frame - baked.start, request.program.aspect, request.window)
        except (ShadowError, IndexError) as error:
            log.warning("baked: %s", error)
            return False
        self._handover.put(Picture(request.number, frame, pixels, tick=tick, baked=True), request)
        return True

    def _run(self, request: Asked) -> None:
        overtaken = self._overtaken(request)
        step = step_of(request.speed)
        tick = request.frame
        while not overtaken() and (request.loop is not None or 0 <= tick < request.program.length):
            tick = self._after(request, tick, step, self._deliver_one(request, tick))

    def _after(self, request: Asked, tick: int, step: int, shown: tuple[Reader, Fraction] | None) -> int:
        """The next tick to show: the next one in order, or a later one when decoding falls behind the clock."""
        due = self._clock.tick() if self._clock.runs else request.frame
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
