"""What can be done to pairs of a project, as changes from one document to the next."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from ..media import form_of
from ..pairs import FileRef, Original, Proxy
from ..project import Clip, Project
from ..shelves import place_of
from ..timeline import Block, Timeline, changed
from .search import Offer


def take(project: Project, offers: Iterable[Offer], place: Path) -> Project:
    """With files paired to clips. What lies on no shelf gets one: the folder that was looked through.

    A file that became an original brings its clip's cuts along: they keep showing the same frames.
    """
    for offer in offers:
        clip = project.clip(offer.clip)
        if clip is None:
            continue
        project, file = reference_of(project, offer.path, place, "proxies" if offer.role == "proxy" else "originals")
        if offer.role == "proxy":
            project = _with_proxy(project, clip, Proxy(file, offer.info, offer.size, offer.offset))
        else:
            original = Original(file, offer.info, offer.size, offer.modified)
            project = _with_original(project, clip, original, offer.offset)
    return project


def reference_of(project: Project, path: Path, place: Path, role: str) -> tuple[Project, FileRef]:
    """A file as shelf and path below it; on no shelf yet: with a new one of that role at the place looked through."""
    path = path.absolute()
    known = place_of(path, project.shelves)
    if known is not None:
        return project, FileRef(known[0].id, known[1], form_of(path))
    root = place.absolute() if path.is_relative_to(place.absolute()) and place.absolute() != path else path.parent
    project, shelf = project.with_shelf(root.name or str(root), role, root)
    return project, FileRef(shelf.id, path.relative_to(root).as_posix(), form_of(path))


def _with_proxy(project: Project, clip: Clip, proxy: Proxy) -> Project:
    others = tuple(one for one in clip.proxies if one.file != proxy.file)
    return project.with_clip(replace(clip, proxies=(*others, proxy)))


def _with_original(project: Project, clip: Clip, original: Original, offset: int) -> Project:
    """The clip's file becomes its proxy."""
    rate = original.info.frame_rate
    light = Proxy(clip.original.file, clip.original.info, clip.original.size, offset)
    proxies = tuple(replace(one, offset=one.offset + offset, proof=None) for one in clip.proxies)
    project = project.with_clip(replace(clip, original=original, proxies=(*proxies, light)))
    lead = Fraction(offset) / rate

    def shifted(block: Block) -> Block:
        return replace(block, source_start=block.source_start + lead, room=original.info.duration)

    def moved(line: Timeline) -> Timeline:
        return changed(line, [block.id for block in line.blocks if block.clip == clip.id], shifted, locked_too=True)

    return replace(project, timeline=moved(project.timeline), others=tuple(map(moved, project.others)))


def unpair(project: Project, clip: str, file: FileRef | None = None) -> Project:
    """Without one proxy of a clip (default: the one in use). The file stays where it is."""
    found = project.clip(clip)
    if found is None or not found.proxies:
        return project
    gone = file or found.proxies[-1].file
    return project.with_clip(replace(found, proxies=tuple(one for one in found.proxies if one.file != gone)))


def with_offset(project: Project, clip: str, file: FileRef, offset: int) -> Project:
    """With another offset of a proxy, whose proof no longer holds."""
    return _changed(project, clip, file, lambda proxy: replace(proxy, offset=offset, proof=None))


def accepted(project: Project, clip: str, file: FileRef) -> Project:
    """With a doubtful pair let pass by a person."""

    def let_pass(proxy: Proxy) -> Proxy:
        return replace(proxy, proof=replace(proxy.proof, accepted=True)) if proxy.proof is not None else proxy

    return _changed(project, clip, file, let_pass)


def without_proof(project: Project, clips: Iterable[str]) -> Project:
    """With the proofs of some clips' proxies forgotten, so that they are made again."""
    for identity in clips:
        clip = project.clip(identity)
        if clip is not None and any(proxy.proof is not None for proxy in clip.proxies):
            proxies = tuple(replace(proxy, proof=None) for proxy in clip.proxies)
            project = project.with_clip(replace(clip, proxies=proxies))
    return project


def _changed(project: Project, clip: str, file: FileRef, change: Callable[[Proxy], Proxy]) -> Project:
    found = project.clip(clip)
    if found is None:
        return project
    proxies = tuple(change(one) if one.file == file else one for one in found.proxies)
    return project.with_clip(replace(found, proxies=proxies)) if proxies != found.proxies else project
