"""What a helper is asked to make, as plain values: files named by shelf and path, settings, and what the original is.

The one that asks writes an order and reads the answer; the helper reads the order, with the places of the shelves on
its own machine. Neither trusts the other: both read with models that refuse what does not fit.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from ..below import Anchor
from ..errors import MediaError, ShadowError, ShelfGone
from ..files import is_partial, partial_path
from ..media import MediaInfo
from ..media.sequence import status
from ..pairs import Proof
from ..presets import Proxies
from ..proof.making import NameRequest, UnnamedRequest, make_for_another
from ..proxies import ProxyRequest, ProxyResult
from ..shelves import Shelf, place_of
from ..strict import Count, Id, PathText, Strict, Time, Words

PROXY = "proxy"

Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
PartialName = Annotated[str, Field(max_length=255, pattern=r"^\.[^/]+\.part$")]


class ShelfPlace(Strict):
    """A file: the shelf's identity and the path below it."""

    shelf: Id
    path: PathText


class ProxyOrder(Strict):
    """A proxy. ``size`` and ``modified`` of the original as it is for the one that asks, in bytes and nanoseconds;
    ``partial``: the temporary name beside ``target`` that it gets."""

    original: ShelfPlace
    target: ShelfPlace
    partial: PartialName
    size: Count
    modified: Time
    info: dict[str, Any]
    settings: dict[str, Any]
    values: Annotated[dict[Id, Words], Field(max_length=200)]


class ProxyAnswer(Strict):
    """What was made: bytes, xxh128, what of the original was found damaged, seconds it took, the proof if any."""

    size: Count
    digest: Digest
    damage: Annotated[str, Field(max_length=1000)] = ""
    took: Annotated[float, Field(ge=0, le=1e8, allow_inf_nan=False)]
    proof: dict[str, Any] | None = None


@dataclass(frozen=True)
class Order:
    """An order on its way, of the ``kind`` of that name. ``about``: the original it is of; ``needs``: identities of the
    shelves that a helper must see; ``weight``: how much work it is, in pixels of the original; ``left``: the temporary
    file that a helper makes for it, None where it makes none."""

    kind: str
    request: Any
    about: Path
    text: str
    needs: frozenset[str]
    weight: float
    left: Path | None = None


def weight_of(info: MediaInfo | None) -> float:
    """Pixels of all frames of an original: what a proxy of it costs, about."""
    return float(max(1, info.width * info.height) * max(1, info.frames)) if info is not None else 1.0


def order_of(request: ProxyRequest, shelves: Sequence[Shelf]) -> Order | None:
    """The order for a proxy; None for one that can only be made here: of an original that is not one file, or whose
    file or target lies on no shelf. Raises OSError."""
    info = request.info
    if info is None or info.form != "file" or request.part is not None or request.anchor is None:
        return None
    original, target = place_of(request.original, tuple(shelves)), place_of(request.target, tuple(shelves))
    if original is None or target is None or target[0].root != request.anchor.root:
        return None
    size, modified = status(request.original)
    partial = partial_path(request.target).name
    order = ProxyOrder(
        original=ShelfPlace(shelf=original[0].id, path=original[1]),
        target=ShelfPlace(shelf=target[0].id, path=target[1]),
        partial=partial, size=size, modified=modified, info=info.to_json(),
        settings=request.settings.model_dump(mode="json"), values=dict(request.values),
    )  # fmt: skip
    needs = frozenset((original[0].id, target[0].id))
    return Order(
        PROXY, request, request.original, order.model_dump_json(), needs, weight_of(info),
        request.target.with_name(partial),
    )  # fmt: skip


def answered(order: Order, values: dict[str, Any]) -> NameRequest:
    """What is to be looked at and named here. Raises ShadowError for an answer that is none."""
    assert order.left is not None
    try:
        answer = ProxyAnswer.model_validate(values)
        proof = TypeAdapter(Proof).validate_json(json.dumps(answer.proof)) if answer.proof is not None else None
    except (ValidationError, ValueError) as error:
        raise ShadowError("a helper's answer cannot be read", order.about, "Make it here.") from error
    return NameRequest(order.request, order.left.name, answer.size, answer.digest, answer.damage, proof)


# On the helper


@dataclass(frozen=True)
class HelperWork:
    """A task for a worker process of the helper, and its request. ``files``: size and time of change (bytes,
    nanoseconds) of those that must be what the one that asks has. ``name``: what it is of, for a person; the first of
    these where that is ""."""

    task: Any
    request: Any
    files: Mapping[Path, tuple[int, int]]
    name: str = ""

    def check(self) -> None:
        """Raises MediaError where a file is another one than the one that was meant."""
        for path, wanted in self.files.items():
            try:
                now = status(path)
            except OSError as error:
                raise MediaError("cannot be read here", path, "See the shelf.") from error
            if now != wanted:
                raise MediaError("is another file here", path, "See which drive is mounted.")

    @property
    def title(self) -> str:
        """What the list of helpers shows of it."""
        return self.name or next(iter(self.files)).name


def work_of(order: dict[str, Any], shelves: Mapping[str, tuple[Shelf, Anchor]]) -> HelperWork:
    """What an order means here, with the shelves that were found here. Raises ShadowError for what is no order, for a
    shelf that is not here any more, and for a path that leads out of its shelf."""
    try:
        read = ProxyOrder.model_validate(order)
        settings = Proxies.model_validate(read.settings)
        info = MediaInfo.from_json(read.info)
    except (ValidationError, ValueError, TypeError) as error:
        raise ShadowError("an order that cannot be read", None, "Both machines need the same version.") from error
    if not is_partial(read.partial) or ".." in PurePosixPath(read.target.path).parts:
        raise ShadowError("an order for a name that is none", None, "")
    home, _anchor = seen_shelf(read.original.shelf, shelves)
    there, anchor = seen_shelf(read.target.shelf, shelves)
    making = ProxyRequest(
        home.resolve(read.original.path), there.locate(read.target.path), settings, info, read.values, anchor=anchor
    )
    return HelperWork(
        make_for_another, UnnamedRequest(making, read.partial), {making.original: (read.size, read.modified)}
    )


def seen_shelf(identity: str, shelves: Mapping[str, tuple[Shelf, Anchor]]) -> tuple[Shelf, Anchor]:
    """A shelf as it was found here. Raises ShelfGone when it is not there any more."""
    found = shelves.get(identity)
    if found is None or not found[1].holds():
        raise ShelfGone("this shelf is not seen here", None, "See which drive is mounted.")
    return found


def answer_of(result: ProxyResult, took: float) -> str:
    """The answer, as JSON."""
    assert result.made is not None
    proof = getattr(result, "proof", None)
    return ProxyAnswer(
        size=result.made.size, digest=result.made.digest, damage=result.original.damage, took=took,
        proof=TypeAdapter(Proof).dump_python(proof, mode="json") if proof is not None else None,
    ).model_dump_json()  # fmt: skip
