"""A plain timeline opened as a project: its media are looked at where it says they lie, or searched for by their names
in folders that a person chose, and become the clips."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ..errors import ExportError, ShadowError
from ..jobs import Report
from ..media import MediaInfo
from ..media.asking import Question, tell
from ..pairs import FileRef, Original
from ..project import Clip, Project, new_project, save_project
from ..timeline import Timeline, new_id
from .arriving import Arrived, ReadRequest, read_arrived
from .elsewhere import FilesElsewhere
from .home import as_timeline, match_events

_MOST = 20_000  # files


@dataclass(frozen=True)
class Opening:
    """A timeline file to be opened, and the folders in which media are searched for that are not where it says."""

    path: Path
    places: tuple[Path, ...] = ()


@dataclass(frozen=True)
class Opened:
    """The project that a timeline became, the names of media that were not found, and what was left out or could not be
    told, a sentence each. Without any clip where nothing was found."""

    project: Project
    missing: tuple[str, ...]
    notes: tuple[str, ...]


def open_as_project(
    asked: Opening, probe: Callable[[Path], MediaInfo] | None = None, report: Report = lambda done: None
) -> Opened:
    """A new project from a timeline file. ``probe`` looks at a file; best in a worker. Nothing is written.

    The media stay where they are: a shelf of originals is made of each folder they lie in. What is not found is named,
    and left out of the timeline. Raises ExportError for a file that is no timeline or names no media, ShadowError for a
    folder that is not there.
    """
    look = probe or (lambda file: tell(Question(file), lambda done: None))
    arrived = read_arrived(ReadRequest((asked.path,), Fraction(25)))
    files = _files(arrived)
    if not files:
        raise ExportError(
            "names no media", asked.path,
            "Open the project they belong to and bring the timeline home there, or ingest the footage first.",
        )  # fmt: skip
    elsewhere = FilesElsewhere(asked.places, lambda: report(0.0))
    project = new_project(asked.path.stem)
    missing: list[str] = []
    notes: list[str] = []
    for number, (address, name) in enumerate(files[:_MOST]):
        try:
            file = _at_its_place(address, asked.path) or elsewhere.find(address or name)
            project = _with_clip(project, file, name, look(file))
        except LookupError as unclear:
            missing.append(name or Path(address).name)
            notes.extend(str(why) for why in unclear.args)
        except (ShadowError, OSError):
            missing.append(name or Path(address).name)
        report((number + 1) / len(files))
    line, left_out = as_timeline(project, arrived, match_events(project, arrived))
    line = _sized(project, arrived, line)
    return Opened(project.but(timeline=line), tuple(missing), (*arrived.notes, *notes, *left_out))


def _files(arrived: Arrived) -> list[tuple[str, str]]:
    """Addresses of the media with the names they have on the timeline, once each; "" for the address of what has only a
    name."""
    found: dict[str, tuple[str, str]] = {}
    for track in arrived.tracks:
        for event in track.events:
            if event.title is None and (event.address or event.name):
                found.setdefault(event.address or f"/{event.name.casefold()}", (event.address, event.name))
    return list(found.values())


def _at_its_place(address: str, timeline: Path) -> Path | None:
    """The file at an address, which may be told from where the timeline lies; None where none is there."""
    if not address or "\0" in address:
        return None
    file = timeline.absolute().parent / address
    return file if file.is_file() else None


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


def open_in_worker(asked: Opening, report: Report) -> Opened:
    """The same as a task for a worker. Raises what :func:`open_as_project` raises."""
    return open_as_project(asked, report=report)


def keep_opened(opened: Opened, target: Path) -> None:
    """Write the project. Raises ExportError where nothing was found or a file of that name is there, ProjectError."""
    if not opened.project.clips:
        raise ExportError("is not written: none of the media was found", target, "Choose a folder to search.")
    if target.exists():
        raise ExportError("there is a file of that name already", target, "Choose another name.")
    save_project(opened.project, target)
