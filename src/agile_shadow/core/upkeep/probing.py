"""What workers do for a list of files: what each is, or why it cannot be used."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..errors import ShadowError
from ..jobs import Report
from ..media import MediaInfo, probe


@dataclass(frozen=True)
class ProbeRequest:
    """A file to be opened."""

    path: Path


def probe_or_reason(request: ProbeRequest, report: Report) -> MediaInfo | str:
    """What a file is, or the sentence why it cannot be used: a task for a worker."""
    try:
        return probe(request.path)
    except ShadowError as error:
        return error.what
