"""What takes room on a shelf: every file counted once, in the kind that it is, down to folders and clips.

``room`` is what a file takes on its drive (blocks, stat(2)), not its length: the sum is that of ``du -x``. Links are
counted as what they are and never followed; other drives mounted below are not entered.
"""

from __future__ import annotations

import heapq
import os
import stat
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..below import Anchor
from ..errors import ShelfGone
from ..files import is_partial
from ..jobs import Report
from ..project import other_projects
from ..project.guarding import Identity
from ..shelves import MARK
from .claims import Claim, RoomKind, claims_of, look_at_claims
from .records import Recorded, recorded_below

_BLOCK = 512  # bytes that stat(2) counts in
_SHOWN = 60  # things in a folder that are shown singly; the rest together
_KEPT = 1000  # files of a folder that are all kept until the end
_DEEPEST = 120  # folders within folders that are entered: each is held open
_LEAST = 4000  # parts of the whole: what is smaller is shown with the rest of its folder
CERTIFICATE = ".certificate.json"


@dataclass(frozen=True)
class Area:
    """A folder or a file: ``room`` in bytes of all in it, ``kinds`` how much of it is of what kind, ``files`` how many.

    ``kind``: of a file; "" for a folder. ``clip``: the clip that a file belongs to. ``inner``: the largest things in a
    folder, largest first; ``rest`` (how many, bytes): those in it that are not among them.
    """

    name: str
    room: int
    files: int
    kinds: Mapping[RoomKind, int]
    kind: RoomKind | None = None
    clip: str = ""
    project: str = ""
    inner: tuple[Area, ...] = ()
    rest: tuple[int, int] = (0, 0)


@dataclass(frozen=True)
class Room:
    """A shelf as it was counted. ``unread``: folders below it that could not be read, with the reason; their
    room is not in the sum. ``counts``: files of each kind."""

    root: Path
    whole: Area
    free: int
    counts: Mapping[RoomKind, int]
    unread: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class RoomRequest:
    """Count a shelf's folder. ``claims``: what the open project says; ``but``: its file, for other projects that this
    machine knows are read from theirs."""

    root: Path
    claims: tuple[Claim, ...]
    but: Path
    role: str = ""


def _nothing(done: float) -> None:
    """For those who do not ask how far it is."""


def measure_room(request: RoomRequest, report: Report) -> Room:
    """Count what lies on a shelf: a task for a worker. Raises ShelfGone."""
    anchor = Anchor.of(request.root)
    claims = list(request.claims)
    for project in other_projects(request.but):
        claims += claims_of(project)
    return count_room(anchor, look_at_claims(claims), recorded_below(request.root, request.role), report)


