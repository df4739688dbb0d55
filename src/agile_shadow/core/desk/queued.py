"""A run whose jobs need nothing of each other: each is one request for a worker and what is done with its answer."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from ..errors import Cancelled, WorkerDied, WorkerStalled, sentence
from ..ingest.setting import though_state_fails
from ..jobs import Executor, Handed, Hands, JobStore, Listing, Machine, Piece, Rank
from ..project import ProjectSession

log = logging.getLogger(__name__)
_TICK = 0.1  # seconds
_SPELL, _BREATH = 0.01, 0.005  # seconds: of preparing jobs at a stretch, and between two for whoever else computes here
_STRETCH = 50  # jobs listed at a stretch


class QueuedRun:
    """Runs on the caller's thread with :meth:`run`; other threads may call all other methods. ``problems``: what could
    not be done, a sentence each. A kind of it says what its jobs are, and what each is asked and brings.

    Large: a third of it is what a kind of it says, another what others ask.
    """

    kind = ""
    gives_way = True  # stands still while the window plays
    rank: Rank = "make"

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.values = values
        self.session = session
        self.job: int | None = None
        self.board = Listing(store)
        self.problems: list[str] = []
        self.turn: Callable[[], str] = lambda: ""  # what it waits for besides, in words
        self._store = store
        self._machine = machine
        self._stopped = threading.Event()
        self._for_good = False
        self._standing = False
        self._playing = False
        self._later: dict[tuple[str, str], Piece] = {}  # listed and not handed over yet
        self._hands = Hands(self.board, store, lambda job, done: None)
        self._executor: Executor = machine.hire(self.rank, self.at_a_time(), 600.0, self.with_helpers())

    # What a kind of it is

    def at_a_time(self) -> int:
        """How many of its jobs run at once."""
        return 1

    def with_helpers(self) -> bool:
        """Whether other machines may do its jobs."""
        return False

    def pieces(self) -> Iterable[Piece]:
        """Its jobs, as the queue lists them."""
        raise NotImplementedError

    def work(self, piece: Piece) -> tuple[Any, Any] | None:
        """The task and request of a job; None where there is nothing to do. May raise what the user is to be told."""
        raise NotImplementedError

    def take(self, piece: Piece, result: Any) -> str:
        """Take in what a job brought; a note for its line."""
        raise NotImplementedError

    def forget(self) -> None:
        """All of it is done: what was kept so that it could be tried again is needed no more."""

    # What others ask

    @property
    def title(self) -> str:
        """What it is, for a person."""
        raise NotImplementedError

    @property
    def waits(self) -> str:
        """What it stands still for, in words; "" when it does not."""
        if self._standing:
            return "until you resume it"
        return self.turn() or ("during playback" if self._playing else "")

    @property
    def gated(self) -> bool:
        """Whether it stands still for a person, so that another may go before it."""
        return self._standing

    @property
    def making(self) -> bool:
        """Whether any of its jobs is to be done."""
        return bool(self._later) or self._hands.busy

    @property
    def was_stopped(self) -> bool:
        """Whether somebody ended it before its end."""
        return self._stopped.is_set()

    @property
    def waits_for_a_person(self) -> str:
        """Nothing that a person could bring is ever waited for."""
        return ""

    def progress(self) -> tuple[int, int, float]:
        """Jobs that ended, jobs in all, and the part of the whole that is done."""
        return self.board.tally()

    def ask(self, kind: str, path: str, wish: str) -> None:
        """Ask something of one job (see WISHES); it is done soon."""
        self._hands.ask(kind, path, wish)

    def unheard(self) -> list[tuple[str, str]]:
        """Jobs that were to be tried again when the run was over already, by kind and path."""
        return [(kind, path) for kind, path, wish in self._hands.unheard() if wish == "retry"]

    def stop(self, for_good: bool) -> None:
        """End the run soon. ``for_good``: the user took it back; else it goes on at the next start."""
        self._for_good = for_good
        self._stopped.set()

    def stand_still(self, on: bool) -> None:
        """Have the whole run stand still, or go on."""
        self._standing = on

    def give_way(self, playing: bool) -> None:
        """Have it stand still while the window plays."""
        self._playing = playing and self.gives_way

    # The run

    def run(self) -> None:
        """Do all that is not done yet. Raises ShadowError when it cannot begin."""
        self.job = self._store.begin(self.kind, self.session.path, self.values)
        try:
            self.board.begin(self.job)
            if self.waits:  # before anything is handed over: a worker would take it at once
                self._executor.pause("asked")
            self._begin()
            while self.making:
                self._hand_some_over()
                self._round()
        except Exception as error:  # whatever it was: an open job would be begun again and again
            self.problems.append(sentence(error))
            if self._for_good or not self._stopped.is_set():
                with though_state_fails():
                    self._store.end(self.job, "failed")
            raise
        finally:
            self._machine.dismiss(self._executor)
            self._executor.close()
            self.board.flush()
        self._end()

    def _begin(self) -> None:
        assert self.job is not None
        wishes = {(kind, path): wish for kind, path, wish in self._store.wishes(self.job)}
        for number, piece in enumerate(self.pieces(), 1):
            if number % _STRETCH == 0:
                time.sleep(_BREATH)
            known = self.board.piece(*piece.key)
            piece = replace(piece, run=self.job)
            if known is None or known.active or wishes.get(piece.key) == "retry":
                self._later[piece.key] = self.board.put(piece)
        for (kind, path), wish in wishes.items():
            if wish != "retry":
                self._do(kind, path, wish)

    def _hand_some_over(self) -> None:
        """As many as can be prepared in a short time: of thousands, none holds up what came back or is asked meanwhile.
        """
        end = time.monotonic() + _SPELL
        while self._later:
            key = next(iter(self._later))
            self._take_back(key) if self._stopped.is_set() else self._try(self._later[key])
            del self._later[key]
            if time.monotonic() >= end:
                return

    def _round(self) -> None:
        assert self.job is not None
        if self._stopped.is_set():
            self._hands.cancel_all()  # first: what stood still would begin
            self._executor.resume("asked")
        else:
            (self._executor.pause if self.waits else self._executor.resume)("asked")
            with though_state_fails():
                for wish in self._hands.wishes(self.job):
                    self._do(*wish)
        for job, future in self._hands.came(_BREATH if self._later else _TICK):
            try:
                result = future.result()
            except Cancelled:
                self._take_back(job.key)
            except (WorkerDied, WorkerStalled) as error:
                self._again(job) if job.tries == 0 and not self._stopped.is_set() else self._fail(job.about, error)
            except Exception as error:  # the boundary to the user: one job's trouble is not the others'
                self._fail(job.about, error)
            else:
                job.then(result)
        self.board.flush_soon()

    def _try(self, piece: Piece) -> None:
        try:
            asked = self.work(piece)
        except Exception as error:
            self._fail(piece, error)
            return
        if asked is None:
            self.board.change(piece.key, state="done", part=1.0, ended=time.time(), note="nothing to be done")
            return
        job = Handed(self._executor, *asked, piece.kind, piece.path, lambda result: self._take(piece, result), piece)
        self._hands.hand_over(job)

    def _again(self, job: Handed) -> None:
        log.warning("%s: tried again", job.path, exc_info=True)
        self._hands.hand_over(replace(job, tries=1))

    def _take(self, piece: Piece, result: Any) -> None:
        try:
            note = self.take(piece, result)
        except Exception as error:
            self._fail(piece, error)
        else:
            self.board.change(piece.key, state="done", part=1.0, ended=time.time(), note=note)

    def _fail(self, piece: Piece, error: Exception) -> None:
        log.warning("%s of %s", piece.kind, piece.path, exc_info=error)
        self.problems.append(f"{piece.path}: {sentence(error)}")
        self.board.change(piece.key, state="failed", ended=time.time(), note=sentence(error))

    def _take_back(self, key: tuple[str, str]) -> None:
        if self._stopped.is_set() and not self._for_good:
            self.board.change(key, state="waiting", part=0.0, begun=0.0)
        else:
            self.board.change(key, state="cancelled", ended=time.time())

    def _do(self, kind: str, path: str, wish: str) -> None:
        piece = self.board.piece(kind, path)
        if piece is None:
            return
        if wish == "retry" and not piece.active:
            self.board.put(replace(piece, state="waiting", part=0.0, begun=0.0, ended=0.0, note=""))
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

    def _end(self) -> None:
        assert self.job is not None
        if self._stopped.is_set() and not self._for_good:
            return
        states = {piece.state for piece in self.board.pieces()}
        outcome = "failed" if "failed" in states else "cancelled" if self._stopped.is_set() else "done"
        with though_state_fails():
            self._store.end(self.job, outcome)
            self._store.forget_old()
        if states <= {"done"}:
            self.forget()
