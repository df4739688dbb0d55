"""How long it takes to make a clip's proxy again on this machine, from those that were made here."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from ..jobs import Piece
from ..project import Clip, Project


def pace_of_making(project: Project, pieces: Iterable[Piece]) -> Callable[[Clip], float | None]:
    """Seconds for a clip: as long as its own proxy took, else by the pace of the others for each pixel; None where none
    was made here yet. ``pieces``: of the queue."""
    took: dict[str, float] = {}
    for piece in pieces:
        if piece.kind == "proxy" and piece.state == "done" and piece.elapsed() > 0 and piece.part == 1.0:
            took[piece.source] = piece.elapsed()
    own: dict[str, float] = {}
    for clip in project.clips:
        places = (clip.source, str(project.place_or_none(clip.original.file)))
        known = next((took[place] for place in places if place in took), None)
        if known is not None:
            own[clip.id] = known
    work = sum(own.values())
    pixels = sum(_pixels(clip) for clip in project.clips if clip.id in own)

    def seconds(clip: Clip) -> float | None:
        if clip.id in own:
            return own[clip.id]
        return work / pixels * _pixels(clip) if pixels else None

    return seconds


def _pixels(clip: Clip) -> float:
    """Of all its frames, in millions."""
    info = clip.original.info
    return info.width * info.height * max(1, info.frames) / 1e6
