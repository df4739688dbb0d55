"""What a run has proved: every copy that was read back in it, and a last look whether all of it is still as it was."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from .copying import Proved
from .writing import Stamp


class Proofs:
    """For one run; used by its thread only. ``checksum``: the preset's."""

    def __init__(self, checksum: str) -> None:
        self._checksum = checksum
        self._by_file: dict[str, tuple[Proved, ...]] = {}
        self._more: dict[str, Proved] = {}

    def put(self, path: str, proved: Sequence[Proved]) -> None:
        """The copies of a file of the source (by its path there); they take the place of those of an earlier try."""
        self._by_file[path] = tuple(proved)

    def add(self, path: str, proved: Proved) -> None:
        """A copy besides those of the source: of the finished proxy of a file."""
        self._more[path] = proved

    @property
    def more(self) -> int:
        """How many copies there are besides those of the source."""
        return len(self._more)

    def every(self) -> list[Proved]:
        """All that holds."""
        return [one for proved in self._by_file.values() for one in proved] + list(self._more.values())

    def proves(self, path: str) -> bool:
        """Whether bytes of a file's copies were read back and equal; sizes alone prove nothing."""
        return self._checksum != "size" and bool(self._by_file.get(path))

    def look_once_more(self) -> dict[str, str]:
        """Take back what does not hold any more: (path on the source: what happened). Touches drives.

        Size and time of every copy, and of its source where that can be reached, are compared with what they were when
        the copy was read back.
        """
        moved = {}
        for path, proved in list(self._by_file.items()):
            reason = next((text for one in proved if (text := _moved(one))), "")
            if reason:
                moved[path] = reason
                del self._by_file[path]
        for path, one in list(self._more.items()):
            reason = _moved(one)
            if reason:
                moved.setdefault(path, f"second copy: {reason}")
                del self._more[path]
        return moved


def _moved(one: Proved) -> str:
    if _stamp(one.path) != one.stamp:
        return f"its copy {one.path.name} is not as it was when it was read back: ingest it again"
    there = _stamp(one.source)
    if there is not None and there != one.source_stamp:
        return "it changed on the source after it was copied: ingest it again"
    return ""


def _stamp(path: Path) -> Stamp | None:
    try:
        status = os.stat(path, follow_symlinks=False)
    except OSError:
        return None
    return status.st_size, status.st_mtime_ns
