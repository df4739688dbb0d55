"""A plain timeline opened as a project: its media are looked at where it says they lie, and become the clips."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ..errors import ExportError, MediaError, ShadowError
from ..jobs import Report
from ..media import MediaInfo
from ..media.asking import Question, tell
from ..pairs import FileRef, Original
from ..project import Clip, Project, new_project, save_project
from ..timeline import Timeline, new_id
from .arriving import Arrived, ReadRequest, read_arrived
from .home import as_timeline, match_events

_MOST = 20_000  # files


@dataclass(frozen=True)
class Opened:
    """The project that a timeline became, and the names of media that were not found."""

    project: Project
    missing: tuple[str, ...]
    notes: tuple[str, ...]


def open_as_project(
    path: Path, probe: Callable[[Path], MediaInfo] | None = None, report: Report = lambda done: None
) -> Opened:
    """A new project from a timeline file. ``probe`` looks at a file; best in a worker. Nothing is written.

    The media stay where they are: a shelf of originals is made of each folder they lie in. What is not there is named,
    and left out of the timeline. Raises ExportError for a file that is no timeline, or none of whose media are there.
    """
    look = probe or (lambda file: tell(Question(file), lambda done: None))
    arrived = read_arrived(ReadRequest((path,), Fraction(25)))
    project = new_project(path.stem)
    missing: list[str] = []
    files = _files(arrived)
    for number, (address, name) in enumerate(files[:_MOST]):
        file = Path(address)
        try:
            if not file.is_absolute() or not file.is_file():
                raise MediaError("is not there", file, "Bring it back.")
            project = _with_clip(project, file, name, look(file))
        except (ShadowError, OSError):
            missing.append(name or file.name)
        report((number + 1) / len(files))
    if not project.clips:
        raise ExportError(
            "none of the media it names was found" if files else "it names no media", path,
            "Open the project they belong to and bring the timeline home there, or ingest the footage first.",
        )  # fmt: skip
    line, left_out = as_timeline(project, arrived, match_events(project, arrived))
    line = _sized(project, arrived, line)
    return Opened(project.but(timeline=line), tuple(missing), (*arrived.notes, *left_out))


def _files(arrived: Arrived) -> list[tuple[str, str]]:
    """Addresses of the media with the names they have on the timeline, once each."""
    found: dict[str, str] = {}
    for track in arrived.tracks:
        for event in track.events:
            if event.address:
                found.setdefault(event.address, event.name)
    return list(found.items())


def _with_clip(project: Project, file: Path, name: str, info: MediaInfo) -> Project:
    footage, shelf = project.footage.with_shelf(file.parent.name or str(file.parent), "originals", file.parent)
    status = file.stat()
    original = Original(FileRef(shelf.id, file.name, info.form), info, status.st_size, status.st_mtime_ns)
    clip = Clip(new_id(), name or file.stem, original, source=str(file))
    return replace(project, footage=footage.with_clip(clip))


def _sized(project: Project, arrived: Arrived, line: Timeline) -> Timeline:
    """A timeline that says no frame size has that of the first original it shows."""
    shown = (project.clip(block.clip) for track in line.pictures for block in track.blocks)
    first = next((clip for clip in shown if clip is not None and clip.original.info.display_width), None)
    if arrived.size is not None or first is None:
        return line
    info = first.original.info
    return replace(line, width=info.display_width // 2 * 2, height=info.display_height // 2 * 2)


def open_as_project_in(request: tuple[Path, Path], report: Report) -> Opened:
    """The same for a worker, which keeps the project in the second file. Raises ExportError, ProjectError."""
    path, target = request
    if target.exists():
        raise ExportError("there is a file of that name already", target, "Choose another name.")
    opened = open_as_project(path, report=report)
    save_project(opened.project, target)
    return opened
