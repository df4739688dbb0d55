"""The sound of a pair: is each channel the original's, in its place, and at its time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..late import signal
from ..matching.lag import place_in
from ..media.channels import CHANNEL_RATE, Channels, channels_at

_STRETCH = 4.0  # seconds
_PLACES = (0.08, 0.5, 1.0)  # of the length that both have: the last stretch ends where they do
_SHORTEST = 0.2  # seconds
_MOST_GAPS = 12
_MOST_LATE = 0.5  # seconds that are searched
_LOUD = 3e-4  # root mean square
_ALIKE = 0.6  # correlation
_AS_GOOD = 0.98  # of the best
_CLEARLY = 0.2  # by which one channel fits better than another
_SLACK = 0.012  # seconds: what packing sound may move it


@dataclass(frozen=True)
class Heard:
    """``late``: seconds by which the proxy's sound lags, None where it cannot be told. ``wrong``: sentences of what is
    wrong with it. ``likeness``: of all channels together, 0 to 1."""

    late: float | None
    likeness: float
    wrong: tuple[str, ...] = ()


def listen(
    original: Path, proxy: Path, lead: Fraction, seconds: Fraction, frame: float, gaps: Sequence[float] = ()
) -> Heard | None:
    """Compare the sound at some stretches. ``lead``: seconds of the original before the proxy's first frame;
    ``seconds``: the length of both together; ``frame``: seconds that one lasts. None where one is silent.
    ``gaps``: seconds after that frame where sound of the original begins again; each is a stretch of its own.

    Raises MediaError.
    """
    length = min(_STRETCH, float(seconds))
    starts = {max(0.0, min(float(seconds) - length, float(seconds) * part - length / 2)) for part in _PLACES}
    first = [channels_at(original, float(lead) + start, length) for start in sorted(starts)]
    second = [channels_at(proxy, start, length) for start in sorted(starts)]
    heard = compare(first, second, frame)
    late = _after_gaps(original, proxy, float(lead), _pieces(float(seconds), gaps), frame)
    return heard if heard is None or not late else replace(heard, wrong=(*heard.wrong, late))


def _pieces(seconds: float, gaps: Sequence[float]) -> list[tuple[float, float]]:
    """(start, length) of the sound after each gap, up to the next one."""
    edges = [*sorted(at for at in gaps if 0 < at < seconds)[:_MOST_GAPS], seconds]
    return [(begin, min(_STRETCH, end - begin)) for begin, end in pairwise(edges) if end - begin >= _SHORTEST]


def _after_gaps(
    original: Path, proxy: Path, lead: float, pieces: list[tuple[float, float]], frame: float
) -> str:
    """A sentence about the first piece that lies elsewhere in the proxy, by more than may be; looked for around it."""
    for start, length in pieces:
        before = min(start, _MOST_LATE)
        wanted = channels_at(original, lead + start, length).mean(axis=0)
        around = channels_at(proxy, start - before, before + length + _MOST_LATE).mean(axis=0)
        if min(_loudness(wanted), _loudness(around)) <= _LOUD:
            continue
        at, likeness = place_in(around, wanted)
        late = at / CHANNEL_RATE - before
        if likeness >= _ALIKE and abs(late) > max(frame / 2, _SLACK * 1.5):
            way = "late" if late > 0 else "early"
            return f"its sound is {abs(late) * 1000:.0f} ms too {way} after a gap, from {start:.2f} s on"
    return ""


def compare(first: list[Channels], second: list[Channels], frame: float) -> Heard | None:
    """Of stretches (channels, samples) of the original and of the proxy."""
    loud = [
        number for number, (a, b) in enumerate(zip(first, second, strict=True))
        if a.size and b.size and min(_loudness(a.mean(axis=0)), _loudness(b.mean(axis=0))) > _LOUD
    ]  # fmt: skip
    if not loud:
        return _one_silent(first, second)
    fits = [_best_lag(first[number].mean(axis=0), second[number].mean(axis=0)) for number in loud]
    lag, likeness = max(fits, key=lambda fit: fit[1])
    if likeness < _ALIKE:
        return Heard(None, likeness, ("its sound is not the original's",) if likeness < 0.25 else ())
    wrong = []
    worst = max((fit for fit in fits if fit[1] >= _ALIKE), key=lambda fit: abs(fit[0]))
    late = lag / CHANNEL_RATE
    off = worst[0] / CHANNEL_RATE
    if abs(off) > max(frame / 2, _SLACK * 1.5):
        where = "" if worst[0] == lag else " in places"
        wrong.append(f"its sound is {abs(off) * 1000:.0f} ms too {'late' if off > 0 else 'early'}{where}")
    table = _table([first[n] for n in loud], [second[n] for n in loud], lag)
    if table.shape[0] == table.shape[1]:
        wrong.extend(_misplaced(table))
    return Heard(late, likeness, tuple(wrong))


def _one_silent(first: list[Channels], second: list[Channels]) -> Heard | None:
    loud = max((_loudness(one) for one in first if one.size), default=0.0)
    mute = max((_loudness(one) for one in second if one.size), default=0.0)
    has_channels = any(one.size for one in second)
    if loud > 10 * _LOUD and mute < _LOUD / 10 and has_channels:
        return Heard(None, 0.0, ("its sound is silent where the original's is not",))
    return None


def _loudness(samples: NDArray[np.float32]) -> float:
    return float(np.sqrt(np.square(samples).mean())) if samples.size else 0.0


def _best_lag(a: NDArray[np.float32], b: NDArray[np.float32]) -> tuple[int, float]:
    """(samples by which ``b`` lags behind ``a``, correlation there). Of tones, which fit again and again, the least."""
    reach = min(int(_MOST_LATE * CHANNEL_RATE), len(a) // 3)
    a, b = a - a.mean(), b - b.mean()
    cross = signal.fftconvolve(b, a[::-1])
    middle = len(a) - 1
    window = cross[middle - reach : middle + reach + 1]
    best = _least_of_the_best(window, reach) - reach
    return best, _correlation(*_overlap(a, b, best))


def _least_of_the_best(fits: NDArray[np.float32], middle: int) -> int:
    """The top of that hill, of those about as high as the highest, which is nearest to the middle."""
    near = np.flatnonzero(fits >= float(fits.max()) * _AS_GOOD)
    at = int(near[np.argmin(np.abs(near - middle))])
    while 0 < at < len(fits) - 1 and max(fits[at - 1], fits[at + 1]) > fits[at]:
        at += 1 if fits[at + 1] > fits[at - 1] else -1
    return at


def _overlap(
    a: NDArray[np.float32], b: NDArray[np.float32], lag: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    return (a[..., : a.shape[-1] - lag], b[..., lag:]) if lag >= 0 else (a[..., -lag:], b[..., : b.shape[-1] + lag])


def _correlation(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    a, b = a - a.mean(), b - b.mean()
    below = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / below if below > 1e-9 else 0.0


def _table(first: list[Channels], second: list[Channels], lag: int) -> NDArray[np.float64]:
    """Correlation of each channel of the original with each of the proxy; NaN where one is silent."""
    pairs = [_overlap(a, b, lag) for a, b in zip(first, second, strict=True)]
    a = np.concatenate([one for one, _other in pairs], axis=1)
    b = np.concatenate([other for _one, other in pairs], axis=1)
    table = np.full((len(a), len(b)), np.nan)
    for i, row in enumerate(a):
        for j, column in enumerate(b):
            if min(_loudness(row), _loudness(column)) > _LOUD:
                table[i, j] = _correlation(row, column)
    return table


def _misplaced(table: NDArray[np.float64]) -> list[str]:
    """Channels of the proxy that are another channel of the original, clearly."""
    moved = {}
    for channel in range(len(table)):
        column = table[:, channel]
        own = column[channel]
        if np.isnan(column).all():
            continue
        best = int(np.nanargmax(column))
        if best != channel and column[best] > _ALIKE and column[best] - np.nan_to_num(own) > _CLEARLY:
            moved[channel] = best
    swapped = [(one, other) for one, other in moved.items() if moved.get(other) == one and one < other]
    found = [f"its sound channels {one + 1} and {other + 1} are exchanged" for one, other in swapped]
    known = {channel for pair in swapped for channel in pair}
    found += [
        f"its sound channel {channel + 1} is channel {best + 1} of the original"
        for channel, best in moved.items() if channel not in known
    ]  # fmt: skip
    for channel in range(len(table)):
        if np.isnan(table[:, channel]).all() and not np.isnan(table[channel]).all() and channel not in known:
            found.append(f"its sound channel {channel + 1} is silent where the original's is not")
    return found
