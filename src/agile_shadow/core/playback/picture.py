"""What is asked of a player's threads, and what they give."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from ..compositing import Shown, Window
from ..media.lightening import Light
from ..media.pictures import Bgra
from ..project import Project
from ..switch import Choice
from .clock import Loop, in_loop
from .program import Program


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
    sketch: bool = False  # key frames of sketches, to be seen until the picture itself has come
    passing: bool = False  # it came while playing

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
        if self.sketch:
            return f"ORIGINAL, KEY FRAME{'' if self.passing else ' (the frame is coming)'}"
        if len(self.shown) < 2:
            return self.shown[0].choice.mark if self.shown else ""
        kinds = [one.choice.kind for one in self.shown]
        texts = []
        for kind in dict.fromkeys(kinds):
            count = kinds.count(kind)
            texts.append(f"{kind.upper()} ({count} layers)" if count > 1 else kind.upper())
        return " and ".join(texts)


@dataclass(frozen=True)
class Asked:
    """One request, complete: lanes read nothing else of the player while they serve it."""

    number: int
    program: Program
    project: Project
    frame: int
    speed: Fraction
    window: Window
    loop: Loop | None = None
    warm: bool = False  # decode and keep, for the case that the switch is flipped
    light: Light = Light.WHOLE  # what decoding originals leaves out
    seen: bool = False  # the frame is on the screen already, from playing

    def frame_of(self, tick: int) -> int:
        """The frame of the program that is to be seen at a tick of the clock."""
        return in_loop(tick, self.loop)
