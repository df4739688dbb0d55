"""Clip and frame number as a strip of light and dark cells along the top of a drawn picture."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray

CELLS = 24  # light, dark, 6 bits of the clip, 14 bits of the frame, parity, light
STRIP_HEIGHT = 30  # the strip takes one part in so many of the picture's height
_CLIP_BITS, _FRAME_BITS = 6, 14


def cells_for(clip: int, frame: int) -> list[bool]:
    """The cells from left to right for a clip number (0 to 63) and a frame number (0 to 16383)."""
    bits = [bool(clip >> i & 1) for i in reversed(range(_CLIP_BITS))]
    bits += [bool(frame >> i & 1) for i in reversed(range(_FRAME_BITS))]
    return [True, False, *bits, sum(bits) % 2 == 1, True]


def strip_height(height: int) -> int:
    """Pixels of the strip in a picture of that height, even."""
    return max(4, height // STRIP_HEIGHT // 2 * 2)


def read_code(luma: NDArray[np.generic]) -> tuple[int, int] | None:
    """(clip, frame) read from the pixels of an upright picture: array (height, width) of any brightness scale.

    None when there is no valid strip.
    """
    height, width = luma.shape
    rows = max(2, height // STRIP_HEIGHT)
    band = luma[rows // 4 : max(rows // 4 + 1, rows * 3 // 4)].astype(np.float64)
    edges = np.linspace(0, width, CELLS + 1)
    inset = width / CELLS / 4
    means = [float(band[:, int(a + inset) : max(int(a + inset) + 1, int(b - inset))].mean())
             for a, b in itertools.pairwise(edges)]  # fmt: skip
    light, dark = (means[0] + means[-1]) / 2, means[1]
    if light - dark < 0.2 * max(light, 1e-9):
        return None
    bits = [mean > (light + dark) / 2 for mean in means]
    clip = _number(bits[2 : 2 + _CLIP_BITS])
    frame = _number(bits[2 + _CLIP_BITS : 2 + _CLIP_BITS + _FRAME_BITS])
    return (clip, frame) if bits == cells_for(clip, frame) else None


def _number(bits: list[bool]) -> int:
    return sum(1 << i for i, bit in enumerate(reversed(bits)) if bit)
