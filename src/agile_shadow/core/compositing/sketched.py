"""Pictures of files from their sketches, at hand at once: until the frame that was asked for is decoded."""

from __future__ import annotations

import time
from collections import OrderedDict
from pathlib import Path

import numpy as np

from ..late import cv2
from ..media.sketch import Sketch, kept_sketch
from .colours import Pixels

_KEPT = 8  # files
_AGAIN = 2.0  # seconds after which a file without a sketch is looked for again
_QUICK = 0.15  # seconds for a leap to a frame from which on it is worth while
_NEXT = 2  # frames ahead that need no leap


class Sketches:
    """For one thread. Knows how long leaps in files take, for a file that is quick needs no sketch."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Path, tuple[Sketch | None, float]] = OrderedDict()
        self._leaps: dict[Path, float] = {}

    def tell(self, path: Path, steps: int, seconds: float) -> None:
        """A frame that lies ``steps`` after the one before took so long."""
        if not 0 <= steps <= _NEXT:
            self._leaps[path] = max(seconds, 0.8 * self._leaps.get(path, 0.0))

    def wanted(self, path: Path, steps: int | None) -> bool:
        """Whether a frame of a file is worth waiting for with something else to be seen; ``steps``: how far after the
        last one it lies, None where the file is not open."""
        return (steps is None or not 0 <= steps <= _NEXT) and self._leaps.get(path, 2 * _QUICK) >= _QUICK

    def picture(self, path: Path, seconds: float) -> Pixels | None:
        """uint8 (height, width, 4) B G R A of the last key frame at or before a moment; None without a sketch."""
        sketch = self._sketch(path)
        if sketch is None:
            return None
        packed = np.frombuffer(sketch.pictures[sketch.number_at(seconds)], np.uint8)
        found = cv2.imdecode(packed, cv2.IMREAD_COLOR)
        return cv2.cvtColor(found, cv2.COLOR_BGR2BGRA) if found is not None else None

    def _sketch(self, path: Path) -> Sketch | None:
        known = self._kept.get(path)
        if known is None or (known[0] is None and time.monotonic() - known[1] > _AGAIN):
            known = self._kept[path] = (kept_sketch(path), time.monotonic())
        self._kept.move_to_end(path)
        while len(self._kept) > _KEPT:
            self._kept.popitem(last=False)
        return known[0]
