"""Asking a card: every file on it read again, and compared with the copies as they lie on the shelves now.

Only equal bytes that were read on both sides in this very run count; what is remembered only says where to look.
"""

from __future__ import annotations

import os
import stat
import threading
import time
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any, Literal

from ..amounts import counted
from ..below import Anchor, folder_below, open_ordinary
from ..drives import on_one_drive
from ..errors import Cancelled, ShadowError, ShelfGone, StateError, sentence
from ..hashing import hash_open
from ..jobs import Report
from ..readings import Reading, note_readings, reading_now
from ..shelves import MARK

CHECKSUM = "xxh128"
_SYSTEM_FOLDERS = frozenset({
    "System Volume Information", "$RECYCLE.BIN", "lost+found", ".Trashes", ".fseventsd", ".Spotlight-V100",
    ".TemporaryItems", ".DocumentRevisions-V100",
})  # fmt: skip
_SYSTEM_FILES = frozenset({".DS_Store", "Thumbs.db", "desktop.ini", ".metadata_never_index", ".VolumeIcon.icns"})

State = Literal["equal", "differs", "missing", "cannot be read", "shelf away", "no copy", "the same file"]


Key = tuple[int, int]  # device and inode


@dataclass(frozen=True)
class AskShelf:
    """A shelf that holds the card's files."""

    id: str
    name: str
    root: Path


@dataclass(frozen=True)
class AskRequest:
    """Ask what lies in ``source``. ``places``: by path below it, (identity of a shelf, place on it) where its copies
    should be. ``by_size``: further places to look at for files of that many bytes. ``needless``: paths that a person
    said need no copy; ``passed_over``: reasons why the ingest passed over files. Every file must be on every one of
    ``shelves``."""

    source: Path
    shelves: tuple[AskShelf, ...]
    places: Mapping[str, tuple[tuple[str, Path], ...]]
    by_size: Mapping[int, tuple[tuple[str, Path], ...]] = field(default_factory=dict)
    needless: frozenset[str] = frozenset()
    passed_over: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class AskedCopy:
    """What was found on a shelf for a file. ``size``, ``modified`` (nanoseconds): of the copy as it was read."""

    shelf: str
    path: str
    state: State
    note: str = ""
    size: int = 0
    modified: int = 0


@dataclass(frozen=True)
class AskedFile:
    """A file of the card: ``path`` below it, bytes, its checksum as read now ("" where it could not be read), its
    modification time in nanoseconds."""

    path: str
    size: int
    value: str
    copies: tuple[AskedCopy, ...]
    note: str = ""
    needless: bool = False
    modified: int = 0

    def is_on(self, shelves: tuple[AskShelf, ...]) -> bool:
        """Whether it was read and equal on every shelf."""
        equal = {copy.shelf for copy in self.copies if copy.state == "equal"}
        return bool(self.value) and bool(shelves) and equal >= {shelf.id for shelf in shelves}


@dataclass(frozen=True)
class CardAnswer:
    """What was seen, and when: ``began`` and ``ended`` in seconds since 1970. ``problems``: of the card as a whole.
    ``system``: files of operating systems, which need no copy. ``together``: names of shelves that lie on one drive.
    """

    source: str
    began: float
    ended: float
    shelves: tuple[AskShelf, ...]
    files: tuple[AskedFile, ...]
    problems: tuple[str, ...]
    system: int = 0
    together: tuple[tuple[str, ...], ...] = ()

    @property
    def missing(self) -> tuple[AskedFile, ...]:
        """Files that are not, read and equal, on every shelf."""
        return tuple(file for file in self.files if not file.needless and not file.is_on(self.shelves))

    @property
    def needless(self) -> int:
        """Files without a copy that a person said need none."""
        return sum(1 for file in self.files if file.needless)

    @property
    def may_be_wiped(self) -> bool:
        """Whether every file was read, on the card and on every shelf, and is equal."""
        compared = len(self.files) - self.needless
        return compared > 0 and not self.problems and not self.missing and bool(self.shelves)

    def why(self) -> str:
        """The answer in one sentence, without its age."""
        if self.may_be_wiped:
            names = " and ".join(shelf.name for shelf in self.shelves)
            more = f"; {self.needless} that need no copy go with it" if self.needless else ""
            more += "".join(f"; {' and '.join(group)} are on the same drive" for group in self.together)
            compared = f"{len(self.files) - self.needless} of {counted(len(self.files), 'file')}"
            return f"May be wiped: {compared} are equal on {names}{more}"
        return f"Not yet, because {self.reason()}"

    def reason(self) -> str:
        """Why not, the weightiest first."""
        if self.problems:
            return self.problems[0]
        if not self.files:
            return "there is no file on it"
        if not self.shelves:
            return "no shelf is known that holds its files"
        missing = self.missing
        if not missing:
            return "none of its files needs a copy, so nothing was compared"
        first = missing[0]
        more = f", and {len(missing) - 1} more" if len(missing) > 1 else ""
        return f"{first.path} {_said(first, self.shelves)}{more}"

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        values = asdict(self)
        for shelf in values["shelves"]:
            shelf["root"] = str(shelf["root"])
        return {**values, "may_be_wiped": self.may_be_wiped, "answer": self.why()}


