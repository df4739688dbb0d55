"""A named storage place, and the only way from shelf + path to a file."""

from __future__ import annotations

import os
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path, PurePosixPath

from ..drives import drives
from ..errors import ShelfError

SECOND = "second copies"
ROLES = ("originals", "proxies", SECOND, "exports", "scratch")


@dataclass(frozen=True)
class Shelf:
    """A storage place. ``root`` is its folder on this machine; ``role`` one of ROLES.

    ``volume``: identity of the file system it lies on, ``below``: its path there; empty when that has no identity.
    ``made``: its folder was there once, so it is never made again; else the shelf is only chosen for what is to come.
    """

    id: str
    name: str
    role: str
    root: Path
    volume: str = ""
    below: str = ""
    made: bool = True

    def locate(self, relative: str) -> Path:
        """The place of a path below the shelf, by name only: touches no drive. Raises ShelfError if it leaves it."""
        if relative and relative[0] != "/" and ".." not in relative:
            place = _placed(str(self.root), relative)
            if place != self.root:
                return place
        pure = PurePosixPath(relative)
        if pure.is_absolute() or ".." in pure.parts or not pure.parts:
            raise ShelfError(
                f'"{relative}" leads outside the shelf {self.name}', None, "The project file may be damaged."
            )
        return self.root / Path(*pure.parts)

    def resolve(self, relative: str) -> Path:
        """The file at a path below the shelf. Raises ShelfError for a path that leaves it, links followed."""
        path = self.locate(relative)
        real, root = os.path.realpath(path), os.path.realpath(self.root)  # as text: of thousands of files a second
        if not real.startswith(root.rstrip(os.sep) + os.sep):
            raise ShelfError(
                f'"{relative}" leads through a link outside the shelf {self.name}', None, "Remove the link."
            )
        return path

    def is_present(self) -> bool:
        """Whether the folder is there now. Touches the drive."""
        return self.root.is_dir()


@lru_cache(maxsize=8192)  # of thousands of files while somebody waits, and of few again and again
def _placed(root: str, relative: str) -> Path:
    return Path(f"{root.rstrip('/')}/{relative}")


def place_of(path: Path, shelves: tuple[Shelf, ...]) -> tuple[Shelf, str] | None:
    """The shelf that holds a file (the deepest one) and the path below it, or None."""
    holders = [shelf for shelf in shelves if path.is_relative_to(shelf.root)]
    if not holders:
        return None
    shelf = max(holders, key=lambda candidate: len(candidate.root.parts))
    return shelf, path.relative_to(shelf.root).as_posix()


def free_room(folder: Path) -> int:
    """Free bytes on the drive that holds (or would hold) a folder."""
    return drives().free(folder)
