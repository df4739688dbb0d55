"""What may go: files that this program made and can make again, chosen by reasons, into the trash and back.

Never an original, a sidecar, a second copy, or what another project that this machine knows uses.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from ..errors import ShadowError, sentence
from ..media.sequence import exists
from ..pairs import Proxy
from ..project import Bake, Clip, Footage, Project
from ..project.guarding import footage_of, identity_of
from ..proxies import made_as, made_below, remembered_made
from ..upkeep.removing import Removed, bring_back, remove_files, remove_recorded, with_again, without
from ..upkeep.trash import NO_TRASH, out_of_trash
from .claims import Claim, claims_of, look_at_claims

REASONS = {
    "unused": "Proxies of clips that no timeline uses",
    "doubled": "Proxies that another one of their clip replaces",
    "stale": "Proxies of an original that changed, or made with other settings than the standing preset's",
    "strays": "Proxies made here that no project knows any more",
    "bakes": "Bakes",
    "again": "All that can be made again from originals that are here",
    "all": "All but the cut and the originals",
}


@dataclass(frozen=True)
class Item:
    """A file that may go. ``clip`` and ``proxy`` of a pair, else ``bake``, else it is a stray one. ``size`` in bytes;
    ``reasons``: keys of REASONS that speak of it. ``original``: whether the clip's original is there."""

    root: Path
    path: Path
    size: int
    reasons: frozenset[str]
    clip: Clip | None = None
    proxy: Proxy | None = None
    bake: Bake | None = None
    original: bool = True


@dataclass(frozen=True)
class Plan:
    """What would go, and what would show afterwards. ``seconds``: of making it again here, None where no proxy was made
    here yet. ``on_originals``: clips in timelines that would show their originals; ``on_nothing``: their names, of
    those that could not be shown. ``kept``: sentences about what stays though a reason speaks of it."""

    items: tuple[Item, ...]
    size: int
    seconds: float | None
    on_originals: int
    on_nothing: tuple[str, ...]
    kept: tuple[str, ...]


def find_items(project: Project, others: Sequence[Project] = ()) -> tuple[tuple[Item, ...], tuple[str, ...]]:
    """All files of a project that may go for any reason, and sentences about those that stay. Touches drives."""
    used = footage_of(others, proxies=True)
    theirs = footage_of((project,))
    here = look_at_claims(claims_of(project))
    items: list[Item] = []
    kept: list[str] = []
    for clip in project.clips:
        for proxy in clip.proxies:
            found = _of_pair(project, clip, proxy, here)
            if found is None:
                continue
            key = identity_of(found.path.lstat())
            if key in used or key in theirs:
                why = "another project uses it" if key in used else "it is an original"
                kept.append(f"{found.path} stays: {why}.")
            else:
                items.append(found)
    items += _bakes(project)
    items += _strays(project, {one.path for one in items}, used | footage_of((project,), proxies=True))
    return tuple(items), tuple(kept)


def _of_pair(project: Project, clip: Clip, proxy: Proxy, claims: dict[tuple[int, int], Claim]) -> Item | None:
    shelf = project.shelf(proxy.file.shelf)
    if shelf is None or not proxy.made or proxy.file.form != "file":
        return None
    with suppress(OSError, ShadowError):
        path = project.path(proxy.file)
        if path is None:
            return None
        status = path.lstat()
        claim = claims.get(identity_of(status))
        kind = claim.kind if claim is not None else ""
        chosen = next((one for one in reversed(clip.proxies) if one.by_itself), None)
        place = project.place_or_none(clip.original.file)
        there = place is not None and exists(place)
        reasons = {"all"} | ({"again"} if there else set())
        reasons |= {"unused"} if clip.id not in project.used_clips else set()
        reasons |= {"doubled"} if proxy is not chosen else set()
        reasons |= {"stale"} if kind == "stale proxies" or _other_settings(project, proxy) else set()
        return Item(shelf.root, path, status.st_blocks * 512, frozenset(reasons), clip, proxy, None, there)
    return None


def _other_settings(project: Project, proxy: Proxy) -> bool:
    wanted = project.preset.proxies if project.preset is not None else None
    return bool(wanted is not None and proxy.info.made_as and proxy.info.made_as != made_as(wanted))


def _bakes(project: Project) -> list[Item]:
    found = []
    for bake in project.bakes:
        shelf = project.shelf(bake.file.shelf)
        with suppress(OSError, ShadowError):
            path = project.path(bake.file)
            if shelf is not None and path is not None and remembered_made(path) is not None:
                size = path.lstat().st_blocks * 512
                found.append(Item(shelf.root, path, size, frozenset({"bakes", "again", "all"}), bake=bake))
    return found


def _strays(project: Project, known: Collection[Path], guarded: Collection[tuple[int, int]]) -> list[Item]:
    found: dict[Path, Item] = {}
    for shelf in project.shelves:
        for made in made_below(shelf.root):
            with suppress(OSError):
                status = made.path.lstat()
                if made.path not in known and identity_of(status) not in guarded and status.st_size == made.size:
                    reasons = frozenset({"strays", "all"})
                    found[made.path] = Item(shelf.root, made.path, status.st_blocks * 512, reasons)
    return list(found.values())


