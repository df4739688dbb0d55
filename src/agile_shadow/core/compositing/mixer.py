"""The sound of a program: its layers read, brought to speed, faded and added."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..errors import ShadowError
from ..media import SAMPLE_RATE, SoundReader
from ..switch import Choice
from .layers import Layer
from .pitch import KeptPitch

log = logging.getLogger(__name__)
Samples = NDArray[np.float32]
_OPEN = 8  # files kept open
_BACKWARD = SAMPLE_RATE // 2  # samples read at once where sound runs backward


class SoundProgram(Protocol):
    """What has sound: ``sounds`` gives the layers at a frame."""

    @property
    def rate(self) -> Fraction: ...
    def sounds(self, frame: int) -> tuple[Layer, ...]: ...


class Mixer:
    """Reads stereo samples of a program by position, ``sound_rate`` of them a second; for one thread.

    ``unread`` is told once of each file whose sound cannot be read, with a few words why; it is silent there, unless
    ``unread`` raises.
    """

    def __init__(
        self,
        program: SoundProgram,
        choice_for: Callable[[Layer], Choice | None],
        unread: Callable[[Path, str], None] = lambda path, why: None,
        sound_rate: int = SAMPLE_RATE,
    ) -> None:
        self._sound_rate = sound_rate
        self._program = program
        self._choice_for = choice_for
        self._unread = unread
        self._told: set[Path] = set()
        self._voices: list[_Voice] = []

    def read(self, position: int, count: int) -> Samples:
        """float32 (count, 2) from sample ``position`` of the program on; silence in gaps and missing files."""
        out = np.zeros((count, 2), np.float32)
        rate, done = self._program.rate, 0
        while done < count:
            frame = int(Fraction(position + done, self._sound_rate) * rate)
            begin = -int(-Fraction(frame) / rate * self._sound_rate // 1)
            end = -int(-Fraction(frame + 1) / rate * self._sound_rate // 1)
            piece = max(1, min(count - done, end - (position + done)))
            self._add(out[done : done + piece], frame, position + done, begin, end)
            done += piece
        return out

    def _add(self, out: Samples, frame: int, position: int, begin: int, end: int) -> None:
        """Add the layers of one frame, their weights running from this frame's to the next one's."""
        layers = self._program.sounds(frame)
        following = {layer.block.id: layer.weight for layer in self._program.sounds(frame + 1)} if layers else {}
        for voice in self._voices:
            voice.busy = False
        for layer in layers:
            choice = self._choice_for(layer)
            if choice is None or choice.path is None:
                continue
            into = Fraction(position, self._sound_rate) - Fraction(frame) / self._program.rate
            seconds = layer.seconds - choice.lead + into * layer.block.speed
            voice = self._voice(choice.path, seconds)
            samples = voice.at(seconds, layer.block.speed, len(out), layer.block.effects.keep_pitch)
            if voice.problem and choice.path not in self._told:
                self._told.add(choice.path)
                self._unread(choice.path, voice.problem)
            loud = 10 ** (layer.block.effects.gain / 20)
            last = following.get(layer.block.id, layer.weight)
            if layer.weight == last == 1.0:
                out += samples * np.float32(loud)
            else:
                places = (np.arange(position, position + len(out)) - begin) / max(1, end - begin)
                weights = loud * (layer.weight + (last - layer.weight) * places)
                out += samples * weights.astype(np.float32)[:, None]

    def _voice(self, path: Path, seconds: Fraction) -> _Voice:
        """An opening of the file that gives nothing else at the same time, rather one that stands near."""
        idle = [voice for voice in self._voices if voice.path == path and not voice.busy]
        voice = min(idle, key=lambda one: abs(one.stands - seconds)) if idle else _Voice(path, self._sound_rate)
        self._voices = [*(one for one in self._voices if one is not voice), voice]
        while len(self._voices) > _OPEN and not self._voices[0].busy:
            self._voices.pop(0).close()
        voice.busy = True
        return voice

    def close(self) -> None:
        """Let go of all files."""
        for voice in self._voices:
            voice.close()
        self._voices.clear()


@dataclass(eq=False)
class _Voice:
    """An open file that gives sound at any speed."""

    path: Path
    rate: int  # samples a second
    busy: bool = False
    stands: Fraction = Fraction(0)  # seconds of the file where it stopped

    def __post_init__(self) -> None:
        self._reader: SoundReader | None = None
        self._closed_because = ""
        try:
            self._reader = SoundReader(self.path, self.rate)
        except ShadowError as error:
            log.warning("sound: %s", error)
            self._closed_because = error.what
        self._kept: tuple[int, Samples] = (0, np.zeros((0, 2), np.float32))
        self._pitched: tuple[Fraction, KeptPitch] | None = None

    @property
    def problem(self) -> str:
        """Why its sound, or a part of it, cannot be read; "" while all is well."""
        failed = self._reader is not None and self._reader.failed > 0
        return self._closed_because or ("a part of its sound cannot be decoded" if failed else "")

    def at(self, seconds: Fraction, exact: Fraction, count: int, keep_pitch: bool = False) -> Samples:
        """``count`` samples from that moment of the file on, at a speed, which may be negative; ``keep_pitch`` holds
        for sound that runs forward."""
        if self._reader is None:
            return np.zeros((count, 2), np.float32)
        self.stands = seconds + Fraction(count, self.rate) * exact
        speed = float(exact)
        first = round(seconds * self.rate)
        if exact == 1:
            return self._reader.read(first, count)
        if keep_pitch and exact > 0:
            if self._pitched is None or self._pitched[0] != exact:
                self._pitched = (exact, KeptPitch(self._reader, exact, self.rate))
            return self._pitched[1].at(seconds, count)
        places = float(seconds * self.rate) + speed * np.arange(count)
        low, high = int(np.floor(places.min())), int(np.floor(places.max())) + 2
        source = self._stretch(low, high - low, speed < 0)
        part = (places - low).astype(np.float32)
        whole = part.astype(np.int64)
        part = (part - whole)[:, None].astype(np.float32)
        mixed: Samples = source[whole] * (1 - part) + source[whole + 1] * part
        return mixed

    def _stretch(self, first: int, count: int, backward: bool) -> Samples:
        """Samples of a stretch; running backward, more are read before it than are asked for."""
        assert self._reader is not None
        start, kept = self._kept
        if not (start <= first and first + count <= start + len(kept)):
            before = max(_BACKWARD, count) if backward else 0
            start = first - before
            kept = self._reader.read(start, count + before) if backward else self._reader.read(first, count + 4)
            self._kept = (start, kept)
        return kept[first - start : first - start + count]

    def close(self) -> None:
        """Let go of the file."""
        if self._reader is not None:
            self._reader.close()


class Samplable(Protocol):
    """What gives samples by position."""

    def read(self, position: int, count: int) -> Samples: ...
    def close(self) -> None: ...


class Looping:
    """A stretch of sound, from sample ``first`` to before ``end``, again and again."""

    def __init__(self, source: Samplable, first: int, end: int) -> None:
        self._source = source
        self._first = first
        self._length = max(1, end - first)

    def read(self, position: int, count: int) -> Samples:
        """float32 (count, 2) from a position that may lie in any round."""
        parts = []
        while count > 0:
            into = (position - self._first) % self._length
            piece = min(count, self._length - into)
            parts.append(self._source.read(self._first + into, piece))
            position, count = position + piece, count - piece
        return np.concatenate(parts) if parts else np.zeros((0, 2), np.float32)

    def close(self) -> None:
        """Let go of all files."""
        self._source.close()


class AtSpeed:
    """Sound heard faster, slower or backward: what the player's own speed makes of it."""

    def __init__(self, source: Samplable, speed: Fraction, origin: int) -> None:
        self._source = source
        self._speed = float(speed)
        self._origin = origin  # the sample of the program at which playing began
        self._kept: tuple[int, Samples] = (0, np.zeros((0, 2), np.float32))

    def read(self, position: int, count: int) -> Samples:
        """float32 (count, 2), ``position - origin`` samples after playing began; silence before the program."""
        begin = self._origin + self._speed * (position - self._origin)
        places = begin + self._speed * np.arange(count)
        low = int(np.floor(places.min()))
        source = self._stretch(low, int(np.floor(places.max())) + 2 - low)
        whole = np.floor(places).astype(np.int64) - low
        part = (places - low - whole).astype(np.float32)[:, None]
        mixed: Samples = source[whole] * (1 - part) + source[whole + 1] * part
        return mixed

    def _stretch(self, first: int, count: int) -> Samples:
        """Samples of a stretch; running backward, more are read before it than are asked for."""
        start, kept = self._kept
        if not (start <= first and first + count <= start + len(kept)):
            start = first - (max(_BACKWARD, count) if self._speed < 0 else 0)
            kept = self._read(start, first + count - start)
            self._kept = (start, kept)
        return kept[first - start : first - start + count]

    def _read(self, first: int, count: int) -> Samples:
        missing = min(count, max(0, -first)) if not isinstance(self._source, Looping) else 0
        silence = np.zeros((missing, 2), np.float32)
        if missing == count:
            return silence
        return np.concatenate([silence, self._source.read(first + missing, count - missing)])

    def close(self) -> None:
        """Let go of all files."""
        self._source.close()
