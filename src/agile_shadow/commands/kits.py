"""``agile-shadow kit``: a travel kit is made, brought up to date, and comes home."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError
from ..core.kit import (
    KitHomeRequest,
    KitRequest,
    bring_home,
    is_kit,
    look_home,
    make_kit,
    open_kit,
    plan_kit,
    with_brought,
)
from ..core.presets import find_preset
from ..core.project import Project, ProjectLock, load_project, save_project
from ..core.shelves import Shelf
from .shared import AsJson, ProjectFile, answer, gigabytes, line_named, saying, told

app = typer.Typer(no_args_is_help=True, help="Travel kits: everything to continue cutting elsewhere, in one folder.")

KitFolder = Annotated[Path, typer.Argument(metavar="KIT", help="Folder of the kit.")]
Lines = Annotated[list[str] | None, typer.Option("--timeline", help="Only this timeline; may be given several times.")]
Used = Annotated[bool, typer.Option("--only-used", help="Only clips that the timelines use.")]
Lighter = Annotated[
    str | None, typer.Option("--preset", help="Make proxies for the kit with this preset, such as lighter ones.")
]
Dry = Annotated[bool, typer.Option("--dry-run", help="Only say what it would hold.")]


@app.command()
def make(
    folder: KitFolder, project: ProjectFile, timeline: Lines = None, only_used: Used = False, preset: Lighter = None,
    dry_run: Dry = False, as_json: AsJson = False,
) -> None:  # fmt: skip
    """Make a kit in an empty folder."""
    if is_kit(folder):
        with told():
            raise ShadowError("is a kit already", folder, "Bring it up to date: kit update.")
    _make(folder, project, timeline, only_used, preset, dry_run, as_json)


@app.command()
def update(
    folder: KitFolder, project: ProjectFile, timeline: Lines = None, only_used: Used = False, preset: Lighter = None,
    dry_run: Dry = False, as_json: AsJson = False,
) -> None:  # fmt: skip
    """Bring a kit up to date by what is new; what was cut on the road stays."""
    if not is_kit(folder):
        with told():
            raise ShadowError("is no kit", folder, "Make one: kit make.")
    _make(folder, project, timeline, only_used, preset, dry_run, as_json)


def _make(
    folder: Path, project: Path, names: list[str] | None, only_used: bool, preset: str | None, dry_run: bool,
    as_json: bool,
) -> None:  # fmt: skip
    with told():
        document = load_project(project)
        chosen = frozenset(line_named(document, name, project).id for name in names or ())
        lighter = find_preset(preset) if preset else None
        request = KitRequest(document, folder.absolute(), chosen, only_used, lighter)
        plan = plan_kit(request)
        if not dry_run:
            make_kit(request, saying())
    values = {
        "kit": str(folder), "files": len(plan.parts), "bytes": plan.size, "new_bytes": plan.new, "free": plan.free,
        "fits": plan.fits, "made": not dry_run,
        "without": [{"clip": name, "reason": why} for name, why in plan.without],
    }  # fmt: skip

    def lines() -> Iterator[str]:
        fits = "fits" if plan.fits else "does not fit"
        yield f"{counted(len(plan.parts), 'file')}, {gigabytes(plan.size)}, of them new {gigabytes(plan.new)}: {fits}"
        yield from (f"  nothing to show for {name}: {why}" for name, why in plan.without)
        if not dry_run:
            yield f"The kit is whole: {folder}"

    answer(values, as_json, lines)
    if not plan.fits:
        raise typer.Exit(1)


@app.command("open")
def open_(folder: KitFolder, as_json: AsJson = False) -> None:
    """Say which project file a kit has, with its shelves where the kit lies now."""
    with told():
        path = open_kit(folder.absolute())
    answer({"project": str(path)}, as_json, lambda: iter([str(path)]))


@app.command()
def home(
    folder: KitFolder,
    project: ProjectFile,
    theirs: Annotated[
        list[str] | None,
        typer.Option("--theirs", metavar="KEY", help="Of what both sides changed, take the kit's side of this; all: "
                     "of everything."),
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only show what would come home.")] = False,
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Bring a kit home. Exit status 1 where both sides changed the same and nothing was chosen: the project's side
    stands."""
    folder, project = folder.absolute(), project.absolute()
    lock = ProjectLock(project)
    with told():
        if not dry_run and not lock.take("kit home"):
            raise ShadowError("is open in another program", project, "Bring it home there, or close it first.")
        try:
            document = load_project(project)
            chosen = set(theirs or ())
            coming = look_home(document, folder, chosen)
            if "all" in chosen:
                chosen = {one.key for one in coming.merged.conflicts}
                coming = look_home(document, folder, chosen)
            if not dry_run:
                originals, proxies = _shelves(document, project)
                brought = bring_home(KitHomeRequest(coming, originals, proxies, folder), saying())
                footage = with_brought(document.footage, brought, (originals, proxies))
                save_project(Project(footage, coming.merged.cut), project)
        finally:
            lock.release()
    open_conflicts = [one for one in coming.merged.conflicts if one.key not in chosen]
    values: dict[str, Any] = {
        "taken": list(coming.merged.taken), "clips": [clip.name for clip in coming.clips], "bytes": coming.size,
        "not_on_the_kit": list(coming.lost), "brought": not dry_run,
        "conflicts": [{"key": one.key, "what": one.what, "taken": one.key in chosen}
                      for one in coming.merged.conflicts],
    }  # fmt: skip

    def lines() -> Iterator[str]:
        yield from (f"taken over: {text}" for text in coming.merged.taken)
        yield from (f"from the road: {clip.name}" for clip in coming.clips)
        yield from (f"not on the kit: {name}" for name in coming.lost)
        for one in coming.merged.conflicts:
            yield f"{'theirs' if one.key in chosen else 'yours stands'}: {one.what} (--theirs {one.key!r})"

    answer(values, as_json, lines)
    if open_conflicts:
        raise typer.Exit(1)


def _shelves(document: Project, path: Path) -> tuple[Shelf, Shelf]:
    footage = document.footage
    originals = footage.shelf_of_role("originals")
    proxies = footage.shelf_of_role("proxies")
    for one, role in ((originals, "originals"), (proxies, "proxies")):
        if one is None:
            raise ShadowError(f"has no shelf for {role} to bring footage to", path, "Make one in Storage.")
    assert originals is not None and proxies is not None
    return originals, proxies
