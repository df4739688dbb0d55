"""Commands for what lies on the shelves: what takes room, what may go, which card may be wiped."""

from __future__ import annotations

import time
from collections.abc import Iterator
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.amounts import counted
from ..core.errors import ShadowError, sentence
from ..core.jobs import JobStore
from ..core.project import Project, ProjectLock, load_project, other_projects, save_project
from ..core.shelves import Shelf
from ..core.storage import (
    REASONS,
    Card,
    CardAnswer,
    Plan,
    Room,
    RoomRequest,
    Tidied,
    after,
    all_cards,
    answer_words,
    ask_card,
    ask_request,
    claims_of,
    find_items,
    keep_answer,
    kept_answers,
    measure_room,
    pace_of_making,
    plan,
)
from ..core.storage import tidy as tidy_files
from ..core.storage.behind import behind, bring_up
from ..core.storage.carrying import Carried, CarryRequest, carry, plan_carrying
from ..core.storage.keeping import KeepResult, keep_request, keep_shelf
from ..core.storage.kept import note_kept, set_plan
from ..core.storage.mending import PutBackRequest, find_whole, put_back
from ..core.storage.pages import write_card
from ..core.time import clock_text
from .shared import AsJson, ProjectFile, answer, gigabytes, saying, told

card = typer.Typer(no_args_is_help=True, help="The cards that were ingested into a project.")

ShelfName = Annotated[str, typer.Option("--shelf", help="Name of a shelf; default: all of the project.")]


class TidyReason(StrEnum):
    """What may go."""

    unused = "unused"
    doubled = "doubled"
    stale = "stale"
    strays = "strays"
    bakes = "bakes"
    again = "again"
    all = "all"


def storage(project: ProjectFile, shelf: ShelfName = "", as_json: AsJson = False) -> None:
    """Show what takes space on the shelves of a project, by kind, in bytes on the drive."""
    project = project.absolute()
    with told():
        document = load_project(project)
        claims = tuple(claims_of(document))
        counted, away = [], []
        for one in _shelves(document, shelf, project):
            if one.is_present():
                request = RoomRequest(one.root, claims, project, one.role)
                counted.append((one, measure_room(request, lambda done: None)))
            else:
                away.append(one)
    values = {"shelves": [_room_values(one, room) for one, room in counted], "away": [one.name for one in away]}

    def lines() -> Iterator[str]:
        for one, room in counted:
            yield f"{one.name} ({one.root}): {gigabytes(room.whole.room)}, {gigabytes(room.free)} free"
            for kind, size in sorted(room.whole.kinds.items(), key=lambda item: -item[1]):
                files = f", {room.counts[kind]} files" if kind in room.counts else ""
                yield f"  {kind}: {gigabytes(size)}{files}"
            yield from (f"  not counted: {path} ({why})" for path, why in room.unread)
        yield from (f"{one.name}: not there" for one in away)

    answer(values, as_json, lines)


def _shelves(document: Project, name: str, path: Path) -> list[Shelf]:
    found = [one for one in document.shelves if not name or one.name.casefold() == name.casefold()]
    if name and not found:
        known = ", ".join(one.name for one in document.shelves)
        raise ShadowError(f'has no shelf "{name}"', path, f"It has: {known}.")
    return found


def _room_values(shelf: Shelf, room: Room) -> dict[str, Any]:
    return {
        "name": shelf.name, "role": shelf.role, "folder": str(shelf.root), "bytes": room.whole.room, "free": room.free,
        "files": room.whole.files, "kinds": dict(room.whole.kinds), "counts": dict(room.counts),
        "unread": [{"path": path, "reason": reason} for path, reason in room.unread],
    }  # fmt: skip


