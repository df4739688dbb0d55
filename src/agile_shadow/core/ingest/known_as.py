"""Where the files of a source belong if they turn out to be a clip that the project has already."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from ..below import Anchor
from ..errors import ShadowError, ShelfGone
from ..media.joined import parts_of
from ..media.recording import is_sequence
from ..media.sequence import member_name, numbered
from ..project import Clip, Project
from .copying import CopyItem, CopyRequest, KnownAs


def known_as(
    clip: Clip, request: CopyRequest, project: Project, source: Path, anchor: Callable[[Path], Anchor]
) -> KnownAs | None:
    """A request's files at the places of a clip; None where it is of other files.

    Where the clip lies on the source itself, or its drive is away, the places are those of the request.
    ``anchor`` gives what identifies the root of a shelf, or raises ShelfGone, ShadowError.
    """
    original = clip.original
    plain = KnownAs(
        clip.id, original.checksum, original.checksum_value, request.items, request.sidecars, request.copies,
        request.anchors,
    )  # fmt: skip
    home = project.shelf(original.file.shelf)
    place = project.place_or_none(original.file)
    if home is None or place is None or place.is_relative_to(source):
        return plain
    try:
        anchors = (anchor(home.root), *request.anchors[1:])
    except (ShelfGone, ShadowError):
        return plain
    names = _names(place, request)
    if names is None:
        return None

    def moved(item: CopyItem, target: Path) -> CopyItem:
        below = target.relative_to(home.root)
        return replace(item, targets=(target, *(one.root / below for one in request.anchors[1:])))

    def beside(item: CopyItem) -> CopyItem:
        own = (path for file in clip.sidecars if (path := project.place_or_none(file)) is not None)
        name = item.targets[0].name
        same = (path for path in own if path.name == name and path.is_relative_to(home.root))
        return moved(item, next(same, place.parent / name))

    return replace(
        plain, anchors=anchors,
        items=tuple(moved(item, name) for item, name in zip(request.items, names, strict=True)),
        sidecars=tuple(beside(item) for item in request.sidecars),
        copies=tuple(beside(item) for item in request.copies),
    )  # fmt: skip


def _names(place: Path, request: CopyRequest) -> list[Path] | None:
    """The clip's files, in the order of the request's; None where they are of another number or kind."""
    if len(request.items) > 1:
        digits = [numbered(item.source.name) for item in request.items]
        if is_sequence(place) and all(digits):
            return [place.with_name(member_name(place.name, one.number)) for one in digits if one is not None]
    files = parts_of(place)
    return files if len(files) == len(request.items) else None
