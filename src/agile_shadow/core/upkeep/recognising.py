"""Whether a file shows what a missing original showed, by the small pictures that were kept when its proxy was made."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from av.video.reformatter import VideoReformatter

from ..errors import ShadowError
from ..jobs import Report
from ..media.frames import FrameReader
from ..media.likeness import upright_luma
from ..media.signature import SmallPicture, signature_as

_LOOKED_AT = 4  # frames: one of a heavy original takes seconds
_STRAYS = 2  # of 255: another version of the scaler may round otherwise


@dataclass(frozen=True)
class Wanted:
    """An original as the project knows it: where it was, its bytes, when it was changed (nanoseconds)."""

    path: Path
    size: int
    modified: int


@dataclass(frozen=True)
class RecogniseRequest:
    """A file that has the size and data of a missing original. ``frames``: how many both have; ``rate``: of a numbered
    sequence."""

    wanted: Wanted
    path: Path
    frames: int
    rate: Fraction | None = None


@dataclass(frozen=True)
class Recognised:
    """``same``: the same picture at all frames that were looked at, of which there are so many."""

    same: bool
    frames: int


def recognise(request: RecogniseRequest, report: Report) -> Recognised | None:
    """Whether the file shows the original's pictures; None where none are kept or it cannot be read. A task for a
    worker. The same bytes give the same pixels, so what differs by more than a scaler's rounding is another file."""
    wanted = request.wanted
    signature = signature_as(wanted.path, wanted.size, wanted.modified)
    if signature is None or not signature.pictures or signature.frames != request.frames:
        return None
    step = -(-len(signature.pictures) // _LOOKED_AT)
    chosen = signature.pictures[::step]
    try:
        with FrameReader(request.path, request.rate) as reader:
            same = all(_shows(reader, picture) for picture in chosen)
    except (ShadowError, IndexError):
        return None
    return Recognised(same, len(chosen))


def _shows(reader: FrameReader, picture: SmallPicture) -> bool:
    high, wide = picture.luma.shape
    found = upright_luma(reader.frame(picture.number), wide, high, VideoReformatter())
    apart = np.abs(found.astype(np.int16) - picture.luma) if found.shape == picture.luma.shape else np.array(255)
    return int(apart.max()) <= _STRAYS
