"""A film as an order: the timeline and its clips as text, its file and the originals by shelf and path."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import PurePosixPath
from typing import Annotated, Any

from pydantic import Field, ValidationError

from ..below import Anchor
from ..errors import ShadowError
from ..files import is_partial, partial_path
from ..film.elsewhere import FilmElsewhere, FilmToName, UnnamedFilm, make_film_for_another
from ..film.library import FILM_SETTINGS
from ..film.loudness import Loudness
from ..film.proof import FilmProof
from ..film.reach import why_only_here
from ..film.render import Proven, states_of
from ..film.request import FilmRequest
from ..project import Decision, Project
from ..project.file import project_of_text, project_text
from ..shelves import Shelf, place_of
from ..strict import Count, Frame, Line, Number, Strict, Time
from .orders import Digest, HelperWork, Order, PartialName, ShelfPlace, seen_shelf
from .table import LONGEST

FILM = "film"
_Text = Annotated[str, Field(max_length=LONGEST)]


class _Original(Strict):
    place: ShelfPlace
    size: Count
    modified: Time


class FilmOrder(Strict):
    """``project``: as its file would hold it, with the open timeline and the clips on it alone. ``originals``: as they
    are for the one that asks, in bytes and nanoseconds; ``partial``: the temporary name beside ``out``."""

    out: ShelfPlace
    partial: PartialName
    project: _Text
    settings: dict[str, Any]
    first: Frame
    end: Frame | None
    originals: Annotated[tuple[_Original, ...], Field(max_length=20_000)]


class FilmAnswer(Strict):
    """What was made: bytes, xxh128, what its proof found, loudness if it has sound, frames made per second."""

    size: Count
    digest: Digest
    frames: Count
    apart: Number
    places: Count
    likeness: Number
    sound_off: Number
    loudness: tuple[Number, Number, Number] | None = None
    notes: Annotated[tuple[Line, ...], Field(max_length=50)] = ()
    pace: Number
    took: Number


def film_weight(request: FilmRequest) -> float:
    """Pixels of all its frames."""
    return float(request.size[0] * request.size[1] * request.count)


def film_order(request: FilmRequest, shelves: Sequence[Shelf]) -> Order | None:
    """The order for a film; None for one that can only be made here. Touches the originals; raises OSError."""
    there = place_of(request.out, tuple(shelves))
    if why_only_here(request, shelves) or there is None or not request.out.parent.is_dir():
        return None
    places = {path: (place_of(path, request.project.shelves), state) for path, state in states_of(request).items()}
    originals = tuple(
        _Original(place=ShelfPlace(shelf=place[0].id, path=place[1]), size=state[0], modified=state[1])
        for place, state in places.values() if place is not None and state is not None
    )  # fmt: skip
    if len(originals) < len(places):
        return None
    partial = partial_path(request.out).name
    needs = frozenset({there[0].id, *(one.place.shelf for one in originals)})
    order = FilmOrder(
        out=ShelfPlace(shelf=there[0].id, path=there[1]), partial=partial,
        project=project_text(_what_is_needed(request.project, needs)), settings=request.settings.to_json(),
        first=request.first, end=request.end, originals=originals,
    )  # fmt: skip
    text = order.model_dump_json()
    if len(text) > LONGEST:
        return None
    return Order(FILM, request, request.out, text, needs, film_weight(request), request.out.with_name(partial))


def _what_is_needed(project: Project, shelves: frozenset[str]) -> Project:
    """The open timeline, its clips with their originals, and the shelves of these."""
    used = {block.clip for track in project.timeline.tracks for block in track.blocks if block.title is None}
    clips = tuple(replace(clip, proxies=(), sidecars=(), tags=()) for clip in project.clips if clip.id in used)
    decisions: dict[str, Decision] = {}  # what was decided of an original is in the clip already
    return project.but(
        clips=clips, shelves=tuple(one for one in project.shelves if one.id in shelves), reports=(), bakes=(),
        hidden=frozenset(), unknown={}, others=(), preset=None, by_itself=False, decisions=decisions,
    )  # fmt: skip


def film_answered(order: Order, values: dict[str, Any]) -> FilmToName:
    """What is to be looked at and named here. Raises ShadowError for an answer that is none."""
    try:
        answer = FilmAnswer.model_validate(values)
        asked = FilmOrder.model_validate_json(order.text)
    except (ValidationError, ValueError) as error:
        raise ShadowError("a helper's answer cannot be read", order.about, "Make it here.") from error
    request: FilmRequest = order.request
    found = {
        shelf.resolve(one.place.path): (one.size, one.modified)
        for one in asked.originals if (shelf := request.project.shelf(one.place.shelf)) is not None
    }  # fmt: skip
    proof = FilmProof(answer.frames, answer.apart, answer.places, answer.likeness, answer.sound_off)
    loudness = Loudness(*answer.loudness) if answer.loudness is not None else None
    proven = Proven(proof, loudness, answer.notes, tuple(found), answer.pace)
    return FilmToName(request, asked.partial, answer.digest, proven, found)


# On the helper


def film_work(order: dict[str, Any], shelves: Mapping[str, tuple[Shelf, Anchor]]) -> HelperWork:
    """What an order means on a helper. Raises ShadowError as for other orders."""
    try:
        read = FilmOrder.model_validate(order)
        settings = FILM_SETTINGS.parse(read.settings)
    except (ValidationError, ValueError, TypeError) as error:
        raise ShadowError("an order that cannot be read", None, "Both machines need the same version.") from error
    if not is_partial(read.partial) or ".." in PurePosixPath(read.out.path).parts:
        raise ShadowError("an order for a name that is none", None, "")
    project = project_of_text(read.project)
    here = tuple(replace(shelf, root=seen_shelf(shelf.id, shelves)[0].root) for shelf in project.shelves)
    project = project.but(shelves=here)
    out = seen_shelf(read.out.shelf, shelves)[0].resolve(read.out.path)
    request = FilmRequest(project, out, settings, read.first, read.end)
    files = {seen_shelf(one.place.shelf, shelves)[0].resolve(one.place.path): (one.size, one.modified)
             for one in read.originals}  # fmt: skip
    if set(states_of(request)) - set(files):
        raise ShadowError("an order that does not name every original", out, "")
    return HelperWork(make_film_for_another, UnnamedFilm(request, read.partial), files, out.name)


def film_text(result: FilmElsewhere, took: float) -> str:
    """The answer, as JSON."""
    proven, proof = result.proven, result.proven.proof
    sound = proven.loudness
    return FilmAnswer(
        size=result.size, digest=result.digest, frames=proof.frames, apart=proof.apart, places=proof.places,
        likeness=proof.likeness, sound_off=proof.sound_off, notes=proven.notes, pace=proven.pace, took=took,
        loudness=(sound.integrated, sound.range, sound.true_peak) if sound is not None else None,
    ).model_dump_json()  # fmt: skip
