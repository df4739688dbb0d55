"""Whether a helper could make a film, by what is known of it without touching a drive."""

from __future__ import annotations

from collections.abc import Sequence

from ..shelves import Shelf, place_of
from .check import blocks_in
from .request import FilmRequest


def why_only_here(request: FilmRequest, shelves: Sequence[Shelf]) -> str:
    """Why a film can only be made on this machine, in words; "" where a helper that sees the shelves could make it."""
    if request.draft:
        return "A draft is made on this machine."
    if request.settings.file in ("pictures", "still"):
        return "Numbered pictures and stills are made on this machine."
    if place_of(request.out, tuple(shelves)) is None:
        return f"{request.out.parent} is on no shelf: a film there is made on this machine. Choose a folder on a shelf."
    used = {block.clip for block in blocks_in(request.line, request.first, request.end)}
    clips = [clip for one in used if (clip := request.project.clip(one)) is not None]
    if any(clip.original.file.form != "file" for clip in clips):
        return "An original is an image sequence or in several files: the film is made on this machine."
    return ""
