"""The sound of a pair over all of its length: by how loud each channel is, places are found that look wrong, and these
are heard in both files themselves."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from ..media.channels import CHANNEL_RATE, Channels, channels_at
from ..media.envelopes import Envelopes, energies_of, envelopes_of
from ..media.fingerprint import ENVELOPE_RATE
from .hearing import compare

_BLOCKS = 100  # a second: what is compared
_PER_BLOCK = ENVELOPE_RATE // _BLOCKS
_LOUD, _SILENT = 3e-3**2, 3e-5**2  # energies: clearly heard, and nothing at all
_SOUNDS = 3e-4**2  # energy from which on sound can be told from sound
_LEAST_SILENCE = 3  # blocks
_NEAR = 2  # blocks by which packing may move where silence begins
_EDGE = 0.15  # seconds at both ends: what is packed may begin late and end early there
_WINDOW, _HOP = 200, 100  # blocks
_REACH = 50  # blocks to both sides that are searched
_MOVES, _HARDLY = 2.0, 0.3  # decibels: less says nothing of another sound, and nothing of time
_UNLIKE, _FITS = 0.5, 0.6  # correlation of loudness
_SLIPPED, _BETTER = 2, 0.05  # blocks; by which it fits better there, or with another channel
_WORSE = 0.3  # correlation by which a channel goes along less than it usually does
_LEVEL = 4.0  # decibels by which a channel is louder or softer than it usually is
_MOST = 6  # places that are heard
_Energies = NDArray[np.float32]


@dataclass(frozen=True)
class OddPlace:
    """A stretch that both files have in common, from ``start`` on, ``length`` long, in seconds; the higher ``weight``,
    the more it looks wrong."""

    start: float
    length: float
    weight: float


@dataclass(frozen=True)
class Common:
    """What two files have in common: from ``lead`` seconds of the original on, ``seconds`` long, frames of ``frame``
    seconds. ``late``: seconds by which the proxy's sound is known to lag."""

    lead: Fraction
    seconds: Fraction
    frame: float
    late: float = 0.0


def heard_throughout(
    original: Path, proxy: Path, kept: Envelopes, common: Common, timecode: Callable[[float], str]
) -> tuple[str, ...]:
    """Sentences about places where the proxy's sound is wrong. ``kept``: that of the original; ``timecode``: of a time
    in seconds of the original. Raises MediaError."""
    mine = envelopes_of(proxy)
    if mine is None:
        return ()
    first, second = _alike(kept, mine, common)
    for place, channel, way in silences(first, second):
        if _is_silent(original, proxy, common, place, channel, way):
            whose = "its sound" if channel is None else f"its sound channel {channel + 1}"
            at = timecode(float(common.lead) + place.start)
            if way > 0:
                return (f"{whose} is silent at {at} where the original's is not",)
            return (f"{whose} is heard at {at} where the original's is silent",)
    for place in oddities(first, second):
        start = float(common.lead) + place.start
        both = channels_at(original, start, place.length), channels_at(proxy, place.start, place.length)
        found = compare([both[0]], [both[1]], common.frame)
        if found is not None and found.wrong:
            return tuple(f"{text}, at {timecode(start)}" for text in found.wrong)
    return ()


def _alike(kept: Envelopes, mine: Envelopes, common: Common) -> tuple[_Energies, _Energies]:
    """Energies of both by blocks, side by side: float32 (channels, blocks); one row where their channels differ."""
    blocks = round(float(common.seconds) * ENVELOPE_RATE) // _PER_BLOCK
    lead, late = round(float(common.lead) * ENVELOPE_RATE), round(common.late * ENVELOPE_RATE)
    first, second = _stretch(kept, lead, blocks), _stretch(mine, late, blocks)
    if len(first) != len(second):
        first, second = first.sum(axis=0, keepdims=True), second.sum(axis=0, keepdims=True)
    return first, second


