"""Background work for pairs: proving them, making proxies again, looking for files."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from ..core.errors import Cancelled, ShadowError, sentence
from ..core.jobs import WorkerPool
from ..core.pairing.making import MakeRequest, MakeRun
from ..core.pairing.proving import Prover

if TYPE_CHECKING:
    from .work import JobLine, Work

log = logging.getLogger(__name__)
_WORKERS = 2
_STALLED = 300.0  # seconds


@dataclass
class Looking:
    """A search that runs: where it looks, what it is at, how far."""

    places: list[Path]
    pool: WorkerPool
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
        return f"Looking through {names}: {self.what[:1].lower()}{self.what[1:]}, {self.part:.0%}"


class PairWork(QObject):
    """Owned by Work. Signals come on the interface thread. ``by_itself``: pairs are proved without being asked."""

    changed = Signal()
    made = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.prover = Prover(work.session, lambda text: work.call_here(lambda: work.problem.emit(text)))
        self.prover.changed.connect(self._prover_changed)
        self.by_itself = False
        self.making: list[MakeRun] = []
        self.looking: Looking | None = None
        self._jobs: dict[int, int] = {}
        self._threads: list[threading.Thread] = []
        self._closing = False

    def _prover_changed(self) -> None:
        self._work.call_here(self.changed.emit)

    @property
    def busy(self) -> bool:
        """Whether anything of it runs."""
        return self.prover.active or bool(self.making) or self.looking is not None

    def prove(self, clips: list[str] | None = None) -> None:
        """Prove what has no proof that holds, or some clips again."""
        self.prover.look(clips)
        self._work.wake()

    def prove_by_itself(self) -> None:
        """Look for pairs without proof where that is wished."""
        if self.by_itself:
            self.prove()

    def mind(self) -> None:
        """Give way to what a person looks at, and to what goes before."""
        playing, ingesting = self._work.is_playing(), bool(self._work.desk.runs)
        for run in self.making:
            run.give_way(playing)
        if self.looking is not None:
            self.looking.pool.pause() if playing else self.looking.pool.resume()
        self.prover.give_way(playing or ingesting or bool(self.making) or self.looking is not None)

    # Making

    def make(self, request: MakeRequest) -> None:
        """Make proxies of clips in the background; what is open goes on at the next start."""
        job = self._work.store.begin("make", self._work.session.path, request.to_json())
        if self._closing:
            return
        run = MakeRun(request, self._work.session)
        self.making.append(run)
        self._jobs[id(run)] = job
        self._spawn(lambda: self._make(run, job), "making proxies")
        self._work.wake()

    def _make(self, run: MakeRun, job: int) -> None:
        outcome = "done"
        try:
            run.run(lambda: self._work.call_here(self.changed.emit))
        except Cancelled:
            outcome = "cancelled"
        except Exception as error:  # the boundary to the user
            log.exception("making proxies")
            outcome = "failed"
            run.problems.append(sentence(error))
        if not self._closing:
            self._work.store.end(job, outcome)
        self._work.call_here(lambda: self._made(run))

    def _made(self, run: MakeRun) -> None:
        self.making.remove(run)
        if run.problems:
            more = f" ({len(run.problems) - 1} more in the log)" if len(run.problems) > 1 else ""
            self._work.problem.emit(run.problems[0] + more)
        self.prove_by_itself()
        self.made.emit()
        self.changed.emit()

    # Looking for files

    def look(self, places: list[Path], work: Callable[[Looking], Any], then: Callable[[Any], None]) -> None:
        """Run a search on a thread. ``then`` gets its answer on the interface thread, None when it was broken off."""
        if self.looking is not None:
            self._work.problem.emit("One search runs already: wait for its end or stop it.")
            return
        state = Looking(places, WorkerPool(_WORKERS, stalled_after=_STALLED))
        self.looking = state
        self._spawn(lambda: self._look(state, work, then), "looking for files")
        self._work.wake()

    def _look(self, state: Looking, work: Callable[[Looking], Any], then: Callable[[Any], None]) -> None:
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
        state.pool.close()
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
            self.looking.pool.resume()
            self.looking.pool.cancel_all()

    # For the drawer

    def lines(self) -> list[JobLine]:
        """Rows of what runs."""
        from .work import JobLine

        found = []
        if self.looking is not None:
            found.append(JobLine("looking", self.looking.text, "", self.looking.part, "looking", True))
        for run in self.making:
            title = f"Proxy of {run.now}" if run.now else "Proxies"
            detail = f"{run.done} of {run.total} with {run.request.preset.name}"
            part = (run.done + run.part) / max(1, run.total)
            found.append(JobLine("making", title, detail, part, "making", True))
        if self.prover.active:
            done, total = self.prover.done, self.prover.total
            found.append(
                JobLine("proving", "Proof of pairs", f"{done} of {total} pairs", done / total, "proving", True)
            )
        return found

    def texts(self) -> list[str]:
        """For the chip."""
        found = []
        if self.looking is not None:
            found.append(self.looking.text)
        for run in self.making:
            found.append(f"{run.done} of {run.total} proxies")
        if self.prover.active:
            found.append(f"{self.prover.done} of {self.prover.total} pairs proved")
        return found

    def cancel(self, job: str) -> None:
        """Take back what a line of the drawer is."""
        if job == "looking":
            self.stop_looking()
        elif job == "making":
            for run in self.making:
                run.stop()

    def resume(self) -> None:
        """Go on with proxies that an earlier start left unfinished."""
        for job in self._work.store.open_jobs(self._work.session.path):
            if job.kind != "make":
                continue
            try:
                self.make(MakeRequest.from_json(job.request))
            except (ShadowError, KeyError, TypeError) as error:
                self._work.store.end(job.id, "failed")
                self._work.problem.emit(f"An unfinished job cannot go on: {error}")

    def _spawn(self, work: Callable[[], None], name: str) -> None:
        thread = threading.Thread(target=work, name=name, daemon=True)
        self._threads = [one for one in self._threads if one.is_alive()]
        self._threads.append(thread)
        thread.start()

    def end(self) -> None:
        """Have everything end soon, without waiting for it; proxies not made go on at the next start."""
        self._closing = True
        self.stop_looking()
        for run in list(self.making):
            run.give_way(False)
            run.stop()
        self.prover.end()

    def wait(self, limit: float) -> bool:
        """Wait for the end, at most so many seconds for each part; whether all had ended."""
        ended = self.prover.close(limit)
        for thread in self._threads:
            thread.join(limit)
        return ended and not any(thread.is_alive() for thread in self._threads)
