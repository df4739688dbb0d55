"""What can be asked of a helper: the table both machines read, a line for each kind of job."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..below import Anchor
from ..film.elsewhere import name_film_from_another
from ..jobs import Task
from ..proof.making import name_from_another
from ..shelves import Shelf
from .film_orders import FILM, film_answered, film_order, film_text, film_weight, film_work
from .orders import PROXY, HelperWork, Order, answer_of, answered, order_of, weight_of, work_of
from .proof_orders import PROOF, proof_answered, proof_order, proof_text, proof_work, take_proof


@dataclass(frozen=True)
class HelperKind:
    """Of the one that asks: ``order`` of a request and the project's shelves, its ``weight``, and ``taken``, the task
    and request that look here at what came; ``away``: whoever asks for it wants this machine free, so any helper is
    better than this machine. Of the helper: ``work`` of an order, and the ``answer`` with its result."""

    name: str
    order: Callable[[Any, Sequence[Shelf]], Order | None]
    weight: Callable[[Any], float]
    taken: Callable[[Order, dict[str, Any]], tuple[Any, Any]]
    work: Callable[[dict[str, Any], Mapping[str, tuple[Shelf, Anchor]]], HelperWork]
    answer: Callable[[Any, float], str]
    away: bool = False


_PROXIES = HelperKind(
    PROXY, order_of, lambda request: weight_of(request.info),
    lambda order, values: (name_from_another, answered(order, values)), work_of, answer_of,
)  # fmt: skip
_PROOFS = HelperKind(
    PROOF, proof_order, lambda request: weight_of(request.original.info),
    lambda order, values: (take_proof, proof_answered(order, values)), proof_work, proof_text,
)  # fmt: skip
_FILMS = HelperKind(
    FILM, film_order, film_weight, lambda order, values: (name_film_from_another, film_answered(order, values)),
    film_work, film_text, away=True,
)  # fmt: skip
_BY_TASK = {  # by name: what proofs compute with is loaded where they are made
    ("agile_shadow.core.proof.making", "make_proven_proxy"): _PROXIES,
    ("agile_shadow.core.proof.prover", "prove"): _PROOFS,
    ("agile_shadow.core.film.render", "make_film"): _FILMS,
}
KINDS: Mapping[str, HelperKind] = {one.name: one for one in _BY_TASK.values()}


def kind_of(task: Task) -> HelperKind | None:
    """The kind of a task for workers; None for one that stays on this machine."""
    return _BY_TASK.get((getattr(task, "__module__", ""), getattr(task, "__name__", "")))
