"""Making a kit, and bringing it up to date: what is there already is read and compared, only what is new is copied."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from ..below import Anchor
from ..errors import ShadowError, from_os_error
from ..files import fitting_name, plain_name, remove_partials
from ..hashing import hash_file
from ..ingest.copying import copy_file
from ..jobs import Report
from ..media.sequence import exists, members
from ..pairs import FileRef, Original, Proxy, pair_made_proxy
from ..presets import Preset
from ..project import Clip, Decision, Project, load_project, save_project
from ..proxies import ProxyRequest, ProxyResult, make_or_take_proxy, proxy_pixels
from ..shelves import Shelf, free_room, put_mark_and_remember
from ..timeline import Timeline, new_id
from .file import BASE_FILE, MEDIA, PROXIES, ROAD, Kit, KitFile, is_kit, read_kit, write_kit

CHECKSUM = "xxh128"


@dataclass(frozen=True)
class Part:
    """A file that goes into a kit: the clip and the half that it stands for, where it is, its place below the kit.

    ``made``: it is not copied but made of the original at ``source``; ``size`` is only about right then.
    """

    clip: str
    half: str
    source: Path
    place: str
    size: int
    made: bool = False


@dataclass(frozen=True)
class KitPlan:
    """What a kit would hold: ``size`` in bytes, ``new``: of them not there yet; ``free`` where it goes. ``without``:
    names of clips that would have nothing to show there, and why."""

    parts: tuple[Part, ...]
    size: int
    new: int
    free: int
    without: tuple[tuple[str, str], ...]

    @property
    def fits(self) -> bool:
        """Whether there is room for it."""
        return self.new <= self.free


@dataclass(frozen=True)
class KitRequest:
    """Make a kit of a project in a folder, or bring the one there up to date. ``timelines``: identities of those that
    go along; empty: all. ``only_used``: only the clips that these use, not every clip. ``preset``: proxies of its own
    are made for the kit with it, where the originals are there."""

    project: Project
    folder: Path
    timelines: frozenset[str] = frozenset()
    only_used: bool = False
    preset: Preset | None = None

    @property
    def lines(self) -> tuple[Timeline, ...]:
        """The timelines that go along, the open one first where it does."""
        every = (self.project.timeline, *self.project.others)
        return tuple(line for line in every if not self.timelines or line.id in self.timelines)

    @property
    def clips(self) -> tuple[Clip, ...]:
        """The clips that go along."""
        used = {block.clip for line in self.lines for block in line.blocks}
        return tuple(clip for clip in self.project.clips if not self.only_used or clip.id in used)


def plan_kit(request: KitRequest) -> KitPlan:
    """What would go into it. Touches drives. Raises ShadowError where the kit's folder cannot be."""
    parts: list[Part] = []
    without: list[tuple[str, str]] = []
    for clip in request.clips:
        found, why = _parts_of(request.project, clip)
        lighter = _lighter(request, clip)
        found = [lighter] if lighter is not None else found
        parts += found
        if not found:
            without.append((clip.name, why))
    size = sum(part.size for part in parts)
    there = sum(part.size for part in parts if _lies_there(request.folder / part.place, part))
    return KitPlan(tuple(parts), size, size - there, free_room(request.folder), tuple(without))


def _parts_of(project: Project, clip: Clip) -> tuple[list[Part], str]:
    """The files by which a clip is cut elsewhere: its proxy; of sound, stills and others without one, the original."""
    for proxy in reversed(clip.proxies):
        path = project.path(proxy.file)
        if path is not None and proxy.file.form == "file" and _length(path) == proxy.size:
            place = f"{PROXIES}/{clip.id}/{path.name}"
            return [Part(clip.id, "proxy", path, place, proxy.size)], ""
    if clip.original.info.kind == "video" and clip.proxies:
        return [], "its proxy is not there"
    if clip.original.info.kind == "video":
        return [], "it has no proxy"
    path = project.path(clip.original.file)
    try:
        files = members(path) if path is not None else []
        return [
            Part(clip.id, "original", Path(one), f"{MEDIA}/{clip.id}/{one.name}", one.stat().st_size) for one in files
        ], "its file is not there"
    except OSError:
        return [], "its file is not there"


def _lighter(request: KitRequest, clip: Clip) -> Part | None:
    """The proxy that is made for the kit; its bytes by those of the one there is, or by the original's."""
    wanted = request.preset.proxies if request.preset is not None else None
    path = request.project.path(clip.original.file)
    if wanted is None or path is None or clip.original.info.kind != "video" or not exists(path):
        return None
    size = proxy_pixels(clip.original.info, wanted)
    if size is None:
        return None
    info, known = clip.original.info, next((one for one in reversed(clip.proxies)), None)
    bytes_, wide, high = (known.size, known.info.width, known.info.height) if known is not None else (
        clip.original.size, info.width, info.height
    )  # fmt: skip
    place = f"{PROXIES}/{clip.id}/{fitting_name(f'{clip.name} for the road', '.mov')}"
    about = round(bytes_ * min(1.0, size[0] * size[1] / max(1, wide * high)))
    return Part(clip.id, "proxy", path, place, about, made=True)