def _said(file: AskedFile, shelves: tuple[AskShelf, ...]) -> str:
    if not file.value:
        return f"cannot be read on the card ({file.note})"
    names = {shelf.id: shelf.name for shelf in shelves}
    equal = {copy.shelf for copy in file.copies if copy.state == "equal"}
    also = set(names.values())
    for copy in file.copies:
        if copy.state not in ("equal", "no copy") and copy.shelf not in equal:
            words = {
                "differs": "has other bytes on", "missing": "is missing on", "cannot be read": "cannot be read on",
                "shelf away": "cannot be compared: not there is", "the same file": "is the very same file on",
            }[copy.state]  # fmt: skip
            name = names.get(copy.shelf, "a shelf")
            return f"is one and the same file on {copy.note} and {name}" if copy.note in also else f"{words} {name}"
    lacking = [names[shelf.id] for shelf in shelves if shelf.id not in equal]
    why = f" ({file.note})" if file.note else ""
    return f"has no copy on {' and '.join(lacking)}{why}"


Listed = dict[str, tuple[int, int, int, int]]  # path: bytes, modification time, device, inode


def ask_card(request: AskRequest, report: Report) -> CardAnswer:
    """Read all of it: a task for a worker. Raises ShelfGone when the card itself is not there, Cancelled."""
    began = time.time()
    anchor = Anchor.of(request.source)
    listed, system, problems = list_card(anchor)
    away = {shelf.id for shelf in request.shelves if not _is_there(shelf)}
    names = {shelf.id: shelf for shelf in request.shelves}
    problems += [f"{names[one].name} is not there" for one in names if one in away]
    problems += _on_the_card_itself(request, away)
    step = _Steps(report, sum(size for size, *_ in listed.values()) * (1 + len(request.shelves)))
    files, readings = [], []
    with ThreadPoolExecutor(1 + len(request.shelves)) as readers:
        for path in sorted(listed):
            file, read = _asked(request, anchor, path, listed[path], away, readers, step)
            files.append(file)
            readings += read
    with suppress(StateError):  # the answer holds all the same
        note_readings(readings)
    again, _system, _problems = list_card(anchor)
    changed = sorted(path for path in {*listed, *again} if listed.get(path) != again.get(path))
    problems += [f"{path} came, went or changed while the card was asked" for path in changed]
    equal = (copy for file in files for copy in file.copies if copy.state == "equal")
    problems += [f"{copy.path} changed while the card was asked" for copy in equal if not _is_as_read(copy)]
    anchor.check()
    there = [shelf for shelf in request.shelves if shelf.id not in away]
    return CardAnswer(
        str(request.source), began, time.time(), request.shelves, tuple(files), tuple(problems), system,
        _together(there),
    )  # fmt: skip


def _together(shelves: list[AskShelf]) -> tuple[tuple[str, ...], ...]:
    """Names of the shelves that lie on one drive, for each drive that holds several."""
    groups: list[list[AskShelf]] = []
    for shelf in shelves:
        group = next((one for one in groups if on_one_drive(one[0].root, shelf.root)), None)
        if group is None:
            groups.append([shelf])
        else:
            group.append(shelf)
    return tuple(tuple(shelf.name for shelf in group) for group in groups if len(group) > 1)


