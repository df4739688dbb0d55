"""Entering the root of a shelf to write there: made the first time, never again, and never another drive's folder."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from contextlib import suppress
from pathlib import Path

from ..below import Anchor, folder_below
from ..errors import ShadowError, ShelfError, ShelfGone, StateError, from_os_error
from .finding import KnownFile, is_shelf, put_mark
from .library import user_shelves
from .memory import RootMemory, remember_root, remembered_root
from .shelf import Shelf
from .volumes import mounted_volumes

log = logging.getLogger(__name__)


def open_root(root: Path, shelves: Iterable[Shelf] = (), files: Sequence[KnownFile] = ()) -> Anchor:
    """The root of a shelf that is to be written to, made where nobody knows it yet.

    ``shelves``: those of the project; ``files``: some that lie there. Raises ShelfGone for one whose drive is away,
    ShelfError for no place at all, ShadowError.
    """
    if not root.is_absolute():
        raise ShelfError("no folder was named", None, "Name the folder of each shelf.")
    shelf = known_shelf(root, shelves)
    if not root.exists():
        memory = remembered_root(root)
        if (shelf is not None and shelf.made) or (memory is not None and not _drive_is_there(memory, root)):
            raise away(root)
        try:
            root.mkdir(parents=True, exist_ok=True)  # another run may make it at the same moment
        except OSError as error:
            raise from_os_error(error, root, ShelfError) from error
    elif shelf is not None and not is_shelf(shelf, mounted_volumes(), files):
        raise away(root)
    return Anchor.of(root)


def _drive_is_there(memory: RootMemory, root: Path) -> bool:
    """Whether the drive of a root that no project names any more is mounted where it was: only the folder is gone."""
    above = next(folder for folder in root.parents if folder.exists())
    return memory.same_drive(Anchor.of(above))


def open_again(root: Path, shelves: Iterable[Shelf], files: Sequence[KnownFile] = ()) -> Anchor:
    """A root whose drive has come again, maybe under another number. Raises ShelfGone while it is away."""
    anchor = Anchor.of(root)
    shelf = known_shelf(root, shelves)
    if shelf is None or not is_shelf(shelf, mounted_volumes(), files):
        raise away(root)
    return anchor


def known_shelf(root: Path, shelves: Iterable[Shelf]) -> Shelf | None:
    """The shelf at a root: one of these, else one of the user's."""
    found = next((shelf for shelf in shelves if shelf.root == root), None)
    if found is None:
        with suppress(ShadowError):  # a list of shelves that cannot be read is told where it is asked for
            found = next((shelf for shelf in user_shelves() if shelf.root == root), None)
    return found


def put_mark_and_remember(shelf: Shelf, anchor: Anchor) -> None:
    """So that an empty folder is never taken for the shelf; a drive that holds no mark is known by its numbers alone.

    Raises ShelfGone.
    """
    try:
        with folder_below(anchor, anchor.root):
            put_mark(shelf)
        remember_root(anchor)
    except (OSError, StateError):
        log.warning("%s gets no mark", shelf.root, exc_info=True)


def away(root: Path) -> ShelfGone:
    """The error for a shelf that is not there."""
    return ShelfGone(
        "this shelf is not there: its drive is away, or another one is in its place", root,
        "Connect its drive. If you removed the folder yourself, make it again or choose another.",
    )  # fmt: skip