def _lies_there(path: Path, part: Part) -> bool:
    length = _length(path)
    return length is not None if part.made else length == part.size


def _length(path: Path) -> int | None:
    try:
        return os.stat(path, follow_symlinks=False).st_size
    except OSError:
        return None


def make_kit(request: KitRequest, report: Report) -> Kit:
    """Make it, or bring it up to date: a task for a worker. The kit says that it is unfinished until all of it lies
    there, read back. Raises ShadowError, CopyError, Cancelled."""
    folder = request.folder
    _refuse_place(request)
    before = read_kit(folder) if is_kit(folder) else None
    if before is not None and before.project != request.project.id:
        raise ShadowError("is the kit of another project", folder, "Choose another folder.")
    plan = plan_kit(request)
    if not plan.fits:
        raise ShadowError(f"has not enough free space: {plan.new - plan.free} bytes missing", folder, "Free some.")
    kit = before or _new_kit(request)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        remove_partials(folder)
    except OSError as error:
        raise from_os_error(error, folder) from error
    anchor = Anchor.of(folder)
    write_kit(folder, replace(kit, whole=False))
    files, made = _brought(request, plan.parts, anchor, report)
    project = _for_the_road(request, kit, files, made)
    road, base = _with_road(project, request, kit) if _was_made(folder, kit) else (project, project)
    save_project(road, folder / kit.name)  # first: what stands in the base alone was removed on the road
    save_project(base, folder / BASE_FILE)
    for identity, below in kit.shelves.items():
        (folder / below).mkdir(exist_ok=True)
        shelf = project.shelf(identity)
        if shelf is not None:
            put_mark_and_remember(shelf, Anchor.of(folder / below))
    kit = replace(kit, whole=True, made=time.strftime("%Y-%m-%d %H:%M:%S"), files=files)
    write_kit(folder, kit)
    report(1.0)
    return kit


def _refuse_place(request: KitRequest) -> None:
    folder = request.folder
    for shelf in request.project.shelves:
        if folder == shelf.root or folder.is_relative_to(shelf.root):
            raise ShadowError(f"is on the shelf {shelf.name}", folder, "Choose a folder of its own.")
    if folder.is_dir() and any(folder.iterdir()) and not is_kit(folder):
        raise ShadowError("is not empty, and no kit", folder, "Choose an empty folder.")


def _new_kit(request: KitRequest) -> Kit:
    shelves = {new_id(): PROXIES, new_id(): MEDIA, new_id(): ROAD}
    return Kit(new_id(), request.project.id, plain_name(request.project.name, "Cut") + ".otio", "", False, shelves)


def _brought(
    request: KitRequest, parts: tuple[Part, ...], anchor: Anchor, report: Report
) -> tuple[tuple[KitFile, ...], dict[str, ProxyResult]]:
    """Copy or make every part: the files, and what was made by clip."""
    whole, done = max(1, 2 * sum(part.size for part in parts)), 0
    files: list[KitFile] = []
    made: dict[str, ProxyResult] = {}

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(0.98, done / whole))

    for part in parts:
        if part.made:
            found = _made(request, part, anchor, partial(_within, report, done / whole, 2 * part.size / whole))
            made[part.clip] = found
            path, value, size = found.path, hash_file(found.path, CHECKSUM, fresh=True), found.info.size
            done += 2 * part.size
        else:
            (one,) = copy_file(part.source, (anchor.root / part.place,), CHECKSUM, step, (anchor,))
            path, value, size = one.path, one.value, part.size
        below = path.relative_to(anchor.root).as_posix()
        files.append(KitFile(below, size, value, part.clip, part.half))  # type: ignore[arg-type]
    return tuple(files), made


def _within(report: Report, first: float, share: float, done: float) -> None:
    """Progress of one part, as progress of the whole."""
    report(min(0.98, first + share * done))


def _made(request: KitRequest, part: Part, anchor: Anchor, report: Callable[[float], None]) -> ProxyResult:
    """A proxy for the road; one that lies there already, made with these settings, is checked and taken. Marks whose
    words need the ingest are left out."""
    assert request.preset is not None and request.preset.proxies is not None
    clip = request.project.clip(part.clip)
    assert clip is not None
    settings = request.preset.proxies.model_copy(update={"marks": ()})
    making = ProxyRequest(part.source, anchor.root / part.place, settings, clip.original.info, anchor=anchor)
    return make_or_take_proxy(making, lambda done: report(done))


