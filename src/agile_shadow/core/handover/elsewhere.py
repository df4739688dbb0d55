"""Media that a timeline names and that are not where it says: searched for by name in folders."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from pathlib import Path, PurePosixPath, PureWindowsPath

from ..amounts import counted
from ..ingest import read_source

_KINDS = ("video", "sound", "still")


class FilesElsewhere:
    """The media files below some folders.

    A file is one that is asked for when it has its name; where none has, when it has its name with another extension.
    Of several, it is the one that lies in the same folders. Raises ShadowError for a folder that is not there,
    and what ``going_on`` raises to end it.
    """

    def __init__(self, places: Sequence[Path], going_on: Callable[[], None] = lambda: None) -> None:
        named: defaultdict[str, list[Path]] = defaultdict(list)
        files = {
            file.at(place) for place in places for file in read_source(place, going_on).files if file.kind in _KINDS
        }
        for path in files:
            name = path.name.casefold()
            named[name].append(path)
            named[f"{PurePosixPath(name).stem}.*"].append(path)
        self._named = dict(named)

    def find(self, address: str) -> Path:
        """The file for an address or a name. Raises LookupError where none is, with a sentence where several are and
        none of them more likely than the others."""
        parts = _parts(address)
        if not parts:
            raise LookupError
        named, last = self._named, PurePosixPath(parts[-1])
        found = named.get(last.name) or named.get(f"{last.name}.*") or named.get(f"{last.stem}.*") or []
        if not found:
            raise LookupError
        ranked = sorted(((_shared(path, parts), path) for path in found), reverse=True)
        if len(ranked) > 1 and ranked[0][0] == ranked[1][0]:
            raise LookupError(
                f"{parts[-1]}: {counted(len(found), 'file')} may be it, among them {ranked[1][1]} and {ranked[0][1]}."
            )
        return ranked[0][1]


def _parts(address: str) -> tuple[str, ...]:
    """Folders and name of an address as its own system writes it, without regard to case."""
    path = PureWindowsPath(address) if "\\" in address else PurePosixPath(address)
    return tuple(part.casefold() for part in path.parts if part.strip("/\\"))


def _shared(path: Path, parts: tuple[str, ...]) -> int:
    """How many folders above a file are those of the address, counted from the file."""
    own = [part.casefold() for part in path.parts[:-1]]
    count = 0
    for one, other in zip(reversed(own), reversed(parts[:-1]), strict=False):
        if one != other:
            break
        count += 1
    return count
