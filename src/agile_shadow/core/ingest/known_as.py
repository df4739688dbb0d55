"""Where the files of a source belong if they turn out to be a clip that the project has already."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ..below import Anchor
from ..media.joined import parts_of
from ..media.recording import is_sequence
from ..media.sequence import member_name, numbered
from ..project import Clip, Project

if TYPE_CHECKING:
    from .copying import CopyItem, CopyRequest


@dataclass(frozen=True)
class KnownClip:
    """A clip of the project that a source's files may be, by their size: its checksum, and where it lies.

    ``place`` and ``home``, the root of its shelf, are None where it lies on the source itself or on no shelf of this
    machine. There may be thousands of one size: so it holds nothing that is of one request.
    """

    clip: str
    checksum: str
    value: str
    place: Path | None = None
    home: Path | None = None
    sidecars: tuple[Path, ...] = ()


@dataclass(frozen=True)
class KnownAs:
    """A request's files at the places of a clip: ``items``, ``sidecars``, ``copies``, ``anchors`` as in CopyRequest."""

    items: tuple[CopyItem, ...]
    sidecars: tuple[CopyItem, ...] = ()
    copies: tuple[CopyItem, ...] = ()
    anchors: tuple[Anchor, ...] = ()


def candidate_of(clip: Clip, project: Project, source: Path) -> KnownClip:
    """A clip of the project for requests of a source."""
    original = clip.original
    plain = KnownClip(clip.id, original.checksum, original.checksum_value)
    home, place = project.shelf(original.file.shelf), project.place_or_none(original.file)
    if home is None or place is None or place.is_relative_to(source):
        return plain
    beside = (path for file in clip.sidecars if (path := project.place_or_none(file)) is not None)
    own = tuple(path for path in beside if path.is_relative_to(home.root))
    return replace(plain, place=place, home=home.root, sidecars=own)


def known_as(candidate: KnownClip, request: CopyRequest) -> KnownAs | None:
    """A request's files at the places of a clip; None where it is of other files.

    Where the clip lies on the source itself, or its drive is away, the places are those of the request.
    """
    place, root = candidate.place, candidate.home
    home = next((anchor for anchor in request.homes if anchor.root == root), None)
    if place is None or root is None or home is None:
        return KnownAs(request.items, request.sidecars, request.copies, request.anchors)
    names = _names(place, request)
    if names is None:
        return None

    def moved(item: CopyItem, target: Path) -> CopyItem:
        below = target.relative_to(root)
        return replace(item, targets=(target, *(one.root / below for one in request.anchors[1:])))

    def beside(item: CopyItem) -> CopyItem:
        name = item.targets[0].name
        return moved(item, next((path for path in candidate.sidecars if path.name == name), place.parent / name))

    return KnownAs(
        tuple(moved(item, name) for item, name in zip(request.items, names, strict=True)),
        tuple(beside(item) for item in request.sidecars), tuple(beside(item) for item in request.copies),
        (home, *request.anchors[1:]),
    )  # fmt: skip


def _names(place: Path, request: CopyRequest) -> list[Path] | None:
    """The clip's files, in the order of the request's; None where they are of another number or kind."""
    if len(request.items) > 1:
        digits = [numbered(item.source.name) for item in request.items]
        if is_sequence(place) and all(digits):
            return [place.with_name(member_name(place.name, one.number)) for one in digits if one is not None]
    files = parts_of(place)
    return files if len(files) == len(request.items) else None