def _for_the_road(
    request: KitRequest, kit: Kit, files: Iterable[KitFile], made: Mapping[str, ProxyResult]
) -> Project:
    """The project as it is cut elsewhere: the same clips and blocks, with the kit's files."""
    project, by_folder = request.project, {below: identity for identity, below in kit.shelves.items()}
    places: dict[str, list[KitFile]] = {}
    for file in files:
        places.setdefault(file.clip, []).append(file)
    clips = tuple(
        _on_the_road(clip, places.get(clip.id, []), by_folder, made.get(clip.id)) for clip in request.clips
    )
    roles = {PROXIES: "proxies", MEDIA: "originals", ROAD: "originals"}
    own = tuple(
        Shelf(identity, f"{below} of the kit", roles.get(below, "scratch"), request.folder / below)
        for identity, below in kit.shelves.items()
    )
    kept = {clip.id for clip in clips}
    lines = request.lines or (project.timeline,)
    cut = replace(
        project.cut, timeline=lines[0], others=lines[1:], showing="proxies",
        decisions={key: _road_decision(one) for key, one in project.cut.decisions.items() if key in kept},
    )  # fmt: skip
    footage = replace(project.footage, clips=clips, shelves=(*project.shelves, *own), bakes=(), reports=())
    return Project(footage, cut)


def _road_decision(decision: Decision) -> Decision:
    """Which files were paired by hand is settled on the road: the kit holds the one that was shown."""
    return Decision(pin=decision.pin, tags=decision.tags)


def _on_the_road(clip: Clip, files: list[KitFile], shelves: dict[str, str], made: ProxyResult | None) -> Clip:
    proxies = [file for file in files if file.half == "proxy"]
    if proxies and made is not None:
        file = FileRef(shelves[PROXIES], proxies[0].path.removeprefix(f"{PROXIES}/"))
        return replace(clip, proxies=(*_others(clip.proxies), pair_made_proxy(file, made)))
    if proxies:
        shown = next(one for one in reversed(clip.proxies) if one.file.form == "file" and one.size == proxies[0].size)
        below = proxies[0].path.removeprefix(f"{PROXIES}/")
        own = replace(shown, file=FileRef(shelves[PROXIES], below), made=False, by_itself=True)
        return replace(clip, proxies=(*_others(clip.proxies), own))
    originals = [file.path.removeprefix(f"{MEDIA}/") for file in files]
    if originals:
        return replace(clip, original=_media(clip.original, originals, shelves[MEDIA]), proxies=())
    return clip


def _others(proxies: tuple[Proxy, ...]) -> tuple[Proxy, ...]:
    """Those at home stay known, so that they are shown again where they are there."""
    return tuple(proxy for proxy in proxies if proxy.by_itself)


def _media(original: Original, files: list[str], shelf: str) -> Original:
    folder = files[0].rpartition("/")[0]
    name = original.file.path.rpartition("/")[2] if original.file.form == "sequence" else files[0].rpartition("/")[2]
    if original.file.form == "parts":
        name = " + ".join(one.rpartition("/")[2] for one in files)
    return replace(original, file=FileRef(shelf, f"{folder}/{name}", original.file.form))


def _was_made(folder: Path, kit: Kit) -> bool:
    return (folder / kit.name).is_file() and (folder / BASE_FILE).is_file()


def _with_road(fresh: Project, request: KitRequest, kit: Kit) -> tuple[Project, Project]:
    """(the kit's project brought up to date, what it is compared with at home): what was done on the road stays, and
    only what is new at home comes to it; a kit that nobody cut with gets all that was done at home."""
    road = load_project(request.folder / kit.name)
    base = load_project(request.folder / BASE_FILE)
    if road.cut == base.cut and {clip.id for clip in road.clips} == {clip.id for clip in base.clips}:
        return fresh, fresh
    return _with_more(road, fresh, base), _with_more(base, fresh, base)


def _with_more(side: Project, fresh: Project, base: Project) -> Project:
    """One side with what is new at home. A timeline that only the road has and home knows came there by an update that
    broke off."""
    known = {line.id for one in (side, base) for line in (one.timeline, *one.others)}
    lines = tuple(line for line in (fresh.timeline, *fresh.others) if line.id not in known)
    footage = side.footage
    for clip in fresh.footage.clips:
        footage = footage.with_clip(clip)
    for shelf in fresh.footage.shelves:
        footage = footage.with_shelf_replaced(shelf)
    return Project(footage, replace(side.cut, others=(*side.cut.others, *lines)))
