"""What can be done to pairs of a project, as changes from one document to the next."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

from ..media import form_of
from ..pairs import FileRef, Original, Proxy
from ..project import Clip, Project
from ..shelves import place_of
from ..timeline import Block, Timeline, changed

if TYPE_CHECKING:
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
            project = with_proxy(project, clip.id, Proxy(file, offer.info, offer.size, offer.offset))
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
    footage, shelf = project.footage.with_shelf(root.name or str(root), role, root)
    return replace(project, footage=footage), FileRef(shelf.id, path.relative_to(root).as_posix(), form_of(path))


def with_proxy(project: Project, clip: str, proxy: Proxy) -> Project:
    """What the file is stays known; that it is paired, and with what offset, is of the cut."""
    known = project.footage.clip(clip)
    by_itself = known is not None and any(one.file == proxy.file and one.by_itself for one in known.proxies)
    fact = replace(proxy, by_itself=by_itself)
    footage = project.footage.with_change(clip, lambda one: one.with_proxy(fact)).with_hidden(clip)
    decision = project.cut.decision(clip).with_taken(proxy.file).with_offset(proxy.file, proxy.offset)
    return replace(project, footage=footage).with_decision(clip, decision)


def _with_original(project: Project, clip: Clip, original: Original, offset: int) -> Project:
    """The clip's file becomes its proxy."""
    rate = original.info.frame_rate
    light = Proxy(clip.original.file, clip.original.info, clip.original.size, offset)
    project = project.with_original(clip.id, original)
    decision = project.cut.decision(clip.id)
    for one in clip.proxies:
        decision = decision.with_offset(one.file, one.offset + offset)
    project = with_proxy(project.with_decision(clip.id, decision), clip.id, light)
    lead = Fraction(offset) / rate

    def shifted(block: Block) -> Block:
        return replace(block, source_start=block.source_start + lead, room=original.info.duration)

    def moved(line: Timeline) -> Timeline:
        return changed(line, [block.id for block in line.blocks if block.clip == clip.id], shifted, locked_too=True)

    return project.but(timeline=moved(project.timeline), others=tuple(map(moved, project.others)))


def unpair(project: Project, clip: str, file: FileRef | None = None) -> Project:
    """Without one proxy of a clip (default: the one in use). The file stays where it is."""
    found = project.clip(clip)
    if found is None or not found.proxies:
        return project
    gone = file or found.proxies[-1].file
    return project.with_decision(clip, project.cut.decision(clip).with_parted(gone))


def with_offset(project: Project, clip: str, file: FileRef, offset: int) -> Project:
    """With another offset of a proxy, whose proof no longer holds."""
    return project.with_decision(clip, project.cut.decision(clip).with_offset(file, offset))


def accepted(project: Project, clip: str, file: FileRef) -> Project:
    """With a doubtful pair let pass by a person."""
    found, decision = project.clip(clip), project.cut.decision(clip)
    proofs = [one.proof for one in found.proxies if one.file == file] if found is not None else []
    if not proofs or proofs[0] is None:
        return project
    return project.with_decision(clip, replace(decision, accepted={**decision.accepted, file: proofs[0].stamp}))
