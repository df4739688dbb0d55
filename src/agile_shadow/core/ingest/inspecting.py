"""What a source's list shows of a file before it is taken: its head, and a small picture, kept for the next time."""

from __future__ import annotations

import hashlib
import itertools
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import ShadowError
from ..files import remove_partials, written_atomically
from ..jobs import Report
from ..log import cache_folder
from ..media.brief import Brief, brief
from ..media.poster import poster
from ..media.sequence import status

_MOST = 4000  # pictures kept
_TIDY = 200  # pictures made between two tidyings
_made = itertools.count()


@dataclass(frozen=True)
class InspectRequest:
    """A file, sequence or recording; ``rate`` of a sequence; ``picture``: whether a poster is wanted."""

    path: Path
    rate: Fraction | None = None
    picture: bool = True


@dataclass(frozen=True)
class Inspection:
    """``head``: what the file says of itself, ``picture``: a JPEG; None where it cannot be read, ``problem`` why."""

    head: Brief | None = None
    picture: bytes | None = None
    problem: str = ""


def inspect(request: InspectRequest, report: Report) -> Inspection:
    """Look at a file: a task for a worker. The picture comes from the cache where one was made before."""
    try:
        head = brief(request.path, request.rate)
    except (ShadowError, OSError) as error:
        return Inspection(problem=str(error))
    report(0.5)
    picture = None
    if request.picture and head.width:
        with suppress(ShadowError, OSError):
            picture = kept_poster(request.path, request.rate)
    return Inspection(head, picture)


def kept_poster(path: Path, rate: Fraction | None = None) -> bytes:
    """The poster of a file, made once. Raises ShadowError, OSError."""
    known = poster_in_cache(path)
    if known is not None:
        return known
    made = poster(path, rate)
    file = _cached(path)
    with suppress(OSError):
        file.parent.mkdir(exist_ok=True)
        with written_atomically(file) as partial:
            partial.write_bytes(made)
        if next(_made) % _TIDY == 0:
            tidy_posters()
    return made


def poster_in_cache(path: Path) -> bytes | None:
    """The poster of a file as it is now, if one was made before. Raises OSError for a file that is not there."""
    file = _cached(path)
    try:
        return file.read_bytes()
    except OSError:
        return None


def _cached(path: Path) -> Path:
    size, modified = status(path)
    key = hashlib.sha256(f"{path}|{size}|{modified}".encode("utf-8", "surrogateescape")).hexdigest()[:32]
    return cache_folder() / "posters" / f"{key}.jpg"


def tidy_posters() -> None:
    """Keep the newest pictures only, and nothing that was left half-made."""
    with suppress(OSError):
        remove_partials(cache_folder() / "posters")
        files = sorted((cache_folder() / "posters").glob("*.jpg"), key=lambda file: file.stat().st_mtime)
        for old in files[: max(0, len(files) - _MOST)]:
            old.unlink(missing_ok=True)
