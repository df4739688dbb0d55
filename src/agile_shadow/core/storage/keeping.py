"""Whether what a shelf keeps is whole: every file read against the checksum that was recorded of it.

The records: the ASC MHL history that lies on the shelf; else what this machine noted when it read a copy back; else
what the project has of its originals; else what was noted when a proxy was made.
"""

from __future__ import annotations

import os
import time
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

from ..amounts import counted
from ..below import Anchor, Folder, folder_below
from ..errors import Cancelled, ShadowError, ShelfGone, StateError, sentence
from ..files import is_partial
from ..hashing import hash_open
from ..ingest.manifest_names import FOLDER
from ..jobs import JobStore, Report
from ..presets import CHECKSUMS
from ..project import Project
from ..proxies import made_below
from ..readings import Reading, note_readings, reading_now, readings_below
from ..shelves import MARK, Shelf

_WRITE_EVERY = 2.0  # seconds between two writings of what was read
_MOST_ADDED = 1000  # files without a record that are named
HASHED = tuple(kind for kind in CHECKSUMS if kind != "size")


@dataclass(frozen=True)
class Expected:
    """What a record says of a file: its checksum and where it is recorded, in words."""

    checksum: str
    value: str
    by: str


@dataclass(frozen=True)
class KeepRequest:
    """Read a shelf's files. ``known``: what the project says, by path below the shelf. ``begun``: seconds since 1970:
    what was read since, and is as it was, is not read again."""

    shelf: str
    name: str
    root: Path
    known: Mapping[str, tuple[str, str]]
    begun: float


@dataclass(frozen=True)
class Lost:
    """A file that is not what was recorded: ``path`` below the shelf."""

    path: str
    state: Literal["damaged", "missing", "cannot be read"]
    checksum: str
    value: str
    note: str = ""


@dataclass(frozen=True)
class KeepResult:
    """What came of it. ``equal``: files read and as recorded, ``size`` their bytes; ``before``: those among them that
    were read in an earlier part of the same run. ``added``: files that no record speaks of; ``more``: how many of them
    are not named. Times in seconds since 1970."""

    shelf: str
    root: str
    begun: float
    ended: float
    equal: int
    size: int
    before: int
    lost: tuple[Lost, ...]
    added: tuple[str, ...] = ()
    more: int = 0

    @property
    def all_well(self) -> bool:
        """Whether every file that is recorded was read and is as it was."""
        return self.equal > 0 and not self.lost

    def said(self) -> str:
        """The outcome in one line."""
        if not self.equal and not self.lost:
            return "nothing on it is recorded"
        parts = [f"{counted(self.equal, 'file')} as recorded"]
        for state in ("damaged", "missing", "cannot be read"):
            number = sum(1 for one in self.lost if one.state == state)
            parts += [f"{number} {state}"] if number else []
        number = len(self.added) + self.more
        parts += [f"{number} without a record"] if number else []
        return ", ".join(parts)

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return {**asdict(self), "all_well": self.all_well}

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> KeepResult:
        """The inverse. Raises KeyError, TypeError for what is none."""
        names = ("shelf", "root", "begun", "ended", "equal", "size", "before", "more")
        lost = tuple(Lost(**one) for one in values["lost"])
        return cls(**{name: values[name] for name in names}, lost=lost, added=tuple(values["added"]))


def keep_request(project: Project, shelf: Shelf, begun: float) -> KeepRequest:
    """With what the project knows of its originals there."""
    known = {
        clip.original.file.path: (clip.original.checksum, clip.original.checksum_value)
        for clip in project.clips
        if clip.original.file.shelf == shelf.id and clip.original.file.form == "file"
        and clip.original.checksum in HASHED and clip.original.checksum_value
    }  # fmt: skip
    return KeepRequest(shelf.id, shelf.name, shelf.root, known, begun)


def expected_on(request: KeepRequest) -> dict[str, Expected]:
    """What is recorded of each file, by path below the shelf. Raises ShadowError for a history that cannot be read."""
    root = request.root
    found = {
        path: Expected("xxh128", made.digest, "when it was made")
        for made in made_below(root) if (path := _below(root, str(made.path)))
    }  # fmt: skip
    found |= {path: Expected(kind, value, "in the project") for path, (kind, value) in request.known.items()}
    for record in JobStore().copies_below(root):
        path = _below(root, record.target)
        if path and record.checksum in HASHED and record.value:
            found[path] = Expected(record.checksum, record.value, "when it was copied")
    if (root / FOLDER).is_dir():
        from ..ingest.history import load  # its library is only needed where there is a manifest
        from ..ingest.verifying import listed_files

        for path, hashes in listed_files(load(root)).items():
            known = next(((kind, value) for kind, value in hashes if kind in HASHED), None)
            if known is not None:
                found[path] = Expected(*known, "in its ASC MHL manifest")
    return found