def tidy(
    project: ProjectFile,
    what: Annotated[list[TidyReason], typer.Option("--what", help="What may go; may be given several times.")],
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what would go.")] = False,
    for_good: Annotated[
        bool, typer.Option("--for-good", help="On drives without a trash: remove for good.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Move files that this program made and can make again to the trash. Exit status 1 where something stays."""
    project = project.absolute()
    lock = ProjectLock(project)
    done: Tidied | None = None
    with told():
        if not dry_run and not lock.take("tidy"):
            raise ShadowError("is open in another program", project, "Tidy there, or close it first.")
        try:
            document, others = load_project(project), other_projects(project)
            pace = pace_of_making(document, JobStore().pieces(project=project))
            chosen = plan(document, find_items(document, others), {one.value for one in what}, pace=pace)
            if not dry_run:
                done = tidy_files(document, chosen.items, others, for_good=for_good)
                footage = after(document.footage, done)
                if footage is not document.footage:
                    save_project(Project(footage, document.cut), project)
        finally:
            lock.release()
    values: dict[str, Any] = _plan_values(chosen)
    if done is not None:
        values |= {"removed_bytes": done.size, "stayed": list(done.kept), "without_trash": done.no_trash}

    def lines() -> Iterator[str]:
        yield from (f"{item.path} ({gigabytes(item.size)})" for item in chosen.items)
        again = "not known" if chosen.seconds is None else f"about {clock_text(chosen.seconds)}"
        yield f"{counted(len(chosen.items), 'file')}, {gigabytes(chosen.size)}; to make them again here: {again}"
        yield counted(chosen.on_originals, "clip in timelines would show its original",
                      "clips in timelines would show their originals")
        yield from (f"could not be shown: {name}" for name in chosen.on_nothing)
        yield from chosen.kept
        if done is not None:
            yield f"{gigabytes(done.size)} are in the trash or removed"
            yield from done.kept

    answer(values, as_json, lines)
    if done is not None and done.kept:
        raise typer.Exit(1)


def _plan_values(chosen: Plan) -> dict[str, Any]:
    return {
        "files": [{"path": str(item.path), "bytes": item.size, "reasons": sorted(item.reasons & set(REASONS))}
                  for item in chosen.items],
        "bytes": chosen.size, "seconds_to_make_again": chosen.seconds, "on_originals": chosen.on_originals,
        "could_not_be_shown": list(chosen.on_nothing), "kept": list(chosen.kept),
    }  # fmt: skip


def cards(project: ProjectFile, as_json: AsJson = False) -> None:
    """List the cards that were ingested, and what is known of each from its last asking."""
    project = project.absolute()
    with told():
        document = load_project(project)
        found, answers = all_cards(document, JobStore()), kept_answers(project)
        names = {shelf.id: shelf.name for shelf in document.shelves}
        listed = []
        for one in found:
            kept = answers.get(one.id)
            good, words = answer_words(kept, kept.changed() if kept is not None else "")
            listed.append((one, good, words))
    values = [
        {"name": one.name, "source": str(one.source), "ingested": one.ended, "files": _files(one, names),
         "may_be_wiped": good, "answer": words, "passed_over": len(one.passed_over), "failed": len(one.failed)}
        for one, good, words in listed
    ]  # fmt: skip

    def lines() -> Iterator[str]:
        for one, _good, words in listed:
            yield f"{one.name} ({one.source}), ingested {one.ended}: {counted(len(one.files), 'file')}. {words}"

    answer({"cards": values}, as_json, lines)


def _files(one: Card, names: dict[str, str]) -> list[dict[str, Any]]:
    return [
        {"path": file.path, "bytes": file.size, "copies": [
            {"shelf": names.get(copy.shelf, ""), "path": str(copy.path), "checksum": copy.checksum,
             "value": copy.value, "read": _moment(copy.read)}
            for copy in file.copies
        ]}
        for file in one.files
    ]  # fmt: skip


def _moment(seconds: float) -> str | None:
    return time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(seconds)) if seconds else None


@card.command()
def ask(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Where the card is mounted.")],
    project: ProjectFile,
    needless: Annotated[
        list[str] | None, typer.Option("--needless", help="Pattern of file names that need no copy, such as *.XML.")
    ] = None,
    passed_over: Annotated[
        bool, typer.Option("--passed-over-may-go", help="Files the ingest skipped, and empty files, need no copy.")
    ] = False,
    out: Annotated[
        Path | None, typer.Option("--out", help="Keep the answer as a page (.html) or a table (.csv).")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Read a card again against its copies as they are now. Exit status 0 only if it may be wiped."""
    folder, project = folder.absolute(), project.absolute()
    with told():
        document = load_project(project)
        one, request = ask_request(
            document, all_cards(document, JobStore()), folder, None, needless or (), passed_over
        )
        found: CardAnswer = ask_card(request, saying())
        keep_answer(project, one, found)
        if out is not None:
            write_card(document, one, found, out.absolute())

    def lines() -> Iterator[str]:
        yield f"{found.why()} (read just now)"
        for file in found.missing:
            states = "; ".join(f"{copy.state}: {copy.path or 'nowhere'}" for copy in file.copies) or file.note
            yield f"  {file.path}: {states}"
        yield from (f"  {text}" for text in found.problems)

    answer(found.to_json(), as_json, lines)
    if not found.may_be_wiped:
        raise typer.Exit(1)


def keep(
    shelf: Annotated[str, typer.Argument(metavar="SHELF", help="Name of a shelf of the project.")],
    project: ProjectFile,
    put_back_: Annotated[
        bool, typer.Option("--put-back", help="Replace damaged and missing files with whole copies.")
    ] = False,
    second: Annotated[
        bool, typer.Option("--second-copies", help="First copy what this shelf for second copies lacks.")
    ] = False,
    weeks: Annotated[
        int | None, typer.Option("--every", min=0, max=520, metavar="WEEKS", help="Only choose how often the window "
                                 "reads it by itself; 0: never.")
    ] = None,
    any_hour: Annotated[bool, typer.Option("--any-hour", help="With --every: not only at night.")] = False,
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Read a shelf against what is recorded of its files. Exit status 0 only if every one of them is whole."""
    project = project.absolute()
    with told():
        document = load_project(project)
        (one,) = _shelves(document, shelf, project)[:1]
        if weeks is not None:
            set_plan(one.root, weeks, not any_hour)
            plan_values = {"shelf": one.name, "weeks": weeks, "night": not any_hour}
            answer(plan_values, as_json, lambda: iter([f"{one.name}: every {weeks} weeks" if weeks else "never"]))
            return
        brought = [bring_up(item, quietly) for item in behind(document, one)] if second else []
        found = keep_shelf(keep_request(document, one, time.time()), saying())
        note_kept(found)
        mended = _mended(document, one, found) if put_back_ else {}
    values = {
        **found.to_json(), "shelf": one.name, "put_back": mended,
        "second_copies": [record.target for record in brought],
    }  # fmt: skip

    def lines() -> Iterator[str]:
        yield f"{one.name}: {found.said()}"
        for lost in found.lost:
            yield f"  {lost.state}: {lost.path}" + (f" ({mended[lost.path]})" if lost.path in mended else "")
        yield from (f"  without a record: {path}" for path in found.added)

    answer(values, as_json, lines)
    if not found.all_well:
        raise typer.Exit(1)


def quietly(done: float) -> None:
    """For work whose progress nobody watches."""


def _mended(document: Project, shelf: Shelf, found: KeepResult) -> dict[str, str]:
    said = {}
    for lost in found.lost:
        whole = find_whole(document, lost, shelf)
        if whole is None:
            said[lost.path] = "no whole copy was found"
            continue
        try:
            aside = put_back(PutBackRequest(shelf.root, lost, whole.path), quietly)
        except (ShadowError, OSError) as error:
            said[lost.path] = sentence(error)
        else:
            beside = f"; the damaged one is {aside.name}" if aside is not None else ""
            said[lost.path] = f"restored from {whole.path}{beside}"
    return said


Folder = Annotated[Path, typer.Argument(metavar="DIR", help="An empty folder, on any drive.")]
Document = Annotated[Path, typer.Argument(metavar="PROJECT", help="Project file (.otio).")]


def move(
    project: Document,
    folder: Folder,
    originals: Annotated[bool, typer.Option("--originals/--no-originals", help="Whether originals go along.")] = True,
    proxies: Annotated[bool, typer.Option("--proxies/--no-proxies", help="Whether proxies go along.")] = True,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what would be carried.")] = False,
    as_json: AsJson = False,
) -> None:
    """Copy a whole project to another drive, every file read back; its shelves are there in the new project file.
    What was copied stays where it was."""
    _carry(project, CarryRequest(_loaded(project), folder.absolute(), False, originals, proxies), dry_run, as_json)


def collect(
    project: Document,
    folder: Folder,
    proxies: Annotated[bool, typer.Option("--proxies/--no-proxies", help="Whether proxies go along.")] = True,
    handles: Annotated[
        int | None,
        typer.Option("--handles", min=0, max=100_000, metavar="FRAMES",
                     help="Of originals only what is used and so many frames before and after it, where they can be "
                          "cut without encoding them anew; default: whole files."),
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what would be carried.")] = False,
    as_json: AsJson = False,
) -> None:  # fmt: skip
    """Carry only what the cut uses: the files of the clips that any timeline shows or plays."""
    request = CarryRequest(_loaded(project), folder.absolute(), True, True, proxies, handles)
    _carry(project, request, dry_run, as_json)


def _loaded(path: Path) -> Project:
    with told():
        return load_project(path)


def _carry(project: Path, request: CarryRequest, dry_run: bool, as_json: bool) -> None:
    done: Carried | None = None
    with told():
        plan = plan_carrying(request)
        if not dry_run:
            done = carry(request, saying())
    values = {
        "files": len(plan.loads), "bytes": plan.size, "free": plan.free, "fits": plan.fits,
        "missing": list(plan.missing), "project": str(done.path) if done is not None else None,
        "cut": [_name_in(request, key) for key in done.cut] if done is not None else [],
        "whole": [{"clip": name, "reason": why} for name, why in done.whole] if done is not None else [],
    }  # fmt: skip

    def lines() -> Iterator[str]:
        yield f"{counted(len(plan.loads), 'file')}, {gigabytes(plan.size)}: {'fits' if plan.fits else 'does not fit'}"
        yield from (f"  not there: {text}" for text in plan.missing)
        if done is not None:
            yield from (f"  only what is used: {_name_in(request, key)}" for key in done.cut)
            yield from (f"  whole: {name} {why}" for name, why in done.whole)
            yield f"All of it was read back: {done.path}. {project} and its files stay as they were."

    answer(values, as_json, lines)
    if plan.missing or not plan.fits:
        raise typer.Exit(1)


def _name_in(request: CarryRequest, identity: str) -> str:
    clip = request.project.clip(identity)
    return clip.name if clip is not None else identity