def plan(
    project: Project, found: tuple[tuple[Item, ...], tuple[str, ...]], reasons: Collection[str],
    clips: Collection[str] | None = None, pace: Callable[[Clip], float | None] = lambda clip: None,
) -> Plan:  # fmt: skip
    """What of it goes for some reasons. ``clips``: only what belongs to these (by identity); None: everything.

    ``pace``: seconds of making a clip's proxy again, None where it is not known.
    """
    items = tuple(
        item for item in found[0]
        if item.reasons & set(reasons) and (clips is None or (item.clip is not None and item.clip.id in clips))
    )  # fmt: skip
    gone = {(item.clip.id, item.proxy.file) for item in items if item.clip is not None and item.proxy is not None}
    originals: dict[str, bool] = {item.clip.id: item.original for item in items if item.clip is not None}
    left = [clip for clip in project.clips if clip.id in originals and clip.id in project.used_clips
            and not any((clip.id, proxy.file) not in gone and proxy.by_itself for proxy in clip.proxies)]  # fmt: skip
    again = {item.clip.id: pace(item.clip) for item in items if item.clip is not None and item.original}
    times = [one for one in again.values() if one is not None]
    seconds = sum(times) * len(again) / len(times) if times else (0.0 if not again else None)
    return Plan(
        items, sum(item.size for item in items), seconds, sum(1 for clip in left if originals[clip.id]),
        tuple(clip.name for clip in left if not originals[clip.id]), found[1],
    )  # fmt: skip


@dataclass(frozen=True)
class Tidied:
    """What came of it. ``pairs``: of proxies; ``bakes`` and ``strays``: files in the trash; ``gone``: files that were
    removed for good; ``kept``: sentences about what stays; ``size``: bytes that are free once the trash is emptied;
    ``no_trash``: files that would go, on drives without a trash."""

    pairs: Removed
    bakes: tuple[tuple[Path, Bake], ...]
    strays: tuple[Path, ...]
    gone: tuple[Path, ...]
    gone_bakes: tuple[Bake, ...]
    kept: tuple[str, ...]
    size: int
    no_trash: int


def tidy(
    project: Project, chosen: Iterable[Item], others: Sequence[Project] = (),
    told: Callable[[int], None] = lambda done: None, for_good: bool = False,
) -> Tidied:  # fmt: skip
    """Put the files into the trash, each read and checked again just before. ``told`` gets how many were looked at, and
    may raise to end it. ``for_good``: where a drive has no trash, remove them: ask before. Touches drives."""
    items = tuple(chosen)
    pairs = [(item.clip, item.proxy) for item in items if item.clip is not None and item.proxy is not None]
    removed = remove_files(project, pairs, others, for_good=for_good)
    told(len(pairs))
    guarded = footage_of((project, *others), proxies=True)
    rest = [item for item in items if item.proxy is None]
    trashed, gone, kept = remove_recorded([(item.root, item.path) for item in rest], guarded, for_good=for_good)
    told(len(items))
    bakes = {item.path: item.bake for item in rest if item.bake is not None}
    away = {path for path, _clip, _proxy in removed.paths} | set(trashed) | set(gone)
    size = sum(item.size for item in items if item.path in away or _is_gone(item, removed))
    return Tidied(
        removed, tuple((path, bakes[path]) for path in trashed if path in bakes),
        tuple(path for path in trashed if path not in bakes), gone,
        tuple(bakes[path] for path in gone if path in bakes), (*removed.kept, *kept), size,
        len(removed.no_trash) + sum(1 for text in kept if NO_TRASH in text),
    )  # fmt: skip


def _is_gone(item: Item, removed: Removed) -> bool:
    return item.clip is not None and item.proxy is not None and (item.clip.id, item.proxy.file) in removed.gone


def after(footage: Footage, done: Tidied) -> Footage:
    """The footage without what went."""
    away = {bake for _path, bake in done.bakes} | set(done.gone_bakes)
    if away:
        footage = replace(footage, bakes=tuple(one for one in footage.bakes if one not in away))
    return without(footage, done.pairs)


@dataclass(frozen=True)
class BroughtBack:
    """``files``: how many lie in their places again; ``problems``: sentences about the others."""

    pairs: tuple[tuple[str, Proxy], ...]
    bakes: tuple[Bake, ...]
    files: int
    problems: tuple[str, ...]


def undo(done: Tidied) -> BroughtBack:
    """Take all of it out of the trash again. Touches drives."""
    pairs, problems = bring_back(done.pairs)
    bakes: list[Bake] = []
    files, told = len(pairs), list(problems)
    for path, bake in (*done.bakes, *((path, None) for path in done.strays)):
        try:
            out_of_trash(path)
        except ShadowError as error:
            told.append(sentence(error))
        else:
            files += 1
            bakes += [bake] if bake is not None else []
    return BroughtBack(pairs, tuple(bakes), files, tuple(told))


def before(footage: Footage, back: BroughtBack) -> Footage:
    """The footage with what lies there again."""
    if back.bakes:
        footage = replace(footage, bakes=(*footage.bakes, *back.bakes))
    return with_again(footage, back.pairs)
