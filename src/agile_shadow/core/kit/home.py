"""Coming home: the kit's cut laid beside the one at home, and what was shot on the road brought in, read back."""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from ..below import Anchor
from ..errors import CopyError, ShadowError, StateError
from ..files import remove_partials_beside
from ..hashing import joined_checksum
from ..ingest.copying import copy_file
from ..ingest.writing import Step
from ..jobs import CopyRecord, JobStore, Report
from ..media.sequence import members
from ..pairs import FileRef
from ..project import Clip, Cut, Footage, Project, load_project
from ..project.report import IngestReport, ReportRow, Took
from ..readings import note_readings, reading_now
from ..shelves import Shelf, put_mark_and_remember
from .file import BASE_FILE, ROAD, Kit, read_kit
from .merging import Conflict, Merged, merge_cuts
from .opening import lying_here

CHECKSUM = "xxh128"


@dataclass(frozen=True)
class Coming:
    """What a kit brings. ``road``: the kit's project; ``base``: the cut that both began from; ``merged``: the cut of
    both; ``clips``: shot on the road; ``size``: bytes of their files; ``lost``: names of clips whose files are not on
    the kit."""

    road: Project
    base: Cut
    merged: Merged
    clips: tuple[Clip, ...]
    size: int
    lost: tuple[str, ...] = ()


def look_home(project: Project, folder: Path, chosen: Collection[str] = ()) -> Coming:
    """Lay a kit's cut beside the project's. ``chosen``: keys of conflicts where the kit's side is to stand. Touches the
    kit's drive. Raises ShadowError for a kit of another project, or one that is unfinished."""
    kit = read_kit(folder)
    if kit.project != project.id:
        raise ShadowError(f"is not a kit of {project.name}", folder, "Open the project that it was made of.")
    if not kit.whole:
        raise ShadowError("is unfinished: its making was interrupted", folder, "Bring it up to date, or make it anew.")
    road = lying_here(load_project(folder / kit.name), kit, folder)
    base = load_project(folder / BASE_FILE)
    began = _known(base, project)
    merged = _with_offsets(merge_cuts(began, project.cut, road.cut, chosen), project, base, road, kit, chosen)
    known = {clip.id for clip in project.clips} | {clip.id for clip in base.clips}
    new = [clip for clip in road.clips if clip.id not in known]
    there = tuple(clip for clip in new if _size(road, clip.original.file) is not None)
    lost = tuple(clip.name for clip in new if clip not in there)
    size = sum(_size(road, file) or 0 for clip in there for file in _files(clip))
    return Coming(road, began, merged, there, size, lost)


def _with_offsets(
    merged: Merged, project: Project, base: Project, road: Project, kit: Kit, chosen: Collection[str]
) -> Merged:
    """Offsets that were set by hand on the road, laid on the proxies at home that the kit's are copies of."""
    decisions, conflicts, taken = dict(merged.cut.decisions), [*merged.conflicts], [*merged.taken]
    for clip in project.clips:
        began, now = base.clip(clip.id), road.clip(clip.id)
        for old in began.proxies if began is not None else ():
            right = next((one for one in now.proxies if one.file == old.file), None) if now is not None else None
            left = next((one for one in reversed(clip.proxies) if one.size == old.size), None)
            if old.file.shelf not in kit.shelves or right is None or left is None:
                continue
            if right.offset in (old.offset, left.offset):
                continue
            key = f"offset {clip.id}"
            if left.offset != old.offset:
                conflicts.append(Conflict(key, f"the offset of the proxy of {clip.name} was changed on both sides"))
                if key not in chosen:
                    continue
            decisions[clip.id] = merged.cut.decision(clip.id).with_offset(left.file, right.offset)
            taken.append(f"the offset of the proxy of {clip.name}")
    cut = merged.cut if decisions == merged.cut.decisions else replace(merged.cut, decisions=decisions)
    return Merged(cut, tuple(conflicts), tuple(taken))


def _known(base: Project, project: Project) -> Cut:
    """What both began from: timelines that did not go along are as they are at home."""
    went = {line.id for line in (base.timeline, *base.others)}
    stayed = tuple(line for line in (project.timeline, *project.others) if line.id not in went)
    return replace(base.cut, others=(*base.cut.others, *stayed))


def _files(clip: Clip) -> list[FileRef]:
    return [clip.original.file, *clip.sidecars, *(proxy.file for proxy in clip.proxies)]


def _size(project: Project, file: FileRef) -> int | None:
    try:
        path = project.path(file)
        parts = members(path) if path is not None else []
        return sum(Path(part).stat().st_size for part in parts) if parts else None
    except (OSError, ShadowError):
        return None


@dataclass(frozen=True)
class KitHomeRequest:
    """Bring what was shot on the road to shelves at home: ``originals`` and ``proxies``."""

    coming: Coming
    originals: Shelf
    proxies: Shelf
    folder: Path


