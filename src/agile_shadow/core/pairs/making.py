"""A proxy made and proven in one go, by what was kept of the original's frames as they passed through memory."""

from __future__ import annotations

import logging
import sys
import time
from dataclasses import fields

from ..jobs import Report
from ..media.signature import has_signature
from ..proxies import ProxyRequest, ProxyResult
from .half import Half
from .pair import Proof, ProvenResult

log = logging.getLogger(__name__)

_MADE = 0.95  # of the work
_MOST = 0.05  # of the time of the making: a proof that takes more is left to when the making is over
_FIXED, _LOADING, _PACE = 0.5, 1.5, 250.0  # seconds of any proof; of loading what it computes with; frames per second


def make_proven_proxy(request: ProxyRequest, report: Report) -> ProxyResult:
    """Like :func:`agile_shadow.core.proxies.make_or_take_proxy`, with its proof where that takes next to no time beside
    the making: a task for a worker. Without one, also where proving went wrong, the pair is proved later."""
    from ..proxies import make_or_take_proxy  # workers alone need it

    begun = time.perf_counter()
    result = make_or_take_proxy(request, lambda done: report(done * _MADE))
    proof = _proof(request, result) if _takes_little(result, time.perf_counter() - begun) else None
    report(1.0)
    if proof is None:
        return result
    return ProvenResult(**{field.name: getattr(result, field.name) for field in fields(result)}, proof=proof)


def _takes_little(result: ProxyResult, took: float) -> bool:
    """Whether the proof of a proxy is worth the wait now, when making it ``took`` so many seconds."""
    loading = 0.0 if "scipy.optimize" in sys.modules else _LOADING
    return _FIXED + loading + result.info.frames / _PACE <= _MOST * took


def _proof(request: ProxyRequest, result: ProxyResult) -> Proof | None:
    if result.original.kind != "video" or not has_signature(request.original):
        return None
    from .proof import ProveRequest, prove  # workers alone need it
    from .witness import is_doubtful

    halves = Half(request.original, result.original), Half(result.path, result.info)
    try:
        if is_doubtful(halves[0]):
            return None  # the witness decodes the original whole: that is for later
        return prove(ProveRequest(*halves, made=True), lambda done: None)
    except Exception:  # whatever it was: the proxy is made and checked, and its proof comes with the others
        log.warning("%s was made and could not be proved at once", result.path, exc_info=True)
        return None
