"""Drawn sound."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_RATE = 48_000
_TONE = 220.0  # hertz of the first channel's clunk; each further channel is a fifth higher
_LENGTH = 0.25  # seconds


def clunks(position: int, count: int, channel: int, beat: float) -> NDArray[np.float32]:
    """float32 array (count,) from sample ``position`` at 48 kHz: a dying tone every ``beat`` seconds, over a hush."""
    samples = position + np.arange(count)
    within = samples % round(beat * _RATE) / _RATE
    tone = np.sin(2 * np.pi * _TONE * 1.5**channel * within) * np.exp(-within * 18) * (within < _LENGTH)
    hush = np.sin(samples * 12.9898 + channel) * 43758.5453 % 1 - 0.5
    wave: NDArray[np.float32] = (0.5 * tone + 0.004 * hush).astype(np.float32)
    return wave
