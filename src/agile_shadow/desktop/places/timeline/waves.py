"""Images of sound waves as blocks show them, kept from one drawing to the next: most of them are the same."""

from __future__ import annotations

from collections import OrderedDict
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage

from ....core.media.peaks import PER_SECOND, Peaks

_INK = 0xB00B0C10  # dark, premultiplied
_KEPT = 256  # images, mostly below 100 kB


class WavePart(NamedTuple):
    """What of a wave is drawn: from ``begin`` on (seconds), ``step`` seconds a pixel, at a gain in dB, so many pixels
    wide and high from the middle."""

    begin: float
    step: float
    gain: float
    width: int
    half: int


class WaveImages:
    """The last ones. For the interface thread."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, WavePart], tuple[Peaks, QImage]] = OrderedDict()

    def of(self, wave: Peaks, stretch: WavePart) -> QImage:
        """``stretch.width`` pixels wide, twice ``half`` high; clear where there is no wave."""
        key = (id(wave), stretch)
        known = self._kept.get(key)
        if known is None or known[0] is not wave:
            known = self._kept[key] = (wave, drawn(wave, stretch))
            if len(self._kept) > _KEPT:
                self._kept.popitem(last=False)
        self._kept.move_to_end(key)
        return known[1]


def drawn(wave: Peaks, stretch: WavePart) -> QImage:
    """The peaks, filled, a column for every pixel."""
    tall = _heights(wave, stretch)
    away = np.abs(np.arange(2 * stretch.half) - stretch.half + 0.5)  # filled from the middle to both sides
    inked = away[:, None] <= tall[None, :]
    pixels = np.where(inked, np.uint32(_INK), np.uint32(0))
    wide, high = stretch.width, 2 * stretch.half
    return QImage(pixels.tobytes(), wide, high, 4 * wide, QImage.Format.Format_ARGB32_Premultiplied).copy()


def _heights(wave: Peaks, stretch: WavePart) -> NDArray[np.float64]:
    seconds = stretch.begin + np.arange(stretch.width) * stretch.step
    numbers = (seconds * PER_SECOND).astype(np.int64)
    span = max(1, int(abs(stretch.step) * PER_SECOND))
    loud = np.zeros(len(numbers))
    for number in range(0, span, max(1, span // 8)):
        loud = np.maximum(loud, wave[np.clip(numbers + number, 0, len(wave) - 1)])
    heights: NDArray[np.float64] = np.minimum(1.0, loud / 255 * 10 ** (stretch.gain / 20)) ** 0.6 * stretch.half
    return np.maximum(0.5, heights)
