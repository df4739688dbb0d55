"""The player: asked for a position or to run, it has pictures ready in time, decoded on its own threads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

from ..compositing import Window, window_of
from ..compositing.compositor import step_of
from ..media.lightening import light_at
from ..project import Project
from ..switch import Choice, Presence
from ..timeline import Side
from .clock import Clock, Loop, in_loop
from .heard import HeardSound
from .lane import Handover
from .lanes import Lanes
from .lateness import Lateness
from .meter import Meter, MeterReading
from .picture import Asked, Picture
from .program import Program, TimelineProgram
from .sound_output import SoundOutput

_WAITS = 0.5  # seconds for one picture, or a block of sound, from which on a thread may wait for a drive that is away


@dataclass(frozen=True)
class View:
    """Pixels there are for the picture; ``detail``: part of them drawn while playing; ``zoom``: screen pixels to one of
    the frame's, 0 for the whole frame; ``centre``: the point of the frame (0 to 1) in the middle."""

    width: int = 640
    height: int = 360
    detail: Fraction = Fraction(1)
    zoom: Fraction = Fraction(0)
    centre: tuple[float, float] = (0.5, 0.5)


class Player:
    """Plays one program at a time. Methods are for one thread (the window's) and return at once.

    ``on_picture`` is called on a thread of the player when a picture for a paused position has come. ``clock`` says
    whether it plays and how fast, ``heard`` is its sound.
    """

    def __init__(
        self, on_picture: Callable[[], None], sound: SoundOutput | None = None, clock: Clock | None = None
    ) -> None:
        self.presence = Presence()
        self.clock = clock or Clock()
        self.heard = HeardSound(sound, self.presence)
        self.lateness = Lateness()
        self.program: Program | None = None
        self.view = View()
        self._project: Project | None = None
        self._number = 0
        self._loop: Loop | None = None
        self._position = 0
        self._on_screen = -1  # the frame that was seen last
        self._looked_at = True
        self._meter: Meter | None = None
        self._handover = Handover(on_picture)
        self.lanes = Lanes(self._handover, self.clock, self.presence)

    # What the window says

    def show(self, program: Program | None, project: Project, frame: int = 0) -> None:
        """Load a program and stand at a frame."""
        self._halt()
        self._load(program, project)
        self._position = _within(self.program, frame)
        self._ask()

    def update_project(self, project: Project, program: Program | None = None) -> None:
        """The document changed (the switch, a pin, an edit): show the same position as it is now, without a stop."""
        frame, known = self.position, self._project
        same_files = (
            known is not None
            and project.showing == known.showing
            and project.clips is known.clips
            and project.shelves is known.shelves
        )
        same_program = program is None or program == self.program
        if not (same_files and same_program):
            self._settle()
        self._load(program or self.program, project)
        if same_files and same_program:
            return
        self._position = _within(self.program, frame)
        self._ask(ahead=1 if self.playing else 0)  # a running sound asks for its file block by block anyway

    def _load(self, program: Program | None, project: Project) -> None:
        self.program = self.heard.program = program
        self._project = self.heard.project = project

    def look_again(self) -> None:
        """Files came or went: show the same position as it is now. A thread that waits for a drive is left behind, and
        another takes its place."""
        left = self.presence.any_missing and self.lanes.leave_those_that_wait(_WAITS)
        if self._project is None:
            return
        if self.playing and (left or self.heard.waits_for(_WAITS)):
            self.play(self.clock.speed)
        elif not self.playing:
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

    def release(self) -> None:
        """Stop, and let go of all files: nobody looks."""
        self._halt()
        self._handover.ask(None)
        self.lanes.release()

    def see(self, view: View) -> None:
        """Draw for another view from now on; a picture that stands is always drawn in whole detail."""
        old, self.view = self.view, view
        if replace(view, detail=old.detail) != old or (self.playing and view != old):
            self._ask(ahead=1 if self.playing else 0)

    def set_view(self, width: int, height: int) -> None:
        """Pixels there are for the picture."""
        self.see(replace(self.view, width=max(16, width), height=max(16, height)))

    def window(self) -> Window:
        """The part of the frame that is in sight, and its size in pixels."""
        program, view = self.program, self.view
        aspect, pixels = (program.aspect, program.pixels) if program is not None else (Fraction(16, 9), (1920, 1080))
        return window_of(aspect, pixels, (view.width, view.height), view.zoom, view.centre)

    def set_loop(self, loop: Loop | None) -> None:
        """Play from a frame to before another again and again, from the next start on; None: once."""
        self._loop = loop

    def seek(self, frame: int) -> None:
        """Stand at a frame; the newest request wins. Playing stops."""
        self._halt()
        self._position = _within(self.program, frame)
        self._ask()

    def play(self, speed: Fraction = Fraction(1)) -> None:
        """Run forward or, with a negative speed, backward."""
        program, loop = self.program, self._loop
        if program is None or program.length == 0:
            return
        start = self.position
        self._halt()
        if loop is not None and not loop[0] <= start < loop[1]:
            start = loop[0] if speed > 0 else loop[1] - 1
        elif loop is None and speed > 0 and start >= program.length - 1:
            start = 0
        self._position = start
        self.clock.start(start, speed, program.rate, loop, self.heard.start(start, speed, loop))
        self._meter = Meter(program.rate * abs(speed), start, self.clock.now(), step_of(speed))
        if speed == 1 and isinstance(program, TimelineProgram):
            self.lateness.begin(start, self.clock.loop)
        self._ask()

    def stop(self) -> None:
        """Stand still where the clock is, and show exactly that frame."""
        if self.playing:
            self._halt()
            self._ask(seen=self._position == self._on_screen)

    def end(self) -> None:
        """Have all threads end soon, without waiting for it."""
        self._halt()
        self._handover.ask(None)  # whoever waits to hand over a picture need not wait any longer
        self.lanes.end()

    def close(self, limit: float | None = None) -> bool:
        """End all threads; whether they had ended within ``limit`` seconds each."""
        self.end()
        return self.lanes.wait(limit)

    # What the window asks

    @property
    def playing(self) -> bool:
        """Whether it runs."""
        return self.clock.runs

    @property
    def position(self) -> int:
        """The frame of the program that is to be seen now."""
        return _within(self.program, in_loop(self.clock.tick(), self.clock.loop)) if self.playing else self._position

    def at_end(self) -> bool:
        """Whether the running clock has left the program."""
        if not self.playing or self.program is None or self.clock.loop is not None:
            return False
        return not 0 <= self.clock.exactly() < self.program.length

    def take_due(self) -> Picture | None:
        """The picture that is to come on screen now, if there is a new one."""
        tick = self.clock.tick() if self.playing else 0
        due = self._handover.due(tick, self.clock.speed)
        if due is not None and self.playing and self._meter is not None:
            self._meter.picture_shown(due.tick, tick, self.clock.now())
            self.lateness.picture(due.tick, tick)
        if due is not None:
            self._on_screen = due.frame if not due.sketch else -1
        return due

    def meter(self) -> MeterReading | None:
        """The play meter while playing, else None."""
        if not self.playing or self._meter is None:
            return None
        return self._meter.read(self.clock.tick(), self.clock.now())

    def choices_now(self) -> tuple[Choice, ...]:
        """What is to be seen at this position, the lowest layer first; nothing of any clip where it was baked."""
        program, position = self.program, self.position
        steps = program.steps(position) if program is not None and program.baked(position) is None else ()
        layers = (layer for step in steps for layer in step if layer.block.title is None)
        return tuple(choice for layer in layers if (choice := self.heard.choice(layer)) is not None)

    # Inside

    def _halt(self) -> None:
        if self.playing:
            self._position = self.position
            self.lateness.end(self.clock.tick())
            self.heard.stop()
        self.clock.halt()
        self._settle()

    def _settle(self) -> None:
        if self._project is not None and isinstance(self.program, TimelineProgram):
            self.lateness.settle(self._project)

    def _ask(self, ahead: int = 0, seen: bool = False) -> None:
        if self.program is None or self._project is None or not self._looked_at:
            self._handover.clear()
            return
        self._number += 1
        playing = self.playing
        frame = self.clock.tick() + ahead if playing else _within(self.program, self._position)
        window = self.window().at_detail(self.view.detail) if playing else self.window()
        loop = self.clock.loop if playing else None
        light = light_at(self.view.detail, self.clock.speed)
        asked = Asked(
            self._number, self.program, self._project, frame, self.clock.speed, window, loop, light=light, seen=seen
        )
        self._handover.ask(asked)
        showing = self._project.showing
        self.lanes.give(lambda side: asked if side == showing else _warm(asked, side))


def _within(program: Program | None, frame: int) -> int:
    length = program.length if program is not None else 0
    return max(0, min(frame, length - 1))


def _warm(asked: Asked, side: str) -> Asked | None:
    """What the other side does meanwhile: proxies stand ready at the frame; of originals, which may be heavy, the files
    are open."""
    if asked.speed:
        return None
    showing: Side = "proxies" if side == "proxies" else "originals"
    return replace(asked, project=asked.project.but(showing=showing), warm=True)
