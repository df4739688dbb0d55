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
_DEEPEST = 120  # folders within folders that are entered: each is held open
_LEAST = 4000  # parts of the whole: what is smaller is shown with the rest of its folder
_RECORDS = ("ascmhl",)
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
    """A shelf as it was counted. ``unread``: folders below it that could not be looked into, with the reason; their
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
    least = max(1, whole.room // _LEAST)
    return Room(anchor.root, _pruned(whole, least), free, dict(counting.counts), tuple(counting.unread))


@dataclass
class _Folder:
    """A folder while it is counted."""

    room: int = 0
    files: int = 0
    kinds: Counter[RoomKind] = field(default_factory=Counter)
    inner: list[Area] = field(default_factory=list)

    def add(self, kind: RoomKind, room: int) -> None:
        self.room += room
        self.kinds[kind] += room


class _Counting:
    def __init__(
        self, anchor: Anchor, claims: Mapping[Identity, Claim], recorded: Recorded, report: Report
    ) -> None:
        self._device = anchor.device
        self._claims = {inode: claim for (device, inode), claim in claims.items() if device == anchor.device}
        self._recorded = recorded
        self._report = report
        self._seen: set[int] = set()  # files of several names, counted already
        self.counts: Counter[RoomKind] = Counter()
        self.unread: list[tuple[str, str]] = []

    def folder(self, handle: int, below: str, name: str, depth: int) -> Area:
        """All in an open folder; ``below``: its path below the root, with "/" at its end."""
        found = _Folder()
        found.add("folders", os.fstat(handle).st_blocks * _BLOCK)
        try:
            with os.scandir(handle) as entries:
                listed = list(entries)
        except OSError as error:
            self.unread.append((below, error.strerror or "cannot be read"))
            listed = []
        self._report(0.0)
        names = frozenset(one.name for one in listed)
        records = _RECORDS[0] in below.split("/")
        known = self._recorded.in_folder(below)
        for entry in listed:
            try:
                status = os.stat(entry.name, dir_fd=handle, follow_symlinks=False)
            except OSError as error:
                if not isinstance(error, FileNotFoundError):  # else it went meanwhile
                    self.unread.append((below + entry.name, error.strerror or "cannot be read"))
                continue
            if stat.S_ISDIR(status.st_mode):
                self._enter(found, handle, entry.name, below, status, depth)
            else:
                self._file(found, entry.name, status, names, records, known)
        return self._closed(found, name)

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
            found.add("folders", status.st_blocks * _BLOCK)
            return
        try:
            inner = self.folder(handle, path, name, depth + 1)
        finally:
            os.close(handle)
        found.room += inner.room
        found.files += inner.files
        found.kinds.update(inner.kinds)
        found.inner.append(inner)

    def _file(
        self, found: _Folder, name: str, status: os.stat_result, names: frozenset[str], records: bool,
        known: Mapping[str, RoomKind],
    ) -> None:  # fmt: skip
        room = status.st_blocks * _BLOCK
        if status.st_nlink > 1:
            room = 0 if status.st_ino in self._seen else room
            self._seen.add(status.st_ino)
        claim = self._claims.get(status.st_ino)
        if claim is not None:
            kind, clip, project = claim.kind, claim.clip, claim.project
        else:
            kind, clip, project = _kind_by_name(name, names, records, known), "", ""
        found.add(kind, room)
        found.files += 1
        self.counts[kind] += 1
        found.inner.append(Area(name, room, 1, {kind: room}, kind, clip, project))
        if len(found.inner) > 4 * _SHOWN:
            found.inner = heapq.nlargest(2 * _SHOWN, found.inner, key=_room)

    @staticmethod
    def _closed(found: _Folder, name: str) -> Area:
        largest = tuple(heapq.nlargest(_SHOWN, found.inner, key=_room))
        rest = (found.files - sum(one.files for one in largest), _left(found.room, largest))
        return Area(name, found.room, found.files, dict(found.kinds), None, "", "", largest, rest)


def _room(area: Area) -> int:
    return area.room


def _left(room: int, inner: tuple[Area, ...]) -> int:
    return room - sum(one.room for one in inner)


def _kind_by_name(name: str, names: frozenset[str], records: bool, known: Mapping[str, RoomKind]) -> RoomKind:
    if name in known:
        return known[name]
    if is_partial(name):
        return "leftovers"
    if records or name == MARK:
        return "records"
    if name.endswith(CERTIFICATE) and name.removesuffix(CERTIFICATE) in names:
        return "records"
    return "films" if f"{name}{CERTIFICATE}" in names else "other files"


def _pruned(area: Area, least: int) -> Area:
    """Without what is too small to be seen: it is in the rest of its folder."""
    if area.kind is not None:
        return area
    inner = tuple(_pruned(one, least) for one in area.inner if one.room >= least)
    rest = (area.files - sum(one.files for one in inner), _left(area.room, inner))
    return Area(area.name, area.room, area.files, area.kinds, None, "", "", inner, rest)
