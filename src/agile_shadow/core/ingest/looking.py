"""Looking at a file of a source before it is copied: what it is, and whether the project holds it already."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import CopyError, ShadowError, from_os_error
from ..jobs import Report
from ..media import MediaInfo, probe
from .copying import checksum_of


@dataclass(frozen=True)
class LookRequest:
    """A file or sequence on the source."""

    path: Path
    rate: Fraction | None = None


@dataclass(frozen=True)
class Look:
    """What the file is; None when it cannot be played (the copying tells why)."""

    info: MediaInfo | None


def look(request: LookRequest, report: Report) -> Look:
    """Probe a file where it lies: a task for a worker."""
    try:
        return Look(probe(request.path, request.rate))
    except ShadowError:
        return Look(None)


@dataclass(frozen=True)
class Identity:
    """A clip of the project and its original's checksum."""

    clip: str
    checksum: str
    value: str


@dataclass(frozen=True)
class IdentifyRequest:
    """The files of one clip on the source, and the clips it may be by its size."""

    files: tuple[Path, ...]
    alike: tuple[Identity, ...]


def identify(request: IdentifyRequest, report: Report) -> str:
    """The clip whose original has the same bytes, or an empty text: a task for a worker. Raises CopyError."""
    values: dict[str, str] = {}
    total = sum(path.stat().st_size for path in request.files) or 1
    done = 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(1.0, done / total))

    for known in request.alike:
        try:
            value = values.get(known.checksum) or checksum_of(request.files, known.checksum, step)
        except OSError as error:
            raise from_os_error(error, error.filename or request.files[0], CopyError) from error
        values[known.checksum] = value
        if value == known.value:
            return known.clip
    return ""
