"""Verified copying: one read feeds copy and checksum, the copy is flushed, read again past the cache, then named."""

from __future__ import annotations

import ctypes
import errno
import hashlib
import os
import queue
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Protocol

import xxhash

from ..drives import drives
from ..errors import CopyError, ShadowError, from_os_error, sentence
from ..files import partial_path, rename_new
from ..jobs import Report
from ..media import MediaInfo, probe
from ..media.joined import joined_name
from ..media.sequence import is_sequence, members, numbered, status

_CHUNK = 4 << 20  # bytes read at a time
_BUFFERS = 4
_TRIES = 3  # at a place that a drive cannot read
_BREATH = 0.2  # seconds before it is tried again


class _Hasher(Protocol):
    def update(self, data: bytes | memoryview, /) -> None: ...
    def hexdigest(self) -> str: ...


def new_hasher(checksum: str) -> _Hasher:
    """A fresh hasher: ``xxh128``, ``xxh64``, ``md5`` or ``sha1``; raises KeyError for another."""
    makers: dict[str, Callable[[], _Hasher]] = {
        "xxh128": xxhash.xxh3_128,
        "xxh64": xxhash.xxh64,
        "md5": lambda: hashlib.md5(usedforsecurity=False),
        "sha1": lambda: hashlib.sha1(usedforsecurity=False),
    }
    return makers[checksum]()


