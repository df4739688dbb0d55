"""The project: the document, its file, and the session that holds it open."""

from .cut import Cut, Decision
from .document import Project, new_project
from .file import load_project, save_project
from .footage import Bake, Clip, Footage
from .known import known_projects, other_projects, remember_project
from .lock import Holder, ProjectLock
from .ready import (
    begin_project,
    ready_made_projects,
    remove_ready_made,
    save_ready_made,
    set_standing_preset,
    standing_preset,
)
from .session import ProjectSession

__all__ = [
    "Bake",
    "Clip",
    "Cut",
    "Decision",
    "Footage",
    "Holder",
    "Project",
    "ProjectLock",
    "ProjectSession",
    "begin_project",
    "known_projects",
    "load_project",
    "new_project",
    "other_projects",
    "ready_made_projects",
    "remember_project",
    "remove_ready_made",
    "save_project",
    "save_ready_made",
    "set_standing_preset",
    "standing_preset",
]
