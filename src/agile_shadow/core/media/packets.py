"""One pass over the packets of a file, decoding nothing: what is there, to be set against what its header says."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from ..errors import MediaError
from .opening import open_media

_GAP = Fraction(1, 50)  # seconds without sound that are told
_MOST_GAPS = 1000


@dataclass(frozen=True)
class Gap:
    """A stretch of a sound stream without packets: seconds of the file's own time, and how long it lasts."""

    at: Fraction
    length: Fraction


@dataclass(frozen=True, eq=False)
class Packets:
    """Of the picture's packets in the order they lie in the file: ``times`` (ticks), ``keys`` and ``shown``.

    ``end``: seconds of the file's own time where the last packet of any stream ends. ``gaps`` of the sound.
    ``damaged``: packets that the container itself says are not whole.
    """

    times: NDArray[np.int64]
    keys: NDArray[np.bool_]
    shown: NDArray[np.bool_]
    end: Fraction
    gaps: tuple[Gap, ...]
    damaged: int


def packets_of(path: Path, picture: int) -> Packets:
    """The packets of a file; ``picture``: index of its video stream, -1 without one. Raises MediaError, OSError.

    A file that did not change is not read a second time at once.
    """
    status = path.stat()
    return _read(path, picture, status.st_size, status.st_mtime_ns)


@lru_cache(maxsize=2)
def _read(path: Path, picture: int, _size: int, _modified: int) -> Packets:
    rows: list[tuple[int, bool, bool]] = []
    ends: dict[int, Fraction] = defaultdict(Fraction)
    gaps: list[Gap] = []
    damaged = 0
    try:
        with open_media(path) as container:
            sounds = {stream.index for stream in container.streams.audio}
            for packet in container.demux():
                if not packet.size:
                    continue
                number, begin = packet.stream.index, packet.pts
                damaged += packet.is_corrupt and number in (*sounds, picture)
                if begin is None or packet.time_base is None:
                    continue
                if number == picture:
                    rows.append((begin, packet.is_keyframe, not packet.is_discard))
                seconds = begin * Fraction(packet.time_base)
                before = ends.get(number)
                if number in sounds and before is not None and seconds - before > _GAP and len(gaps) < _MOST_GAPS:
                    gaps.append(Gap(before, seconds - before))
                ends[number] = max(ends[number], seconds + (packet.duration or 0) * Fraction(packet.time_base))
    except (av.error.FFmpegError, OSError) as error:
        raise MediaError("breaks off while it is read", path, "Copy it again from the card if you can.") from error
    columns = np.array(rows, np.int64).reshape(-1, 3)
    times, keys, shown = columns[:, 0], columns[:, 1].astype(np.bool_), columns[:, 2].astype(np.bool_)
    return Packets(times, keys, shown, max(ends.values(), default=Fraction(0)), tuple(gaps), damaged)
