"""Second copies that are behind: what the shelf for them does not have yet, and bringing it there."""

from __future__ import annotations

import stat
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..below import Anchor
from ..ingest.copying import copy_file
from ..jobs import CopyRecord, JobStore, Report
from ..media.sequence import members
from ..project import Project
from ..readings import note_readings, reading_now
from ..shelves import Shelf
from .keeping import HASHED


@dataclass(frozen=True)
class Behind:
    """A file of an original without a second copy: from where, to where (below ``root``)."""

    source: Path
    target: Path
    root: Path
    size: int


def behind(project: Project, second: Shelf) -> list[Behind]:
    """Files on the shelves for originals that the shelf for second copies does not have. Touches drives."""
    found: list[Behind] = []
    records: dict[str, list[Path]] = {}
    store = JobStore()
    by_source: dict[str, list[str]] = {}
    for record in store.copies_below(second.root):
        by_source.setdefault(record.source, []).append(record.target)
    for shelf in project.shelves:
        if shelf.role == "originals":
            for record in store.copies_below(shelf.root):
                records.setdefault(record.target, []).extend(map(Path, by_source.get(record.source, ())))
    for path, root in _files_of(project):
        size = _length(path)
        places = [*records.get(str(path), ()), second.root / path.relative_to(root)]
        if size is not None and not any(_length(place) == size for place in places):
            found.append(Behind(path, second.root / path.relative_to(root), second.root, size))
    return found


def _files_of(project: Project) -> list[tuple[Path, Path]]:
    """Originals and sidecars with the root of their shelf; sequences by all their files."""
    found: dict[Path, Path] = {}
    for clip in project.clips:
        for file in (clip.original.file, *clip.sidecars):
            shelf, place = project.shelf(file.shelf), project.place_or_none(file)
            if shelf is None or place is None or shelf.role != "originals" or _stays(project, clip.source, place):
                continue
            with suppress(OSError):
                found |= {Path(part): shelf.root for part in members(place)}
    return list(found.items())


def _stays(project: Project, source: str, place: Path) -> bool:
    """Whether it lies on its source still: what was never copied is no copy that lacks a second one."""
    return source == str(place)


def _length(path: Path) -> int | None:
    try:
        status = path.lstat()
    except OSError:
        return None
    return status.st_size if stat.S_ISREG(status.st_mode) else None


def bring_up(one: Behind, report: Report) -> CopyRecord:
    """Make a second copy, read back: a task for a worker. Raises CopyError, ShelfGone."""
    done = 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(0.999, done / max(1, 2 * one.size)))

    store = JobStore()
    cards = [other for other in store.copies_below(one.source.parent) if other.target == str(one.source)]
    checksum = next((other.checksum for other in cards if other.checksum in HASHED), "xxh128")
    (proved,) = copy_file(one.source, (one.target,), checksum, step, (Anchor.of(one.root),))
    note_readings([reading_now(proved.path, *proved.stamp, checksum, proved.value)])
    def record(source: str, size: int, modified: int) -> CopyRecord:
        return CopyRecord(source, size, modified, str(proved.path), proved.stamp[1], checksum, proved.value)

    own = record(str(one.source), *proved.source_stamp)
    known = [record(other.source, other.size, other.source_mtime) for other in cards]
    store.remember_copies([own, *known])  # by the card that it came from as well
    return own
