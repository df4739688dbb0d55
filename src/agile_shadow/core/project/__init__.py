"""The project: the document, its file, and the session that holds it open."""

from .document import Clip, Project, new_project
from .file import load_project, save_project
from .session import ProjectSession

__all__ = ["Clip", "Project", "ProjectSession", "load_project", "new_project", "save_project"]