def _is_as_read(copy: AskedCopy) -> bool:
    try:
        status = os.stat(copy.path, follow_symlinks=False)
    except OSError:
        return False
    return (status.st_size, status.st_mtime_ns) == (copy.size, copy.modified)


class _Steps:
    """Counts bytes that several threads read."""

    def __init__(self, report: Report, whole: int) -> None:
        self._report, self._whole, self._done = report, max(1, whole), 0
        self._lock = threading.Lock()

    def __call__(self, count: int) -> None:
        with self._lock:
            self._done += count
            self._report(min(0.999, self._done / self._whole))


def list_card(anchor: Anchor) -> tuple[Listed, int, list[str]]:
    """(all ordinary files, how many belong to operating systems, sentences about what cannot be looked into)."""
    listed: Listed = {}
    system, problems, waiting = 0, [], [""]
    while waiting:
        below = waiting.pop()
        try:
            with folder_below(anchor, anchor.root / below) as folder, os.scandir(folder.handle) as entries:
                ordered = list(entries)
                states = [(one.name, os.stat(one.name, dir_fd=folder.handle, follow_symlinks=False)) for one in ordered]
        except ShelfGone:
            raise
        except (OSError, ShadowError) as error:
            problems.append(f"the folder {below or anchor.root.name} cannot be read ({sentence(error)})")
            continue
        for name, status in states:
            path = f"{below}/{name}" if below else name
            if _is_of_system(name, stat.S_ISDIR(status.st_mode)):
                system += 1
            elif stat.S_ISDIR(status.st_mode):
                if status.st_dev != anchor.device:
                    problems.append(f"another drive is mounted at {path}")
                else:
                    waiting.append(path)
            elif stat.S_ISREG(status.st_mode):
                listed[path] = status.st_size, status.st_mtime_ns, status.st_dev, status.st_ino
            else:
                problems.append(f"{path} is a link or not an ordinary file: check it")
    return listed, system, problems


def _is_of_system(name: str, folder: bool) -> bool:
    return name in _SYSTEM_FOLDERS if folder else name in _SYSTEM_FILES or name == MARK or name.startswith("._")


def _is_there(shelf: AskShelf) -> bool:
    try:
        return stat.S_ISDIR(os.stat(shelf.root).st_mode)
    except OSError:
        return False


def _on_the_card_itself(request: AskRequest, away: set[str]) -> Iterator[str]:
    """A shelf that would be wiped with the card: within its folder, or on its drive where all of that is the card."""
    source = request.source.resolve()
    whole_drive = os.path.ismount(source)
    for shelf in request.shelves:
        if shelf.id in away:
            continue
        root = shelf.root.resolve()
        if root.is_relative_to(source):
            yield f"{shelf.name} is on the card itself"
        elif source.is_relative_to(root):
            yield f"the card's folder is on {shelf.name} itself"
        elif whole_drive and os.stat(root).st_dev == os.stat(source).st_dev:
            yield f"{shelf.name} is on the same drive"


def _asked(
    request: AskRequest, anchor: Anchor, path: str, listed: tuple[int, int, int, int], away: set[str],
    readers: ThreadPoolExecutor, step: _Steps,
) -> tuple[AskedFile, list[Reading]]:  # fmt: skip
    size = listed[0]
    reading = readers.submit(_read, anchor, anchor.root / path, listed[:2], step)
    copies = [
        readers.submit(_copy_on, shelf, _places(request, path, size, shelf), size, listed[2:], shelf.id in away, step)
        for shelf in request.shelves
    ]
    note, value = "", ""
    try:
        value = reading.result()[0]
    except (OSError, ShadowError) as error:
        if isinstance(error, Cancelled | ShelfGone):
            raise
        note = sentence(error)
    found = _each_once([_compared(one.result(), value) for one in copies], request.shelves)
    needless = path in request.needless and not any(copy.state == "equal" for copy in found)
    equal = [one for one in found if one.state == "equal"]
    if not note and not equal:
        over = request.passed_over.get(path)
        note = f"skipped: {over}" if over else "it is empty" if size == 0 else ""
    readings = [reading_now(Path(one.path), one.size, one.modified, CHECKSUM, value) for one in equal]
    return AskedFile(path, size, value, found, note, needless, listed[1]), readings


