"""A shelf known again after its drive was mounted elsewhere or its folder renamed.

By the identity of its volume, by a mark in its folder (for shelves that were named by hand), or by files that lie in
it.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ..below import Anchor, open_ordinary
from ..errors import ShelfError, ShelfGone, from_os_error
from ..files import written_atomically
from ..media.sequence import status
from .memory import remember_root, remembered_root
from .shelf import Shelf, free_room
from .volumes import Volume, mounted_volumes, volume_of

MARK = ".agile-shadow-shelf.json"
_DEPTH = 3  # folders below a mount or the old parent that are looked into
_MARK_BYTES = 100_000  # of a mark: no more is read
_MOST = 4000  # folders looked into at the most


@dataclass(frozen=True)
class KnownFile:
    """A file that lies on a shelf: ``path`` below it, ``size`` in bytes."""

    path: str
    size: int


@dataclass(frozen=True)
class ShelfState:
    """A shelf at one moment. ``found_at``: where it is now when not at its root; ``free`` in bytes, 0 if absent."""

    shelf: Shelf
    present: bool
    found_at: Path | None = None
    free: int = 0


def mark_shelf(shelf: Shelf) -> Shelf:
    """Put the shelf's mark into its folder and note its volume. Raises ShelfError where it cannot be written.

    For shelves that are there to be written to; never for a source whose originals stay there.
    """
    try:
        shelf.root.mkdir(parents=True, exist_ok=True)
        put_mark(shelf)
        remember_root(Anchor.of(shelf.root))
    except OSError as error:
        raise from_os_error(error, shelf.root, ShelfError) from error
    return with_volume(shelf)


def put_mark(shelf: Shelf) -> None:
    """Put the shelf's mark into its folder, beside those of other shelves there. Raises OSError."""
    known = marked_ids(shelf.root)
    if shelf.id not in known:
        with written_atomically(shelf.root / MARK) as partial:
            partial.write_text(json.dumps({"shelves": sorted({*known, shelf.id})}) + "\n", encoding="utf-8")


def with_volume(shelf: Shelf, volumes: Sequence[Volume] | None = None) -> Shelf:
    """The shelf with the identity of the volume it lies on now."""
    identity, below = volume_of(shelf.root, mounted_volumes() if volumes is None else volumes)
    return replace(shelf, volume=identity, below=below)


def marked_ids(folder: Path) -> set[str]:
    """Identities of the shelves whose mark lies in a folder; empty when there is none or it cannot be read."""
    try:
        with os.fdopen(open_ordinary(folder / MARK), "rb") as file:
            values = json.loads(file.read(_MARK_BYTES))
        return {str(identity) for identity in values["shelves"]}
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return set()


def look_at(shelf: Shelf, volumes: Sequence[Volume] | None = None, files: Sequence[KnownFile] = ()) -> ShelfState:
    """Whether a shelf is there, or where it is now; ``files``: some that lie on it. Touches drives."""
    volumes = mounted_volumes() if volumes is None else volumes
    if shelf.is_present() and is_shelf(shelf, volumes, files):
        return ShelfState(shelf, True, None, free_room(shelf.root))
    found = find_again(shelf, volumes, files)
    return ShelfState(shelf, False, found, free_room(found) if found is not None else 0)


def is_shelf(shelf: Shelf, volumes: Sequence[Volume], files: Sequence[KnownFile] = ()) -> bool:
    """Whether the folder at a shelf's root is that shelf: not another drive mounted there, nor the empty folder that an
    unmounted one leaves. Raises StateError.

    Its mark settles it; else the drive that this machine remembers, the identity of its volume, files that lie there.
    """
    marks = marked_ids(shelf.root)
    if shelf.id in marks:
        return True
    try:
        anchor = Anchor.of(shelf.root)
    except ShelfGone:
        return False
    memory = remembered_root(shelf.root)
    if memory is not None:
        return memory.same_drive(anchor) or (memory.inode == anchor.inode and _same_volume(shelf, volumes))
    if marks:
        return bool(files) and _holds(shelf.root, files)
    identity, _below = volume_of(shelf.root, volumes)
    return not identity or not shelf.volume or identity == shelf.volume


def _same_volume(shelf: Shelf, volumes: Sequence[Volume]) -> bool:
    identity, _below = volume_of(shelf.root, volumes)
    return bool(identity) and identity == shelf.volume


def find_again(shelf: Shelf, volumes: Sequence[Volume], files: Sequence[KnownFile] = ()) -> Path | None:
    """Where a shelf is now; None when not found.

    The same path on its volume; else the folder that bears its mark; else one that holds all of ``files``.
    """
    for volume in volumes:
        place = volume.mounted_at / shelf.below
        if shelf.volume and volume.identity == shelf.volume and place.is_dir() and place != shelf.root:
            marks = marked_ids(place)
            if not marks or shelf.id in marks:
                return place
    for folder in _folders_near(shelf, volumes):
        if folder == shelf.root:
            continue
        marks = marked_ids(folder)
        if shelf.id in marks or (not marks and files and _holds(folder, files)):
            return folder
    return None


def _holds(folder: Path, files: Sequence[KnownFile]) -> bool:
    try:
        return all(status(folder / file.path)[0] == file.size for file in files)
    except OSError:
        return False


def _folders_near(shelf: Shelf, volumes: Sequence[Volume]) -> Iterable[Path]:
    """Folders of mounted drives and round the old place, the near ones first."""
    starts = [parent for parent in shelf.root.parents if parent != parent.parent and parent.is_dir()][:2]
    starts += [volume.mounted_at for volume in volumes if volume.mounted_at != Path("/")]
    seen: set[Path] = set()
    for start in starts:
        level = [start]
        for _ in range(_DEPTH):
            level = [folder for parent in level for folder in _children(parent) if folder not in seen]
            if len(seen) > _MOST:
                return
            seen.update(level)
            yield from level


def _children(folder: Path) -> list[Path]:
    try:
        with os.scandir(folder) as entries:
            return [
                Path(entry.path)
                for entry in entries
                if not entry.name.startswith(".") and entry.is_dir(follow_symlinks=False)
            ]
    except OSError:
        return []
