"""Where the sound of a picture lies in a recording made apart, to the sample: a task for a worker.

First by how loud both are over time, over the whole recording, or around the place that their timecode says; then by
the samples themselves.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..jobs import Report
from ..late import signal
from ..media import SAMPLE_RATE, SoundReader
from ..media.fingerprint import ENVELOPE_RATE, loudness

_HEARD = 30.0  # seconds of the picture's sound that are listened to
_LONGEST = 4 * 3600.0  # seconds of a recording
_FINE = 4.0  # seconds that are compared sample by sample
_AROUND = 0.6  # seconds to both sides of the place that loudness found
_CLOCKS = 0.1  # seconds by which two clocks that were set to each other may be apart
_ALIKE, _LIKELY = 0.35, 0.5  # correlation: of samples, of loudness
_ALONE = 0.06  # by which no other place may come near: tones fit again and again
_NEAR = 48  # samples around a place that are the same place


@dataclass(frozen=True)
class LagRequest:
    """``first`` and ``length``: seconds of the picture's file that are shown. ``expected``: seconds of the recording
    when the picture's file begins, as their timecode says; None where it does not."""

    picture: Path
    recording: Path
    first: float
    length: float
    expected: Fraction | None = None


@dataclass(frozen=True)
class Lag:
    """``seconds`` of the recording have passed when the picture's file begins, exact to a sample at 48 kHz;
    ``likeness``: correlation of the samples there, 0 to 1."""

    seconds: Fraction
    likeness: float


def lag_of(request: LagRequest, report: Report) -> Lag | None:
    """Where the picture's sound lies in the recording; None where it cannot be told. Raises MediaError."""
    about = float(request.expected) if request.expected is not None else _coarse(request)
    report(0.7)
    return None if about is None else _fine(request, about, _AROUND if request.expected is None else _CLOCKS)


def _coarse(request: LagRequest) -> float | None:
    end = request.first + min(request.length, _HEARD)
    wanted = loudness(request.picture, end)[int(request.first * ENVELOPE_RATE) :]
    around = loudness(request.recording, _LONGEST)
    if len(wanted) < ENVELOPE_RATE or len(around) < len(wanted) // 2 or float(wanted.std()) < 1e-3:
        return None
    pad = np.full(len(wanted) // 2, float(around.mean()), np.float32)
    at, likeness = place_in(np.concatenate([pad, around, pad]), wanted)
    return (at - len(pad)) / ENVELOPE_RATE - request.first if likeness >= _LIKELY else None


def _fine(request: LagRequest, about: float, reach: float) -> Lag | None:
    length = min(request.length, _FINE)
    first = round((request.first + max(0.0, -(request.first + about))) * SAMPLE_RATE)
    begin = first + round((about - reach) * SAMPLE_RATE)
    wanted = _mono(request.picture, first, round(length * SAMPLE_RATE))
    around = _mono(request.recording, begin, round((length + 2 * reach) * SAMPLE_RATE))
    if not wanted.any() or not around.any():
        return None
    fit = fit_in(np.diff(around), np.diff(wanted))  # differences: low tones say little about the place
    at = int(np.argmax(fit))
    likeness = float(fit[at])
    rival = np.concatenate([fit[: max(0, at - _NEAR)], fit[at + _NEAR + 1 :], [0.0]]).max()
    if likeness < _ALIKE or likeness - rival < _ALONE:
        return None
    return Lag(Fraction(begin + at - first, SAMPLE_RATE), likeness)


def _mono(path: Path, first: int, count: int) -> NDArray[np.float32]:
    reader = SoundReader(path)
    try:
        skipped = max(0, -first)
        samples = reader.read(max(0, first), max(0, count - skipped)).mean(axis=1)
    finally:
        reader.close()
    return np.concatenate([np.zeros(min(skipped, count), np.float32), samples]).astype(np.float32)


def place_in(around: NDArray[np.float32], wanted: NDArray[np.float32]) -> tuple[int, float]:
    """(place at which ``wanted`` fits best in ``around``, correlation there)."""
    fit = fit_in(around, wanted)
    best = int(np.argmax(fit))
    return best, float(fit[best])


def fit_in(around: NDArray[np.float32], wanted: NDArray[np.float32]) -> NDArray[np.float64]:
    """Correlation of ``wanted`` with every stretch of its length of ``around``, which is the longer one."""
    one = (wanted - wanted.mean()).astype(np.float64)
    whole = around.astype(np.float64)
    cross = signal.fftconvolve(whole, one[::-1], mode="valid")
    sums, squares = (np.concatenate([[0.0], np.cumsum(values)]) for values in (whole, whole * whole))
    count = len(one)
    power = squares[count:] - squares[:-count] - (sums[count:] - sums[:-count]) ** 2 / count
    fit: NDArray[np.float64] = cross / np.sqrt(np.maximum(power, 1e-9) * max(float(one @ one), 1e-12))
    fit[power <= 1e-7 * count] = 0.0
    return fit
