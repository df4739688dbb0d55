"""Verified copying: one read feeds copy and checksum, the copy is flushed, read again past the cache, then named."""

from __future__ import annotations

import ctypes
import hashlib
import os
import queue
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import xxhash

from ..errors import CopyError, ShadowError, from_os_error, sentence
from ..files import partial_path, rename_new
from ..jobs import Report
from ..media import MediaInfo, probe

_CHUNK = 4 << 20  # bytes read at a time
_BUFFERS = 4


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


@dataclass(frozen=True)
class CopyRequest:
    """Copy ``source`` to ``target`` (or, without a target, only take its checksum); ``sidecars`` go along.

    ``sidecars``: pairs of source and target.
    """

    source: Path
    target: Path | None
    checksum: str
    sidecars: tuple[tuple[Path, Path], ...] = ()


@dataclass(frozen=True)
class CopyResult:
    """The original in its place. ``problem`` says why it cannot be played, if so; the copy holds all the same."""

    path: Path
    size: int
    modified: int
    value: str
    info: MediaInfo | None
    problem: str = ""
    sidecars: tuple[Path, ...] = ()


def copy_and_prove(request: CopyRequest, report: Report) -> CopyResult:
    """Bring one original with its sidecars to its place and probe it: a task for a worker.

    A file of the same name and bytes counts as copied; one with other bytes is left alone and the copy gets a number.
    Raises CopyError naming the file and what stood against it.
    """
    if request.target is None:
        total = max(1, request.source.stat().st_size)
        value = _reading(request.source, request.checksum, _Steps(report, total))
        return _described(request.source, value, ())
    path, value = copy_file(request.source, request.target, request.checksum, report)
    shift = path.stem.removeprefix(request.target.stem)
    sidecars = []
    for source, target in request.sidecars:
        wanted = target.with_name(f"{target.stem}{shift}{target.suffix}")
        sidecars.append(copy_file(source, wanted, request.checksum, lambda done: None)[0])
    return _described(path, value, tuple(sidecars))


def _described(path: Path, value: str, sidecars: tuple[Path, ...]) -> CopyResult:
    status = path.stat()
    try:
        info, problem = probe(path), ""
    except ShadowError as error:
        info, problem = None, sentence(error)
    return CopyResult(path, status.st_size, status.st_mtime_ns, value, info, problem, sidecars)


class _Steps:
    """Turns counts of bytes into parts done."""

    def __init__(self, report: Report, total: int) -> None:
        self._report, self._total, self._done = report, total, 0

    def __call__(self, count: int) -> None:
        self._done += count
        self._report(min(1.0, self._done / self._total))


def copy_file(source: Path, target: Path, checksum: str, report: Report) -> tuple[Path, str]:
    """Copy and prove one file; returns where it is now and its checksum. Raises CopyError."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        size = source.stat().st_size
    except OSError as error:
        raise from_os_error(error, error.filename or source, CopyError) from error
    for candidate in _candidates(target):
        if candidate.exists():
            value = _value_if_equal(source, candidate, checksum, _Steps(report, max(1, 2 * size)))
            if value is not None:
                return candidate, value
            continue
        try:
            return candidate, _copy_new(source, candidate, checksum, _Steps(report, max(1, 2 * size)))
        except FileExistsError:
            continue  # somebody else was faster
    raise CopyError("no free name was found for it", target, "Choose another place.")


def _candidates(target: Path) -> list[Path]:
    return [target, *(target.with_name(f"{target.stem}_{n}{target.suffix}") for n in range(2, 1000))]


def _value_if_equal(source: Path, target: Path, checksum: str, step: Callable[[int], None]) -> str | None:
    try:
        if source.stat().st_size != target.stat().st_size:
            return None
    except OSError as error:
        raise from_os_error(error, error.filename, CopyError) from error
    value = _reading(source, checksum, step)
    return value if _reading(target, checksum, step) == value else None


def _reading(path: Path, checksum: str, step: Callable[[int], None]) -> str:
    try:
        return hash_file(path, checksum, step)
    except OSError as error:
        raise from_os_error(error, path, CopyError) from error


def _copy_new(source: Path, target: Path, checksum: str, step: Callable[[int], None]) -> str:
    partial = partial_path(target)
    try:
        value = _stream(source, partial, checksum, step)
        if hash_file(partial, checksum, step, fresh=True) != value:
            raise CopyError("the copy read back differs from the source", source, "Try again, or try another drive.")
        status = source.stat()
        os.utime(partial, ns=(status.st_atime_ns, status.st_mtime_ns))
        rename_new(partial, target)
        return value
    except FileExistsError:
        raise
    except OSError as error:
        raise from_os_error(error, source if _is_about(error, source) else target, CopyError) from error
    finally:
        partial.unlink(missing_ok=True)


def _is_about(error: OSError, source: Path) -> bool:
    return error.filename is not None and Path(os.fsdecode(error.filename)) == source


def _stream(source: Path, partial: Path, checksum: str, step: Callable[[int], None]) -> str:
    """Read once, hash and write at the same time, flush to the drive; returns the checksum of what was read."""
    hasher = new_hasher(checksum)
    with source.open("rb", buffering=0) as reader, partial.open("xb", buffering=0) as writer:
        done = 0
        for chunk in read_ahead(reader.fileno(), source):
            _write_all(writer.fileno(), chunk)
            _start_flush(writer.fileno(), done, len(chunk))
            hasher.update(chunk)
            done += len(chunk)
            step(len(chunk))
        os.fsync(writer.fileno())
        os.posix_fadvise(writer.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
    return hasher.hexdigest()


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
    try:
        while (buffer := free.get()) is not None:
            count = os.readv(handle, [buffer])
            if count == 0:
                break
            filled.put((buffer, count))
        filled.put(None)
    except OSError as error:
        error.filename = str(path)
        filled.put(error)


def _write_all(handle: int, chunk: memoryview) -> None:
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
