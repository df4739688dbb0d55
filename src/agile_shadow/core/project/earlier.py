"""Earlier saves of a project file, kept beside it."""

from __future__ import annotations

import time
from pathlib import Path

from ..files import written_atomically

_KEEP = 10  # earlier saves
_KEEP_EVERY = 300.0  # seconds between two that are kept


def earlier_saves(path: Path) -> list[Path]:
    """Kept earlier saves of a project file, oldest first."""
    return sorted(earlier_folder(path).glob("*.otio"))


def earlier_folder(path: Path) -> Path:
    """Where earlier saves of a project file are kept."""
    return path.with_name(f"{path.stem} - earlier saves")


def keep_earlier(path: Path) -> None:
    """Keep an earlier save where the last one that was kept is old enough. Raises OSError."""
    if not path.exists():
        return
    kept = earlier_saves(path)
    if kept and time.time() - kept[-1].stat().st_mtime < _KEEP_EVERY:
        return
    keep_aside(path)
    for old in kept[: max(0, len(kept) + 1 - _KEEP)]:
        old.unlink(missing_ok=True)


def keep_aside(path: Path) -> None:
    """Copy a project file into the folder of its earlier saves. Raises OSError."""
    folder = earlier_folder(path)
    folder.mkdir(exist_ok=True)
    with written_atomically(folder / time.strftime("%Y-%m-%d %H-%M-%S.otio")) as partial:
        partial.write_bytes(path.read_bytes())
