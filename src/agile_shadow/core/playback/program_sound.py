"""The sound of a program: from whichever file is shown."""

from __future__ import annotations

import logging
from collections import OrderedDict
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..errors import ShadowError
from ..media import SAMPLE_RATE, SoundReader
from .choice import Choice
from .program import Point, Program

log = logging.getLogger(__name__)
_OPEN = 3  # files kept open


class ProgramSound:
    """Reads stereo samples of a program by position; for one thread."""

    def __init__(self, program: Program, choice_for: Callable[[Point], Choice | None]) -> None:
        self._program = program
        self._choice_for = choice_for
        self._readers: OrderedDict[Path, SoundReader | None] = OrderedDict()

    def read(self, position: int, count: int) -> NDArray[np.float32]:
        """float32 (count, 2) from sample ``position`` of the program at 48 kHz; silence in gaps and missing files."""
        out = np.zeros((count, 2), np.float32)
        done = 0
        while done < count:
            frame = int(Fraction(position + done, SAMPLE_RATE) * self._program.rate)
            end = -(-Fraction(frame + 1) / self._program.rate * SAMPLE_RATE // 1)
            piece = max(1, min(count - done, -int(-end // 1) - (position + done)))
            point = self._program.at(frame)
            if point is not None:
                frame_start = Fraction(frame) / self._program.rate
                into = Fraction(position + done, SAMPLE_RATE) - frame_start
                out[done : done + piece] = self._piece(point, into, piece)
            done += piece
        return out

    def _piece(self, point: Point, into: Fraction, count: int) -> NDArray[np.float32]:
        choice = self._choice_for(point)
        reader = self._reader(choice.path) if choice is not None and choice.path is not None else None
        if reader is None or choice is None:
            return np.zeros((count, 2), np.float32)
        return reader.read(round((point.seconds + into - choice.lead) * SAMPLE_RATE), count)

    def _reader(self, path: Path) -> SoundReader | None:
        if path not in self._readers:
            try:
                self._readers[path] = SoundReader(path)
            except ShadowError as error:
                log.warning("sound: %s", error)
                self._readers[path] = None
            while len(self._readers) > _OPEN:
                _path, old = self._readers.popitem(last=False)
                if old is not None:
                    old.close()
        return self._readers[path]

    def close(self) -> None:
        """Let go of all files."""
        for reader in self._readers.values():
            if reader is not None:
                reader.close()
        self._readers.clear()