def _stretch(envelopes: Envelopes, begin: int, blocks: int) -> _Energies:
    """So many blocks from a value on, silent where there are none; a channel at a time, for hours are large."""
    out = np.zeros((len(envelopes.levels), blocks), np.float32)
    for row, levels in zip(out, envelopes.levels, strict=True):
        values = np.zeros(blocks * _PER_BLOCK, np.float32)
        low, high = max(0, begin), max(0, min(begin + len(values), len(levels)))
        if high > low:
            values[low - begin : high - begin] = energies_of(levels[low:high])
        row[:] = values.reshape(blocks, _PER_BLOCK).mean(axis=1)
    return out


# Silence


def silences(first: _Energies, second: _Energies) -> list[tuple[OddPlace, int | None, int]]:
    """Where one is silent and the other is not, the longest first: the place, the channel, None for all of them; 1
    where it is the second that is silent, else -1. Float32 (channels, blocks) each."""
    edge = round(_EDGE * _BLOCKS)
    found: list[tuple[OddPlace, int | None, int]] = []
    for way, loud, silent in ((1, first, second), (-1, second, first)):
        lacks = (loud > _LOUD) & (_around(silent) < _SILENT)
        lacks[:, :edge] = lacks[:, max(0, lacks.shape[1] - edge) :] = False
        whole = (silent.max(axis=0, initial=0) < _SILENT) if len(lacks) > 1 else np.zeros(lacks.shape[1], np.bool_)
        for channel, row in enumerate(lacks):
            found.extend(
                (place, None if len(lacks) == 1 or whole[round(place.start * _BLOCKS)] else channel, way)
                for place in _runs(row)
            )
    return sorted(found, key=lambda one: -one[0].weight)[:_MOST]


def _around(energies: _Energies) -> _Energies:
    """The most within a few blocks."""
    padded = np.pad(energies, ((0, 0), (_NEAR, _NEAR)))
    return np.asarray(sliding_window_view(padded, 2 * _NEAR + 1, axis=1).max(axis=2), np.float32)


def _runs(row: NDArray[np.bool_]) -> Iterator[OddPlace]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], row, [False]]).astype(np.int8)))
    for begin, end in zip(edges[::2], edges[1::2], strict=True):
        if end - begin >= _LEAST_SILENCE:
            yield OddPlace(begin / _BLOCKS, (end - begin) / _BLOCKS, float(end - begin))


def _is_silent(original: Path, proxy: Path, common: Common, place: OddPlace, channel: int | None, way: int) -> bool:
    """Whether the files themselves say so, too."""
    length = min(place.length, _WINDOW / _BLOCKS)
    both = [
        channels_at(original, float(common.lead) + place.start, length),
        channels_at(proxy, max(0.0, place.start + common.late), length),
    ]
    loud, silent = (_blocks(samples, channel) for samples in both[::way])
    return bool(loud.size and silent.size and np.median(loud) > _LOUD and np.median(silent) < _SILENT)


def _blocks(samples: Channels, channel: int | None) -> NDArray[np.float32]:
    """Energies by blocks of one channel, or the loudest of all."""
    size = CHANNEL_RATE // _BLOCKS
    count = samples.shape[1] // size
    energies = np.square(samples[:, : count * size]).reshape(len(samples), count, size).mean(axis=2)
    if not len(samples) or (channel is not None and channel >= len(samples)):
        return np.zeros(0, np.float32)
    return np.asarray(energies.max(axis=0) if channel is None else energies[channel], np.float32)


# Other sound, or at another time


def oddities(first: _Energies, second: _Energies) -> list[OddPlace]:
    """Windows where the two go apart, the worst first, none over another. Float32 (channels, blocks) each."""
    count = first.shape[1]
    starts = range(0, max(1, count - _WINDOW + 1), _HOP) if count >= _WINDOW else ()
    levels = _decibels(first), _decibels(second)
    usual = np.array([_usual(a, b) for a, b in zip(*levels, strict=True)])
    whole = _decibels(first.sum(axis=0)), _decibels(second.sum(axis=0))
    tables = [_fits(*(one[:, start : start + _WINDOW] for one in levels)) for start in starts]
    own = np.median([np.diag(table) for table in tables], axis=0) if tables else None
    found: list[OddPlace] = []
    for start, table in zip(starts, tables, strict=True):
        cut = slice(start, start + _WINDOW)
        odd = max((
            _slip(*whole, start),
            _moved(table, own),
            *(_unlike(a[cut], b[cut], more) for a, b, more in zip(*levels, usual, strict=True)),
        ))  # fmt: skip
        if odd > 0:
            found.append(OddPlace(start / _BLOCKS, _WINDOW / _BLOCKS, odd))
    return _apart(sorted(found, key=lambda place: -place.weight))


