"""The jobs of a queued run, handed over a few at a time, and what comes back of them."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any, Protocol

from ..errors import Cancelled, WorkerDied, WorkerStalled, sentence
from ..ingest.setting import though_state_fails
from ..jobs import Executor, Handed, Hands, JobStore, Listing, Piece

log = logging.getLogger(__name__)
_TICK = 0.1  # seconds
_SPELL, _BREATH = 0.01, 0.005  # seconds: of preparing jobs at a stretch, and between two for whoever else computes here
_STRETCH = 50  # jobs listed at a stretch


class Errand(Protocol):
    """What jobs are, what each asks a worker, and what becomes of its answer."""

    def pieces(self) -> Iterable[Piece]: ...
    def work(self, piece: Piece) -> tuple[Any, Any] | None: ...
    def take(self, piece: Piece, result: Any) -> str: ...


class Rounds:
    """For the thread of the run, but for :meth:`ask` and what is only read. ``problems``: what could not be done, a
    sentence each. ``stopped``: the run is to end; ``for_good``: nothing of it goes on later."""

    def __init__(
        self, errand: Errand, board: Listing, store: JobStore, executor: Executor,
        stopped: Callable[[], bool], for_good: Callable[[], bool],
    ) -> None:  # fmt: skip
        self.problems: list[str] = []
        self._errand = errand
        self._board = board
        self._store = store
        self._executor = executor
        self._stopped = stopped
        self._for_good = for_good
        self._later: dict[tuple[str, str], Piece] = {}  # listed and not handed over yet
        self._hands = Hands(board, store, lambda job, done: None)

    @property
    def making(self) -> bool:
        """Whether any job is to be done."""
        return bool(self._later) or self._hands.busy

    def ask(self, kind: str, path: str, wish: str) -> None:
        """Ask something of one job (see WISHES); it is done soon. On any thread."""
        self._hands.ask(kind, path, wish)

    def unheard(self) -> list[tuple[str, str]]:
        """Jobs that were to be tried again when all was over already, by kind and path."""
        return [(kind, path) for kind, path, wish in self._hands.unheard() if wish == "retry"]

    def list_all(self, job: int) -> None:
        """Put all jobs on the board, and do what was asked of single ones before."""
        wishes = {(kind, path): wish for kind, path, wish in self._store.wishes(job)}
        for number, piece in enumerate(self._errand.pieces(), 1):
            if number % _STRETCH == 0:
                time.sleep(_BREATH)
            known = self._board.piece(*piece.key)
            piece = replace(piece, run=job)
            if known is None or known.active or wishes.get(piece.key) == "retry":
                self._later[piece.key] = self._board.put(piece)
        for (kind, path), wish in wishes.items():
            if wish != "retry":
                self._do(kind, path, wish)

    def round(self, job: int, waits: bool) -> None:
        """Hand some over, hear what was asked, take in what came back. ``waits``: all stands still."""
        self._hand_some_over()
        if self._stopped():
            self._hands.cancel_all()  # first: what stood still would begin
            self._executor.resume("asked")
        else:
            (self._executor.pause if waits else self._executor.resume)("asked")
            with though_state_fails():
                for wish in self._hands.wishes(job):
                    self._do(*wish)
        for handed, future in self._hands.came(_BREATH if self._later else _TICK):
            try:
                result = future.result()
            except Cancelled:
                self._take_back(handed.key)
            except (WorkerDied, WorkerStalled) as error:
                self._again(handed) if handed.tries == 0 and not self._stopped() else self._fail(handed.about, error)
            except Exception as error:  # the boundary to the user: one job's trouble is not the others'
                self._fail(handed.about, error)
            else:
                handed.then(result)
        self._board.flush_soon()

    def _hand_some_over(self) -> None:
        """As many as can be prepared in a short time: of thousands, none holds up what came back or is asked meanwhile.
        """
        end = time.monotonic() + _SPELL
        while self._later:
            key = next(iter(self._later))
            self._take_back(key) if self._stopped() else self._try(self._later[key])
            del self._later[key]
            if time.monotonic() >= end:
                return

    def _try(self, piece: Piece) -> None:
        try:
            asked = self._errand.work(piece)
        except Exception as error:
            self._fail(piece, error)
            return
        if asked is None:
            self._done(piece, "nothing to be done")
            return
        job = Handed(self._executor, *asked, piece.kind, piece.path, lambda result: self._take(piece, result), piece)
        self._hands.hand_over(job)

    def _again(self, job: Handed) -> None:
        log.warning("%s: tried again", job.path, exc_info=True)
        self._hands.hand_over(replace(job, tries=1))

    def _take(self, piece: Piece, result: Any) -> None:
        try:
            note = self._errand.take(piece, result)
        except Exception as error:
            self._fail(piece, error)
        else:
            self._done(piece, note)

    def _done(self, piece: Piece, note: str) -> None:
        self._board.change(piece.key, state="done", part=1.0, ended=time.time(), note=note)

    def _fail(self, piece: Piece, error: Exception) -> None:
        log.warning("%s of %s", piece.kind, piece.path, exc_info=error)
        self.problems.append(f"{piece.path}: {sentence(error)}")
        self._board.change(piece.key, state="failed", ended=time.time(), note=sentence(error))

    def _take_back(self, key: tuple[str, str]) -> None:
        if self._stopped() and not self._for_good():
            self._board.change(key, state="waiting", part=0.0, begun=0.0)
        else:
            self._board.change(key, state="cancelled", ended=time.time())

    def _do(self, kind: str, path: str, wish: str) -> None:
        piece = self._board.piece(kind, path)
        if piece is None:
            return
        if wish == "retry" and not piece.active:
            self._board.put(replace(piece, state="waiting", part=0.0, begun=0.0, ended=0.0, note=""))
            self._try(piece)
        elif wish == "cancel" and piece.key in self._later:
            del self._later[piece.key]
            self._take_back(piece.key)
        elif wish == "cancel" and piece.active:
            self._hands.cancel(kind, path)
        else:
            self._hands.order(kind, path, wish)
            if wish == "first" and piece.key in self._later:
                self._try(self._later.pop(piece.key))
