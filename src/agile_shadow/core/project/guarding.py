"""Which files are footage, by what they are and not by their names: no command ever writes over or removes one."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from ..errors import ShadowError
from ..media.sequence import members
from .document import Project

Identity = tuple[int, int]  # device, inode


def identity_of(status: os.stat_result) -> Identity:
    """What tells a file apart from all others that are there at the same time."""
    return status.st_dev, status.st_ino


def footage_of(projects: Iterable[Project], proxies: bool = False) -> frozenset[Identity]:
    """Every original, its parts, and every sidecar that can be reached, and with ``proxies`` these too. Touches drives.
    """
    found: set[Identity] = set()
    for project in projects:
        for clip in project.clips:
            files = [clip.original.file, *clip.sidecars, *(proxy.file for proxy in clip.proxies if proxies)]
            for file in files:
                with suppress(OSError, ShadowError, ValueError):
                    path = project.path(file)
                    found |= {identity_of(os.stat(part)) for part in members(path)} if path is not None else set()
    return frozenset(found)


def refuse_footage(project: Project, out: Path) -> None:
    """Raises ShadowError where a file that is to be written is footage of the project, under whatever name."""
    try:
        status = os.stat(out)
    except OSError:
        return
    if identity_of(status) in footage_of([project], proxies=True):
        raise ShadowError("that is a file of this project's footage", out, "Choose another name.")
