"""One file of a pair, as it is opened for looking at it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..media import FrameReader, MediaInfo, ProgressiveReader, open_reader

Reader = FrameReader | ProgressiveReader


@dataclass(frozen=True)
class Half:
    """One file of a pair: where it lies and what it is."""

    path: Path
    info: MediaInfo

    def open(self) -> Reader:
        """A reader of its upright progressive frames. Raises MediaError."""
        return open_reader(self.path, self.info.interlaced, self.info.sequence_rate)