def _places(request: AskRequest, path: str, size: int, shelf: AskShelf) -> list[Path]:
    own, others = (
        [place for one, place in known if one == shelf.id and place.is_relative_to(shelf.root)]
        for known in (request.places.get(path, ()), request.by_size.get(size, ()))
    )
    return own or others


@dataclass(frozen=True)
class _Read:
    shelf: str
    path: Path | None
    state: State
    note: str = ""
    size: int = 0
    values: tuple[tuple[Path, str, int, Key], ...] = ()  # several it may be: place, checksum, modification time, which


def _copy_on(
    shelf: AskShelf, places: list[Path], size: int, key: tuple[int, ...], away: bool, step: _Steps
) -> _Read:
    """The copies as they are: read, not yet compared."""
    if away:
        return _Read(shelf.id, places[0] if places else None, "shelf away")
    last = _Read(shelf.id, None, "no copy")
    values = []
    anchor = Anchor.of(shelf.root)
    for place in places:
        try:
            with folder_below(anchor, place.parent) as folder:
                status = folder.status(place.name)
            if status is None:
                last = _Read(shelf.id, place, "missing")
            elif (status.st_dev, status.st_ino) == key:
                last = _Read(shelf.id, place, "the same file")
            elif not stat.S_ISREG(status.st_mode) or status.st_size != size:
                last = _Read(shelf.id, place, "differs", note=f"{status.st_size} bytes")
            else:
                stamp = (status.st_size, status.st_mtime_ns)
                value, modified = _read(anchor, place, stamp, step)
                values.append((place, value, modified, (status.st_dev, status.st_ino)))
        except FileNotFoundError:
            last = _Read(shelf.id, place, "missing")
        except Cancelled:
            raise
        except (OSError, ShadowError) as error:
            last = _Read(shelf.id, place, "cannot be read", note=sentence(error))
    return _Read(shelf.id, last.path, last.state, last.note, size, tuple(values))


def _compared(read: _Read, value: str) -> tuple[AskedCopy, Key | None]:
    """What was found on a shelf, and which file it is where it is equal."""
    for place, own, modified, key in read.values:
        if value and own == value:
            return AskedCopy(read.shelf, str(place), "equal", "", read.size, modified), key
    if read.values:
        return AskedCopy(read.shelf, str(read.values[0][0]), "differs" if value else "no copy"), None
    return AskedCopy(read.shelf, str(read.path or ""), read.state, read.note), None


def _each_once(found: list[tuple[AskedCopy, Key | None]], shelves: tuple[AskShelf, ...]) -> tuple[AskedCopy, ...]:
    """A file that two shelves lead to, by another name of it or a folder mounted twice, is a copy of the first only."""
    names = {shelf.id: shelf.name for shelf in shelves}
    first: dict[Key, str] = {}
    copies = []
    for copy, key in found:
        known = first.setdefault(key, copy.shelf) if key is not None else copy.shelf
        same = known != copy.shelf
        copies.append(replace(copy, state="the same file", note=names[known]) if same else copy)
    return tuple(copies)


def _read(anchor: Anchor, path: Path, stamp: tuple[int, ...], step: _Steps) -> tuple[str, int]:
    """(checksum, modification time) of an ordinary file, read from its drive and not from memory. Raises ShadowError
    when it is another than was listed, or changes while it is read."""
    with folder_below(anchor, path.parent) as folder:
        handle = open_ordinary(path.name, folder.handle)
    try:
        _refuse_changed(handle, path, stamp)
        value = hash_open(handle, path, CHECKSUM, step, fresh=True)
        _refuse_changed(handle, path, stamp)
    finally:
        os.close(handle)
    return value, stamp[1]


def _refuse_changed(handle: int, path: Path, stamp: tuple[int, ...]) -> None:
    now = os.fstat(handle)
    if (now.st_size, now.st_mtime_ns) != tuple(stamp):
        raise ShadowError("changed while it was read", path, "Ask again when nothing writes to it.")
