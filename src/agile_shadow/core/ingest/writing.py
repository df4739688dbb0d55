"""One file of a source to its places: read once, written to all, flushed, read back, compared, then named.

What counts is what the bytes were: a source that changes while it is read is told by size and time before and after,
and a place whose drive was exchanged meanwhile by the identity of its root.
"""

from __future__ import annotations

import ctypes
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

from ..below import Anchor, Folder, about, folder_below, open_ordinary
from ..drives import drives
from ..errors import CopyError, ShadowError, from_os_error
from ..files import partial_path
from ..hashing import TRIES, ReadFault, hash_open, new_hasher, read_ahead

Step = Callable[[int], None]
Stamp = tuple[int, int]  # bytes, modification time in nanoseconds


@dataclass(frozen=True)
class Place:
    """Where a copy goes: a path, and the root of the shelf that it lies below."""

    path: Path
    anchor: Anchor

    @property
    def name(self) -> str:
        """Name of the file."""
        return self.path.name

    @contextmanager
    def folder(self, make: bool = False) -> Iterator[Folder]:
        """Its folder, entered without following links."""
        with folder_below(self.anchor, self.path.parent, make) as folder:
            yield folder


class SourceMoved(Exception):
    """A file of the source changed while it was read."""


class NameTaken(Exception):
    """A file with other bytes has a wanted name."""


@dataclass(frozen=True)
class Read:
    """A file as it was read: its checksum ("" for ``size``), its bytes and modification time."""

    value: str
    stamp: Stamp


def proof_kind(checksum: str) -> str:
    """The checksum by which files that are there already are compared: sizes alone never settle that."""
    return "xxh128" if checksum == "size" else checksum


@contextmanager
def opened_source(path: Path) -> Iterator[tuple[int, os.stat_result]]:
    """A file of the source, and what it is before it is read. Raises OSError; SourceMoved, at the end, when it is
    another by then."""
    with about(path):
        handle = open_ordinary(path)
    try:
        before = os.fstat(handle)
        yield handle, before
        with about(path):
            after, named = os.fstat(handle), os.stat(path, follow_symlinks=False)
        if not _same(before, after) or not _same(before, named):
            raise SourceMoved(path)
    finally:
        os.close(handle)


def _same(one: os.stat_result, other: os.stat_result) -> bool:
    names = ("st_size", "st_mtime_ns", "st_dev", "st_ino")
    return all(getattr(one, name) == getattr(other, name) for name in names)


def read_source_file(path: Path, checksum: str, step: Step) -> Read:
    """Read a file of the source from end to end. Raises SourceMoved, OSError."""
    count = 0

    def counted(size: int) -> None:
        nonlocal count
        count += size
        step(size)

    with opened_source(path) as (handle, status):
        value = hash_open(handle, path, proof_kind(checksum), counted, fresh=True)
        if count != status.st_size:
            raise SourceMoved(path)
    return Read(value, (status.st_size, status.st_mtime_ns))


def is_there(place: Place) -> bool:
    """Whether something has the name of a copy already. Raises OSError, CopyError."""
    try:
        with place.folder() as folder:
            return folder.status(place.name) is not None
    except FileNotFoundError:
        return False