def _below(root: Path, path: str) -> str:
    pure = Path(path)
    if not pure.is_relative_to(root) or ".." in pure.parts:
        return ""
    return pure.relative_to(root).as_posix()


def keep_shelf(request: KeepRequest, report: Report) -> KeepResult:
    """Read every file that is recorded, and compare: a task for a worker. It goes on where an earlier try of the same
    run ended. Raises ShelfGone, ShadowError, Cancelled."""
    anchor = Anchor.of(request.root)
    expected = expected_on(request)
    run = _Keeping(request, anchor, report, {path: _size(anchor, path) for path in expected})
    for path in sorted(expected):
        run.look(path, expected[path])
    run.write()
    anchor.check()  # a drive that went in the middle leaves everything missing
    added = _added(request.root, set(expected))
    return KeepResult(
        request.shelf, str(request.root), request.begun, time.time(), run.equal, run.size, run.before,
        tuple(run.lost), tuple(added[:_MOST_ADDED]), max(0, len(added) - _MOST_ADDED),
    )  # fmt: skip


def _size(anchor: Anchor, path: str) -> int:
    try:
        return os.lstat(anchor.root / path).st_size
    except OSError:
        return 0


class _Keeping:
    def __init__(self, request: KeepRequest, anchor: Anchor, report: Report, sizes: Mapping[str, int]) -> None:
        self._request = request
        self._anchor = anchor
        self._report = report
        self._sizes = sizes
        self._whole = max(1, sum(sizes.values()))
        self._done = 0
        self._known = readings_below(anchor.root)
        self._read: list[Reading] = []
        self._written = time.monotonic()
        self.lost: list[Lost] = []
        self.equal = self.size = self.before = 0

    def look(self, path: str, expected: Expected) -> None:
        """Read one file, unless it was read in this run and is what it was."""
        place = self._anchor.root / path
        try:
            with folder_below(self._anchor, place.parent) as folder:
                state = self._compared(folder, place, expected)
        except FileNotFoundError:
            state = "missing", ""
        except (Cancelled, ShelfGone):
            self.write()
            raise
        except (OSError, ShadowError) as error:
            state = "cannot be read", sentence(error)
        if state is not None:
            self.lost.append(Lost(path, state[0], expected.checksum, expected.value, state[1]))  # type: ignore[arg-type]
        if time.monotonic() - self._written > _WRITE_EVERY:
            self.write()

    def _compared(self, folder: Folder, place: Path, expected: Expected) -> tuple[str, str] | None:
        handle = folder.open(place.name)
        try:
            status = os.fstat(handle)
            known = self._known.get(str(place))
            if known is not None and self._is_done(known, status, expected):
                self._count(status.st_size)
                self.before += 1
                self._step(status.st_size)
                return None
            value = hash_open(handle, place, expected.checksum, self._step, fresh=True)
            now = os.fstat(handle)
        finally:
            os.close(handle)
        if (now.st_size, now.st_mtime_ns) != (status.st_size, status.st_mtime_ns):
            return "cannot be read", "it changed while it was read"
        if value != expected.value:
            return "damaged", f"other bytes than recorded {expected.by}"
        self._count(status.st_size)
        stamp = (status.st_size, status.st_mtime_ns)
        self._read.append(reading_now(place, *stamp, expected.checksum, value))
        return None

    def _is_done(self, known: Reading, status: os.stat_result, expected: Expected) -> bool:
        same = (known.size, known.modified) == (status.st_size, status.st_mtime_ns)
        return known.read >= self._request.begun and same and known.value == expected.value

    def _count(self, size: int) -> None:
        self.equal += 1
        self.size += size

    def _step(self, count: int) -> None:
        self._done += count
        try:
            self._report(min(0.999, self._done / self._whole))
        except Cancelled:
            self.write()
            raise

    def write(self) -> None:
        """Keep what was read, so that another try need not."""
        with suppress(StateError):  # then it is read again
            note_readings(self._read)
        self._read, self._written = [], time.monotonic()


def _added(root: Path, known: set[str]) -> list[str]:
    found = []
    for where, folders, names in os.walk(root):
        folders[:] = [name for name in folders if name != FOLDER]
        below = os.path.relpath(where, root)
        for name in names:
            path = name if below == "." else f"{below}/{name}"
            if path not in known and name != MARK and not is_partial(name):
                found.append(path)
    return sorted(found)
