"""The sound of a player: the program as it is at the moment, mixed on the sound's own thread."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from ..compositing import AtSpeed, Layer, Looping, Mixer
from ..media import SAMPLE_RATE
from ..project import Project
from ..switch import Choice, Presence, choose
from .clock import Loop, Timekeeper
from .program import Program
from .sound_output import SoundOutput

_FASTEST = 2  # speed with sound


class HeardSound:
    """``program`` and ``project`` may be changed while it plays: what is heard follows.

    ``unheard``: which sound of what played last cannot be read, and why; ``on_unheard`` is called on the sound's
    thread when there is such.
    """

    def __init__(self, output: SoundOutput | None, presence: Presence) -> None:
        self._output = output
        self._presence = presence
        self.program: Program | None = None
        self.project: Project | None = None
        self.unheard = ""
        self.on_unheard: Callable[[], None] = lambda: None

    @property
    def rate(self) -> Fraction:
        """Frames per second."""
        return self.program.rate if self.program is not None else Fraction(25)

    def sounds(self, frame: int) -> tuple[Layer, ...]:
        """The layers that are heard at a frame."""
        return self.program.sounds(frame) if self.program is not None else ()

    def choice(self, layer: Layer) -> Choice | None:
        """The file that a layer comes from now."""
        found = self.project.clip(layer.block.clip) if self.project is not None else None
        if found is None or self.project is None:
            return None
        return choose(self.project, found, self._presence, layer.seconds, layer.block)

    def start(self, frame: int, speed: Fraction, loop: Loop | None) -> Timekeeper | None:
        """Begin to play; what keeps the time then, None where there is no sound to keep it."""
        if self._output is None or abs(speed) > _FASTEST:
            return None
        self.unheard = ""
        position = self._sample(frame)

        def source() -> Mixer | AtSpeed:
            mixer = Mixer(self, self.choice, self._not_heard)
            if speed == 1 and loop is None:
                return mixer
            return AtSpeed(Looping(mixer, *map(self._sample, loop)) if loop is not None else mixer, speed, position)

        return self._output.start(source, position)

    def _sample(self, frame: int) -> int:
        return round(Fraction(frame) / self.rate * SAMPLE_RATE)

    def _not_heard(self, path: Path, why: str) -> None:
        """On the sound's thread: what is silent because it cannot be read is told."""
        self.unheard = f"{path.name}: {why}"
        self.on_unheard()

    def stop(self) -> None:
        """Fall silent."""
        if self._output is not None:
            self._output.stop()

    def waits_for(self, seconds: float) -> bool:
        """Whether what plays has waited for its files longer than that."""
        return self._output is not None and self._output.reading_for() > seconds

    def levels(self) -> tuple[float, float] | None:
        """The peaks of what is heard now, left and right, 1 is full scale; None while nothing is heard."""
        return self._output.levels() if self._output is not None else None
