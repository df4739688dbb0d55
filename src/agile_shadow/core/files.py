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
_NAME_BYTES = 255  # of a file name, on all usual file systems
_WRITTEN_BY = re.compile(r"\.([0-9a-f]{8}-(\d+))-[0-9a-f]{8}\.part$")


def partial_path(target: Path) -> Path:
    """A temporary name beside ``target`` that no scan takes for media; it says which process writes it."""
    name = shortened(target.name, _NAME_BYTES - 50)
    return target.with_name(f".{name}.{_writer(os.getpid())}-{secrets.token_hex(4)}{PARTIAL_SUFFIX}")


def shortened(text: str, most: int) -> str:
    """The beginning of a text that is at most so many bytes long as a file name (UTF-8), whole letters only."""
    return os.fsencode(text)[:most].decode("utf-8", "ignore") if len(os.fsencode(text)) > most else text


def fitting_name(stem: str, ending: str) -> str:
    """A file name that a drive holds (255 bytes); the stem is cut at its end where both are too long."""
    return f"{shortened(stem, max(1, _NAME_BYTES - len(os.fsencode(ending))))}{ending}"


def plain_name(text: str, otherwise: str) -> str:
    """A name that any drive holds, of a text that may hold anything; ``otherwise`` where nothing is left of it."""
    plain = "".join(letter if letter.isprintable() and letter not in '/\\:*?"<>|' else "_" for letter in text)
    return shortened(plain.strip(". "), 150) or otherwise


def _writer(process: int) -> str:
    return f"{zlib.crc32(socket.gethostname().encode()):08x}-{process}"


def is_partial(name: str) -> bool:
    """True for a file name made by :func:`partial_path`."""
    return name.startswith(".") and name.endswith(PARTIAL_SUFFIX)


def remove_partials(folder: Path) -> int:
    """Remove temporary files below ``folder`` whose writer, a process of this machine, is dead; returns how many."""
    removed = 0
    for where, _folders, names in os.walk(folder):
        removed += _remove_orphans(Path(where), names)
    return removed


def remove_partials_beside(path: Path) -> int:
    """Remove what a process that is dead left of ``path`` in its folder; returns how many. Raises OSError."""
    own = f".{path.name[:40]}"
    return _remove_orphans(path.parent, [name for name in os.listdir(path.parent) if name.startswith(own)])


def _remove_orphans(folder: Path, names: list[str]) -> int:
    removed = 0
    for name in names:
        if is_partial(name) and _is_orphan(name):
            (folder / name).unlink(missing_ok=True)
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
        flush_folder(handle)
    finally:
        os.close(handle)


def flush_folder(handle: int) -> None:
    """The same for an open folder; drives that cannot flush folders need not."""
    try:
        os.fsync(handle)
    except OSError as error:
        if error.errno not in (errno.EINVAL, errno.ENOTSUP):
            raise


_AT_FDCWD = -100
_RENAME_NOREPLACE = 1


def rename_new(partial: Path, target: Path) -> None:
    """Give a finished file its final name; raises FileExistsError instead of replacing one (renameat2(2))."""
    rename_new_at(_AT_FDCWD, str(partial), _AT_FDCWD, str(target))
    flush(target.parent)


def rename_new_at(folder: int, partial: str, other: int, target: str) -> None:
    """The same for names in open folders, without the flush of the folder."""
    libc = ctypes.CDLL(None, use_errno=True)
    done = libc.renameat2(folder, os.fsencode(partial), other, os.fsencode(target), _RENAME_NOREPLACE)
    if done == 0:
        return
    code = ctypes.get_errno()
    if code not in (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP):
        raise OSError(code, os.strerror(code), target)
    _link_and_unlink(folder, partial, other, target)


def _link_and_unlink(folder: int, partial: str, other: int, target: str) -> None:
    """For drives without the exclusive rename: a second name, which is as exclusive; where there are no second names
    either, the name is claimed by an empty file, then taken over."""
    first, second = (None if one == _AT_FDCWD else one for one in (folder, other))
    try:
        os.link(partial, target, src_dir_fd=first, dst_dir_fd=second, follow_symlinks=False)
        os.unlink(partial, dir_fd=first)
    except FileExistsError:
        raise
    except OSError:
        os.close(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY, dir_fd=second))
        os.replace(partial, target, src_dir_fd=first, dst_dir_fd=second)


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
