"""The points of a frame that tell it from the one before, in some seventy bytes: where most changed, and both values.

Where a proxy stands still at these points while its original moves, one of its two frames shows its neighbour. That is
seen also where so little moves that the means of large cells do not tell it.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from .likeness import upright_luma

Fine = NDArray[np.uint8]  # (FINE_HIGH, FINE_WIDE): brightness of an upright picture
Points = NDArray[np.uint16]  # (frames, POINTS, 2)

FINE_WIDE, FINE_HIGH = 128, 72
POINTS = 24
_LEAST_STEP = 2  # levels: what says nothing
_FEWEST = 4  # points that must have changed
_MOST = 0.7  # the part of the points, by how much they changed, that must stand still


def fine_of(frame: VideoFrame, reformatter: VideoReformatter | None = None) -> Fine:
    """A frame at the size that points are counted in."""
    return np.ascontiguousarray(upright_luma(frame, FINE_WIDE, FINE_HIGH, reformatter))


def points_of(before: Fine | None, now: Fine) -> Points:
    """uint16 (POINTS, 2): where a frame differs most from the one before, ascending (row * FINE_WIDE + column), and the
    two values, of before times 256 and of now. Without one before: nothing that changed."""
    after = now.ravel()
    former = after if before is None else before.ravel()
    step = np.abs(after.astype(np.int16) - former)
    where = np.sort(np.argpartition(step, -POINTS)[-POINTS:])
    values = former[where].astype(np.uint16) << 8 | after[where]
    return np.stack([where.astype(np.uint16), values], axis=1)


def packed_points(points: Sequence[Points]) -> bytes:
    """For keeping: places as steps from one to the next, low bytes apart from high ones, values apart from both."""
    every = np.stack(points)
    where = np.diff(every[:, :, 0], axis=1, prepend=np.uint16(0))
    halves = [np.ascontiguousarray(part).view(np.uint8).reshape(-1, 2).T for part in (where, every[:, :, 1])]
    return zlib.compress(np.concatenate(halves).tobytes(), 2)


def unpacked_points(piece: bytes) -> Points:
    """The inverse of :func:`packed_points`: uint16 (frames, POINTS, 2). Raises ValueError, zlib.error."""
    halves = np.frombuffer(zlib.decompress(piece), np.uint8).reshape(2, 2, -1)
    both = [np.ascontiguousarray(part.T).view(np.uint16).reshape(-1, POINTS) for part in halves]
    where = np.cumsum(both[0], axis=1, dtype=np.uint16)
    if where.size and int(where.max()) >= FINE_WIDE * FINE_HIGH:
        raise ValueError("points outside the picture")
    return np.stack([where, both[1]], axis=2)


def moved(points: Points, before: Fine, now: Fine) -> float:
    """How much of the original's step to a frame its proxy makes at the points (uint16 (POINTS, 2)) that tell the two
    apart: 0 where it stands still there, 1 where it moves as the original does. NaN where too little changed to say."""
    former, after = (points[:, 1] >> 8).astype(np.int16), (points[:, 1] & 255).astype(np.int16)
    step = after - former
    told = np.abs(step) >= _LEAST_STEP
    if int(told.sum()) < _FEWEST:
        return float("nan")
    where, step = points[told, 0], step[told]
    made = (now.ravel()[where].astype(np.int16) - before.ravel()[where]) / step
    order = np.argsort(made)
    weights = np.cumsum(np.abs(step[order]))
    return float(made[order][np.searchsorted(weights, _MOST * weights[-1])])
