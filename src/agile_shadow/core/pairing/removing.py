"""Removing proxies: into the trash, and only what this project had made."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from send2trash import send2trash
from send2trash.exceptions import TrashPermissionError

from ..errors import ShadowError, os_reason
from ..media.sequence import exists
from ..pairs import FileRef, Proxy
from ..project import Clip, Project
from .taking import unpair


@dataclass(frozen=True)
class Removed:
    """``gone``: (clip, file) that are in the trash or were not there any more; ``kept``: sentences why others stay."""

    gone: tuple[tuple[str, FileRef], ...]
    kept: tuple[str, ...]


def remove_files(project: Project, pairs: Iterable[tuple[Clip, Proxy]]) -> Removed:
    """Put the files of proxies into the trash. Touches drives. Never an original, never what others made."""
    originals = {path for clip in project.clips if (path := _place(project, clip.original.file)) is not None}
    gone, kept = [], []
    for clip, proxy in pairs:
        path = _place(project, proxy.file)
        if not proxy.made:
            kept.append(f"{proxy.file.path} was not made by this project: unpair it, the file is yours to remove.")
        elif path is None or path in originals:
            kept.append(f"{proxy.file.path} cannot be removed: it does not lie on a shelf of this project.")
        elif not exists(path):
            gone.append((clip.id, proxy.file))
        else:
            try:
                send2trash(str(path))
                gone.append((clip.id, proxy.file))
            except (OSError, TrashPermissionError) as error:
                reason = os_reason(error)[0] if isinstance(error, OSError) else "its drive has no trash"
                kept.append(f"{path}: {reason}; it stays.")
    return Removed(tuple(gone), tuple(kept))


def _place(project: Project, file: FileRef) -> Path | None:
    try:
        path = project.path(file)
    except ShadowError:
        return None
    return path.absolute() if path is not None else None


def without(project: Project, removed: Removed) -> Project:
    """The project without the proxies that are gone."""
    for clip, file in removed.gone:
        project = unpair(project, clip, file)
    return project
