"""The proof of a pair as an order: both files by shelf and path, what they are, and what comes back.

Imports inside functions: what proves is imported where it runs: whoever only sends orders needs none of it.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from pydantic import TypeAdapter, ValidationError

from ..below import Anchor
from ..errors import MediaError, ShadowError
from ..media import MediaInfo
from ..media.sequence import status
from ..pairs import Proof, Stamp
from ..pairs.half import Half
from ..shelves import Shelf, place_of
from ..strict import Count, Frame, Strict, Time
from .orders import HelperWork, Order, ShelfPlace, seen_shelf, weight_of

if TYPE_CHECKING:
    from ..proof.prover import ProveRequest

PROOF = "proof"


class _File(Strict):
    place: ShelfPlace
    size: Count
    modified: Time
    info: dict[str, Any]


class ProofOrder(Strict):
    """Two files and the offset of the second, in frames of the first."""

    original: _File
    proxy: _File
    offset: Frame
    made: bool


def proof_order(request: ProveRequest, shelves: Sequence[Shelf]) -> Order | None:
    """The order for a proof; None for one that can only be made here: of an original that is not one video file, or
    whose files lie on no shelf. Raises OSError."""
    halves = (request.original, request.proxy)
    places = [place_of(half.path, tuple(shelves)) for half in halves]
    if any(half.info.form != "file" or half.info.kind != "video" for half in halves):
        return None
    files = [
        _File(
            place=ShelfPlace(shelf=place[0].id, path=place[1]), size=now[0], modified=now[1], info=half.info.to_json()
        )
        for half, place in zip(halves, places, strict=True) if place is not None and (now := status(half.path))
    ]  # fmt: skip
    if len(files) < 2:
        return None
    order = ProofOrder(original=files[0], proxy=files[1], offset=request.offset, made=request.made)
    needs = frozenset(file.place.shelf for file in files)
    return Order(PROOF, request, request.original.path, order.model_dump_json(), needs, weight_of(halves[0].info))


@dataclass(frozen=True)
class TakeProof:
    """A proof that came from another machine, and what it must be about."""

    request: ProveRequest
    proof: Proof


def proof_answered(order: Order, values: dict[str, Any]) -> TakeProof:
    """The proof that came. Raises ShadowError for an answer that is none."""
    try:
        proof = TypeAdapter(Proof).validate_json(json.dumps(values["proof"]))
    except (ValidationError, ValueError, KeyError, TypeError) as error:
        raise ShadowError("a helper's answer cannot be read", order.about, "Prove it here.") from error
    return TakeProof(order.request, proof)


def take_proof(taken: TakeProof, report: Any) -> Proof:
    """A proof that is about these very files, as they are here and now: a task for a worker. Raises MediaError for one
    that is not, or that somebody has accepted by hand, OSError."""
    request = taken.request
    now = Stamp(*status(request.original.path), *status(request.proxy.path), request.offset)
    if taken.proof.stamp != now or taken.proof.accepted:
        raise MediaError("its proof from elsewhere is about other files", request.proxy.path, "Prove it here.")
    return taken.proof


def proof_work(order: dict[str, Any], shelves: Mapping[str, tuple[Shelf, Anchor]]) -> HelperWork:
    """What an order means on a helper. Raises ShadowError as for other orders."""
    from ..proof.prover import ProveRequest, prove

    try:
        read = ProofOrder.model_validate(order)
        infos = [MediaInfo.from_json(file.info) for file in (read.original, read.proxy)]
    except (ValidationError, ValueError, TypeError) as error:
        raise ShadowError("an order that cannot be read", None, "Both machines need the same version.") from error
    paths = [seen_shelf(file.place.shelf, shelves)[0].resolve(file.place.path) for file in (read.original, read.proxy)]
    halves = [Half(path, info) for path, info in zip(paths, infos, strict=True)]
    states = [(file.size, file.modified) for file in (read.original, read.proxy)]
    return HelperWork(
        prove, ProveRequest(halves[0], halves[1], read.offset, read.made), dict(zip(paths, states, strict=True))
    )


def proof_text(proof: Proof, took: float) -> str:
    """The answer, as JSON."""
    return json.dumps({"proof": TypeAdapter(Proof).dump_python(proof, mode="json"), "took": took})