def read_back(place: Place, read: Read, checksum: str, step: Step) -> Stamp:
    """Read a file that lies at the place and compare; what it is. Raises NameTaken when it has other bytes, OSError."""
    with place.folder() as folder, _ordinary(folder, place) as handle:
        before = os.fstat(handle)
        if before.st_size != read.stamp[0]:
            raise NameTaken
        with about(place.path):
            value = hash_open(handle, place.path, proof_kind(checksum), step, fresh=True)
        after = os.fstat(handle)
        if value != read.value or (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
            raise NameTaken
        place.anchor.check()
        return after.st_size, after.st_mtime_ns


@contextmanager
def _ordinary(folder: Folder, place: Place) -> Iterator[int]:
    status = folder.status(place.name)
    if status is None:
        raise FileNotFoundError(2, "No such file", str(place.path))
    try:
        handle = folder.open(place.name)
    except OSError as error:
        raise NameTaken from error  # a link, a folder: not a copy, and left alone
    try:
        yield handle
    finally:
        os.close(handle)


def copy_new(source: Path, places: Sequence[Place], checksum: str, step: Step) -> Read:
    """Copy to places whose names are free; what was read. All or none get their names.

    Raises SourceMoved, FileExistsError for a name that was taken meanwhile, CopyError, ShelfGone.
    """
    try:
        with ExitStack() as stack:
            copies = [_begun(place, stack) for place in places]
            read = _stream(source, copies, checksum, step)
            for copy in copies:
                copy.prove(read, checksum, source, step)
            for copy in copies:
                copy.name_finally(read.stamp)
            return read
    except FileExistsError:
        raise
    except OSError as error:
        about_file = Path(os.fsdecode(error.filename)) if error.filename is not None else places[0].path
        raise copy_error(error, about_file) from error


def _begun(place: Place, stack: ExitStack) -> _Copy:
    folder = stack.enter_context(place.folder(make=True))
    copy = _Copy(place, folder, partial_path(place.path).name)
    copy.handle = folder.create(copy.partial)
    stack.callback(copy.end)
    return copy


@dataclass
class _Copy:
    """One copy while it is made. Raises OSError with the name of the file that it is to be."""

    place: Place
    folder: Folder
    partial: str
    handle: int = -1

    @property
    def path(self) -> Path:
        return self.place.path

    def write(self, offset: int, chunk: memoryview) -> None:
        with about(self.path):
            drives().writing(self.folder.path / self.partial, offset, len(chunk))
            while chunk:
                written = os.write(self.handle, chunk)
                _start_flush(self.handle, offset, written)
                chunk, offset = chunk[written:], offset + written

    def flush(self) -> None:
        with about(self.path):
            os.fsync(self.handle)
        os.posix_fadvise(self.handle, 0, 0, os.POSIX_FADV_DONTNEED)

    def prove(self, read: Read, checksum: str, source: Path, step: Step) -> None:
        with about(self.path):
            handle = self.folder.open(self.partial)
        try:
            if checksum == "size":
                same = os.fstat(handle).st_size == read.stamp[0]
                step(read.stamp[0])
            else:
                path = self.folder.path / self.partial
                same = hash_open(handle, path, checksum, step, fresh=True) == read.value
        finally:
            os.close(handle)
        if not same:
            raise CopyError("the copy read back differs from the source", source, "Retry, or try another drive.")

    def name_finally(self, stamp: Stamp) -> None:
        self.folder.set_times(self.partial, stamp[1], stamp[1])
        with about(self.path):
            os.fsync(self.handle)
        self.folder.name_finally(self.partial, self.place.name)

    def end(self) -> None:
        os.close(self.handle)
        try:
            self.folder.remove(self.partial)
        except OSError:
            pass  # its drive is gone; the next run there removes it


def _stream(source: Path, copies: Sequence[_Copy], checksum: str, step: Step) -> Read:
    """Read once, hash and write at the same time, flush to the drives."""
    hasher = new_hasher(checksum) if checksum != "size" else None
    with opened_source(source) as (handle, status), ThreadPoolExecutor(len(copies)) as side_by_side:
        done = 0
        for chunk in read_ahead(handle, source):
            writing = [side_by_side.submit(copy.write, done, chunk) for copy in copies]
            try:
                if hasher is not None:
                    hasher.update(chunk)
            finally:  # the buffer is used again once all have it
                wait(writing)
            for one in writing:
                one.result()
            done += len(chunk)
            step(len(chunk))
        for flushing in [side_by_side.submit(copy.flush) for copy in copies]:
            flushing.result()
        if done != status.st_size:
            raise SourceMoved(source)
    return Read(hasher.hexdigest() if hasher is not None else "", (status.st_size, status.st_mtime_ns))


def copy_error(error: OSError, path: Path | str) -> ShadowError:
    """An error of the system while a file was copied, for the user."""
    if isinstance(error, ReadFault):
        return CopyError(
            f"cannot be read from byte {error.offset:,} on, after {TRIES} tries",
            error.filename,
            "Clean the card's contacts or try another reader, then try this file again.",
        )
    return from_os_error(error, path, CopyError)


_SYNC_FILE_RANGE_WRITE = 2


def _start_flush(handle: int, offset: int, count: int) -> None:
    """Have the system begin to write a stretch to the drive now, so that the flush at the end finds little to do.

    sync_file_range(2); only a hint, so its answer does not matter.
    """
    ctypes.CDLL(None).sync_file_range(
        handle, ctypes.c_int64(offset), ctypes.c_int64(count), ctypes.c_uint(_SYNC_FILE_RANGE_WRITE)
    )
