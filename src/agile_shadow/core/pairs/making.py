"""A proxy made and proven in one go, by what was kept of the original's frames as they passed through memory."""

from __future__ import annotations

import logging
from dataclasses import fields

from ..jobs import Report
from ..media.signature import has_signature
from ..proxies import ProxyRequest, ProxyResult
from .half import Half
from .pair import Proof, ProvenResult

log = logging.getLogger(__name__)

_MADE = 0.95  # of the work


def make_proven_proxy(request: ProxyRequest, report: Report) -> ProxyResult:
    """Like :func:`agile_shadow.core.proxies.make_or_take_proxy`, with its proof where the original has a signature: a
    task for a worker. What goes wrong in the proving leaves the pair without one, to be proved later."""
    from ..proxies import make_or_take_proxy  # only workers need it

    result = make_or_take_proxy(request, lambda done: report(done * _MADE))
    proof = _proof(request, result)
    report(1.0)
    if proof is None:
        return result
    return ProvenResult(**{field.name: getattr(result, field.name) for field in fields(result)}, proof=proof)


def _proof(request: ProxyRequest, result: ProxyResult) -> Proof | None:
    if result.original.kind != "video" or not has_signature(request.original):
        return None
    from .proof import ProveRequest, prove  # only workers need it

    halves = Half(request.original, result.original), Half(result.path, result.info)
    try:
        return prove(ProveRequest(*halves, made=True), lambda done: None)
    except Exception:  # whatever it was: the proxy is made and checked, and its proof comes with the others
        log.warning("%s was made and could not be proved at once", result.path, exc_info=True)
        return None
