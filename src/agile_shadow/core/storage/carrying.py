"""A project carried whole to another drive, or only what its cut uses: every file copied and read back, then the
shelves follow in one step. What was copied stays where it was: nothing is removed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from ..below import Anchor
from ..errors import CopyError, ShadowError, from_os_error
from ..files import plain_name
from ..ingest.copying import copy_file
from ..ingest.writing import Step
from ..jobs import CopyRecord, JobStore, Report
from ..media.sequence import members
from ..pairs import FileRef
from ..project import Clip, Project, save_project
from ..readings import note_readings, reading_now
from ..shelves import Shelf, free_room, put_mark_and_remember, with_volume
from .keeping import HASHED


@dataclass(frozen=True)
class CarryRequest:
    """Carry a project to a folder. ``only_used``: only clips that a timeline uses; ``originals`` and ``proxies``:
    whether these go along."""

    project: Project
    folder: Path
    only_used: bool = False
    originals: bool = True
    proxies: bool = True

    @property
    def clips(self) -> tuple[Clip, ...]:
        """Those that go along."""
        used = self.project.used_clips
        return tuple(clip for clip in self.project.clips if not self.only_used or clip.id in used)


@dataclass(frozen=True)
class Load:
    """A file to be carried: of which shelf, from where, its place there; ``value``: its recorded checksum, if any."""

    shelf: str
    source: Path
    place: str
    size: int
    checksum: str = ""
    value: str = ""


@dataclass(frozen=True)
class CarryPlan:
    """``size`` in bytes; ``free`` where it goes. ``missing``: paths of files that are not there."""

    loads: tuple[Load, ...]
    size: int
    free: int
    missing: tuple[str, ...]

    @property
    def fits(self) -> bool:
        """Whether there is room for it."""
        return self.size <= self.free


def plan_carrying(request: CarryRequest) -> CarryPlan:
    """What would be carried. Touches drives. Raises ShelfError for a path that leaves its shelf."""
    loads: dict[tuple[str, str], Load] = {}
    missing = []
    for clip in request.clips:
        for file in _files(request, clip):
            try:
                found = list(_loads(request.project, clip, file))
            except OSError:
                found = []
            if not found:
                missing.append(file.path)
            loads.update({(one.shelf, one.place): one for one in found})
    size = sum(one.size for one in loads.values())
    return CarryPlan(tuple(loads.values()), size, free_room(request.folder), tuple(missing))


def _files(request: CarryRequest, clip: Clip) -> list[FileRef]:
    originals = [clip.original.file, *clip.sidecars] if request.originals else []
    return originals + ([proxy.file for proxy in clip.proxies] if request.proxies else [])


def _loads(project: Project, clip: Clip, file: FileRef) -> Iterable[Load]:
    path, shelf = project.path(file), project.shelf(file.shelf)
    if path is None or shelf is None:
        return
    original = clip.original
    known = file == original.file and file.form == "file" and original.checksum in HASHED
    for part in map(Path, members(path)):
        place = part.relative_to(path.parent).as_posix()
        folder = file.path.rpartition("/")[0]
        yield Load(
            shelf.id, part, f"{folder}/{place}" if folder else place, part.stat().st_size,
            original.checksum if known else "", original.checksum_value if known else "",
        )  # fmt: skip


def carry(request: CarryRequest, report: Report) -> tuple[Path, Project]:
    """Copy all of it, then write the project there: (its file, the project). Raises ShadowError, CopyError, ShelfGone,
    Cancelled; a project file is only written once every file was read back."""
    plan = plan_carrying(request)
    _refuse(request, plan)
    shelves = _shelves(request)
    whole, done = max(1, 2 * plan.size), 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(0.99, done / whole))

    try:
        request.folder.mkdir(parents=True, exist_ok=True)
        for shelf in shelves.values():
            shelf.root.mkdir(exist_ok=True)
    except OSError as error:
        raise from_os_error(error, request.folder) from error
    anchors = {identity: Anchor.of(shelf.root) for identity, shelf in shelves.items()}
    records, store = {}, JobStore()
    for root in {shelf.root for shelf in request.project.shelves}:
        records.update({record.target: record for record in store.copies_below(root)})
    for load in plan.loads:
        _carry_one(load, anchors[load.shelf], records.get(str(load.source)), store, step)
    project = _project_there(request, shelves)
    path = request.folder / (plain_name(request.project.name, "Project") + ".otio")
    if path.exists():
        raise ShadowError("is there already", path, "Choose an empty folder.")
    for identity, anchor in anchors.items():
        anchor.check()
        put_mark_and_remember(shelves[identity], anchor)
    save_project(project, path)
    report(1.0)
    return path, project


def _refuse(request: CarryRequest, plan: CarryPlan) -> None:
    if plan.missing:
        more = f" and {len(plan.missing) - 1} more" if len(plan.missing) > 1 else ""
        raise ShadowError(f"is not there{more}", plan.missing[0], "Connect its drive, or leave that side out.")
    if not plan.fits:
        raise ShadowError(f"has not enough free space: {plan.size - plan.free} bytes are missing", request.folder, "")
    for shelf in request.project.shelves:
        if request.folder.is_relative_to(shelf.root) or shelf.root.is_relative_to(request.folder):
            raise ShadowError(f"and the shelf {shelf.name} are inside each other", request.folder, "Choose another.")


def _shelves(request: CarryRequest) -> dict[str, Shelf]:
    """The shelves as they will lie there, each in a folder of its name."""
    found: dict[str, Shelf] = {}
    names: set[str] = set()
    for shelf in request.project.shelves:
        name = plain = plain_name(shelf.name, "Shelf")
        number = 2
        while name.casefold() in names:
            name, number = f"{plain} {number}", number + 1
        names.add(name.casefold())
        found[shelf.id] = replace(shelf, root=request.folder / name, volume="", below="", made=True)
    return found


def _carry_one(load: Load, anchor: Anchor, record: CopyRecord | None, store: JobStore, step: Step) -> None:
    checksum = load.checksum or (record.checksum if record is not None and record.checksum in HASHED else "xxh128")
    target = anchor.root / load.place
    (one,) = copy_file(load.source, (target,), checksum, step, (anchor,))
    if one.path != target:
        raise CopyError("another file is there already", target, "Choose an empty folder.")
    if load.value and one.value != load.value:
        raise CopyError("does not have the bytes that were ingested", load.source, "Read its shelf: keep.")
    note_readings([reading_now(target, *one.stamp, checksum, one.value)])
    if record is not None:  # its card may be asked about the new place too
        store.remember_copies([replace(
            record, target=str(target), target_mtime=one.stamp[1], checksum=checksum, value=one.value
        )])  # fmt: skip


def _project_there(request: CarryRequest, shelves: dict[str, Shelf]) -> Project:
    """The project with its shelves at their new places; what did not go along stays where it was."""
    carried = {file.shelf for clip in request.clips for file in _files(request, clip)}
    left = {file.shelf for clip in request.clips for file in
            (clip.original.file, *clip.sidecars, *(one.file for one in clip.proxies))} - carried  # fmt: skip
    there = tuple(with_volume(shelves[one.id]) if one.id not in left else one for one in request.project.shelves)
    project = request.project.but(shelves=there, bakes=())
    if request.only_used:
        kept = {clip.id for clip in request.clips}
        project = project.but(clips=tuple(clip for clip in project.footage.clips if clip.id in kept))
    return project