def _apart(places: Sequence[OddPlace]) -> list[OddPlace]:
    kept: list[OddPlace] = []
    for place in places:
        if len(kept) < _MOST and all(abs(place.start - one.start) >= place.length for one in kept):
            kept.append(place)
    return kept


def _decibels(energies: _Energies) -> NDArray[np.float32]:
    """From where sound can be told from sound on; float32."""
    return np.asarray(10 * np.log10(np.maximum(energies, _SOUNDS)), np.float32)


_FLOOR = float(10 * np.log10(_SOUNDS)) + 0.01


def _usual(a: NDArray[np.float32], b: NDArray[np.float32]) -> float:
    """Decibels by which one channel is louder than the other most of the time."""
    both = (a > _FLOOR) & (b > _FLOOR)
    return float(np.median((a - b)[both])) if both.any() else 0.0


def _unlike(a: NDArray[np.float32], b: NDArray[np.float32], usual: float) -> float:
    """0 where a window of a channel goes along with the other's, else how much it does not."""
    both = (a > _FLOOR) & (b > _FLOOR)
    if both.sum() < _WINDOW // 4:
        return 0.0
    louder = abs(float(np.median((a - b)[both])) - usual)
    if min(float(a.std()), float(b.std())) > _MOVES:
        alike = float(np.corrcoef(a, b)[0, 1])
        if alike < _UNLIKE:
            return 1.0 - alike
    return louder / 40 if louder > _LEVEL else 0.0


def _fits(a: NDArray[np.float32], b: NDArray[np.float32]) -> NDArray[np.float32]:
    """How each channel of a window goes along with each of the other's, -1 to 1, in what lies between their blows:
    these fall together in all channels, and say little."""
    first, second = (np.diff(one, axis=1) for one in (a, b))
    sizes = [np.maximum(np.sqrt(np.square(one).sum(axis=1)), _HARDLY) for one in (first, second)]
    return np.asarray(first @ second.T / np.outer(*sizes), np.float32)


def _moved(table: NDArray[np.float32], usual: NDArray[np.float32] | None) -> float:
    """0 where each channel of a window goes along with its own as it usually does, and with no other better; else by
    how much it does not."""
    own, others = np.diag(table), table.copy()
    np.fill_diagonal(others, -1)
    best = others.max(axis=0)
    better = np.where((best >= _UNLIKE) & (best - own > _BETTER), best - own, 0)
    worse = np.where((usual >= _UNLIKE) & (usual - own > _WORSE), usual - own, 0) if usual is not None else 0
    return float(np.maximum(better, worse).max())


def _slip(a: NDArray[np.float32], b: NDArray[np.float32], start: int) -> float:
    """0 where a window of all channels is at its time, else by how much it fits better at another."""
    wanted = a[start : start + _WINDOW]
    low, high = max(0, start - _REACH), min(len(b), start + _WINDOW + _REACH)
    places = sliding_window_view(b[low:high], _WINDOW)
    if float(wanted.std()) <= _HARDLY:
        return 0.0
    moving = places - places.mean(axis=1, keepdims=True)
    below = np.sqrt(np.square(moving).sum(axis=1)) * float(wanted.std()) * np.sqrt(_WINDOW)
    fits = moving @ (wanted - wanted.mean()) / np.maximum(below, 1e-6)
    best, here = int(np.argmax(fits)), start - low
    gain = float(fits[best] - fits[here])
    return gain if abs(best - here) >= _SLIPPED and fits[best] >= _FITS and gain > _BETTER else 0.0
