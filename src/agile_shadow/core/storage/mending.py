"""A lost file put in its place again from a copy that is whole; a damaged one stays beside it."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..below import Anchor, Folder, folder_below
from ..errors import CopyError, ShadowError, StateError, from_os_error
from ..files import fitting_name, rename_new_at
from ..hashing import hash_file, hash_open
from ..ingest.copying import copy_file
from ..jobs import JobStore, Report
from ..project import Project
from ..readings import note_readings, reading_now
from ..shelves import SECOND, Shelf
from .keeping import Lost


@dataclass(frozen=True)
class IntactFile:
    """Another file with the recorded bytes, read just now: ``shelf``: the name of where it lies."""

    path: Path
    shelf: str


def find_whole(project: Project, lost: Lost, home: Shelf) -> IntactFile | None:
    """A second copy of a lost file, or the original of a lost second copy, that has the bytes. Reads it."""
    own = home.root / lost.path
    for place, shelf in _candidates(project, lost, own):
        with suppress(OSError, ShadowError):
            with folder_below(Anchor.of(shelf.root), place.parent) as folder:
                handle = folder.open(place.name)
            try:
                if hash_open(handle, place, lost.checksum, fresh=True) == lost.value:
                    return IntactFile(place, shelf.name)
            finally:
                os.close(handle)
    return None


def _candidates(project: Project, lost: Lost, own: Path) -> Iterable[tuple[Path, Shelf]]:
    for shelf in project.shelves:
        if shelf.role in ("originals", SECOND):
            for record in JobStore().copies_below(shelf.root):
                if record.value == lost.value and Path(record.target) != own:
                    yield Path(record.target), shelf
            with suppress(ShadowError):
                if (place := shelf.locate(lost.path)) != own:
                    yield place, shelf


@dataclass(frozen=True)
class PutBackRequest:
    """Put a whole copy in the place of a lost file on a shelf."""

    root: Path
    lost: Lost
    source: Path


def put_back(request: PutBackRequest, report: Report) -> Path | None:
    """Copy it there, read back: a task for a worker. A damaged file stays beside it under a name that says so, which is
    the answer. Raises CopyError, ShelfGone; then everything is as it was."""
    anchor, lost = Anchor.of(request.root), request.lost
    place = request.root / lost.path
    size = request.source.stat().st_size
    done = 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(0.999, done / max(1, 3 * size)))

    if hash_file(request.source, lost.checksum, step, fresh=True) != lost.value:
        raise CopyError("does not have the recorded bytes any more", request.source, "Read that shelf too.")
    aside: Path | None = None
    try:
        with folder_below(anchor, place.parent, make=True) as folder:
            status = folder.status(place.name)
            if status is not None:
                if not stat.S_ISREG(status.st_mode):
                    raise CopyError("something else is there", place, "Check the file.")
                if _hashed(folder, place, lost.checksum) == lost.value:
                    raise CopyError("is whole now", place, "Read the shelf again.")
                aside = place.with_name(_aside_name(place))
                rename_new_at(folder.handle, place.name, folder.handle, aside.name)
    except OSError as error:
        raise from_os_error(error, place, CopyError) from error
    try:
        (copied,) = copy_file(request.source, (place,), lost.checksum, step, (anchor,))
        if copied.path != place or copied.value != lost.value:
            raise CopyError("another file took its place meanwhile", place, "Check what is there.")
    except BaseException:
        if aside is not None:
            _back(anchor, aside, place)
        raise
    with suppress(StateError):
        now = place.stat()
        note_readings([reading_now(place, now.st_size, now.st_mtime_ns, lost.checksum, lost.value)])
    return aside


def _hashed(folder: Folder, place: Path, checksum: str) -> str:
    try:
        handle = folder.open(place.name)
        try:
            return hash_open(handle, place, checksum, fresh=True)
        finally:
            os.close(handle)
    except OSError:
        return ""  # what cannot be read is damaged


def _aside_name(place: Path) -> str:
    return fitting_name(f"{place.stem} (damaged {time.strftime('%Y-%m-%d %H%M%S')})", place.suffix)


def _back(anchor: Anchor, aside: Path, place: Path) -> None:
    with suppress(OSError, ShadowError), folder_below(anchor, place.parent) as folder:
        rename_new_at(folder.handle, aside.name, folder.handle, place.name)
