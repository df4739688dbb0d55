"""Edit lists of every timeline, kept beside the project before its media are swapped, removed or paired anew."""

from __future__ import annotations

import re
import time
from pathlib import Path

from ..errors import ExportError
from ..files import written_atomically
from ..project import Project
from .edl import edit_lists

_KEPT = 20  # times
_TIME = "%Y-%m-%d %H-%M-%S"
_UNSAFE = re.compile(r"[^\w .,-]+")


def lists_folder(path: Path) -> Path:
    """Where the edit lists of a project file are kept."""
    return path.with_name(f"{path.stem} - edit lists")


def keep_edit_lists(project: Project, path: Path) -> list[Path]:
    """Write an edit list for each track of each timeline of the project in the file ``path``; nothing where the last
    ones that were kept say the same. Raises OSError."""
    texts: dict[str, str] = {}
    for line in project.timelines:
        try:
            lists = edit_lists(project, line)
        except ExportError:
            continue  # it has no clip
        for one in lists:
            texts[_UNSAFE.sub("_", f"{line.name} {one.track}")[:120] + ".edl"] = one.text
    folder = lists_folder(path)
    if not texts or _kept_last(folder) == texts:
        return []
    now = folder / time.strftime(_TIME)
    now.mkdir(parents=True, exist_ok=True)
    for name, text in texts.items():
        with written_atomically(now / name) as partial:
            partial.write_text(text, encoding="utf-8")
    for old in _times(folder)[:-_KEPT]:
        for file in old.glob("*.edl"):
            file.unlink(missing_ok=True)
        if not any(old.iterdir()):
            old.rmdir()
    return [now / name for name in texts]


def _times(folder: Path) -> list[Path]:
    return sorted(one for one in folder.iterdir() if one.is_dir()) if folder.is_dir() else []


def _kept_last(folder: Path) -> dict[str, str]:
    times = _times(folder)
    if not times:
        return {}
    return {file.name: file.read_text(encoding="utf-8") for file in times[-1].glob("*.edl")}
