"""What new projects begin with: the user's standing preset, and ready-made projects."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

from send2trash import send2trash

from ..errors import PresetError, ProjectError, from_os_error
from ..files import written_atomically
from ..log import config_folder
from ..presets import Preset, find_preset
from ..timeline import Timeline
from ..timeline.model import new_id
from .cut import Cut
from .document import Project, new_project
from .file import load_project, save_project
from .footage import Footage

SCHEMA = "agile-shadow new projects"


def _file() -> Path:
    return config_folder() / "new-projects.json"


def _folder() -> Path:
    folder = config_folder() / "ready-made projects"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def standing_preset() -> Preset | None:
    """The standing preset of new projects; None when none was chosen or it is not there any more."""
    try:
        name = json.loads(_file().read_text(encoding="utf-8"))["standing_preset"]
        return find_preset(name) if isinstance(name, str) else None
    except (OSError, ValueError, KeyError, TypeError, PresetError):
        return None


def set_standing_preset(name: str | None) -> None:
    """Choose the standing preset of new projects by its name, or none. Raises ProjectError."""
    values: dict[str, Any] = {"schema": SCHEMA, "version": 1, "standing_preset": name}
    try:
        with written_atomically(_file()) as partial:
            partial.write_text(json.dumps(values, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, _file(), ProjectError) from error


def begin_project(name: str, ready_made: str | None = None) -> Project:
    """A new project: from a ready-made one, else empty with the standing preset. Raises ProjectError."""
    if ready_made is None:
        return new_project(name).but(preset=standing_preset())
    path = _folder() / f"{ready_made}.otio"
    if not path.is_file():
        known = ", ".join(f'"{one}"' for one in ready_made_projects()) or "none yet"
        raise ProjectError(f'there is no ready-made project "{ready_made}"', None, f"There are: {known}.")
    return load_project(path).but(id=new_id(), name=name)


def ready_made_projects() -> list[str]:
    """Names of the ready-made projects."""
    return sorted((path.stem for path in _folder().glob("*.otio")), key=str.casefold)


def save_ready_made(project: Project, name: str) -> Path:
    """Keep a project's set-up (preset, shelves, settings of its timeline) to begin others with. Raises ProjectError."""
    stem = re.sub(r"[^\w .,()+-]+", "_", name)[:80].strip(" .")
    if not stem:
        raise ProjectError("a ready-made project needs a name", None, "Type one.")
    timeline = project.timeline
    tracks = tuple(replace(track, blocks=()) for track in timeline.tracks)
    bare = Project(
        Footage(
            project.id,
            project.shelves,
            chosen_preset=project.footage.chosen_preset,
            bake_room=project.footage.bake_room,
        ),
        Cut(
            stem,
            Timeline(timeline.name, timeline.rate, timeline.width, timeline.height, tracks),
            preset=project.preset,
            by_itself=project.cut.by_itself,
        ),
    )
    path = _folder() / f"{stem}.otio"
    save_project(bare, path)
    return path


def remove_ready_made(name: str) -> None:
    """Put a ready-made project into the trash. Raises ProjectError."""
    path = _folder() / f"{name}.otio"
    try:
        send2trash(path)
    except OSError as error:
        raise from_os_error(error, path, ProjectError) from error
