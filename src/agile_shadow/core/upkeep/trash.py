"""The desktop's trash, as far as bringing files back goes (freedesktop.org Trash specification 1.0)."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from urllib.parse import unquote

from send2trash import send2trash
from send2trash.exceptions import TrashPermissionError

from ..errors import ShadowError, from_os_error, os_reason
from ..files import rename_new

NO_TRASH = "its drive has no trash"
_LARGEST = 65_536  # bytes of a note in the trash


def into_trash(path: Path) -> str:
    """Put a file into the trash; an empty text, or why it stays."""
    try:
        send2trash(str(path))
    except TrashPermissionError:
        return NO_TRASH
    except OSError as error:
        return os_reason(error)[0]
    return ""


def out_of_trash(path: Path) -> None:
    """Bring a file back that was put into the trash last from there. Raises ShadowError, never replaces a file."""
    note = max(_notes_of(path), key=lambda one: one[1], default=None)
    if note is None:
        raise ShadowError("is not in the trash any more", path, "It can be made again.")
    info = note[0]
    kept = info.parent.parent / "files" / info.name.removesuffix(".trashinfo")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        rename_new(kept, path)
        info.unlink(missing_ok=True)
    except FileExistsError as error:
        raise ShadowError("another file is there now", path, "Take it out of the trash by hand.") from error
    except OSError as error:
        raise from_os_error(error, path) from error


def _notes_of(path: Path) -> Iterator[tuple[Path, float]]:
    """(note, when it was written) of files in the trash that lay at a path."""
    for trash, top in _trashes(path):
        with suppress(OSError):
            for note in (trash / "info").glob("*.trashinfo"):
                status = note.lstat()
                if status.st_size <= _LARGEST and _original_of(note, top) == path:
                    yield note, status.st_mtime


def _trashes(path: Path) -> Iterator[tuple[Path, Path]]:
    """(a folder of the trash, what its notes' paths begin at): the user's own, and that of the file's drive."""
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    yield data / "Trash", Path("/")
    top = next((parent for parent in path.parents if os.path.ismount(parent)), Path("/"))
    yield top / ".Trash" / str(os.getuid()), top
    yield top / f".Trash-{os.getuid()}", top


def _original_of(note: Path, top: Path) -> Path | None:
    for line in note.read_text(encoding="utf-8", errors="replace").splitlines():
        if line.startswith("Path="):
            return top / unquote(line.removeprefix("Path="))
    return None
