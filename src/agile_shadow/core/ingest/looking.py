"""Looking at a file of a source before it is copied: what it is."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..errors import ShadowError
from ..jobs import Report
from ..media import MediaInfo, probe


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