def count_room(
    anchor: Anchor, claims: Mapping[Identity, Claim], recorded: Recorded, report: Report = _nothing
) -> Room:
    """Count what lies below a root. Raises ShelfGone, and Cancelled by ``report``."""
    try:
        handle = os.open(anchor.root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError as error:
        raise ShelfGone("the shelf is not there, or cannot be read", anchor.root, "Connect its drive.") from error
    try:
        anchor.check()
        counting = _Counting(anchor, claims, recorded, report)
        whole = counting.folder(handle, "", anchor.root.name, 0)
        filesystem = os.fstatvfs(handle)
    finally:
        os.close(handle)
    free = filesystem.f_bavail * filesystem.f_frsize
    area = whole.area(max(1, whole.room // _LEAST))
    return Room(anchor.root, area, free, dict(counting.counts), tuple(counting.unread))


_Row = tuple[int, str, RoomKind, str, str]  # bytes, name, kind, clip, project of a file


@dataclass
class _Folder:
    """A folder as it was counted. ``small``: its files, or of very many the largest."""

    name: str
    room: int = 0
    files: int = 0
    kinds: dict[RoomKind, int] = field(default_factory=dict)
    folders: list[_Folder] = field(default_factory=list)
    small: list[_Row] = field(default_factory=list)

    def add(self, other: _Folder) -> None:
        """A folder in it."""
        self.room += other.room
        self.files += other.files
        for kind, room in other.kinds.items():
            self.kinds[kind] = self.kinds.get(kind, 0) + room
        self.folders.append(other)

    def area(self, least: int) -> Area:
        """What is to be shown of it: nothing that is smaller than ``least`` bytes, which cannot be seen."""
        files = heapq.nlargest(_SHOWN, (one for one in self.small if one[0] >= least))
        shown = [Area(name, room, 1, {kind: room}, kind, clip, project) for room, name, kind, clip, project in files]
        large = heapq.nlargest(_SHOWN, (one for one in self.folders if one.room >= least), key=lambda one: one.room)
        shown += [one.area(least) for one in large]
        inner = tuple(sorted(shown, key=lambda one: (-one.room, one.name))[:_SHOWN])
        rest = self.files - sum(one.files for one in inner), self.room - sum(one.room for one in inner)
        return Area(self.name, self.room, self.files, self.kinds, None, "", "", inner, rest)


class _Counting:
    def __init__(
        self, anchor: Anchor, claims: Mapping[Identity, Claim], recorded: Recorded, report: Report
    ) -> None:
        self._device = anchor.device
        self._claims = {inode: claim for (device, inode), claim in claims.items() if device == anchor.device}
        self._recorded = recorded
        self._report = report
        self._seen: set[int] = set()  # files of several names, counted already
        self.counts: dict[RoomKind, int] = {}
        self.unread: list[tuple[str, str]] = []

    def folder(self, handle: int, below: str, name: str, depth: int) -> _Folder:
        """All in an open folder; ``below``: its path below the root, with "/" at its end."""
        found = _Folder(name)
        found.room = found.kinds["folders"] = os.fstat(handle).st_blocks * _BLOCK
        try:
            with os.scandir(handle) as entries:
                names = [one.name for one in entries]
        except OSError as error:
            self.unread.append((below, error.strerror or "cannot be read"))
            names = []
        self._report(0.0)
        inside = _Inside.of(names, "ascmhl" in below.split("/"), self._recorded.in_folder(below))
        look, is_folder, count, rows = os.stat, stat.S_ISDIR, self._file, found.small  # at hand, for very many files
        for one in names:
            try:
                status = look(one, dir_fd=handle, follow_symlinks=False)
            except OSError as error:
                if not isinstance(error, FileNotFoundError):  # else it went meanwhile
                    self.unread.append((below + one, error.strerror or "cannot be read"))
                continue
            if is_folder(status.st_mode):
                self._enter(found, handle, one, below, status, depth)
            else:
                rows.append(count(one, status, inside))
        self._add_up(found)
        return found

    def _enter(self, found: _Folder, parent: int, name: str, below: str, status: os.stat_result, depth: int) -> None:
        path = f"{below}{name}/"
        if status.st_dev != self._device:
            self.unread.append((path, "another drive"))
            return
        if depth >= _DEEPEST:
            self.unread.append((path, "too many folders within folders"))
            return
        try:
            handle = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=parent)
        except OSError as error:
            self.unread.append((path, error.strerror or "cannot be read"))
            room = status.st_blocks * _BLOCK
            found.add(_Folder(name, room, 0, {"folders": room}))
            return
        try:
            found.add(self.folder(handle, path, name, depth + 1))
        finally:
            os.close(handle)

    def _file(self, name: str, status: os.stat_result, inside: _Inside) -> _Row:
        room = status.st_blocks * _BLOCK
        if status.st_nlink > 1:
            room = 0 if status.st_ino in self._seen else room
            self._seen.add(status.st_ino)
        claim = self._claims.get(status.st_ino)
        if claim is None:
            return room, name, inside.kind(name), "", ""
        return room, name, claim.kind, claim.clip, claim.project

    def _add_up(self, found: _Folder) -> None:
        """The files of a folder, by kinds; only the largest of very many are kept."""
        for kind, number in Counter(row[2] for row in found.small).items():
            self.counts[kind] = self.counts.get(kind, 0) + number
            found.files += number
            found.kinds[kind] = found.kinds.get(kind, 0) + sum(row[0] for row in found.small if row[2] == kind)
        found.room += sum(row[0] for row in found.small)
        if len(found.small) > _KEPT:
            found.small = heapq.nlargest(_SHOWN, found.small)


@dataclass(frozen=True)
class _Inside:
    """What names say in one folder."""

    records: bool
    known: Mapping[str, RoomKind]
    films: frozenset[str]

    @classmethod
    def of(cls, names: list[str], records: bool, known: Mapping[str, RoomKind]) -> _Inside:
        there = frozenset(names)
        films = (name.removesuffix(CERTIFICATE) for name in names if name.endswith(CERTIFICATE))
        return cls(records, known, frozenset(name for name in films if name in there))

    def kind(self, name: str) -> RoomKind:
        if not (self.known or self.films or self.records or name[0] == "."):
            return "other files"
        if name in self.known:
            return self.known[name]
        if is_partial(name):
            return "leftovers"
        if self.films and name in self.films:
            return "films"
        if self.records or name == MARK or (self.films and name.removesuffix(CERTIFICATE) in self.films):
            return "records"
        return "other files"
