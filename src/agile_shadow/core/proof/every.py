"""Every frame of a proxy held against the signature of its original: which of them show another picture.

What is compared is the mean brightness of the cells of a grid, the original's levels brought to the proxy's. A cell's
usual difference (its median over the frames around) is taken off, so that a look, a mark or a border says nothing. What
is left is noise where the frame is right; where it shows a neighbour, it is the movement between the two.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..late import ndimage
from ..media.fingerprint import Grids
from .places import REACH, Curve, Seen, tone_curve

_AROUND = 9  # frames whose usual difference is taken off
_WIDER = 31  # frames with whose noise a frame's is compared
_LEAST_NOISE = 0.12  # levels of a cell: half a step of what is kept, and rounding
_CLEARLY = 6.0  # times the usual spread of what speaks for a neighbour
_RATHER, _EXPLAINED = 3.0, 0.5  # the same where the neighbour leaves at most this part of what is off unexplained
_MOST_OF_WAY = 0.6  # of the way from the right frame to the neighbour
_LEAST_MOVED = 40.0  # squared noises of all cells between the two
_STANDS_OUT, _MAY_STAND_OUT = 4.0, 2.5  # times the usual difference: another picture altogether; perhaps one, elsewhere
_OTHER, _OTHER_PACKED = 0.7, 1.5  # levels in the mean over the picture, at least; where packed by differences
_BEYOND_MOVEMENT = 1.2  # times what moves from frame to frame
_UNLIKE, _ANOTHERS = 1.6, 0.45  # times the usual squared difference; of it what another frame leaves, at most
_MOST_LIKELY, _AS_FAR = 24, 4000  # frames of a part for which others are looked through, as many to both sides
_ELSEWHERE, _FAR = 10.0, 5.0  # levels, and times the usual: a stretch that shows something else
_SAMPLED = 200  # frames that the curve is made of
_PART = 4000  # frames that are looked at together
_MOST_PLACES = 600
_FINENESS = 6.0  # how much less a cell's mean strays than the pixels that the judging was set on


@dataclass(frozen=True)
class Stray:
    """A frame of the original whose place in the proxy shows another: ``shift`` the frame it shows instead, counted
    from it, None where none is like it. ``weight``: how far it stands out, in times the usual; ``weak``: so little that
    it says nothing until the original was looked at."""

    frame: int
    shift: int | None
    weight: float = field(default=0.0, compare=False)
    weak: bool = field(default=False, compare=False)


def strays(original: Grids, proxy: Grids, offset: int, intra: bool, made: bool = False) -> list[Stray]:
    """Frames that are not shown where they should be, ascending.

    ``original``: float32 (n, HIGH, WIDE) of all its frames; ``proxy``: of all of its own; ``offset``: frames of the
    original before the proxy's first; ``intra``: whether each of the proxy's frames is packed by itself; ``made``:
    whether it was made here, so that no frame of it lags behind.
    """
    low, high = max(0, offset), min(len(original), offset + len(proxy))
    found: dict[int, Stray] = {}
    for first in range(low, high, _PART):
        begin, end = max(low, first - 2 * _WIDER), min(high, first + _PART + 2 * _WIDER)
        if end - begin < _AROUND:
            continue
        part = _Part.of(original, proxy, offset, begin, end)
        for stray in part.strays(intra, made, original):
            if first <= stray.frame < first + _PART:
                found[stray.frame] = stray
    return [found[frame] for frame in sorted(found)]


def places_of(
    original: Grids, proxy: Grids, offset: int, within: tuple[int, int] | None = None, weights: Sequence[float] = ()
) -> list[Seen]:
    """The places of a proof made of grids: all frames, or many spread over the clip.

    ``within``: only frames of the original between these two. ``weights``: of the proxy's frames, 1 where not given.
    """
    low, high = max(0, offset), min(len(original), offset + len(proxy))
    if within is not None:
        low, high = max(low, within[0] + 1), min(high, within[1])
    if high <= low:
        return []
    frames = np.unique(np.linspace(low, high - 1, min(high - low, _MOST_PLACES)).round().astype(int)).tolist()
    steps = np.arange(-REACH, REACH + 1)
    last = len(original) - 1
    return [
        Seen(
            frame, original[np.clip(frame + steps, 0, last)], (frame + steps >= 0) & (frame + steps <= last),
            proxy[frame - offset], _FINENESS * (weights[frame - offset] if weights else 1.0),
        )
        for frame in frames
    ]  # fmt: skip


@dataclass(frozen=True)
class _Part:
    """``first``: number of the original's frame of row 0. ``steps``: what the original changes from each frame to those
    around, float32 (2 REACH + 1, frames, cells), in levels of the proxy; ``there`` which of them exist."""

    first: int
    differences: NDArray[np.float32]
    steps: NDArray[np.float32]
    there: NDArray[np.bool_]
    shown: NDArray[np.float32]
    curve: Curve

    @classmethod
    def of(cls, original: Grids, proxy: Grids, offset: int, begin: int, end: int) -> _Part:
        flat = original.reshape(len(original), -1)
        shown = proxy[begin - offset : end - offset].reshape(end - begin, -1)
        curve = _curve(original, proxy, offset, begin, end)
        around = np.arange(begin, end)[None, :] + np.arange(-REACH, REACH + 1)[:, None]
        there = (around >= 0) & (around < len(original))
        levels = curve(flat[max(0, begin - REACH) : min(len(flat), end + REACH)])
        rows = np.clip(around, 0, len(flat) - 1) - max(0, begin - REACH)
        true = levels[rows[REACH]]
        steps = np.stack([levels[row] - true for row in rows])
        return cls(begin, shown - true, steps, there, shown, curve)

    def strays(self, intra: bool, made: bool, original: Grids) -> list[Stray]:
        other = _OTHER if intra else _OTHER_PACKED
        usual = ndimage.median_filter(self.differences, (_AROUND, 1), mode="nearest")
        rest = self.differences - usual
        noise = np.maximum(1.4826 * np.median(np.abs(rest), axis=0), _LEAST_NOISE)
        perhaps = _STANDS_OUT if made else _MAY_STAND_OUT
        found = {frame: Stray(self.first + frame, None) for frame in self._others(rest, other, perhaps)}
        surely = set(self._others(rest, other, _STANDS_OUT))
        found |= {frame: Stray(self.first + frame, None) for frame in self._elsewhere()}
        neighbours = self._neighbours(rest / noise, noise, made)
        found |= {frame: Stray(self.first + frame, shift) for frame, shift in neighbours.items()}
        anothers = self._anothers(rest, noise, usual, original)
        found |= {frame: Stray(self.first + frame, shift) for frame, shift in anothers.items()}
        error = np.sqrt(np.square(rest).mean(axis=1))
        out = error / np.maximum(ndimage.median_filter(error, _WIDER, mode="nearest"), _LEAST_NOISE)
        surely |= {frame for frame, stray in found.items() if stray.shift is not None}
        surely |= set(self._elsewhere())
        return [
            replace(found[frame], weight=float(out[frame]), weak=frame not in surely) for frame in sorted(found)
        ]

    def _neighbours(self, rest: NDArray[np.float32], noise: NDArray[np.float32], made: bool) -> dict[int, int]:
        """Frames that show a neighbour, and which: most of the way to it, far more clearly than others stray."""
        best: dict[int, tuple[float, int]] = {}
        for row, shift in enumerate(range(-REACH, REACH + 1)):
            if shift == 0:
                continue
            step = self.steps[row] / noise
            moved = np.square(step).sum(axis=1)
            speaks = (rest * step).sum(axis=1) / np.sqrt(np.maximum(moved, 1e-6))
            way = speaks / np.sqrt(np.maximum(moved, 1e-6))
            usual = float(np.median(speaks))
            spread = max(1.0, 1.4826 * float(np.median(np.abs(speaks - usual))))
            is_there = self.there[row] & (moved > _LEAST_MOVED)
            far = way - max(0.0, _middle(way, is_there)) > _MOST_OF_WAY
            left = np.square(rest - step).sum(axis=1)
            explained = made & (left < _EXPLAINED * np.square(rest).sum(axis=1))
            clear = is_there & far & (speaks - usual > np.where(explained, _RATHER, _CLEARLY) * spread)
            for frame in np.flatnonzero(clear).tolist():
                if frame not in best or left[frame] < best[frame][0]:
                    best[frame] = float(left[frame]), shift
        return {frame: shift for frame, (_left, shift) in best.items()}

    def _anothers(
        self, rest: NDArray[np.float32], noise: NDArray[np.float32], usual: NDArray[np.float32], original: Grids
    ) -> dict[int, int]:
        """Frames that another one of the original is far more like, further off than the neighbours, and which. Cells
        that are always astray, under digits that run, count for little."""
        weights = np.square(_LEAST_NOISE / noise)
        error = np.square(rest) @ weights
        out = error / np.maximum(ndimage.median_filter(error, _WIDER, mode="nearest"), 1e-6)
        likely = [int(frame) for frame in np.argsort(-out)[:_MOST_LIKELY] if out[frame] > _UNLIKE]
        if not likely:
            return {}
        begin = max(0, self.first - _AS_FAR)
        stretch = original[begin : self.first + len(rest) + _AS_FAR]
        levels = self.curve(stretch.reshape(len(stretch), -1))
        found = {}
        for frame in likely:
            left = np.square(levels - (self.shown[frame] - usual[frame])) @ weights
            right = self.first + frame - begin
            near = slice(max(0, right - REACH), right + REACH + 1)
            least = min(float(left[near].min()), float(error[frame]))
            left[near] = np.inf
            best = int(left.argmin())
            if left[best] < _ANOTHERS * least:
                found[frame] = best - right
        return found

    def _others(self, rest: NDArray[np.float32], other: float, stands_out: float) -> list[int]:
        """Frames far from what they should show, and not by what moves."""
        error = np.sqrt(np.square(rest).mean(axis=1))
        usual = ndimage.median_filter(error, _WIDER, mode="nearest")
        moved = np.sqrt(np.square(self.steps[[REACH - 1, REACH + 1]]).mean(axis=2)).max(axis=0)
        least = np.maximum(np.maximum(other, stands_out * usual), _BEYOND_MOVEMENT * moved)
        return [int(frame) for frame in np.flatnonzero(error > least)]

    def _elsewhere(self) -> list[int]:
        """Frames of stretches that show something else: too long for the frames around to tell."""
        error = np.sqrt(np.square(self.differences - np.median(self.differences, axis=0)).mean(axis=1))
        return [int(frame) for frame in np.flatnonzero(error > max(_ELSEWHERE, _FAR * float(np.median(error))))]


def _middle(values: NDArray[np.floating], which: NDArray[np.bool_]) -> float:
    return float(np.median(values[which])) if which.any() else 0.0


def _curve(original: Grids, proxy: Grids, offset: int, begin: int, end: int) -> Curve:
    """From the original's brightness to the proxy's, from frames spread over a stretch."""
    frames = np.unique(np.linspace(begin, end - 1, min(end - begin, _SAMPLED)).round().astype(int))
    there = np.ones(2 * REACH + 1, np.bool_)
    return tone_curve([
        Seen(int(frame), np.broadcast_to(original[frame], (2 * REACH + 1, *original[frame].shape)), there,
             proxy[frame - offset])
        for frame in frames
    ])  # fmt: skip
