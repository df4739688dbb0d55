"""Proving a project's pairs, one after the other: which need it, and keeping what was found with the pair.

Imports inside functions: what proves is imported when something is to be proven, which is not in every session.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Collection, Iterable
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from psygnal import Signal

from ..errors import Cancelled, ShadowError, sentence
from ..jobs import Executor
from ..media.sequence import status
from ..pairs import FileRef, Proof, Proxy, Stamp
from ..pairs.half import Half
from ..project import Clip, Footage, Project, ProjectSession
from ..threads import joined

if TYPE_CHECKING:
    from ..proof.prover import ProveRequest

log = logging.getLogger(__name__)

_GATHER = 1.0  # seconds in which proofs are gathered


@dataclass(frozen=True)
class Due:
    """A pair to be proved: both places, and what is known of the files."""

    clip: Clip
    proxy: Proxy
    original_path: Path
    proxy_path: Path


def due(project: Project, clips: Collection[str] | None = None) -> tuple[list[Due], list[tuple[Clip, Proxy, str]]]:
    """Pairs without a proof that holds, and those that cannot be proved now, with the reason. Touches drives.

    ``clips``: only of these; their proofs are looked at again even where they hold.
    """
    found: list[Due] = []
    cannot: list[tuple[Clip, Proxy, str]] = []
    for clip in project.clips:
        if clip.original.info.kind == "sound" or (clips is not None and clip.id not in clips):
            continue
        for proxy in clip.proxies:
            try:
                one = _due(project, clip, proxy)
            except (ShadowError, OSError) as error:
                cannot.append((clip, proxy, sentence(error)))
                continue
            if one is None:
                cannot.append((clip, proxy, "its shelf is not known"))
            elif clips is not None or not holds(one):
                found.append(one)
    return found, cannot


def _due(project: Project, clip: Clip, proxy: Proxy) -> Due | None:
    original, light = project.place(clip.original.file), project.place(proxy.file)  # links are followed when proving
    if original is None or light is None:
        return None
    for path in (original, light):
        status(path)
    return Due(clip, proxy, original, light)


def holds(one: Due) -> bool:
    """Whether a proof is still about the files that are there. Raises OSError."""
    proof = one.proxy.proof
    if proof is None:
        return False
    now = Stamp(*status(one.original_path), *status(one.proxy_path), one.proxy.offset)
    return proof.stamp == now


def prove_request(project: Project, one: Due) -> ProveRequest:
    """What a worker is asked. Raises ShadowError for a path that leads out of its shelf, links followed."""
    from ..proof.prover import ProveRequest

    for file in (one.clip.original.file, one.proxy.file):
        project.path(file)
    halves = Half(one.original_path, one.clip.original.info), Half(one.proxy_path, one.proxy.info)
    return ProveRequest(*halves, one.proxy.offset, made=one.proxy.made and bool(one.proxy.info.made_as))


def sisters_of(project: Project, clip: Clip, proxy: Proxy) -> list[float]:
    """The likenesses of other clips' proven proxies that were made with the same settings and bear letters as well."""
    from ..proof.prover import LETTERS_LEFT_OUT

    made_as = proxy.info.made_as
    return [
        one.proof.likeness
        for other in project.clips if made_as and other.id != clip.id
        for one in other.proxies
        if one.info.made_as == made_as and one.proof is not None and one.proof.state == "proven"
        and LETTERS_LEFT_OUT in one.proof.notes
    ]  # fmt: skip


@dataclass(frozen=True)
class ProofFound:
    """What was found of one proxy of a clip."""

    clip: str
    file: FileRef
    proof: Proof


def with_proofs(footage: Footage, proved: Iterable[ProofFound]) -> Footage:
    """With what was found kept with its files; a pair whose offset changed meanwhile does not show it."""
    for one in proved:
        footage = footage.with_proof(one.clip, one.file, one.proof)
    return footage


