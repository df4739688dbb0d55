"""What workers do for a search: what files are, their fingerprints, and how well files and originals fit."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..errors import ShadowError
from ..jobs import Report
from ..matching.alignment import NONE, fit_pictures, fit_sound
from ..matching.assignment import Looks
from ..matching.evidence import MOVES_ALIKE
from ..media.fingerprint import Fingerprint, dense_grids, fingerprint
from ..pairs.half import Half
from ..proof.prover import exact_offset

_LONGEST = 20_000  # frames of a file that are laid over originals


@dataclass(frozen=True)
class PrintRequest:
    """A probed file."""

    half: Half


def print_of(request: PrintRequest, report: Report) -> Fingerprint | None:
    """Its fingerprint, None when it cannot be decoded: a task for a worker."""
    try:
        return fingerprint(request.half.path, request.half.info)
    except (ShadowError, OSError):
        return None


@dataclass(frozen=True)
class Opposite:
    """An original that a file may be of: its number, what it is, its fingerprint; ``expected``: the offset that names
    and data lead to, None when they do not say."""

    number: int
    half: Half
    print_: Fingerprint
    expected: int | None = None


@dataclass(frozen=True)
class LooksRequest:
    """A file with its fingerprint, and the originals it may be of."""

    half: Half
    print_: Fingerprint
    opposites: tuple[Opposite, ...] = field(default_factory=tuple)


def looks_of(request: LooksRequest, report: Report) -> dict[int, Looks]:
    """How well a file fits each of these originals, by their numbers; the best to the frame: a task for a worker."""
    try:
        grids = dense_grids(request.half.path, request.half.info, 0, _LONGEST)
    except ShadowError:
        return {}
    found: dict[int, Looks] = {}
    for done, one in enumerate(request.opposites):
        report(done / len(request.opposites))
        picture = fit_pictures(one.print_, grids)
        found[one.number] = Looks(picture, fit_sound(one.print_.loudness, request.print_.loudness))
    best = max(request.opposites, key=lambda one: _moving(found[one.number]), default=None)
    if best is not None and _moving(found[best.number]) >= MOVES_ALIKE:
        found[best.number] = _to_the_frame(request.half, best, found[best.number])
    return found


def _moving(looks: Looks) -> float:
    return looks.picture.moving if looks.picture is not None else NONE


def _to_the_frame(file: Half, original: Opposite, looks: Looks) -> Looks:
    assert looks.picture is not None
    offset = looks.picture.offset
    if offset == original.expected:
        return Looks(looks.picture, looks.sound, offset, True)
    try:
        exact = exact_offset(original.half, file, offset)
    except (ShadowError, OSError):
        return looks
    return looks if exact is None else Looks(looks.picture, looks.sound, *exact)
