"""Errors that carry data, and the one place where any error becomes a sentence for the user."""

from __future__ import annotations

import errno
from pathlib import Path

_REASONS = {
    errno.ENOSPC: ("the drive is full", "Free some space there or choose another shelf."),
    errno.EDQUOT: ("your quota on the drive is used up", "Free some space there or choose another shelf."),
    errno.EACCES: ("you have no permission to read or write it", "Change its permissions or choose another place."),
    errno.EPERM: ("you have no permission to read or write it", "Change its permissions or choose another place."),
    errno.ENOENT: ("it is not there", "Check that the drive is connected and the path is right."),
    errno.EROFS: ("the drive is read-only", "Choose another place."),
    errno.EIO: ("the drive reported a fault while reading or writing", "Retry, or try another reader or cable."),
    errno.ENODEV: ("the drive is not connected", "Connect it again, then retry."),
    errno.ENXIO: ("the drive is not connected", "Connect it again, then retry."),
    errno.EISDIR: ("it is a folder, not a file", "Name a file."),
    errno.ENOTDIR: ("a part of its path is not a folder", "Check the path."),
    errno.ENAMETOOLONG: ("its name is too long for the drive", "Choose a shorter name or folder."),
}
_AWAY = (errno.ENOENT, errno.ENODEV, errno.ENXIO)


class ShadowError(Exception):
    """Something the user must hear of: what happened, to which file, what to do.

    ``str(error)`` is one sentence fit for the screen. The error pickles, so that it can come out of a worker. ``away``:
    the file, or its drive, was not there; it may be back.
    """

    away = False

    def __init__(self, what: str, path: Path | str | None = None, advice: str = "") -> None:
        super().__init__(what, path, advice)
        self.what = what
        self.path = Path(path) if path is not None else None
        self.advice = advice

    def __str__(self) -> str:
        subject = f"{self.path}: " if self.path is not None else ""
        text = f"{subject}{self.what}".rstrip(".") + "."
        return f"{text} {self.advice}".strip()


class MediaError(ShadowError):
    """A file cannot be used as media."""


class PresetError(ShadowError):
    """A preset file cannot be used."""


class CopyError(ShadowError):
    """A file could not be copied and proved."""


class NoRoom(CopyError):
    """A drive is full: what was to be written can be written once there is room."""


class StateError(ShadowError):
    """This machine's state cannot be written or read; no project depends on it."""


class ShelfGone(CopyError):
    """A shelf is not there any more, or another drive lies at its place: what was to be written waits for it."""


class WorkerStalled(ShadowError):
    """A worker process came no further for a long time and was ended."""


class ProxyError(ShadowError):
    """A proxy could not be made, or is not frame for frame its original."""


class ProjectError(ShadowError):
    """A project file cannot be read or written."""


class NotAProject(ProjectError):
    """A timeline of another tool, of which a project can be made."""


class ShelfError(ShadowError):
    """A place for files cannot be used, or a path would leave it."""


class ExportError(ShadowError):
    """An export was refused or failed."""


class WorkerDied(ShadowError):
    """A worker process ended without an answer."""


class Cancelled(Exception):
    """The user took the work back. Not an error to show."""


def os_reason(error: OSError) -> tuple[str, str]:
    """What happened and what to do, in words, for an error of the operating system."""
    return _REASONS.get(error.errno or 0, (f"the system says: {error.strerror or error}", "Retry."))


def from_os_error(error: OSError, path: Path | str | None, kind: type[ShadowError] = ShadowError) -> ShadowError:
    """The same error as one for the user; ``path`` falls back on the one the system named."""
    what, advice = os_reason(error)
    if error.errno in (errno.ENOSPC, errno.EDQUOT) and kind.__name__ in ("CopyError", "ProxyError"):
        kind = NoRoom
    made = kind(what, path if path is not None else error.filename, advice)
    made.away = is_away(error)
    return made


def is_away(error: BaseException) -> bool:
    """Whether a file, or its drive, was not there."""
    return error.errno in _AWAY if isinstance(error, OSError) else isinstance(error, ShadowError) and error.away


def sentence(error: BaseException) -> str:
    """One sentence for any error: the boundary between exceptions and the user."""
    if isinstance(error, ShadowError):
        return str(error)
    if isinstance(error, OSError):
        return str(from_os_error(error, None))
    return f"Unexpected error ({type(error).__name__}: {error}). See the log for details."
