"""Where a proxy lies in its original, found by what both look and sound like.

Pictures: the changes of sampled frames against their own mean over time, correlated at every offset. What never moves
(the set, a logo, a look laid over everything) drops out, so that takes of one scene can be told apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..late import signal
from ..media.fingerprint import ENVELOPE_RATE, HIGH, WIDE, Envelope, Fingerprint, Grids

_LEAST_SAMPLES = 5
_LEAST_ENERGY = 2.0  # squared levels of brightness of the cell that changes most: below, a scene is still
_ALL_MOVES = 4.0  # squared levels of the usual cell: above, the camera moves
_STANDS_OUT = 8.0  # times the usual cell's: what grain does not do
_MOVING = 0.03  # of the strongest cell's energy: what a cell needs to count as moving
_LEAST_OVERLAP = 1.2  # seconds of sound
_NEAR = 2  # offsets beside the best one that do not count as other places
NONE = -2.0  # where nothing could be compared


@dataclass(frozen=True)
class PictureFit:
    """How well pictures fit at the best offset (frames of the original before the proxy's first one).

    ``moving``: correlation of the changes, -1 to 1, NONE where nothing moves. ``standing``: correlation of what does
    not change. ``others``: the best ``moving`` of any offset that is not beside the best. ``samples`` compared.
    """

    offset: int
    moving: float
    standing: float
    others: float
    samples: int


@dataclass(frozen=True)
class SoundFit:
    """Correlation of the loudness of both over time at the best place, and the best of any other place.

    ``seconds``: the original's sound before the proxy's begins.
    """

    seconds: float
    likeness: float
    others: float

    def offset(self, rate: Fraction) -> int:
        """In frames."""
        return round(self.seconds * float(rate))


def fit_pictures(original: Fingerprint, proxy: Grids) -> PictureFit | None:
    """Lay sampled frames of an original over the frames of a proxy, at every offset.

    ``proxy``: float32 (frames, HIGH, WIDE) from its first frame on. None when they never meet.
    """
    offsets = range(-(len(proxy) // 10), max(1, original.frames - len(proxy) // 3))
    table = _Table.of(original, proxy)
    numbers = original.numbers
    inside_most = int((numbers < len(proxy)).sum())
    least = max(_LEAST_SAMPLES, inside_most // 2)
    found: dict[int, tuple[float, int]] = {}
    for offset in offsets:
        places = numbers - offset
        good = np.flatnonzero((places >= 0) & (places < len(proxy)))
        if len(good) >= least:
            found[offset] = table.moving(good, places[good]), len(good)
    if not found:
        return None
    best = max(found, key=lambda offset: found[offset])
    moving, count = found[best]
    others = max((one[0] for offset, one in found.items() if abs(offset - best) > _NEAR), default=NONE)
    places = numbers - best
    good = np.flatnonzero((places >= 0) & (places < len(proxy)))
    means = original.grids[good].mean(axis=0).reshape(-1), proxy[places[good]].mean(axis=0).reshape(-1)
    return PictureFit(best, moving, correlation(*means), others, count)


@dataclass(frozen=True)
class _Table:
    """Frames over the cells that move, and all products of samples with frames, from which the fit at any offset is a
    few sums. ``own``: samples with samples; ``cross``: samples with frames; ``frames``: (frames, cells)."""

    own: NDArray[np.float32]
    cross: NDArray[np.float32]
    frames: NDArray[np.float32]
    still: bool

    @classmethod
    def of(cls, original: Fingerprint, proxy: Grids) -> _Table:
        grids = original.grids.reshape(len(original.grids), -1)
        centre = grids.mean(axis=0)
        energy = np.square(grids - centre).mean(axis=0)
        moves = energy > max(_MOVING * float(energy.max(initial=0)), 1e-6)
        a = (grids - centre)[:, moves]
        b = proxy.reshape(len(proxy), -1)[:, moves]
        b = b - b.mean(axis=0)
        return cls(a @ a.T, a @ b.T, b, not something_moves(energy))

    def moving(self, samples: NDArray[np.int64], places: NDArray[np.int64]) -> float:
        """Correlation of the changes where these samples lie on these frames; NONE where nothing moves."""
        count = len(samples)
        own = self.own[np.ix_(samples, samples)]
        energy = float(own.trace() - own.sum() / count)
        if self.still or energy < count * _LEAST_ENERGY:
            return NONE
        frames = self.frames[places]
        theirs = float(np.vdot(frames, frames)) - float(np.square(frames.sum(axis=0)).sum()) / count
        cross = self.cross[np.ix_(samples, places)]
        below = energy * theirs
        return float(cross.trace() - cross.sum() / count) / math.sqrt(below) if below > 1e-6 else 0.0


def something_moves(energy: NDArray[np.float32]) -> bool:
    """Whether something moves, or only the grain: that is alike in all cells, and small. ``energy``: mean squared
    change of each cell, in levels of brightness."""
    if len(energy) < 9 or float(energy.max()) < _LEAST_ENERGY:
        return False
    usual = float(np.median(energy))
    return usual > _ALL_MOVES or float(energy.max()) > _STANDS_OUT * usual


def correlation(first: NDArray[np.float32], second: NDArray[np.float32], kept: float = 0.85) -> float:
    """Correlation of two flat arrays after the cells that differ most are left out (burnt-in marks); -1 to 1."""
    a, b = _unit(first), _unit(second)
    differ = np.abs(a - b)
    good = differ <= np.quantile(differ, kept)
    a, b = _unit(first[good]), _unit(second[good])
    return float((a * b).mean())


def _unit(values: NDArray[np.float32]) -> NDArray[np.float32]:
    spread = float(values.std())
    return (values - values.mean()) / spread if spread > 1e-3 else np.zeros_like(values)


def standing_table(originals: list[Fingerprint], proxies: list[Fingerprint]) -> NDArray[np.float32]:
    """Correlation of what stands in each original with what stands in each proxy: (originals, proxies)."""

    def table(prints: list[Fingerprint]) -> NDArray[np.float32]:
        rows = np.stack([_unit(np.median(one.grids, axis=0).reshape(-1)) for one in prints])
        return np.asarray(rows / np.sqrt(HIGH * WIDE), np.float32)

    return np.asarray(table(originals) @ table(proxies).T, np.float32)


def fit_sound(original: Envelope, proxy: Envelope) -> SoundFit | None:
    """Lay two envelopes over each other at every place; None when one is too short or says nothing."""
    least = int(_LEAST_OVERLAP * ENVELOPE_RATE)
    if min(len(original), len(proxy)) < least or min(original.std(), proxy.std()) < 0.02:
        return None
    a, b = original - original.mean(), proxy - proxy.mean()
    ones_a, ones_b = np.ones_like(a), np.ones_like(b)
    reverse = b[::-1]
    count = np.maximum(signal.fftconvolve(ones_a, ones_b), 1)
    sum_a, sum_b = signal.fftconvolve(a, ones_b), signal.fftconvolve(ones_a, reverse)
    var_a = signal.fftconvolve(a * a, ones_b) - sum_a**2 / count
    var_b = signal.fftconvolve(ones_a, reverse * reverse) - sum_b**2 / count
    cross = signal.fftconvolve(a, reverse) - sum_a * sum_b / count
    fits = cross / np.sqrt(np.maximum(var_a, 1e-3 * count) * np.maximum(var_b, 1e-3 * count))
    fits = np.where(count >= least, fits, -1)
    best = int(np.argmax(fits))
    away = np.ones(len(fits), bool)
    away[max(0, best - ENVELOPE_RATE // 8) : best + ENVELOPE_RATE // 8 + 1] = False
    others = float(fits[away].max(initial=-1.0))
    return SoundFit((best - (len(b) - 1)) / ENVELOPE_RATE, float(fits[best]), others)