def hash_file(
    path: Path, checksum: str, report: Callable[[int], None] = lambda count: None, fresh: bool = False
) -> str:
    """Checksum of a file in hexadecimal. ``fresh``: ask the system to read from the drive, not from its cache.

    ``report`` gets the bytes of each step. Raises OSError.
    """
    hasher = new_hasher(checksum)
    with path.open("rb", buffering=0) as handle:
        if fresh:
            os.posix_fadvise(handle.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        for chunk in read_ahead(handle.fileno(), path):
            hasher.update(chunk)
            report(len(chunk))
    return hasher.hexdigest()


def checksum_of(files: Sequence[Path], checksum: str, report: Callable[[int], None] = lambda count: None) -> str:
    """Checksum of a file, or one over names and checksums of several; empty for ``size``. Raises OSError."""
    if checksum == "size":
        return ""
    return joined_checksum([(path.name, hash_file(path, checksum, report)) for path in files], checksum)


def joined_checksum(values: Sequence[tuple[str, str]], checksum: str) -> str:
    """The checksum of one file as it is; of several one over the lines ``name checksum``."""
    if len(values) == 1 or checksum == "size":
        return values[0][1]
    hasher = new_hasher(checksum)
    for name, value in values:
        hasher.update(f"{name} {value}\n".encode())
    return hasher.hexdigest()


@dataclass(frozen=True)
class CopyItem:
    """One file and where it goes: its place, then the places of further copies; none: it stays."""

    source: Path
    targets: tuple[Path, ...] = ()


@dataclass(frozen=True)
class CopyRequest:
    """Copy the files of one original (several for a sequence or a split recording), its sidecars and small copies.

    ``checksum`` may be ``size``: then only sizes are compared. ``on_clash``: ``number`` or ``tell``. ``rate``: frames
    per second of a sequence. ``place`` is the original's path or pattern on the source.
    """

    place: Path
    items: tuple[CopyItem, ...]
    checksum: str
    sidecars: tuple[CopyItem, ...] = ()
    on_clash: str = "number"
    rate: Fraction | None = None
    copies: tuple[CopyItem, ...] = ()


@dataclass(frozen=True)
class Proved:
    """A copy whose bytes were proven: where from, where to, its checksum."""

    source: Path
    path: Path
    value: str


@dataclass(frozen=True)
class CopyResult:
    """The original in its place. ``problem`` says why it cannot be played, if so; the copy holds all the same.

    ``second``: the second copy, if one was wanted. ``proved``: every file that was copied, for a manifest.
    ``copies``: the camera's own small copies that can be played.
    """

    path: Path
    size: int
    modified: int
    value: str
    info: MediaInfo | None
    problem: str = ""
    sidecars: tuple[Path, ...] = ()
    second: Path | None = None
    proved: tuple[Proved, ...] = ()
    copies: tuple[tuple[Path, MediaInfo], ...] = ()


class _Taken(Exception):
    """A wanted name belongs to a file with other bytes."""


def copy_and_prove(request: CopyRequest, report: Report) -> CopyResult:
    """Bring one original with its sidecars to its place and probe it: a task for a worker.

    A file of the same name and bytes counts as copied; one with other bytes is left alone and the copy gets a number,
    or, if so wished, is not made. Raises CopyError naming the file and what stood against it.
    """
    sources = [item.source for item in request.items]
    step = _Steps(report, _work_of(request))
    if not request.items[0].targets:
        try:
            value = checksum_of(sources, request.checksum, step)
        except OSError as error:
            raise _copy_error(error, error.filename or request.place) from error
        left = _described(request, request.place, None, value, (), ())
        return replace(left, copies=tuple(_playable([item.source for item in request.copies])))
    several = is_sequence(request.place)
    for number in range(1, 1000):
        shifted = [CopyItem(item.source, _numbered(item.targets, number, several)) for item in request.items]
        try:
            if several:
                _refuse_mixing(shifted)
            values = [_place(item, request.checksum, step) for item in shifted]
        except _Taken:
            if request.on_clash == "tell":
                raise CopyError(
                    "another file of that name is there already",
                    request.items[0].targets[0],
                    "Move one of the two away, or let the preset number such files.",
                ) from None
            continue
        return _finished(request, shifted, values, number, step)
    raise CopyError("no free name was found for it", request.items[0].targets[0], "Choose another place.")


def _finished(
    request: CopyRequest, items: list[CopyItem], values: list[str], number: int, step: Callable[[int], None]
) -> CopyResult:
    places = [item.targets for item in items]
    proved = [
        Proved(item.source, path, value) for item, value in zip(items, values, strict=True) for path in item.targets
    ]
    beside = []
    for item in (*request.sidecars, *request.copies):
        paths, value = copy_file(item.source, _numbered(item.targets, number), request.checksum, step)
        proved += [Proved(item.source, path, value) for path in paths]
        beside.append(paths[0])
    sidecars, copies = beside[: len(request.sidecars)], beside[len(request.sidecars) :]
    joined = joined_checksum(
        [(item.source.name, value) for item, value in zip(request.items, values, strict=True)], request.checksum
    )
    final = [_whole_name(request.place, paths) for paths in zip(*places, strict=True)]
    second = final[1] if len(final) > 1 else None
    whole = _described(request, final[0], second, joined, tuple(sidecars), tuple(proved))
    return replace(whole, copies=tuple(_playable(copies)))


def _playable(copies: Sequence[Path]) -> Iterator[tuple[Path, MediaInfo]]:
    for path in copies:
        try:
            yield path, probe(path)
        except ShadowError:
            continue  # it is kept, and cannot be paired


def _whole_name(place: Path, paths: Sequence[Path]) -> Path:
    """How a clip of these files is named: a file, a sequence's pattern, a recording's files."""
    if len(paths) == 1:
        return paths[0]
    return _pattern_of(paths[0]) if is_sequence(place) else paths[0].with_name(joined_name([p.name for p in paths]))


def _pattern_of(path: Path) -> Path:
    one = numbered(path.name)
    return path.with_name(one.pattern) if one is not None else path


def _described(
    request: CopyRequest, path: Path, second: Path | None, value: str, sidecars: tuple[Path, ...],
    proved: tuple[Proved, ...],
) -> CopyResult:  # fmt: skip
    size, modified = status(path)
    try:
        info, problem = probe(path, request.rate), ""
    except ShadowError as error:
        info, problem = None, sentence(error)
    return CopyResult(path, size, modified, value, info, problem, sidecars, second, proved)


def _work_of(request: CopyRequest) -> int:
    """Bytes to read in all: once from the source, once from each copy."""
    try:
        items = (*request.items, *request.sidecars, *request.copies)
        return max(1, sum(item.source.stat().st_size * (1 + len(item.targets)) for item in items))
    except OSError as error:
        raise _copy_error(error, error.filename) from error


class _Steps:
    """Turns counts of bytes into parts done."""

    def __init__(self, report: Report, total: int) -> None:
        self._report, self._total, self._done = report, total, 0

    def __call__(self, count: int) -> None:
        self._done += count
        self._report(min(1.0, self._done / self._total))


def copy_file(
    source: Path, targets: tuple[Path, ...], checksum: str, step: Callable[[int], None] = lambda count: None
) -> tuple[tuple[Path, ...], str]:
    """Copy and prove one file to each target; returns where they are now and the checksum. Raises CopyError."""
    for number in range(1, 1000):
        item = CopyItem(source, _numbered(targets, number))
        try:
            return item.targets, _place(item, checksum, step)
        except _Taken:
            continue
    raise CopyError("no free name was found for it", targets[0], "Choose another place.")


def _numbered(targets: tuple[Path, ...], number: int, sequence: bool = False) -> tuple[Path, ...]:
    """The names tried in turn: as wanted, then with 2, 3 ...; in a sequence before the frame's number."""
    if number == 1:
        return targets
    return tuple(target.with_name(_numbered_name(target, number, sequence)) for target in targets)


def _numbered_name(target: Path, number: int, sequence: bool) -> str:
    if not sequence:
        return f"{target.stem}_{number}{target.suffix}"
    before = target.stem.rstrip("0123456789")
    return f"{before}{number}_{target.stem[len(before) :]}{target.suffix}"


def _refuse_mixing(items: list[CopyItem]) -> None:
    """A sequence never goes among the files of another one of its name."""
    for targets in zip(*(item.targets for item in items), strict=True):
        pattern = _pattern_of(targets[0])
        if pattern.parent.is_dir() and set(members(pattern)) - set(targets):
            raise _Taken


def _place(item: CopyItem, checksum: str, step: Callable[[int], None]) -> str:
    """Have the file at all its targets, written or found equal; returns its checksum. Raises _Taken or CopyError."""
    try:
        return _place_once(item, checksum, step)
    except FileExistsError:  # somebody else took a name meanwhile: it may well be the same file
        try:
            return _place_once(item, checksum, step)
        except FileExistsError:
            raise _Taken from None


def _place_once(item: CopyItem, checksum: str, step: Callable[[int], None]) -> str:
    try:
        for target in item.targets:
            target.parent.mkdir(parents=True, exist_ok=True)
        there = [target for target in item.targets if target.exists()]
    except OSError as error:
        raise _copy_error(error, error.filename or item.source) from error
    value = ""
    if there:
        value = _value_if_equal(item.source, there, checksum, step)
    missing = tuple(target for target in item.targets if target not in there)
    return _copy_new(item.source, missing, checksum, step) if missing else value


def _value_if_equal(source: Path, there: list[Path], checksum: str, step: Callable[[int], None]) -> str:
    """The checksum when the files have the source's bytes; raises _Taken when not. Sizes alone never settle this."""
    proof = "xxh128" if checksum == "size" else checksum
    try:
        if any(path.stat().st_size != source.stat().st_size for path in there):
            raise _Taken
        value = hash_file(source, proof, step)
        if any(hash_file(path, proof, step) != value for path in there):
            raise _Taken
    except OSError as error:
        raise _copy_error(error, error.filename) from error
    return "" if checksum == "size" else value


def _copy_new(source: Path, targets: tuple[Path, ...], checksum: str, step: Callable[[int], None]) -> str:
    partials = {partial_path(target): target for target in targets}
    try:
        value, size = _stream(source, list(partials), checksum, step)
        for partial in partials:
            _prove(partial, value, size, checksum, source, step)
        times = source.stat()
        for partial, target in partials.items():
            os.utime(partial, ns=(times.st_atime_ns, times.st_mtime_ns))
            rename_new(partial, target)
        return value
    except FileExistsError:
        raise
    except OSError as error:
        about = Path(os.fsdecode(error.filename)) if error.filename is not None else targets[0]
        raise _copy_error(error, partials.get(about, about)) from error
    finally:
        for partial in partials:
            partial.unlink(missing_ok=True)


def _prove(partial: Path, value: str, size: int, checksum: str, source: Path, step: Callable[[int], None]) -> None:
    if checksum == "size":
        same = partial.stat().st_size == size
        step(size)
    else:
        same = hash_file(partial, checksum, step, fresh=True) == value
    if not same:
        raise CopyError("the copy read back differs from the source", source, "Try again, or try another drive.")


def _stream(source: Path, partials: list[Path], checksum: str, step: Callable[[int], None]) -> tuple[str, int]:
    """Read once, hash and write at the same time, flush to the drives; the checksum and size of what was read."""
    hasher = new_hasher(checksum) if checksum != "size" else None
    with ExitStack() as stack:
        reader = stack.enter_context(source.open("rb", buffering=0))
        writers = [_Writer(path, stack.enter_context(path.open("xb", buffering=0)).fileno()) for path in partials]
        side_by_side = stack.enter_context(ThreadPoolExecutor(len(writers)))
        done = 0
        for chunk in read_ahead(reader.fileno(), source):
            writing = [side_by_side.submit(writer.write, done, chunk) for writer in writers]
            try:
                if hasher is not None:
                    hasher.update(chunk)
            finally:  # the buffer is used again once all have it
                wait(writing)
            for one in writing:
                one.result()
            done += len(chunk)
            step(len(chunk))
        for one in [side_by_side.submit(writer.finish) for writer in writers]:
            one.result()
    return (hasher.hexdigest() if hasher is not None else ""), done


@dataclass(frozen=True)
class _Writer:
    """One copy while it is written. Raises OSError with its file name."""

    path: Path
    handle: int

    def write(self, offset: int, chunk: memoryview) -> None:
        with _about(self.path):
            drives().writing(self.path, offset, len(chunk))
        _write_all(self.handle, chunk, self.path)
        _start_flush(self.handle, offset, len(chunk))

    def finish(self) -> None:
        with _about(self.path):
            os.fsync(self.handle)
        os.posix_fadvise(self.handle, 0, 0, os.POSIX_FADV_DONTNEED)


@contextmanager
def _about(path: Path) -> Iterator[None]:
    """Names the file in an error of the system that does not."""
    try:
        yield
    except OSError as error:
        error.filename = error.filename or str(path)
        raise


def read_ahead(handle: int, path: Path) -> Iterator[memoryview]:
    """The bytes of an open file in order, read by a thread into a few buffers that are used again.

    A view is valid until the next one is taken. Raises OSError, with ``path`` as its file name.
    """
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_SEQUENTIAL)
    free: queue.SimpleQueue[bytearray | None] = queue.SimpleQueue()
    filled: queue.SimpleQueue[tuple[bytearray, int] | OSError | None] = queue.SimpleQueue()
    for _ in range(_BUFFERS):
        free.put(bytearray(_CHUNK))
    thread = threading.Thread(target=_fill, args=(handle, path, free, filled), daemon=True)
    thread.start()
    try:
        while (item := filled.get()) is not None:
            if isinstance(item, OSError):
                raise item
            buffer, count = item
            yield memoryview(buffer)[:count]
            free.put(buffer)
    finally:
        free.put(None)
        thread.join()


