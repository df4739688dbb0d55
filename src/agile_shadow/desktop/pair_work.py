"""Background work for pairs: proving them, looking for files."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from ..core.amounts import counted
from ..core.errors import Cancelled, sentence
from ..core.jobs import Executor
from ..core.upkeep.proving import Prover
from .job_lines import JobLine

if TYPE_CHECKING:
    from .work import Work

log = logging.getLogger(__name__)


@dataclass
class RunningSearch:
    """A search that runs: where it looks, what it is at, how far."""

    places: list[Path]
    pool: Executor
    what: str = "Listing files"
    part: float = 0.0
    stopped: threading.Event = field(default_factory=threading.Event)

    def report(self, what: str, part: float) -> None:
        """Told by the search."""
        self.what, self.part = what, part

    @property
    def text(self) -> str:
        """For the chip and the drawer."""
        names = ", ".join(place.name or str(place) for place in self.places[:2])
        return f"Searching {names}: {self.what[:1].lower()}{self.what[1:]}, {self.part:.0%}"


class PairWork(QObject):
    """Owned by Work. Signals come on the interface thread. ``by_itself``: pairs are proved without being asked."""

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.prover = Prover(work.session, work.machine.shared("prove"), self._tell)
        self.prover.changed.connect(self._prover_changed)
        self.by_itself = False
        self.looking: RunningSearch | None = None
        self._threads: list[threading.Thread] = []
        self._closing = False

    def _tell(self, text: str) -> None:
        self._work.call_here(lambda: self._work.problem.emit(text))

    def _prover_changed(self) -> None:
        self._work.call_here(self.changed.emit)

    @property
    def busy(self) -> bool:
        """Whether anything of it runs."""
        return self.prover.active or self.looking is not None

    def prove(self, clips: list[str] | None = None) -> None:
        """Prove what has no proof that holds, or some clips again."""
        self.prover.look(clips)
        self._work.wake()

    def prove_by_itself(self) -> None:
        """Look for pairs without proof where that is wished."""
        if self.by_itself:
            self.prove()

    # Looking for files

    def look(self, places: list[Path], work: Callable[[RunningSearch], Any], then: Callable[[Any], None]) -> None:
        """Run a search on a thread. ``then`` gets its answer on the interface thread, None when it was broken off."""
        if self.looking is not None:
            self._work.problem.emit("A search is already running. Wait until it finishes, or cancel it.")
            return
        state = RunningSearch(places, self._work.machine.shared("search"))
        self.looking = state
        self._spawn(lambda: self._look(state, work, then), "looking for files")
        self._work.wake()

    def _look(self, state: RunningSearch, work: Callable[[RunningSearch], Any], then: Callable[[Any], None]) -> None:
        answer: Any = None
        begun = time.monotonic()
        try:
            answer = work(state)
            log.info("looked through %s in %.0f s", state.places, time.monotonic() - begun)
        except Cancelled:
            pass
        except Exception as error:  # the boundary to the user
            if not state.stopped.is_set():
                log.warning("looking through %s", state.places, exc_info=True)
                text = sentence(error)
                self._work.call_here(lambda: self._work.problem.emit(text))
        state.pool.cancel_all()
        if state.stopped.is_set():
            answer = None
        self._work.call_here(lambda: self._looked(answer, then))

    def _looked(self, answer: Any, then: Callable[[Any], None]) -> None:
        self.looking = None
        self.changed.emit()
        if not self._closing:
            then(answer)

    def stop_looking(self) -> None:
        """Break the search off."""
        if self.looking is not None:
            self.looking.stopped.set()
            self.looking.pool.cancel_all()

    # For the drawer

    def lines(self) -> list[JobLine]:
        """Rows of what runs."""
        found = []
        if self.looking is not None:
            found.append(JobLine("looking", self.looking.text, "", self.looking.part, "looking", True))
        if self.prover.active:
            done, total = self.prover.done, self.prover.total
            so_far = f"{done} of {counted(total, 'pair')}"
            found.append(JobLine("proving", "Proof of pairs", so_far, done / total, "proving", True))
        return found

    def texts(self) -> list[str]:
        """For the chip."""
        found = []
        if self.looking is not None:
            found.append(self.looking.text)
        if self.prover.active:
            found.append(f"{self.prover.done} of {counted(self.prover.total, 'pair')} proven")
        return found

    def _spawn(self, work: Callable[[], None], name: str) -> None:
        thread = threading.Thread(target=work, name=name, daemon=True)
        self._threads = [one for one in self._threads if one.is_alive()]
        self._threads.append(thread)
        thread.start()

    def end(self) -> None:
        """Have everything end soon, without waiting for it."""
        self._closing = True
        self.stop_looking()
        self.prover.end()

    def wait(self, limit: float) -> bool:
        """Wait for the end, at most so many seconds for each part; whether all had ended."""
        ended = self.prover.close(limit)
        for thread in self._threads:
            thread.join(limit)
        return ended and not any(thread.is_alive() for thread in self._threads)
