"""What workers do for a search: what files are, their fingerprints, and how well files and originals fit."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..errors import ShadowError
from ..jobs import Report
from ..matching.alignment import NONE, fit_pictures, fit_sound
from ..matching.assignment import Looks
from ..matching.evidence import MOVES_ALIKE
from ..media.fingerprint import Fingerprint, Grids, dense_grids, fingerprint, loudness
from ..media.sequence import exists
from ..media.signature import Signature, kept_signature, signature_as
from ..pairs.half import Half
from ..proof.prover import exact_offset, offset_by_signature

_LONGEST = 20_000  # frames of a file that are laid over originals


@dataclass(frozen=True)
class PrintRequest:
    """A probed file."""

    half: Half


def print_of(request: PrintRequest, report: Report) -> Fingerprint | None:
    """Its fingerprint, None when it cannot be decoded: a task for a worker. The picture of an original whose signature
    is kept is not decoded again."""
    path, info = request.half.path, request.half.info
    try:
        signature = kept_signature(path)
        if signature is not None and signature.frames == info.frames:
            heard = loudness(path) if info.audio and signature.heard is None else None
            return signature.fingerprint(heard)
        return fingerprint(path, info)
    except (ShadowError, OSError):
        return None


@dataclass(frozen=True)
class Opposite:
    """An original that a file may be of: its number, what it is, its fingerprint; ``expected``: the offset that names
    and data lead to, None when they do not say; ``stamp``: its bytes and time as the project knows them, where it has
    them: its drive may be away."""

    number: int
    half: Half
    print_: Fingerprint
    expected: int | None = None
    stamp: tuple[int, int] | None = None

    def signature(self) -> Signature | None:
        """What all its frames look like, where that is kept: of the file as it is now, or as it was if it is away."""
        path, away = self.half.path, self.stamp is not None and not exists(self.half.path)
        found = signature_as(path, *self.stamp) if away and self.stamp is not None else kept_signature(path)
        return found if found is not None and found.frames == self.half.info.frames else None


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
        found[best.number] = _to_the_frame(request.half, grids, best, found[best.number])
    return found


def _moving(looks: Looks) -> float:
    return looks.picture.moving if looks.picture is not None else NONE


def _to_the_frame(file: Half, grids: Grids, original: Opposite, looks: Looks) -> Looks:
    assert looks.picture is not None
    offset = looks.picture.offset
    if offset == original.expected:
        return Looks(looks.picture, looks.sound, offset, True)
    try:
        signature = original.signature()
        exact = offset_by_signature(signature, grids, offset) if signature is not None else None
        if exact is None or not exact[1]:
            exact = exact_offset(original.half, file, offset)
    except (ShadowError, OSError):
        return looks
    return looks if exact is None else Looks(looks.picture, looks.sound, *exact)
