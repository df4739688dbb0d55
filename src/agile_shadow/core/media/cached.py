"""What is kept in the cache of a media file as it is now: under its path, its bytes and its time. All of it can be made
again, so that nothing here raises an error for what cannot be kept or read."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from ..files import written_atomically
from ..log import cache_folder
from .sequence import status

log = logging.getLogger(__name__)
_T = TypeVar("_T")


@dataclass(frozen=True)
class Cached:
    """One kind of it: ``what`` in words, its ``folder`` of the cache, ``version`` of its form."""

    what: str
    folder: str
    version: int = 1

    def place(self, path: Path, size: int, modified: int) -> Path:
        """Where it is kept of a file that has so many bytes and was changed then (nanoseconds)."""
        text = f"{self.version}\n{path.absolute()}\n{size}\n{modified}".encode("utf-8", "surrogateescape")
        return cache_folder() / self.folder / f"{hashlib.sha256(text).hexdigest()[:40]}.npz"

    def read(self, path: Path, load: Callable[[bytes], _T]) -> _T | None:
        """That of a file as it is now; None where there is none that can be read."""
        try:
            stamp = status(path)
        except OSError:
            return None
        return self.read_as(path, *stamp, load)

    def read_as(self, path: Path, size: int, modified: int, load: Callable[[bytes], _T]) -> _T | None:
        """That of a file as it was when it had so many bytes and was changed then: its drive is not touched."""
        try:
            return load(self.place(path, size, modified).read_bytes())
        except OSError:
            return None
        except Exception:  # a file of the cache that is not whole: it is taken again
            log.warning("the %s of %s cannot be read", self.what, path, exc_info=True)
            return None

    def has(self, path: Path) -> bool:
        """Whether one is kept of the file as it is now."""
        try:
            return self.place(path, *status(path)).is_file()
        except OSError:
            return False

    def keep(self, path: Path, data: bytes, size: int, modified: int) -> None:
        """Keep it under what the file was when it was opened. What cannot be kept is only taken again."""
        place = self.place(path, size, modified)
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            with written_atomically(place) as partial:
                partial.write_bytes(data)
        except OSError:
            log.warning("the %s of %s cannot be kept", self.what, path, exc_info=True)
