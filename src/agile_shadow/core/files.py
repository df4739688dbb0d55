"""Files that are whole or not there: temporary name beside the target, flush, check, rename."""

from __future__ import annotations

import ctypes
import errno
import os
import re
import secrets
import socket
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PARTIAL_SUFFIX = ".part"
_WRITTEN_BY = re.compile(r"\.([0-9a-f]{8}-(\d+))-[0-9a-f]{8}\.part$")


def partial_path(target: Path) -> Path:
    """A temporary name beside ``target`` that no scan takes for media; it says which process writes it."""
    return target.with_name(f".{target.name[:170]}.{_writer(os.getpid())}-{secrets.token_hex(4)}{PARTIAL_SUFFIX}")


def _writer(process: int) -> str:
    return f"{zlib.crc32(socket.gethostname().encode()):08x}-{process}"


def is_partial(name: str) -> bool:
    """True for a file name made by :func:`partial_path`."""
    return name.startswith(".") and name.endswith(PARTIAL_SUFFIX)


def remove_partials(folder: Path) -> int:
    """Remove temporary files below ``folder`` whose writer, a process of this machine, is dead; returns how many."""
    removed = 0
    for where, _folders, names in os.walk(folder):
        for name in names:
            if is_partial(name) and _is_orphan(name):
                (Path(where) / name).unlink(missing_ok=True)
                removed += 1
    return removed


def _is_orphan(name: str) -> bool:
    match = _WRITTEN_BY.search(name)
    if match is None or match[1] != _writer(int(match[2])):
        return False
    try:
        state = Path(f"/proc/{match[2]}/stat").read_text().rpartition(")")[2].split()[0]
    except FileNotFoundError:
        return True
    except (OSError, IndexError):
        return False
    return state in "ZX"  # it has ended, and only its parent has not looked yet


def flush(path: Path) -> None:
    """Have the system write the file (or folder) at ``path`` to the drive."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP):
            raise
    finally:
        os.close(handle)


_AT_FDCWD = -100
_RENAME_NOREPLACE = 1


def rename_new(partial: Path, target: Path) -> None:
    """Give a finished file its final name; raises FileExistsError instead of replacing one (renameat2(2))."""
    libc = ctypes.CDLL(None, use_errno=True)
    done = libc.renameat2(_AT_FDCWD, os.fsencode(partial), _AT_FDCWD, os.fsencode(target), _RENAME_NOREPLACE)
    if done != 0:
        code = ctypes.get_errno()
        if code not in (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP):
            raise OSError(code, os.strerror(code), str(target))
        _claim_and_rename(partial, target)
    flush(target.parent)


def _claim_and_rename(partial: Path, target: Path) -> None:
    """For drives without the exclusive rename: the name is claimed by an empty file, then taken over."""
    os.close(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY))
    os.replace(partial, target)


@contextmanager
def written_atomically(target: Path) -> Iterator[Path]:
    """Yields a temporary path to write; on success it is flushed and replaces ``target``, else it is removed."""
    partial = partial_path(target)
    try:
        yield partial
        flush(partial)
        os.replace(partial, target)
        flush(target.parent)
    finally:
        partial.unlink(missing_ok=True)
