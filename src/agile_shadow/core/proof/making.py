"""A proxy made and proven in one go, by what was kept of the original's frames as they passed through memory."""

from __future__ import annotations

import logging
import sys
import time
from contextlib import suppress
from dataclasses import dataclass, fields

from ..jobs import Report
from ..media.sequence import status
from ..media.signature import has_signature
from ..pairs.half import Half
from ..pairs.pair import Proof, ProvenResult, Stamp
from ..proxies import ProxyRequest, ProxyResult

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
    return _with_proof(result, proof)


def make_for_another(request: UnnamedRequest, report: Report) -> ProxyResult:
    """The same for a machine that asked this one: the proxy stays under a temporary name, for that machine to look at
    and to name. A task for a worker; errors as :func:`agile_shadow.core.proxies.make_unnamed`."""
    from ..proxies import make_unnamed  # workers alone need it

    begun = time.perf_counter()
    result = make_unnamed(request.making, request.partial, lambda done: report(done * _MADE))
    proof = _proof(request.making, result) if _takes_little(result, time.perf_counter() - begun) else None
    return _with_proof(result, proof)


@dataclass(frozen=True)
class UnnamedRequest:
    """A proxy to be made under the temporary name ``partial`` beside its target."""

    making: ProxyRequest
    partial: str


@dataclass(frozen=True)
class NameRequest:
    """What another machine made: its temporary name, bytes, xxh128, what it found damaged, and its proof if any."""

    making: ProxyRequest
    partial: str
    size: int
    digest: str
    damage: str = ""
    proof: Proof | None = None


def name_from_another(request: NameRequest, report: Report) -> ProxyResult:
    """Look at what another machine made and name it, or take what lies there already: a task for a worker. Errors as
    :func:`agile_shadow.core.proxies.name_unnamed`; its temporary file is gone then."""
    from ..proxies import make_or_take_proxy, name_unnamed  # workers alone need it

    def named(making: ProxyRequest, _report: Report) -> ProxyResult:
        return name_unnamed(making, request.partial, request.size, request.digest, request.damage)

    try:
        result = make_or_take_proxy(request.making, report, named)
    finally:
        with suppress(OSError):
            request.making.target.with_name(request.partial).unlink(missing_ok=True)
    return _with_proof(result, request.proof if _is_about(request, result) else None)


def _is_about(request: NameRequest, result: ProxyResult) -> bool:
    """Whether a proof made elsewhere is about these very files, as this machine sees them."""
    try:
        now = Stamp(*status(request.making.original), *status(result.path), 0)
    except OSError:
        return False
    return request.proof is not None and result.made is not None and request.proof.stamp == now


def _with_proof(result: ProxyResult, proof: Proof | None) -> ProxyResult:
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
    from .prover import ProveRequest, prove  # workers alone need it
    from .witness import is_doubtful

    halves = Half(request.original, result.original), Half(result.path, result.info)
    try:
        if is_doubtful(halves[0]):
            return None  # the witness decodes the original whole: that is for later
        return prove(ProveRequest(*halves, made=True), lambda done: None)
    except Exception:  # whatever it was: the proxy is made and checked, and its proof comes with the others
        log.warning("%s was made and could not be proved at once", result.path, exc_info=True)
        return None
