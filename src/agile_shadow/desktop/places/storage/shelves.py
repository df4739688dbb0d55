"""The shelves of a project and the user's own, as they are looked at on a thread."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from ....core.amounts import counted
from ....core.below import Anchor
from ....core.project import Footage, Project
from ....core.shelves import (
    SECOND,
    KnownFile,
    Shelf,
    ShelfState,
    look_at,
    mounted_volumes,
    put_mark_and_remember,
    with_volume,
)
from ....core.storage.keeping import KeepResult
from ....core.storage.kept import KeepPlan, last_kept, plan_of
from ....core.upkeep.missing import lost_files
from ... import words

_TELLING = 5  # files by which a moved shelf is known again


@dataclass(frozen=True)
class ShelfRow:
    """A shelf, its state, the bytes of this project on it, and its length in seconds; when it was read and what is
    planned. ``files`` of the project should be on it, ``missing`` of them are not, while the shelf is there."""

    state: ShelfState
    originals: int
    proxies: int
    seconds: float
    in_project: bool
    for_all: bool
    kept: KeepResult | None = None
    plan: KeepPlan = field(default_factory=KeepPlan)
    files: int = 0
    missing: int = 0


def files_on(project: Project, shelf: Shelf) -> tuple[list[KnownFile], int, int, float]:
    """(some files by which it is known again, bytes of originals, bytes of proxies, seconds of them) of a project on a
    shelf."""
    files: list[KnownFile] = []
    originals = proxies = 0
    seconds = 0.0
    for clip in project.clips:
        here = False
        if clip.original.file.shelf == shelf.id:
            originals += clip.original.size
            files.append(KnownFile(clip.original.file.path, clip.original.size))
            here = True
        for proxy in clip.proxies:
            if proxy.file.shelf == shelf.id:
                proxies += proxy.size
                files.append(KnownFile(proxy.file.path, proxy.size))
                here = True
        seconds += float(clip.length) if here else 0.0
    return files[:: max(1, len(files) // _TELLING)][:_TELLING], originals, proxies, seconds


def look_at_shelves(project: Project, own: Sequence[Shelf]) -> list[ShelfRow]:
    """The state of all shelves. Touches drives: not for the interface thread."""
    volumes = mounted_volumes()
    known = {shelf.id for shelf in own}
    rows = []
    for shelf in (*project.shelves, *(shelf for shelf in own if project.shelf(shelf.id) is None)):
        files, originals, proxies, seconds = files_on(project, shelf)
        state = look_at(shelf, volumes, files)
        rows.append(
            ShelfRow(state, originals, proxies, seconds, project.shelf(shelf.id) is not None, shelf.id in known,
                     last_kept(shelf.root), plan_of(shelf.root))
        )  # fmt: skip
    return _with_missing(project, rows)


def _with_missing(project: Project, rows: list[ShelfRow]) -> list[ShelfRow]:
    """How many files each shelf should hold and does not: one may be there and half of its files not."""
    away = frozenset(row.state.shelf.root for row in rows if not row.state.present)
    missing = Counter(one.file.shelf for one in lost_files(project, away))
    wanted = Counter(file.shelf for clip in project.clips
                     for file in (clip.original.file, *(proxy.file for proxy in clip.proxies)))  # fmt: skip
    return [replace(row, files=wanted[row.state.shelf.id], missing=missing[row.state.shelf.id]) for row in rows]


def mended(footage: Footage, rows: Sequence[ShelfRow]) -> Footage:
    """The footage with each shelf that was found again at its new place."""
    for row in rows:
        if row.state.found_at is not None and row.in_project:
            moved = with_volume(replace(row.state.shelf, root=row.state.found_at))
            footage = footage.with_shelf_moved(moved)
    return footage


def lying_at(shelf: Shelf, root: Path) -> Shelf:
    """The shelf at a place that a person named; it gets its mark there where that can be written."""
    moved = with_volume(replace(shelf, root=root))
    put_mark_and_remember(moved, Anchor.of(root))
    return moved


def shelf_words(row: ShelfRow) -> str:
    """What is on a shelf and what still fits, or that it is away."""
    parts = []
    if row.originals:
        parts.append(f"originals of this project {words.gigabytes(row.originals)}")
    if row.proxies:
        parts.append(f"proxies {words.gigabytes(row.proxies)}")
    if not parts:
        parts.append("second copies" if row.state.shelf.role == SECOND else "nothing of this project")
    known = "identified by its drive" if row.state.shelf.volume else "identified by its path and contents"
    if not row.state.present:
        where = f"It seems to be at {row.state.found_at} now." if row.state.found_at else "Connect its drive."
        return f"Not there: {', '.join(parts)}. {where}"
    if row.missing:
        there = f"{row.files - row.missing} of {counted(row.files, 'file')} of this project are here"
        return f"{there}, {row.missing} {'is' if row.missing == 1 else 'are'} not: use Find missing files in Pairs."
    fits = _fits(row)
    return f"{', '.join(parts)}; {words.gigabytes(row.state.free)} free{fits}; {known}"


def _fits(row: ShelfRow) -> str:
    """How much more footage like what is there fits, by its measured bytes."""
    size = row.originals + row.proxies
    if not size or row.seconds < 1:
        return ""
    hours = row.state.free / (size / row.seconds) / 3600
    return f", space for about {hours:.{0 if hours >= 2 else 1}f} h more like it"
