"""The second copy of a finished proxy."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..below import Anchor
from ..jobs import Report
from .copying import Proved, copy_file


@dataclass(frozen=True)
class SecondCopy:
    """A finished file, the place of its copy below the root of a shelf, and how it is proved."""

    source: Path
    target: Path
    checksum: str
    anchor: Anchor


def copy_again(request: SecondCopy, report: Report) -> Proved:
    """Copy and prove it: a task for a worker. Raises CopyError."""
    total, done = max(1, 2 * request.source.stat().st_size), 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(1.0, done / total))

    (proved,) = copy_file(request.source, (request.target,), request.checksum, step, (request.anchor,))
    return proved
