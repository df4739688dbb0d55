"""``agile-shadow export``, ``films`` and ``film``: films, their settings, and whether one is still what was proven."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError
from ..core.film import (
    FILM_SETTINGS,
    FilmRequest,
    FilmResult,
    describes_film,
    film_schema,
    final_check,
    make_film,
    settings_for,
    verify_film,
    why_only_here,
)
from ..core.helpers.spreading import Spreading
from ..core.jobs import Machine
from ..core.project import load_project
from ..core.timeline import Timeline
from .kept import commands_for
from .shared import AsJson, LineName, ProjectFile, answer, frame_on, line_named, say, told

library = commands_for(FILM_SETTINGS, "film settings", describes_film, film_schema)
_STALLED = 600.0  # seconds without a sign of life
film = typer.Typer(no_args_is_help=True, help="A film that was made.")


def export(
    project: ProjectFile,
    out: Annotated[Path, typer.Option("--out", help="The film; without --film its extension selects the settings.")],
    settings: Annotated[str, typer.Option("--film", help="Film settings: a name (see films list) or a file.")] = "",
    begin: Annotated[str, typer.Option("--from", help="First timecode or frame; default: the beginning.")] = "",
    end: Annotated[str, typer.Option("--to", help="Timecode or frame of the last one; default: the end.")] = "",
    draft: Annotated[bool, typer.Option("--draft", help="Quick, from proxies, marked as a draft.")] = False,
    by_helper: Annotated[bool, typer.Option("--helper", help="By a helper that sees the shelves, if any is free.")] = (
        False
    ),
    timeline: LineName = "",
    as_json: AsJson = False,
) -> None:
    """Make a film of the timeline from the originals, read it back and verify it."""
    with told():
        document = load_project(project)
        line = line_named(document, timeline, project)
        document = document.with_open(line.id)
        chosen = FILM_SETTINGS.find(settings) if settings else settings_for(out)
        first, last = _stretch(line, begin, end)
        request = FilmRequest(document, out.absolute(), chosen, first, last, draft, by_helper)
        if not draft:
            for text in final_check(document, first, last).warnings:
                say(text)
        result = _by_a_helper(request) if by_helper else make_film(request, lambda done: None)
        for text in result.notes:
            say(text)
    how = "draft" if draft else "film"
    answer(result.to_json(), as_json,
           lambda: iter([f"{how}: {counted(result.frames, 'frame')}, {float(result.seconds):.2f} s, verified: {out}"])
        )  # fmt: skip


def _by_a_helper(request: FilmRequest) -> FilmResult:
    """By a helper where one is free, else here."""
    why = why_only_here(request, request.project.shelves)
    if why:
        say(why)
    machine = Machine()
    helpers = Spreading(machine, lambda: request.project.shelves)
    if not why and not helpers.invited:
        say("No helper was invited: the film is made on this machine.")
    try:
        executor = machine.hire("render", stalled_after=_STALLED, with_helpers=True)
        result: FilmResult = executor.submit(make_film, request).result()
        return result
    finally:
        machine.end()
        helpers.close(5.0)
        machine.close(5.0)


def _stretch(line: Timeline, begin: str, end: str) -> tuple[int, int | None]:
    first = frame_on(line, begin) if begin else 0
    last = frame_on(line, end) + 1 if end else None
    if last is not None and last <= first:
        raise ShadowError("the range ends before it starts", None, "Name a later end.")
    return first, last


@film.command()
def verify(
    film: Annotated[Path, typer.Argument(metavar="FILM")],
    originals: Annotated[bool, typer.Option("--originals", help="Read its originals as well.")] = False,
    as_json: AsJson = False,
) -> None:
    """Read a film against the certificate beside it. Exit status 1 where it is not what was proven."""
    with told():
        found = verify_film(film.absolute(), originals)
    listed = [{"clip": one.clip, "path": one.path, "state": state or "unchanged"} for one, state in found.originals]
    certificate = found.certificate
    values = {
        "path": str(film), "whole": found.whole, "film": found.film or "unchanged", "draft": certificate.draft,
        "made": certificate.made, "frames": certificate.frames, "originals": listed,
    }  # fmt: skip

    def lines() -> Iterator[str]:
        kind = "draft" if certificate.draft else "film"
        yield f"{film}: {found.film or f'the very {kind} that was proven on {certificate.made}'}"
        yield from (f"  {item['clip']}: {item['state']} ({item['path']})" for item in listed)

    answer(values, as_json, lines)
    if not found.whole or any(state for _one, state in found.originals):
        raise typer.Exit(1)