@dataclass(frozen=True)
class Brought:
    """The clips as they lie at home, and the report of their coming."""

    clips: tuple[Clip, ...]
    report: IngestReport | None
    problems: tuple[str, ...] = ()


def bring_home(request: KitHomeRequest, report: Report) -> Brought:
    """Copy and prove every file: a task for a worker. Raises CopyError, ShelfGone, Cancelled."""
    began = time.time()
    whole, done = max(1, 2 * request.coming.size), 0

    def step(count: int) -> None:
        nonlocal done
        done += count
        report(min(0.99, done / whole))

    clips, rows, size = [], [], 0
    for clip in request.coming.clips:
        brought, row = _brought(request, clip, step)
        clips.append(brought)
        rows.append(row)
        size += row.size
    if not clips:
        return Brought((), None)
    for shelf in (request.originals, request.proxies):
        if shelf.role != "originals" or any(clip.original.file.shelf == shelf.id for clip in clips):
            with suppress(ShadowError, OSError):  # a mark helps to find it again; the copies hold without
                put_mark_and_remember(shelf, Anchor.of(shelf.root))
    day = "%Y-%m-%d %H:%M:%S"
    ended = time.time()
    first, last = (time.strftime(day, time.localtime(one)) for one in (began, ended))
    took = Took(first, last, ended - began, size)
    paired = sum(1 for clip in clips if clip.proxies)
    found = IngestReport(
        found=len(clips), copied=len(clips), proved=len(clips), proxies=paired, paired=paired, wanted=paired,
        source=str(request.folder / ROAD), preset="Travel kit", checksum=CHECKSUM, rows=tuple(rows), took=took,
    )  # fmt: skip
    return Brought(tuple(clips), found)


def _brought(request: KitHomeRequest, clip: Clip, step: Step) -> tuple[Clip, ReportRow]:
    road = request.coming.road
    original, value, size = _copied(road, clip.original.file, request.originals, step)
    known = clip.original.checksum_value if clip.original.checksum == CHECKSUM else ""
    if known and value != known:
        raise CopyError("does not have the bytes that were ingested on the road", original.path, "Check the kit.")
    sidecars = tuple(
        _copied(road, file, request.originals, step)[0] for file in clip.sidecars if _size(road, file) is not None
    )
    proxies = []
    for proxy in clip.proxies:
        if _size(road, proxy.file) is not None:
            home = request.originals if proxy.file.shelf == clip.original.file.shelf else request.proxies
            proxies.append(replace(proxy, file=_copied(road, proxy.file, home, step)[0]))
    at = road.place_or_none(clip.original.file)
    here = replace(
        clip, original=replace(clip.original, file=original, checksum=CHECKSUM, checksum_value=value),
        sidecars=sidecars, proxies=tuple(proxies), source=str(at),
    )  # fmt: skip
    info = clip.original.info
    row = ReportRow(clip.original.file.path, clip.name, info.kind, size, "paired" if proxies else "in place", "", value,
                    original.path, "", proxies[-1].file.path if proxies else "")  # fmt: skip
    return here, row


def _copied(road: Project, file: FileRef, home: Shelf, step: Step) -> tuple[FileRef, str, int]:
    """(where it lies at home, checksum, bytes) of a file of any form, every part of it read back."""
    path = road.path(file)
    assert path is not None
    folder = PurePosixPath(file.path).parent
    values, size, proved = [], 0, []
    for part in map(Path, members(path)):
        target = home.root / folder / part.name
        with suppress(OSError):  # nothing is there yet
            remove_partials_beside(target)  # of a coming that was killed
        (one,) = copy_file(part, (target,), CHECKSUM, step, (Anchor.of(home.root),))
        if one.path != target and file.form != "file":
            raise CopyError("another file of that name is there already", target, "Move one of the two away.")
        values.append((part.name, one.value))
        size += one.stamp[0]
        proved.append(one)
    with suppress(StateError):  # the copies hold without being remembered
        JobStore().remember_copies(
            CopyRecord(str(one.source), *one.source_stamp, str(one.path), one.stamp[1], CHECKSUM, one.value)
            for one in proved
        )
        note_readings(reading_now(one.path, *one.stamp, CHECKSUM, one.value) for one in proved)
    below = (folder / proved[0].path.name).as_posix() if file.form == "file" else file.path
    return replace(file, shelf=home.id, path=below), joined_checksum(values, CHECKSUM), size


def with_brought(footage: Footage, brought: Brought, shelves: Iterable[Shelf]) -> Footage:
    """The footage with what came home."""
    for shelf in shelves:
        if footage.shelf(shelf.id) is None:
            footage = footage.with_shelf_replaced(shelf)
    for clip in brought.clips:
        if footage.clip(clip.id) is None:
            footage = footage.with_clip(clip)
    if brought.report is not None:
        footage = replace(footage, reports=(*footage.reports, brought.report.to_json()))
    return footage
