"""The sound of a film: one stereo mix, or a stream for each track, with loudness and an envelope for the proof."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from types import TracebackType

import numpy as np
from numpy.typing import NDArray

from ..compositing import Layer, Mixer
from ..compositing.mixer import Samples
from ..errors import ExportError
from ..media import SAMPLE_RATE
from ..playback import TimelineProgram
from ..switch import Choice
from ..timeline import Timeline
from .loudness import Loudness, LoudnessMeter
from .request import FilmRequest

Envelope = NDArray[np.float32]


def streams_of(request: FilmRequest) -> list[Timeline]:
    """The timeline once for each stream of sound: whole for a mix, else with one of its sound tracks."""
    assert request.settings.sound is not None
    line = request.line
    if request.settings.sound.channels == "stereo":
        return [line]
    heard = [track for track in line.tracks if track.kind == "sound" and not track.off]
    return [replace(line, tracks=(track,)) for track in heard] or [line]


class Sounding:
    """Reads the streams of a film's sound by sample; for one thread. ``choice`` gives the file of a layer."""

    def __init__(self, request: FilmRequest, choice: Callable[[Layer], Choice | None]) -> None:
        assert request.settings.sound is not None
        self.opened: dict[Path, str] = {}
        self._choice = choice
        self._begin, self._end = request.samples
        self._rate = request.sound_rate
        self._mono = request.settings.sound.channels == "channels"
        self._mixers = [
            Mixer(TimelineProgram(line), self._chosen, _refuse_silence, self._rate) for line in streams_of(request)
        ]
        self._gain = np.float32(1)
        self.loudness = LoudnessMeter(self._rate)
        self._envelopes: list[list[Envelope]] = [[] for _ in self._mixers]
        self._rest: list[Samples] = [np.zeros((0, 2), np.float32) for _ in self._mixers]

    def _chosen(self, layer: Layer) -> Choice | None:
        choice = self._choice(layer)
        if choice is not None and choice.path is not None:
            self.opened[choice.path] = choice.kind
        return choice

    @property
    def count(self) -> int:
        """Streams."""
        return len(self._mixers)

    def __enter__(self) -> Sounding:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for mixer in self._mixers:
            mixer.close()

    def bring_to(self, target: float, report: Callable[[float], None]) -> tuple[Loudness, str]:
        """Measure the whole once and set the gain that brings it to ``target`` LUFS; what it was, and what could not
        be reached."""
        meter = LoudnessMeter(self._rate)
        for position in range(self._begin, self._end, self._rate):
            count = min(self._rate, self._end - position)
            meter.feed(sum((mixer.read(position, count) for mixer in self._mixers), np.zeros((count, 2), np.float32)))
            report((position - self._begin) / max(1, self._end - self._begin))
        found = meter.result()
        gain, why = found.gain_to(target)
        self._gain = np.float32(10 ** (gain / 20))
        return found, why

    def read(self, first: int, end: int) -> list[Samples]:
        """Samples ``first`` to before ``end`` of the film, a stream each: float32 (count, 2), or (count, 1)."""
        out = []
        mixed = np.zeros((end - first, 2), np.float32)
        for number, mixer in enumerate(self._mixers):
            samples = mixer.read(self._begin + first, end - first) * self._gain
            mixed += samples
            samples = np.clip(samples.mean(axis=1, keepdims=True) if self._mono else samples, -1, 1)
            self._keep(number, samples)
            out.append(samples)
        self.loudness.feed(np.clip(mixed, -1, 1))
        return out

    def _keep(self, number: int, samples: Samples) -> None:
        rest = np.concatenate([self._rest[number][:, : samples.shape[1]], samples])
        whole = len(rest) // step_of(self._rate) * step_of(self._rate)
        self._envelopes[number].append(envelope_of(rest[:whole], self._rate))
        self._rest[number] = rest[whole:]

    def envelopes(self) -> list[Envelope]:
        """Of each stream, a value for each step that was read."""
        return [np.concatenate(parts) if parts else np.zeros(0, np.float32) for parts in self._envelopes]


def step_of(rate: int) -> int:
    """Samples of one value of an envelope: a millisecond, to the nearest sample below."""
    return rate // 1000


def envelope_of(samples: Samples, rate: int = SAMPLE_RATE) -> Envelope:
    """Mean loudness of each whole step (see :func:`step_of`): float32, 0 to 1."""
    step = step_of(rate)
    whole = len(samples) // step * step
    level: Envelope = np.abs(samples[:whole]).mean(axis=1).reshape(-1, step).mean(axis=1).astype(np.float32)
    return level


def _refuse_silence(path: Path, why: str) -> None:
    """A film has no silence where its original sounds."""
    raise ExportError(f"no film is made: {why}", path, "Mute its blocks, or bring a whole copy of it.")
