"""The drives this process reads and writes: the machine's own, or stand-ins with faults for demo and tests."""

from __future__ import annotations

import importlib
import os
import shutil
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
        existing = folder
        while not existing.exists() and existing != existing.parent:
            existing = existing.parent
        return shutil.disk_usage(existing).free

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
