"""Folders below a shelf's root: entered without following links, and only while the root is the one it was."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from .drives import drives
from .errors import CopyError, ShelfGone
from .files import flush, flush_folder, rename_new_at

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC


@dataclass(frozen=True)
class Anchor:
    """The root of a shelf as it was when it was looked at: numbers of its device and of its inode (stat(2))."""

    root: Path
    device: int
    inode: int

    @classmethod
    def of(cls, root: Path) -> Anchor:
        """The root as it is now. Raises ShelfGone when it is not there."""
        try:
            return cls(root, *drives().identity(root))
        except OSError as error:
            raise _gone(root) from error

    def holds(self) -> bool:
        """Whether the same folder lies at the root still."""
        try:
            return drives().identity(self.root) == (self.device, self.inode)
        except OSError:
            return False

    def check(self) -> None:
        """Raises ShelfGone when the root is not the folder it was: its drive was unmounted, or another one mounted."""
        if not self.holds():
            raise _gone(self.root)


def _gone(root: Path) -> ShelfGone:
    return ShelfGone("the shelf is not there: its drive is away, or another one is in its place", root, "Connect it.")


class Folder:
    """An open folder below a shelf's root. Names are those of files in it; ``path`` is for messages.

    All methods raise OSError with the file's whole path.
    """

    def __init__(self, path: Path, handle: int, anchor: Anchor) -> None:
        self.path = path
        self.handle = handle
        self.anchor = anchor

    def create(self, name: str) -> int:
        """A new file, open for writing; there is none of that name, nor a link."""
        with about(self.path / name):
            return os.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666, dir_fd=self.handle)

    def open(self, name: str) -> int:
        """An ordinary file, open for reading; anything else is refused."""
        with about(self.path / name):
            return open_ordinary(name, self.handle)

    def status(self, name: str) -> os.stat_result | None:
        """What lies there, None when nothing does; links are not followed."""
        with about(self.path / name):
            try:
                return os.stat(name, dir_fd=self.handle, follow_symlinks=False)
            except FileNotFoundError:
                return None

    def remove(self, name: str) -> None:
        """Remove a file, if it is there."""
        with about(self.path / name):
            try:
                os.unlink(name, dir_fd=self.handle)
            except FileNotFoundError:
                pass

    def set_times(self, name: str, accessed: int, modified: int) -> None:
        """Set a file's times, in nanoseconds."""
        with about(self.path / name):
            os.utime(name, ns=(accessed, modified), dir_fd=self.handle, follow_symlinks=False)

    def name_finally(self, partial: str, name: str) -> None:
        """Give a finished file its final name, while the root is what it was. Raises FileExistsError, ShelfGone."""
        self.anchor.check()
        with about(self.path / name):
            rename_new_at(self.handle, partial, self.handle, name)
            flush_folder(self.handle)


def open_ordinary(name: str | Path, folder: int | None = None) -> int:
    """A file open for reading; a link, a folder, a device or a pipe is refused without waiting. Raises OSError."""
    handle = os.open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=folder)
    if not stat.S_ISREG(os.fstat(handle).st_mode):
        os.close(handle)
        raise OSError(errno.EINVAL, "it is not an ordinary file", str(name))
    return handle


@contextmanager
def about(path: Path) -> Iterator[None]:
    """Names the file in an error of the system, whatever name the call had for it."""
    try:
        yield
    except OSError as error:
        error.filename = str(path)
        raise


@contextmanager
def folder_below(anchor: Anchor, path: Path, make: bool = False) -> Iterator[Folder]:
    """Enter a folder below (or at) a root, component by component; ``make``: make those that are missing, never the
    root itself.

    Raises ShelfGone, CopyError where a link or a file stands in the way, OSError.
    """
    anchor.check()
    parts = path.relative_to(anchor.root).parts
    if ".." in parts:
        raise CopyError("leads out of its shelf", path, "The project file may be damaged.")
    try:
        handle = os.open(anchor.root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError as error:
        raise _gone(anchor.root) from error
    here = anchor.root
    try:
        for part in parts:
            here = here / part
            inner = _entered(part, handle, here, make)
            os.close(handle)
            handle = inner
        yield Folder(path, handle, anchor)
    finally:
        os.close(handle)


def _entered(part: str, parent: int, path: Path, make: bool) -> int:
    with about(path):
        if make:
            _made(part, parent)
        try:
            return os.open(part, _FOLDER, dir_fd=parent)
        except OSError as error:
            if error.errno in (errno.ELOOP, errno.ENOTDIR):
                raise CopyError(
                    "is a link or a file where a folder of the shelf is needed", path, "Move it away, then retry."
                ) from error
            raise


def _made(part: str, parent: int) -> None:
    try:
        os.mkdir(part, dir_fd=parent)
    except FileExistsError:
        return
    flush_folder(parent)


def nearest_anchor(folder: Path) -> Anchor:
    """For files that go to a place of the user's choice, which is no shelf: the folder itself, made where it is not
    there. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    flush(folder)
    return Anchor.of(folder)
