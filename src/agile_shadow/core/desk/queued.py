"""A run whose jobs need nothing of each other: each is one request for a worker and what is done with its answer."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from typing import Any

from ..errors import sentence
from ..ingest.setting import though_state_fails
from ..jobs import Executor, JobStore, Listing, Machine, Piece, Rank
from ..project import ProjectSession
from .rounds import Rounds


class QueuedRun:
    """Runs on the caller's thread with :meth:`run`; other threads may call all other methods. ``problems``: what could
    not be done, a sentence each. A kind of it says what its jobs are, and what each is asked and brings.

    How its jobs are done: :class:`.rounds.Rounds`.
    """

    kind = ""
    gives_way = True  # stands still while the window plays
    rank: Rank = "make"

    def __init__(self, values: dict[str, Any], session: ProjectSession, store: JobStore, machine: Machine) -> None:
        self.values = values
        self.session = session
        self.job: int | None = None
        self.board = Listing(store)
        self.turn: Callable[[], str] = lambda: ""  # what it waits for besides, in words
        self._store = store
        self._machine = machine
        self._stopped = threading.Event()
        self._for_good = False
        self._standing = False
        self._playing = False
        self._executor: Executor = machine.hire(self.rank, self.at_a_time(), 600.0, self.with_helpers())
        self._rounds = Rounds(
            self, self.board, store, self._executor, self._stopped.is_set, lambda: self._for_good
        )
        self.problems = self._rounds.problems

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
        return self._rounds.making

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
        self._rounds.ask(kind, path, wish)

    def unheard(self) -> list[tuple[str, str]]:
        """Jobs that were to be tried again when the run was over already, by kind and path."""
        return self._rounds.unheard()

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
            self._rounds.list_all(self.job)
            while self.making:
                self._rounds.round(self.job, bool(self.waits))
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
