"""Which frame of the original a frame of the proxy shows, at sampled places of a pair.

At a place the proxy's frame P is compared with the original's frames O(-3) to O(+3) around the one it should be, in
brightness at the proxy's size (at the most 320 pixels wide), the original's levels brought to the proxy's by one
curve for the clip, and what is laid over the picture at all times left out. The squared error of each gives its
likelihood under noise that errs in lumps, as packed pictures do; a path through the places with few changes of shift
(Viterbi 1967) tells where frames are missing, and how surely.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..late import optimize
from ..matching.alignment import NONE, correlation, something_moves
from ..media.fingerprint import HIGH, WIDE

REACH = 3  # frames to both sides
_BINS = 64  # levels of the curve
_MARKED = 22.0  # levels of brightness: what differs so much at most places is a mark laid over the picture
_MOST_MARKED = 0.4  # of the picture
_PICTURES_FOR_LETTERS, _MOST_PICTURES = 12, 60
_LEVEL, _CONTRAST = 20.0, 60.0  # levels of brightness: around dark and light; between the two
_BETWEEN, _RARELY = 0.15, 0.1  # parts of the places
_AROUND = 4  # pixels around a letter that belong to it
_LUMP = 24.0  # pixels that err together in packed pictures
_LONG = 5  # places that make a shift of such a picture believable
_CLEAN = 6.0  # squared levels by which a picture that is not packed hard differs
_LEAST_NOISE = 0.6  # squared levels: no packed picture is nearer to its original
_CHANGE = 14.0  # what a change of shift costs, in natural logarithms of likelihood
_MOST_OF_ONE = 25.0  # what one place can weigh

Luma = NDArray[np.float32]


@dataclass(frozen=True)
class Seen:
    """What was read at a place. ``frame`` of the original that the proxy's frame should show; ``around``: float32
    (2 REACH + 1, height, width), ``there`` (booleans) tells which of them exist; ``proxy``: float32 (height, width).
    ``weight``: how far the place is to be believed, 1 for a picture packed by itself; more where values are means of
    many pixels."""

    frame: int
    around: Luma
    there: NDArray[np.bool_]
    proxy: Luma
    weight: float = 1.0


@dataclass(frozen=True)
class Verdict:
    """What the places say together.

    ``shifts``: int64 (places,), frames by which the proxy shows a later (+) or earlier (-) frame than it should.
    ``sure``: how much likelier (natural logarithm) these are than the next best single shift, for the first and the
    second half of the places; small where the picture cannot tell. ``against``: how much likelier than no shift at all.
    ``moving``: correlation of the changes over time, NONE where nothing moves; ``standing``: of what does not change:
    both without what is burnt into the original like letters, which other clips may bear as well.
    ``burnt_in``: there is such a thing. ``vague``: the places are packed hard and as differences, and parts of them may
    show other frames.
    """

    frames: NDArray[np.int64]
    shifts: NDArray[np.int64]
    sure: tuple[float, float]
    against: float
    moving: float
    standing: float
    vague: bool = False
    burnt_in: bool = False


@dataclass(frozen=True)
class Curve:
    """From one brightness to another: straight lines between points, the outermost two going on."""

    table: NDArray[np.float32]

    def __call__(self, luma: Luma) -> Luma:
        return np.asarray(self.table[np.clip(luma * 4 + 0.5, 0, 1023).astype(np.int16)], np.float32)


def judge(seen: Sequence[Seen]) -> Verdict:
    """What the places say together; there must be at least one."""
    curve = tone_curve(seen)
    mask = ~_marks(seen, curve)
    costs = np.stack([_costs(one, curve, mask) for one in seen])
    shifts = _path(costs)
    if np.mean([one.weight for one in seen]) < 1:
        shifts = _without_short(shifts)
    frames = np.array([one.frame for one in seen], np.int64)
    half = max(1, len(seen) // 2)
    rows = np.arange(len(seen))
    chosen = costs[rows, shifts + REACH]
    sure = tuple(_next_best(costs[part], chosen[part], shifts[part]) for part in (slice(0, half), slice(-half, None)))
    letters = _letters(seen)
    moving, standing = _together(seen, curve, mask & ~letters, shifts)
    against = float(costs[:, REACH].sum() - chosen.sum())
    vague, burnt_in = _vague(seen, curve, mask), bool(letters.any())
    return Verdict(frames, shifts, (sure[0], sure[1]), against, moving, standing, vague, burnt_in)


def usual_shift(seen: Sequence[Seen]) -> tuple[int, float]:
    """The one shift that fits all places best, and how much likelier it is than the next (natural logarithm)."""
    curve = tone_curve(seen)
    mask = ~_marks(seen, curve)
    total = np.sum([_costs(one, curve, mask) for one in seen], axis=0)
    first, second = np.argsort(total)[:2]
    return int(first) - REACH, float(total[second] - total[first])


def _vague(seen: Sequence[Seen], curve: Curve, mask: NDArray[np.bool_]) -> bool:
    if np.mean([one.weight for one in seen]) > 0.5:
        return False
    noise = [float(np.square((one.proxy - curve(one.around[REACH]))[mask]).mean()) for one in seen]
    return float(np.median(noise)) > 2 * _CLEAN


def tone_curve(seen: Sequence[Seen]) -> Curve:
    """The curve that brings the original's brightness to the proxy's, from all places together."""
    original = np.concatenate([one.around[REACH].ravel() for one in seen])
    proxy = np.concatenate([one.proxy.ravel() for one in seen])
    if len(original) > 400_000:
        step = len(original) // 200_000
        original, proxy = original[::step], proxy[::step]
    which = np.minimum((original * (_BINS / 256)).astype(np.int64), _BINS - 1)
    counts = np.bincount(which, minlength=_BINS)
    known = np.flatnonzero(counts >= max(20, len(original) // 5000))
    levels = np.arange(0, 256, 0.25)
    if len(known) < 2:
        return Curve(levels.astype(np.float32))
    pieces = np.split(proxy[np.argsort(which, kind="stable")], np.cumsum(counts)[:-1])
    inside = np.bincount(which, original, _BINS)[known] / counts[known]
    medians = np.array([float(np.median(pieces[bin_])) for bin_ in known])
    values = optimize.isotonic_regression(medians, weights=counts[known]).x  # a look keeps the order of light and dark
    table = np.interp(levels, inside, values)
    table += np.minimum(levels - inside[0], 0) + np.maximum(levels - inside[-1], 0)
    return Curve(table.astype(np.float32))


def _marks(seen: Sequence[Seen], curve: Curve) -> NDArray[np.bool_]:
    """Pixels that differ at most places whatever frame is looked at: text burnt in, a border."""
    votes = np.zeros(seen[0].proxy.shape, np.int32)
    for one in seen:
        differ = np.min([np.abs(one.proxy - curve(picture)) for picture in one.around[one.there]], axis=0)
        votes += _spread(differ) > _MARKED
    marked = votes * 2 > len(seen)
    if marked.any():
        marked = _spread(_spread(marked.astype(np.float32))) > 0
    return marked if marked.mean() <= _MOST_MARKED else np.zeros_like(marked)


def _letters(seen: Sequence[Seen]) -> NDArray[np.bool_]:
    """Pixels of the original that are now dark, now light, and hardly ever between: a running counter burnt in.

    None where they would be a large part of the picture, or there are too few places to tell.
    """
    none = np.zeros(seen[0].proxy.shape, np.bool_)
    every = [picture for one in seen for picture in one.around[one.there]]
    if len(every) < _PICTURES_FOR_LETTERS:
        return none
    pictures = np.stack(every[:: -(-len(every) // _MOST_PICTURES)])
    dark, light = pictures.min(axis=0), pictures.max(axis=0)
    is_light = pictures > light - _LEVEL
    between = ~is_light & (pictures > dark + _LEVEL)
    share = is_light.mean(axis=0)
    found = (light - dark > _CONTRAST) & (between.mean(axis=0) <= _BETWEEN) & (np.minimum(share, 1 - share) > _RARELY)
    around = found.astype(np.float32)
    for _step in range(_AROUND):
        around = (_spread(around) > 0).astype(np.float32)
    letters: NDArray[np.bool_] = around > 0
    return letters if letters.mean() <= _MOST_MARKED else none


def _spread(values: Luma) -> Luma:
    """Means over 3 x 3 pixels."""
    padded = np.pad(values, 1, mode="edge")
    rows = padded[:-2] + padded[1:-1] + padded[2:]
    return np.asarray((rows[:, :-2] + rows[:, 1:-1] + rows[:, 2:]) / 9, np.float32)


def _costs(one: Seen, curve: Curve, mask: NDArray[np.bool_]) -> NDArray[np.float64]:
    """How much less likely each frame around is than the likeliest (natural logarithm): (2 REACH + 1,)."""
    rest = [(one.proxy - curve(picture))[mask] for picture in one.around]
    errors = np.array([float(np.square(values - values.mean()).mean()) for values in rest])
    errors[~one.there] = errors[one.there].min()  # what is not there is not spoken against
    least = max(float(errors.min()), _LEAST_NOISE)
    weight = one.weight if one.weight >= 1 else one.weight * min(1.0, _CLEAN / least)  # packed hard, it strays further
    lumps = weight * float(mask.sum()) / _LUMP
    costs: NDArray[np.float64] = np.minimum(lumps * (errors - errors.min()) / (2 * least), _MOST_OF_ONE)
    return costs


def _path(costs: NDArray[np.float64]) -> NDArray[np.int64]:
    """The likeliest shift at each place when changes are rare; it begins with none."""
    count, states = costs.shape
    change = _CHANGE * (1 - np.eye(states))
    total = costs[0] + change[REACH]
    back = np.zeros((count, states), np.int64)
    for place in range(1, count):
        ways = total[:, None] + change
        back[place] = ways.argmin(axis=0)
        total = ways.min(axis=0) + costs[place]
    path = np.empty(count, np.int64)
    path[-1] = int(total.argmin())
    for place in range(count - 1, 0, -1):
        path[place - 1] = back[place, path[place]]
    return path - REACH


def _without_short(shifts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Without shifts of a few places only: parts of pictures packed as differences do stray for a moment."""
    found = shifts.copy()
    edges = np.flatnonzero(np.diff(shifts)) + 1
    for run in np.split(np.arange(len(shifts)), edges):
        if len(run) < min(_LONG, len(shifts) // 2):
            found[run] = 0
    return found


def _next_best(costs: NDArray[np.float64], chosen: NDArray[np.float64], shifts: NDArray[np.int64]) -> float:
    """How much worse everything moved by one frame more, or less, would be."""
    worse = []
    for step in (-1, 1):
        moved = np.clip(shifts + REACH + step, 0, costs.shape[1] - 1)
        worse.append(float((costs[np.arange(len(costs)), moved] - chosen).sum()))
    return min(worse)


def _together(
    seen: Sequence[Seen], curve: Curve, mask: NDArray[np.bool_], shifts: NDArray[np.int64]
) -> tuple[float, float]:
    """Correlation of changes over time and of what stands, on a coarse grid, marks left out."""
    originals, proxies = [], []
    for one, shift in zip(seen, shifts, strict=True):
        at = int(np.clip(shift + REACH, 0, 2 * REACH))
        originals.append(_cells(curve(one.around[at if one.there[at] else REACH]), mask))
        proxies.append(_cells(one.proxy, mask))
    a, b = np.stack(originals), np.stack(proxies)
    whole = _cells(mask.astype(np.float32), np.ones_like(mask)) > 0.5  # cells that are not mostly under a mark
    a, b = a[:, whole], b[:, whole]
    standing = correlation(a.mean(axis=0), b.mean(axis=0)) if whole.sum() > 8 else 0.0
    a, b = a - a.mean(axis=0), b - b.mean(axis=0)
    energy = np.square(a).mean(axis=0)
    if not something_moves(energy):
        return NONE, standing
    moves = energy > 0.03 * float(energy.max())
    a, b = a[:, moves], b[:, moves]
    below = float(np.sqrt(np.square(a).sum() * np.square(b).sum()))
    return (float((a * b).sum()) / below if below > 1e-6 else 0.0), standing


def _cells(picture: Luma, mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Means over the cells of the coarse grid, without what the mask leaves out: flat."""
    high, wide = picture.shape
    rows = (np.arange(HIGH + 1) * high / HIGH).astype(np.int64)[:-1]
    columns = (np.arange(WIDE + 1) * wide / WIDE).astype(np.int64)[:-1]
    sums = np.add.reduceat(np.add.reduceat(picture * mask, rows, axis=0), columns, axis=1)
    counts = np.add.reduceat(np.add.reduceat(mask.astype(np.float32), rows, axis=0), columns, axis=1)
    return np.asarray((sums / np.maximum(counts, 1)).ravel(), np.float32)
