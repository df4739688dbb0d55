"""Reading files from end to end: ahead of whoever uses the bytes, again where a drive stumbles, and their checksums."""

from __future__ import annotations

import errno
import hashlib
import os
import queue
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Protocol

import xxhash

from .drives import drives

_CHUNK = 4 << 20  # bytes read at a time
_LEAST = 64 << 10  # bytes; of a small file
_BUFFERS = 4
TRIES = 3  # at a place that a drive cannot read
_BREATH = 0.2  # seconds before it is tried again


class Hasher(Protocol):
    def update(self, data: bytes | memoryview, /) -> None: ...
    def hexdigest(self) -> str: ...


def new_hasher(checksum: str) -> Hasher:
    """A fresh hasher: ``xxh128``, ``xxh64``, ``md5`` or ``sha1``; raises KeyError for another."""
    makers: dict[str, Callable[[], Hasher]] = {
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
    handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    try:
        return hash_open(handle, path, checksum, report, fresh)
    finally:
        os.close(handle)


def hash_open(
    handle: int, path: Path, checksum: str, report: Callable[[int], None] = lambda count: None, fresh: bool = False
) -> str:
    """The same of an open file; ``path`` is for messages."""
    hasher = new_hasher(checksum)
    if fresh:
        os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
    for chunk in read_ahead(handle, path):
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


def read_ahead(handle: int, path: Path) -> Iterator[memoryview]:
    """The bytes of an open file in order, read by a thread into a few buffers that are used again; those of a small
    file at once.

    A view is valid until the next one is taken. Raises OSError, with ``path`` as its file name.
    """
    size = os.fstat(handle).st_size
    if size < _CHUNK:
        yield from _read_small(handle, path, size)
        return
    os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_SEQUENTIAL)
    free: queue.SimpleQueue[bytearray | None] = queue.SimpleQueue()
    filled: queue.SimpleQueue[tuple[bytearray, int] | Exception | None] = queue.SimpleQueue()
    for _ in range(_BUFFERS):
        free.put(bytearray(_CHUNK))
    thread = threading.Thread(target=_fill, args=(handle, path, free, filled), daemon=True)
    thread.start()
    try:
        while (item := filled.get()) is not None:
            if isinstance(item, Exception):
                raise item
            buffer, count = item
            yield memoryview(buffer)[:count]
            free.put(buffer)
    finally:
        free.put(None)
        thread.join()


def _read_small(handle: int, path: Path, size: int) -> Iterator[memoryview]:
    """To the end, wherever that is by then: it may have grown since it was looked at."""
    buffer, offset = bytearray(max(size + 1, _LEAST)), 0
    while count := _read(handle, path, offset, buffer):
        offset += count
        yield memoryview(buffer)[:count]


def _fill(
    handle: int,
    path: Path,
    free: queue.SimpleQueue[bytearray | None],
    filled: queue.SimpleQueue[tuple[bytearray, int] | Exception | None],
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
    except Exception as error:  # whatever it was, it is raised where the bytes are waited for
        filled.put(error)


def _read(handle: int, path: Path, offset: int, buffer: bytearray) -> int:
    """Fill a buffer from a file; what fails is tried again before OSError names the file and the byte."""
    for left in reversed(range(TRIES)):
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
