"""Commands that look: at files, at a project's clips, at the shelves; and the one that draws the demo's card."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.errors import MediaError, ShadowError, WorkerDied
from ..core.jobs import WorkerPool
from ..core.media import MediaInfo
from ..core.media.asking import Question, tell
from ..core.project import Clip, Project, load_project
from ..core.shelves import ROLES, Shelf, keep_user_shelf, look_at, mark_shelf, user_shelves
from ..core.timeline.model import new_id
from ..stand_ins import draw_card
from .shared import AsJson, ProjectFile, answer, for_each, gigabytes, say, told


def probe(
    files: Annotated[list[Path], typer.Argument(metavar="FILE...")],
    whole: Annotated[bool, typer.Option("--whole", help="Decode every frame: is each of them whole?")] = False,
    as_json: AsJson = False,
) -> None:
    """Show what each media file contains, and what is odd about it. Exit status 1: damaged or no footage."""
    with WorkerPool(1) as readers:

        def asked(path: Path) -> dict[str, Any]:
            try:
                info: MediaInfo = readers.submit(tell, Question(path.absolute(), whole=whole)).result()
            except WorkerDied as error:
                raise MediaError("stopped the process that read it: it is damaged or not a supported media file", path,
                                 "Check the file.") from error  # fmt: skip
            return {"path": str(path), **info.to_json()}

        found, problems = for_each(files, asked)

    def lines() -> Iterator[str]:
        for item in found:
            size = f"{item['width']} x {item['height']}, " if item["width"] else ""
            rate = f"{item['frame_rate']} fps, {item['frames']} frames, " if item["frame_rate"] else ""
            yield f"{item['path']}: {item['codec']}, {size}{rate}{item['audio_channels']} sound channels"
            yield from (f"  odd: {text}" for text in item["odd"])
            if item["damage"]:
                yield f"  damaged: {item['damage']}"

    answer({"files": found, "failed": problems}, as_json, lines)
    if problems or any(item["damage"] for item in found):
        raise typer.Exit(1)


def clips(project: ProjectFile, as_json: AsJson = False) -> None:
    """List the clips of a project with their originals and proxies."""
    with told():
        document = load_project(project)
        listed = [_clip_values(document, clip) for clip in document.clips]

    def lines() -> Iterator[str]:
        for item in listed:
            made = ", ".join(f"{p['width']} x {p['height']} {p['state']}" for p in item["proxies"]) or "no proxy"
            yield f"{item['name']}: {item['original']['path']} ({made})"

    answer({"clips": listed}, as_json, lines)


def _clip_values(project: Project, clip: Clip) -> dict[str, Any]:
    original = clip.original
    values = original.info.to_json()
    return {
        "name": clip.name,
        "original": {
            **values,
            "path": str(project.path(original.file)),
            "size": original.size,
            "checksum": original.checksum,
            "checksum_value": original.checksum_value,
        },
        "proxies": [
            {
                **proxy.info.to_json(),
                "path": str(project.path(proxy.file)),
                "state": proxy.state,
                "offset": proxy.offset,
            }
            for proxy in clip.proxies
        ],
    }


def shelves(
    add: Annotated[Path | None, typer.Option("--add", help="Folder to add as a shelf, for all projects.")] = None,
    name: Annotated[str, typer.Option("--name", help="Its name; default: the folder's.")] = "",
    role: Annotated[str, typer.Option("--role", help=f"One of: {', '.join(ROLES)}.")] = "proxies",
    as_json: AsJson = False,
) -> None:
    """List your shelves, whether they are there, and their free space; or add one."""
    with told():
        if add is not None:
            if role not in ROLES:
                raise ShadowError(f'there is no role "{role}"', None, f"Roles are: {', '.join(ROLES)}.")
            keep_user_shelf(mark_shelf(Shelf(new_id(), name or add.absolute().name, role, add.absolute())))
        states = [look_at(shelf) for shelf in user_shelves()]
    listed = [
        {
            "name": state.shelf.name,
            "role": state.shelf.role,
            "folder": str(state.shelf.root),
            "present": state.present,
            "found_at": str(state.found_at) if state.found_at else None,
            "free": state.free,
        }
        for state in states
    ]

    def lines() -> Iterator[str]:
        for state in states:
            moved = f"now at {state.found_at}" if state.found_at else "not connected"
            there = f"{gigabytes(state.free)} free" if state.present else moved
            yield f"{state.shelf.name} ({state.shelf.role}): {state.shelf.root}, {there}"

    answer({"shelves": listed}, as_json, lines)


def demo_footage(
    folder: Annotated[Path, typer.Argument(metavar="DIR")],
    seconds: Annotated[float, typer.Option(help="At most so many seconds of each clip.")] = 60,
    shrink: Annotated[int, typer.Option(min=1, max=16, help="Divide all frame sizes by this.")] = 1,
    as_json: AsJson = False,
) -> None:
    """Draw the demo card into a folder."""
    said: set[str] = set()

    def report(name: str, done: float) -> None:
        if name not in said:
            said.add(name)
            say(f"drawing {name}")

    with told():
        draw_card(folder, report, shrink, Fraction(seconds).limit_denominator(1000))
    files = sorted(path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file())
    answer({"folder": str(folder), "files": files}, as_json, lambda: iter(files))
