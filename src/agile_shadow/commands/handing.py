"""``agile-shadow handover``, ``bring-home`` and ``timelines``: the cut goes out, comes home, and is compared."""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.errors import ProjectError, ShadowError
from ..core.handover import (
    KINDS,
    Arrived,
    Difference,
    EventMatch,
    HandOver,
    Opened,
    Opening,
    ReadRequest,
    as_timeline,
    block_names,
    compare_timelines,
    hand_over,
    keep_opened,
    match_events,
    open_in_worker,
    read_arrived,
)
from ..core.jobs import WorkerPool
from ..core.project import Project, ProjectLock, load_project, save_project
from ..core.time import parse_rate, rate_label
from ..core.timeline import Timeline
from .shared import AsJson, LineName, ProjectFile, answer, line_named, say, told

timelines = typer.Typer(no_args_is_help=True, help="The timelines of a project.")


class As(StrEnum):
    """The formats that a cut is handed over in."""

    otio = "otio"
    otioz = "otioz"
    otiod = "otiod"
    edl = "edl"
    aaf = "aaf"
    csv = "csv"
    page = "page"


class Named(StrEnum):
    """Which files of the clips are named."""

    both = "both"
    original = "original"
    proxy = "proxy"


def handover(
    project: ProjectFile,
    as_: Annotated[As, typer.Option("--as", help="The format.")],
    out: Annotated[Path, typer.Option("--out", help="The file; of edit lists the first part of their names.")],
    side: Annotated[Named, typer.Option("--side", help="Which files are named; one only in edit lists and AAF.")]
    = Named.both,
    timeline: LineName = "",
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Hand the cut over to another tool; what the format leaves out is said first."""
    with told():
        document = load_project(project)
        document = document.with_open(line_named(document, timeline, project).id)
        ending = KINDS[as_.value][1]
        if out.suffix.lower() != ending:
            raise ShadowError(f"its extension does not fit {KINDS[as_.value][0]}", out, f"Name it {out.stem}{ending}.")
        done = hand_over(HandOver(document, as_.value, out.absolute(), side.value))
        for note in done.notes:
            say(note)
    values = {"as": as_.value, "paths": [str(path) for path in done.paths], "left_out": list(done.notes)}
    answer(values, as_json, lambda: (str(path) for path in done.paths))


def bring_home(
    files: Annotated[list[Path], typer.Argument(metavar="FILE...", help="A timeline; edit lists: one for each track.")],
    project: ProjectFile,
    rate: Annotated[str, typer.Option("--rate", help="Frames per second of edit lists; default: the timeline's.")] = "",
    take: Annotated[bool, typer.Option("--take", help="Keep it in the project as a new timeline.")] = False,
    as_json: AsJson = False,
) -> None:
    """Match a timeline from another tool to the project's clips, and say how it differs from the one that is open."""
    with told():
        document = load_project(project)
        with WorkerPool(1) as readers:
            request = ReadRequest(tuple(path.absolute() for path in files), _rate(rate, document))
            arrived: Arrived = readers.submit(read_arrived, request).result()
        matches = match_events(document, arrived)
        line, left_out = as_timeline(document, arrived, matches)
        differences = compare_timelines(document.timeline, line)
        if take:
            _keep(project, line)
    name_of = block_names(document)
    values: dict[str, Any] = {
        "timeline": line.name, "rate": rate_label(line.rate), "frames": line.length,
        "events": [_event(document, arrived, one) for one in matches],
        "left_out": [*arrived.notes, *left_out],
        "differences": [_difference(one, name_of) for one in differences], "taken": take,
    }  # fmt: skip

    def lines() -> Iterator[str]:
        for item in values["events"]:
            found = f"{item['state']} {item['clip'] or ''}".strip()
            yield f"{item['track']} {item['begin']}: {item['name']}: {found} ({item['why']})"
        yield from values["left_out"]
        yield f"{len(differences)} differences from {document.timeline.name}:"
        yield from (f"  {item['kind']} {item['track']}: {item['words']}" for item in values["differences"])

    answer(values, as_json, lines)
    if any(one.state == "not found" for one in matches):
        raise typer.Exit(1)


def open_timeline(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="A timeline from another tool.")],
    project: Annotated[Path, typer.Option("--project", help="The project file to be made (.otio).")],
    search: Annotated[
        list[Path] | None,
        typer.Option("--search", metavar="FOLDER", help="Where to search for media by name; may be given again."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Make a project from a timeline of another tool. Exit status 1 where some of its media were not found."""
    with told(), WorkerPool(1) as readers:
        asked = Opening(file.absolute(), tuple(place.absolute() for place in search or ()))
        opened: Opened = readers.submit(open_in_worker, asked).result()
        keep_opened(opened, project.absolute())
    values = {
        "project": str(project), "clips": len(opened.project.clips), "frames": opened.project.timeline.length,
        "missing": list(opened.missing), "left_out": list(opened.notes),
    }  # fmt: skip

    def lines() -> Iterator[str]:
        yield f"{project}: {values['clips']} clips, {values['frames']} frames"
        yield from (f"  not there: {name}" for name in opened.missing)
        yield from opened.notes

    answer(values, as_json, lines)
    if opened.missing:
        raise typer.Exit(1)


def _rate(text: str, document: Project) -> Fraction:
    if not text:
        return document.timeline.rate or Fraction(25)
    try:
        return parse_rate(text)
    except (ValueError, ZeroDivisionError) as error:
        raise ShadowError(f'"{text}" is no frame rate', None, 'Write it as "25" or "24000/1001".') from error


def _keep(path: Path, line: Timeline) -> None:
    lock = ProjectLock(path)
    lock.take("bring-home")
    try:
        document = load_project(path)
        save_project(document.but(timeline=line, others=(*document.others, document.timeline)), path)
    finally:
        lock.release()


def _event(document: Project, arrived: Arrived, match: EventMatch) -> dict[str, Any]:
    clip = document.clip(match.clip)
    return {
        "track": arrived.tracks[match.track].name, "name": match.event.name.replace("\n", " / "),
        "begin": match.event.start, "length": match.event.length,
        "state": match.state, "clip": clip.name if clip is not None else None,
        "why": "; ".join(match.reasons),
    }  # fmt: skip


def _difference(one: Difference, name_of: Any) -> dict[str, Any]:
    return {"change": one.change, "kind": one.kind, "track": one.track + 1, "frame": one.start,
            "blocks": max(len(one.mine), len(one.theirs)), "by": list(one.by), "words": one.words(name_of)}  # fmt: skip


@timelines.command("list")
def list_(project: ProjectFile, as_json: AsJson = False) -> None:
    """List the timelines of a project."""
    with told():
        document = load_project(project)
    listed = [
        {"name": line.name, "frames": line.length, "rate": rate_label(line.rate) if line.rate else None,
         "width": line.width, "height": line.height, "start": line.timecode(0), "open": line.id == document.timeline.id}
        for line in document.timelines
    ]  # fmt: skip
    answer({"timelines": listed}, as_json, lambda: (f"{one['name']}: {one['frames']} frames" for one in listed))


@timelines.command()
def compare(
    first: Annotated[str, typer.Argument(metavar="A", help="Name of a timeline.")],
    second: Annotated[str, typer.Argument(metavar="B", help="Name of another one.")],
    project: ProjectFile,
    as_json: AsJson = False,
) -> None:
    """Say how timeline B differs from timeline A: added, removed, moved, trimmed, and by how many frames."""
    with told():
        document = load_project(project)
        known = {line.name for line in document.timelines}
        for name in (first, second):
            if name not in known:
                raise ProjectError(f'has no timeline "{name}"', project, f"It has: {', '.join(sorted(known))}.")
        found = compare_timelines(line_named(document, first, project), line_named(document, second, project))
    listed = [_difference(one, block_names(document)) for one in found]

    def lines() -> Iterator[str]:
        yield from (f"{one['frame']}, {one['kind']} {one['track']}: {one['words']}" for one in listed)

    answer({"differences": listed}, as_json, lines)
