"""Verified copying: one read feeds copy and checksum, the copy is flushed, read again past the cache, then named."""

from __future__ import annotations

import hashlib
import os
import queue
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import xxhash

from ..errors import CopyError, ShadowError, from_os_error, sentence
from ..files import partial_path, rename_new
from ..jobs import Report
from ..media import MediaInfo, probe

_CHUNK = 4 << 20  # bytes read at a time
_AHEAD = 3  # chunks read and not yet written


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
    buffer = bytearray(_CHUNK)
    view = memoryview(buffer)
    with path.open("rb", buffering=0) as handle:
        if fresh:
            os.posix_fadvise(handle.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        os.posix_fadvise(handle.fileno(), 0, 0, os.POSIX_FADV_SEQUENTIAL)
        while count := handle.readinto(buffer):
            hasher.update(view[:count])
            report(count)
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
        os.posix_fadvise(reader.fileno(), 0, 0, os.POSIX_FADV_SEQUENTIAL)
        filled: queue.Queue[bytes | BaseException | None] = queue.Queue(_AHEAD)
        stopped = threading.Event()
        thread = threading.Thread(target=_read_ahead, args=(reader.fileno(), source, filled, stopped), daemon=True)
        thread.start()
        try:
            while (chunk := filled.get()) is not None:
                if isinstance(chunk, BaseException):
                    raise chunk
                _write_all(writer.fileno(), chunk)
                hasher.update(chunk)
                step(len(chunk))
        finally:
            stopped.set()
            while thread.is_alive():
                _drain(filled)
                thread.join(0.02)
        os.fsync(writer.fileno())
        os.posix_fadvise(writer.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
    return hasher.hexdigest()


def _read_ahead(
    handle: int, source: Path, filled: queue.Queue[bytes | BaseException | None], stopped: threading.Event
) -> None:
    try:
        while not stopped.is_set() and (chunk := os.read(handle, _CHUNK)):
            filled.put(chunk)
        filled.put(None)
    except OSError as error:
        error.filename = str(source)
        filled.put(error)


def _write_all(handle: int, chunk: bytes) -> None:
    view = memoryview(chunk)
    while view:
        view = view[os.write(handle, view) :]


def _drain(filled: queue.Queue[bytes | BaseException | None]) -> None:
    try:
        while True:
            filled.get_nowait()
    except queue.Empty:
        return
