"""A project carried whole to another drive, or only what its cut uses: every file copied and read back, then the
shelves follow in one step. What was copied stays where it was: nothing is removed."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path, PurePosixPath

from ..below import Anchor
from ..errors import CopyError, MediaError, ShadowError, from_os_error
from ..files import fitting_name, plain_name
from ..hashing import hash_file
from ..ingest.copying import copy_file
from ..ingest.writing import Step
from ..jobs import CopyRecord, JobStore, Report
from ..media import FrameReader, MediaInfo
from ..media.sequence import members
from ..pairs import FileRef, Original, Proxy
from ..project import Clip, Decision, Project, save_project
from ..readings import note_readings, reading_now
from ..shelves import Shelf, free_room, put_mark_and_remember, with_volume
from .keeping import HASHED
from .trimming import (
    CHECKSUM,
    Stretch,
    Trimmed,
    can_be_cut_at,
    may_be_trimmed,
    stretch_of,
    trim,
    used_seconds,
    within,
)


@dataclass(frozen=True)
class CarryRequest:
    """Carry a project to a folder. ``only_used``: only clips that a timeline uses; ``originals`` and ``proxies``:
    whether these go along. ``handles``: of originals only what is used and so many frames before and after it, where
    they can be cut without encoding them anew; None: whole files."""

    project: Project
    folder: Path
    only_used: bool = False
    originals: bool = True
    proxies: bool = True
    handles: int | None = None

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


@dataclass(frozen=True)
class Carried:
    """What was done: the project's file, the project as it lies there. ``cut``: of which clips only a stretch went
    along; ``whole``: (clip, why) of those that were to be cut and were not."""

    path: Path
    project: Project
    cut: tuple[str, ...] = ()
    whole: tuple[tuple[str, str], ...] = ()


def carry(request: CarryRequest, report: Report) -> Carried:
    """Copy all of it, then write the project there. Raises ShadowError, CopyError, ShelfGone, Cancelled; a project file
    is only written once every file was read back."""
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
    cut, whole_ones = _cut(request, anchors, report)
    left_out = _left_out(request, cut)
    for load in plan.loads:
        if load.source in left_out:
            step(2 * load.size)
        else:
            _carry_one(load, anchors[load.shelf], records.get(str(load.source)), store, step)
    project = with_cut_files(_project_there(request, shelves), cut)
    path = request.folder / (plain_name(request.project.name, "Project") + ".otio")
    if path.exists():
        raise ShadowError("is there already", path, "Choose an empty folder.")
    for identity, anchor in anchors.items():
        anchor.check()
        put_mark_and_remember(shelves[identity], anchor)
    save_project(project, path)
    report(1.0)
    return Carried(path, project, tuple(cut), tuple(whole_ones))


def _left_out(request: CarryRequest, cut: Collection[str]) -> set[Path]:
    """Whole originals and proxies of clips that were cut; what another clip needs of them goes along all the same."""
    gone: set[FileRef] = set()
    needed: set[FileRef] = set()
    for clip in request.clips:
        files = clip.original.file, *(proxy.file for proxy in clip.proxies)
        (gone if clip.id in cut else needed).update(files)
        needed.update(clip.sidecars)
    return {path for file in gone - needed if (path := request.project.path(file)) is not None}


@dataclass(frozen=True)
class CutClip:
    """What a clip becomes of which only a stretch goes along: ``proxies`` are those that could be cut too."""

    original: Trimmed
    proxies: tuple[Proxy, ...]


def _cut(
    request: CarryRequest, anchors: Mapping[str, Anchor], report: Report
) -> tuple[dict[str, CutClip], list[tuple[str, str]]]:
    """The clips of which only a stretch goes along; (name, why) of those of which all does."""
    cut: dict[str, CutClip] = {}
    whole: list[tuple[str, str]] = []
    if request.handles is None or not request.originals:
        return cut, whole
    used = used_seconds((request.project.timeline, *request.project.others))
    for clip in request.clips:
        try:
            found = _cut_one(request, clip, used.get(clip.id), anchors, report)
        except MediaError as error:  # it stays as it is, and goes along whole
            whole.append((clip.name, error.what))
        else:
            cut.update({clip.id: found} if found is not None else {})
    return cut, whole


def _cut_one(
    request: CarryRequest, clip: Clip, used: tuple[Fraction, Fraction] | None, anchors: Mapping[str, Anchor],
    report: Report,
) -> CutClip | None:  # fmt: skip
    file, info = clip.original.file, clip.original.info
    source = request.project.path(file)
    if source is None or used is None or info.kind != "video":
        return None
    if not may_be_trimmed(source, info):
        raise MediaError("is of a kind that is not cut without encoding it anew", source, "It is carried whole.")
    with FrameReader(source) as reader:
        stretch = stretch_of(reader.index, used, request.handles or 0)
    if stretch is None:
        return None
    _refuse_other_bytes(clip, source)

    def made(file: FileRef, source: Path, info: MediaInfo, stretch: Stretch) -> Trimmed:
        name = fitting_name(f"{source.stem} {stretch.first}-{stretch.end - 1}", source.suffix)
        target = anchors[file.shelf].root / PurePosixPath(file.path).parent / name
        found = trim(source, info, stretch, target, anchors[file.shelf], lambda _done: report(0.0))
        note_readings([reading_now(found.path, found.info.size, found.modified, CHECKSUM, found.value)])
        return found

    original = made(file, source, info, stretch)
    proxies = []
    for proxy in clip.proxies if request.proxies else ():
        path, part = request.project.path(proxy.file), Stretch(stretch.first - proxy.offset, stretch.end - proxy.offset)
        with suppress(MediaError):  # one that cannot be read or cut is made again
            if path is not None and may_be_trimmed(path, proxy.info) and can_be_cut_at(path, part):
                proxies.append(_cut_proxy(proxy, made(proxy.file, path, proxy.info, part), anchors))
    return CutClip(original, tuple(proxies))


def _refuse_other_bytes(clip: Clip, source: Path) -> None:
    """What was damaged since it was ingested is not cut; whoever copies whole files finds it in the same way."""
    original = clip.original
    if original.checksum in HASHED and hash_file(source, original.checksum, fresh=True) != original.checksum_value:
        raise CopyError("does not have the bytes that were ingested", source, "Read its shelf: keep.")


def _cut_proxy(proxy: Proxy, found: Trimmed, anchors: Mapping[str, Anchor]) -> Proxy:
    below = found.path.relative_to(anchors[proxy.file.shelf].root).as_posix()
    return replace(proxy, file=FileRef(proxy.file.shelf, below), info=found.info, size=found.info.size, offset=0,
                   proof=None)  # fmt: skip


def with_cut_files(project: Project, cut: Mapping[str, CutClip]) -> Project:
    """The project with files that begin later in place of whole ones: clips, blocks and decisions follow."""
    clips, shifts = [], {}
    decisions = dict(project.cut.decisions)
    for clip in project.footage.clips:
        one = cut.get(clip.id)
        if one is not None:
            shifts[clip.id] = one.original.begins, one.original.info.duration
            clip = _cut_clip(project, clip, one)
            decided = decisions.get(clip.id)
            if decided is not None:
                decisions[clip.id] = Decision(pin=decided.pin, tags=decided.tags)
        clips.append(clip)
    timelines = [within(line, shifts) for line in (project.timeline, *project.others)]
    changed = replace(project.cut, timeline=timelines[0], others=tuple(timelines[1:]), decisions=decisions)
    return Project(replace(project.footage, clips=tuple(clips)), changed)


def _cut_clip(project: Project, clip: Clip, one: CutClip) -> Clip:
    shelf, made = project.shelf(clip.original.file.shelf), one.original
    assert shelf is not None
    file = FileRef(shelf.id, made.path.relative_to(shelf.root).as_posix())
    original = Original(file, made.info, made.info.size, made.modified, CHECKSUM, made.value)
    return replace(clip, original=original, proxies=one.proxies)


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