def _fill(
    handle: int,
    path: Path,
    free: queue.SimpleQueue[bytearray | None],
    filled: queue.SimpleQueue[tuple[bytearray, int] | OSError | None],
) -> None:
    offset = 0
    try:
        while (buffer := free.get()) is not None:
            count = _read(handle, path, offset, buffer)
            if count == 0:
                break
            offset += count
            filled.put((buffer, count))
        filled.put(None)
    except OSError as error:
        filled.put(error)


def _read(handle: int, path: Path, offset: int, buffer: bytearray) -> int:
    """Fill a buffer from a file; what fails is tried again before OSError names the file and the byte."""
    for left in reversed(range(_TRIES)):
        try:
            drives().reading(path, offset, len(buffer))
            return os.preadv(handle, [buffer], offset)
        except OSError as error:
            if left and error.errno == errno.EIO:
                time.sleep(_BREATH)
                continue
            error.filename = str(path)
            if error.errno == errno.EIO:
                raise ReadFault(error.errno, error.strerror, str(path), offset) from error
            raise
    raise AssertionError


class ReadFault(OSError):
    """A file cannot be read from byte ``offset`` on."""

    def __init__(self, code: int, text: str | None, path: str, offset: int) -> None:
        super().__init__(code, text, path)
        self.offset = offset


def _copy_error(error: OSError, path: Path | str) -> ShadowError:
    if isinstance(error, ReadFault):
        return CopyError(
            f"cannot be read from byte {error.offset:,} on, after {_TRIES} tries",
            error.filename,
            "Clean the card's contacts or try another reader, then try this file again.",
        )
    return from_os_error(error, path, CopyError)


def _write_all(handle: int, chunk: memoryview, path: Path) -> None:
    with _about(path):
        while chunk:
            chunk = chunk[os.write(handle, chunk) :]


_SYNC_FILE_RANGE_WRITE = 2


def _start_flush(handle: int, offset: int, count: int) -> None:
    """Have the system begin to write a stretch to the drive now, so that the flush at the end finds little to do.

    sync_file_range(2); only a hint, so its answer does not matter.
    """
    ctypes.CDLL(None).sync_file_range(
        handle, ctypes.c_int64(offset), ctypes.c_int64(count), ctypes.c_uint(_SYNC_FILE_RANGE_WRITE)
    )
