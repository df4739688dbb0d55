"""Removing proxies: into the trash, and only files that are known, not only said, to be proxies that were made.

A project file may say anything, so its word is not enough: the file must be the one this machine remembers to have
made, to the byte, or be told to be a proxy by its contents; and it must be no original, part or sidecar of any project
that this machine knows, under whatever name.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from ..below import Anchor, folder_below
from ..errors import ShadowError, sentence
from ..media import probe
from ..pairs import FileRef, Proxy
from ..project import Clip, Footage, Project
from ..project.guarding import Identity, footage_of, identity_of
from ..proxies import as_it_is, remembered_made, was_made
from .trash import NO_TRASH, into_trash, out_of_trash


@dataclass(frozen=True)
class Removed:
    """``gone``: (clip, file) that are in the trash or were not there any more; ``kept``: sentences why others stay.

    ``paths``: where those lay that are in the trash now, with their clip and proxy. ``no_trash``: of those that stay,
    (clip, proxy) that may go and lie on a drive without a trash.
    """

    gone: tuple[tuple[str, FileRef], ...]
    kept: tuple[str, ...]
    paths: tuple[tuple[Path, str, Proxy], ...] = ()
    no_trash: tuple[tuple[str, Proxy], ...] = ()


def remove_files(
    project: Project,
    pairs: Iterable[tuple[Clip, Proxy]],
    others: Iterable[Project] = (),
    going_on: Callable[[], None] = lambda: None,
    for_good: bool = False,
) -> Removed:
    """Put the files of proxies into the trash. Reads them; touches drives.

    ``others``: further projects, none of whose files goes. ``going_on`` may raise to end it. ``for_good``: where a
    drive has no trash, remove them for good: ask before.
    """
    others = tuple(others)
    footage, used = footage_of((project, *others)), footage_of(others, proxies=True)
    gone: list[tuple[str, FileRef]] = []
    kept: list[str] = []
    paths: list[tuple[Path, str, Proxy]] = []
    no_trash: list[tuple[str, Proxy]] = []
    for clip, proxy in pairs:
        try:
            path = _removable(project, clip, proxy, footage, used, going_on)
        except (ShadowError, OSError) as error:
            kept.append(f"{proxy.file.path} stays: {sentence(error)}")
            continue
        reason = into_trash(path) if path is not None else ""
        if reason == NO_TRASH and path is not None and for_good:
            reason = _removed_for_good(project, proxy, path)
        elif reason == NO_TRASH:
            no_trash.append((clip.id, proxy))
        elif not reason and path is not None:
            paths.append((path, clip.id, proxy))
        if reason:
            kept.append(f"{path}: {reason}; it stays.")
        else:
            gone.append((clip.id, proxy.file))
    return Removed(tuple(gone), tuple(kept), tuple(paths), tuple(no_trash))


def _removed_for_good(project: Project, proxy: Proxy, path: Path) -> str:
    shelf = project.shelf(proxy.file.shelf)
    assert shelf is not None
    return unlinked(shelf.root, path)


def unlinked(root: Path, path: Path) -> str:
    """Remove a file below a root for good; an empty text, or why it stays."""
    try:
        with folder_below(Anchor.of(root), path.parent) as folder:
            folder.remove(path.name)
    except (OSError, ShadowError) as error:
        return sentence(error)
    return ""


def remove_recorded(
    paths: Iterable[tuple[Path, Path]], guarded: frozenset[Identity], going_on: Callable[[], None] = lambda: None,
    for_good: bool = False,
) -> tuple[tuple[Path, ...], tuple[Path, ...], tuple[str, ...]]:  # fmt: skip
    """Put files into the trash that this machine remembers to have made, and no project names: (root, file) each.

    (those in the trash, those gone for good, sentences why others stay). ``guarded``: what is never removed.
    """
    trashed: list[Path] = []
    gone: list[Path] = []
    kept: list[str] = []
    for root, path in paths:
        try:
            _refuse_unrecorded(root, path, guarded, going_on)
        except (ShadowError, OSError) as error:
            kept.append(f"{path} stays: {sentence(error)}")
            continue
        reason = into_trash(path)
        if reason == NO_TRASH and for_good:
            reason = unlinked(root, path)
            gone += [] if reason else [path]
        elif not reason:
            trashed.append(path)
        if reason:
            kept.append(f"{path}: {reason}; it stays.")
    return tuple(trashed), tuple(gone), tuple(kept)


def _refuse_unrecorded(
    root: Path, path: Path, guarded: frozenset[Identity], going_on: Callable[[], None]
) -> None:
    status = _looked_at(root, path)
    if status is None or not stat.S_ISREG(status.st_mode):
        raise ShadowError("it is not there, or no file", path, "Check what is there.")
    if identity_of(status) in guarded:
        raise ShadowError("a project uses it", path, "")
    memory = remembered_made(path)
    if memory is None or not memory.is_at(as_it_is(path, going_on)):
        raise ShadowError("it is not what was made here", path, "Remove it by hand if you know what it is.")
    _refuse_changed(root, path, status)


def _refuse_changed(root: Path, path: Path, status: os.stat_result) -> None:
    now = _looked_at(root, path)
    if now is None or (identity_of(now), now.st_size, now.st_mtime_ns) != (
        identity_of(status), status.st_size, status.st_mtime_ns
    ):  # fmt: skip
        raise ShadowError("it changed while it was looked at", path, "Retry.")


def _removable(
    project: Project, clip: Clip, proxy: Proxy, footage: frozenset[Identity], used: frozenset[Identity],
    going_on: Callable[[], None],
) -> Path | None:  # fmt: skip
    """The file, once it is sure that it may go; None where there is none. Raises ShadowError with the reason, OSError.
    """
    if not proxy.made:
        raise ShadowError("it was not made by this project", None, "Unpair it: the file is yours to remove.")
    shelf, path = project.shelf(proxy.file.shelf), project.path(proxy.file)
    if shelf is None or path is None or proxy.file.form != "file":
        raise ShadowError("it is not on a shelf of this project", None, "Remove it by hand.")
    status = _looked_at(shelf.root, path)
    if status is None:
        return None
    if not stat.S_ISREG(status.st_mode):
        raise ShadowError("it is no file", path, "Check what is there.")
    if identity_of(status) in footage:
        raise ShadowError("it is an original", path, "Unpair it.")
    if identity_of(status) in used:
        raise ShadowError("another project uses it", path, "Unpair it: the other project keeps it.")
    if not _was_made(path, clip, going_on):
        raise ShadowError(
            "it cannot be shown to be a proxy that was made of this clip", path, "Remove it by hand if it is one."
        )
    _refuse_changed(shelf.root, path, status)
    return path


def _looked_at(root: Path, path: Path) -> os.stat_result | None:
    """What lies there, reached without following a link below the root; None when nothing does."""
    try:
        with folder_below(Anchor.of(root), path.parent) as folder:
            return folder.status(path.name)
    except FileNotFoundError:
        return None


def _was_made(path: Path, clip: Clip, going_on: Callable[[], None]) -> bool:
    """Whether the file is, byte for byte, one that this machine made; or is told to be a proxy by its contents."""
    now = as_it_is(path, going_on)
    memory = remembered_made(path)
    if (memory is not None and memory.is_at(now)) or was_made(now):
        return True
    try:
        info = probe(path)
    except ShadowError:
        return False
    original = clip.original.info
    smaller = info.display_width * info.display_height < original.display_width * original.display_height
    return bool(info.made_as) and smaller and info.frames == original.frames


def without(footage: Footage, removed: Removed) -> Footage:
    """The footage without the proxies that are gone."""
    for clip, file in removed.gone:
        footage = footage.without_proxy(clip, file)
    return footage


def bring_back(removed: Removed) -> tuple[tuple[tuple[str, Proxy], ...], tuple[str, ...]]:
    """Take removed files out of the trash: (clip, proxy) of those that lie in their places again, and sentences about
    the others. Touches drives."""
    back, problems = [], []
    for path, clip, proxy in removed.paths:
        try:
            out_of_trash(path)
        except ShadowError as error:
            problems.append(sentence(error))
        else:
            back.append((clip, proxy))
    return tuple(back), tuple(problems)


def with_again(footage: Footage, proxies: Iterable[tuple[str, Proxy]]) -> Footage:
    """The footage with proxies that were removed."""
    for identity, proxy in proxies:
        footage = footage.with_change(identity, partial(Clip.with_proxy, proxy=proxy))
    return footage
