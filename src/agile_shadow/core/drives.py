"""The drives this process reads and writes: the machine's own, or stand-ins with faults for demo and tests."""

from __future__ import annotations

import importlib
import os
import shutil
from contextlib import suppress
from functools import cache
from pathlib import Path

REPLACED_BY = "AGILE_SHADOW_DRIVES"  # environment: a module whose ``drives()`` gives stand-ins


class Drives:
    """The machine's own drives. Paths are absolute, offsets and counts in bytes."""

    def reading(self, path: Path, offset: int, count: int) -> None:
        """Asked before a stretch of a file is read. Raises OSError as a drive would."""

    def writing(self, path: Path, offset: int, count: int) -> None:
        """Asked before a stretch of a file is written. Raises OSError as a drive would."""

    def free(self, folder: Path) -> int:
        """Free bytes on the drive that holds (or would hold) a folder."""
        return shutil.disk_usage(existing(folder)).free

    def identity(self, folder: Path) -> tuple[int, int]:
        """(device, inode) of a folder: another pair as soon as another drive, or none, is mounted there. Raises
        OSError."""
        status = os.stat(folder)
        return status.st_dev, status.st_ino

    def mounted(self) -> list[Path]:
        """Folders where further drives and cards are found at this moment, besides what the system knows."""
        return []


@cache
def drives() -> Drives:
    """The drives of this process."""
    name = os.environ.get(REPLACED_BY)
    if not name:
        return Drives()
    made: Drives = importlib.import_module(name).drives()
    return made


def on_one_drive(one: Path, other: Path) -> bool:
    """Whether two folders lie, or would lie, on the same file system; False where the system does not say."""
    with suppress(OSError):
        return drives().identity(existing(one))[0] == drives().identity(existing(other))[0]
    return False


def is_one_folder(one: Path, other: Path) -> bool:
    """Whether two paths lead, or would lead, to the same folder: by its name, by a link, or mounted at two places."""
    with suppress(OSError, RuntimeError):  # links in a circle
        one, other = one.resolve(), other.resolve()
        there, over_there = existing(one), existing(other)
        same = drives().identity(there) == drives().identity(over_there)
        return same and one.relative_to(there) == other.relative_to(over_there)
    return False


def existing(folder: Path) -> Path:
    """The folder, or the nearest above it that is there."""
    while not folder.exists() and folder != folder.parent:
        folder = folder.parent
    return folder
