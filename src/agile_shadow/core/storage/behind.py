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
    """Files on the shelves for originals that the shelf for second copies does not have: those of clips, and whatever
    else was copied from the project's sources. Touches drives."""
    store = JobStore()
    there: dict[str, list[Path]] = {}
    for record in store.copies_below(second.root):
        there.setdefault(record.source, []).append(Path(record.target))
    files = dict(_files_of(project))
    copied: dict[str, list[Path]] = {}
    sources = [Path(str(one["source"])) for one in project.reports if isinstance(one.get("source"), str)]
    for shelf in project.shelves:
        for record in store.copies_below(shelf.root) if shelf.role == "originals" else ():
            copied.setdefault(record.target, []).extend(there.get(record.source, ()))
            if any(Path(record.source).is_relative_to(source) for source in sources):
                files.setdefault(Path(record.target), shelf.root)
    found: list[Behind] = []
    for path, root in files.items():
        size, place = _length(path), second.root / path.relative_to(root)
        if size is not None and not any(_length(one) == size for one in (*copied.get(str(path), ()), place)):
            found.append(Behind(path, place, second.root, size))
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
