"""Where a proxy stands still while its original moves: one of two frames next to each other shows the other.

Told by few points of each frame (:mod:`..media.telling`), it is seen where the means of cells say nothing. Files that
were packed hard stand still by themselves in places, so that it is a suspicion until the original was looked at.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_STILL = 0.3  # of the usual, at most, what a standing frame makes of its original's step
_LEAST_USUAL = 0.15  # of its original's steps: what makes less stands still everywhere, and that says nothing
_LEAST_SPREAD = 0.04
_OUT, _OUT_FOREIGN = 4.5, 3.0  # times the usual spread
_MOST_MADE, _MOST = 2, 3  # steps that are suspected; making is never this uneven
_FEWEST = 12  # steps that are known, to tell what is usual


def standing(moves: NDArray[np.float32], offset: int, made: bool) -> list[int]:
    """Frames of the original to which the proxy makes no step, the clearest first: one of them shows the one before, or
    that shows it.

    ``moves``: float32 (frames of the proxy,), how much of the original's step to each frame it makes, NaN where that
    says nothing; ``offset``: frames of the original before the proxy's first; ``made``: whether it was made here.
    """
    known = np.flatnonzero(~np.isnan(moves))
    if len(known) < _FEWEST:
        return []
    usual = float(np.median(moves[known]))
    if usual < _LEAST_USUAL:
        return []
    spread = max(_LEAST_SPREAD, 1.4826 * float(np.median(np.abs(moves[known] - usual))))
    out = (usual - moves[known]) / spread
    still = known[(moves[known] < _STILL * usual) & (out > (_OUT if made else _OUT_FOREIGN))]
    clearest = still[np.argsort(np.abs(moves[still]), kind="stable")][: _MOST_MADE if made else _MOST]
    return [int(at) + offset for at in clearest]