class Prover:
    """Proves the pairs of an open project in a worker, in the background. Any thread may call any method.

    It looks for pairs when asked to (:meth:`look`) and works them off in ``executor``: one at a time, or as many as it
    says (``at_once``). ``changed`` is emitted on its thread when a pair was proved or the round ended. ``problems``:
    pairs by clip that could not be proved, with the reason.
    """

    changed = Signal()

    def __init__(
        self, session: ProjectSession, executor: Executor, report: Callable[[str], None] = lambda text: None
    ) -> None:
        self._session = session
        self._executor = executor
        self._report = report
        self._wish = threading.Condition()
        self._wanted: set[str] | None = None
        self._look = False
        self._closed = False
        self._thread: threading.Thread | None = None
        self._futures: list[Future[Proof]] = []
        self._proved: list[ProofFound] = []
        self._kept_at = 0.0
        self.total = 0
        self.done = 0
        self.problems: dict[str, str] = {}

    def look(self, clips: Collection[str] | None = None) -> None:
        """Have it look for pairs without a proof that holds, or prove those of some clips again."""
        with self._wish:
            self._look = self._look or clips is None
            if clips is not None:
                self._wanted = (self._wanted or set()) | set(clips)
            if self._thread is None and not self._closed:
                self._thread = threading.Thread(target=self._loop, name="proving", daemon=True)
                self._thread.start()
            self._wish.notify_all()

    @property
    def active(self) -> bool:
        """Whether there are pairs under proof."""
        return self.done < self.total

    def end(self) -> None:
        """Have it end soon, without waiting for it; what was proved is kept."""
        with self._wish:
            self._closed = True
            for future in self._futures:
                self._executor.cancel(future)
            self._wish.notify_all()

    def close(self, limit: float | None = None) -> bool:
        """End it; whether it had ended within ``limit`` seconds."""
        self.end()
        return joined(self._thread, limit)

    def _loop(self) -> None:
        while True:
            with self._wish:
                while not self._closed and not (self._look or self._wanted):
                    self._wish.wait()
                if self._closed:
                    return
                wanted = self._wanted if self._wanted else None
                self._look, self._wanted = (self._look if wanted else False), None
            try:
                self._round(wanted)
            except Exception as error:  # a fault here must not end the thread
                log.exception("proving")
                self._report(f"The proof of pairs broke off: {sentence(error)}")
            self.total = self.done = 0
            self.changed.emit()

    def _round(self, wanted: set[str] | None) -> None:
        pairs, cannot = due(self._session.project, wanted)
        for clip, _proxy, reason in cannot:
            self.problems[clip.id] = reason
        self.done, self.total = 0, len(pairs)
        waiting, begun = deque(pairs), deque[tuple[Due, Future[Proof]]]()
        try:
            while (waiting or begun) and not self._closed:
                while waiting and len(begun) < max(1, getattr(self._executor, "at_once", 1)):
                    one = waiting.popleft()
                    begun.append((one, self._begun(one)))
                self._take(*begun.popleft())
                self.done += 1
                self.changed.emit()
        finally:
            with self._wish:
                for future in self._futures:
                    self._executor.cancel(future)
                self._futures = []
            self._keep()

    def _begun(self, one: Due) -> Future[Proof]:
        """The proof of a pair handed over; a future that fails where it could not be."""
        from ..proof.prover import prove

        try:
            request = prove_request(self._session.project, one)
        except Exception as error:
            failed: Future[Proof] = Future()
            failed.set_exception(error)
            return failed
        with self._wish:
            future: Future[Proof] = self._executor.submit(prove, request)
            self._futures = [*(other for other in self._futures if not other.done()), future]
            if self._closed:
                self._executor.cancel(future)
        return future

    def _take(self, one: Due, future: Future[Proof]) -> None:
        from ..proof.prover import beside_sisters

        try:
            proof = future.result()
        except Cancelled:
            return
        except Exception as error:  # whatever a file does to a decoder
            log.warning("proving %s", one.proxy_path, exc_info=True)
            self.problems[one.clip.id] = sentence(error) if isinstance(error, ShadowError | OSError) else str(error)
            return
        self.problems.pop(one.clip.id, None)
        proof = beside_sisters(proof, sisters_of(self._session.project, one.clip, one.proxy))
        self._proved.append(ProofFound(one.clip.id, one.proxy.file, proof))
        if time.monotonic() - self._kept_at > _GATHER:
            self._keep()

    def _keep(self) -> None:
        """Take what was proved into the project: several at once."""
        proved, self._proved = self._proved, []
        self._kept_at = time.monotonic()
        if proved:
            self._session.absorb(lambda footage: with_proofs(footage, proved))
