"""Opening a kit on any machine: its shelves lie where the kit lies."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ..errors import ShadowError
from ..project import Project, load_project, save_project
from ..shelves import with_volume
from .file import Kit, read_kit


def open_kit(folder: Path) -> Path:
    """The project file of a kit, with its shelves where the kit lies now. Raises ShadowError, also for a kit that is
    unfinished."""
    kit = read_kit(folder)
    if not kit.whole:
        raise ShadowError("is unfinished: its making was interrupted", folder, "Bring it up to date at home first.")
    path = folder / kit.name
    project = load_project(path)
    here = lying_here(project, kit, folder)
    if here.shelves != project.shelves:
        save_project(here, path)
    return path


def lying_here(project: Project, kit: Kit, folder: Path) -> Project:
    """A kit's project with the kit's shelves at its folder."""
    shelves = tuple(
        with_volume(replace(shelf, root=folder / kit.shelves[shelf.id]))
        if shelf.id in kit.shelves and shelf.root != folder / kit.shelves[shelf.id] else shelf
        for shelf in project.shelves
    )  # fmt: skip
    return project if shelves == project.shelves else project.but(shelves=shelves)
