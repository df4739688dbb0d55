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
# Of 255, of the pixel that differs most: another picture for certain. Nearer ones are not told apart: what is not
# referred to may have been decoded without its loop filter while the proxy was made.
_OTHER = 32
_FLAT = 1.0  # of 255: deviation of a picture that shows nothing, as a covered lens does


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
    """``same``: to the last pixel, at so many frames; else at least one shows another picture."""

    same: bool
    frames: int


def recognise(request: RecogniseRequest, report: Report) -> Recognised | None:
    """Whether the file shows the original's pictures: one that is not flat to the last pixel, and none that is another.
    None where that cannot be told: no pictures are kept, they show nothing, the file cannot be read, or all are only
    near, as another take of a still scene is. A task for a worker."""
    wanted = request.wanted
    signature = signature_as(wanted.path, wanted.size, wanted.modified)
    if signature is None or not signature.pictures or signature.frames != request.frames:
        return None
    step = -(-len(signature.pictures) // _LOOKED_AT)
    chosen = signature.pictures[::step]
    try:
        with FrameReader(request.path, request.rate) as reader:
            apart = [_apart(reader, picture) for picture in chosen]
    except (ShadowError, IndexError):
        return None
    if max(apart) > _OTHER:
        return Recognised(False, len(chosen))
    exact = sum(not by and float(one.luma.std()) >= _FLAT for by, one in zip(apart, chosen, strict=True))
    return Recognised(True, exact) if exact else None


def _apart(reader: FrameReader, picture: SmallPicture) -> int:
    """By how much the pixel that differs most does, of 255."""
    high, wide = picture.luma.shape
    found = upright_luma(reader.frame(picture.number), wide, high, VideoReformatter())
    if found.shape != picture.luma.shape:
        return 255
    return int(np.abs(found.astype(np.int16) - picture.luma).max())
