"""The files of a place that may be half of a pair."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from ..errors import ShadowError
from ..ingest import read_source
from ..media.sequence import status


@dataclass(frozen=True)
class Found:
    """A file by its name: where it lies, its path below the place (``/`` between folders), bytes, modification time in
    nanoseconds."""

    path: Path
    name: str
    size: int
    modified: int


@dataclass(frozen=True)
class Left:
    """A file that is left alone, and why."""

    path: str
    reason: str


def files_at(
    places: Iterable[Path], going_on: Callable[[], None] = lambda: None
) -> tuple[list[Found], list[Left]]:
    """The video files of folders, and files named singly; what is not video is left alone.

    Raises ShadowError for a place that is not there, and what ``going_on`` raises to end it.
    """
    found: dict[Path, Found] = {}
    left: list[Left] = []
    for place in places:
        if place.is_dir():
            listing = read_source(place, going_on)
            for file in listing.files:
                path = file.at(place)
                if file.kind in ("video", "sequence"):
                    found.setdefault(path, Found(path, file.path, file.size, file.modified))
                else:
                    left.append(Left(str(path), f"it is {_kind(file.kind)}, not video"))
            left.extend(Left(str(place / one.path), one.reason) for one in (*listing.passed_over, *listing.unreadable))
        elif place.is_file():
            found.setdefault(place, Found(place, f"{place.parent.name}/{place.name}", *status(place)))
        else:
            raise ShadowError("is not there", place, "Check that the drive is connected and the path is right.")
    return list(found.values()), left


def _kind(kind: str) -> str:
    return {"sound": "a sound file", "still": "a still"}.get(kind, kind)
