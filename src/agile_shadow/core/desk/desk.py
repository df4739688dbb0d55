"""All that is done for one open project: ingests, proxies and films, what is left from earlier, watched folders."""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from psygnal import Signal

from ..errors import ShadowError, sentence
from ..film import FilmRequest
from ..helpers.spreading import Spreading
from ..ingest import IngestReport, IngestRequest, IngestRun
from ..ingest.watched import QUIET
from ..jobs import JobRecord, JobStore, Machine
from ..project import ProjectSession
from ..shelves import Shelf
from ..threads import joined
from ..upkeep.making import MakeRequest
from .baking import BakeRun, bake_values, place_of
from .film import FilmRun, film_request
from .keeping import KeepRun, SecondRun, keep_values
from .making import MakeRun
from .minding import Minding
from .queued import QueuedRun

log = logging.getLogger(__name__)

Run = IngestRun | MakeRun | FilmRun | BakeRun | KeepRun | SecondRun
_KINDS: dict[str, type[MakeRun | FilmRun | BakeRun | KeepRun | SecondRun]] = {
    one.kind: one for one in (MakeRun, FilmRun, BakeRun, KeepRun, SecondRun)
}


@dataclass(frozen=True)
class Ended:
    """A run that came to its end: an ingest with its report, and the sentence about what could not be done."""

    run: Run
    report: IngestReport | None
    problem: str

    @property
    def headline(self) -> str:
        """How it ended, for a person."""
        if self.report is not None:
            return self.report.headline()
        return self.problem or f"{self.run.title}: finished"


class Desk:
    """Any thread may call any method; ``ended`` is emitted on the run's own thread.

    Runs copy side by side; proxies are made one run after the other. ``patient`` as in IngestRun. ``machine``: where
    all work is done; the desk ends it.

    ``minding``: what it begins by itself.

    Large: what the window, the command line and the process without a window ask of all runs is asked of this one.
    """

    ended = Signal(Ended)

    def __init__(
        self, session: ProjectSession, store: JobStore, patient: bool = True, quiet: float = QUIET,
        machine: Machine | None = None,
    ) -> None:  # fmt: skip
        self.machine = machine or Machine()
        self.helpers = Spreading(self.machine, lambda: session.project.shelves)
        self._session = session
        self._store = store
        self._patient = patient
        self._lock = threading.RLock()
        self._runs: list[Run] = []
        self._given_up: set[int] = set()  # jobs that broke off here: they are not begun again by themselves
        self._threads: list[threading.Thread] = []
        self._closing = threading.Event()
        self.minding = Minding(self, session, quiet, self._closing)

    @property
    def runs(self) -> list[Run]:
        """Those that have not ended, in the order they were begun."""
        with self._lock:
            return list(self._runs)

    @property
    def ingests(self) -> list[IngestRun]:
        """The ingests among them."""
        return [run for run in self.runs if isinstance(run, IngestRun)]

    @property
    def films(self) -> list[FilmRun]:
        """The films among them."""
        return [run for run in self.runs if isinstance(run, FilmRun)]

    @property
    def makes(self) -> list[MakeRun]:
        """Proxies that were asked for later, among them."""
        return [run for run in self.runs if isinstance(run, MakeRun)]

    @property
    def bakes(self) -> list[BakeRun]:
        """The bakes among them."""
        return [run for run in self.runs if isinstance(run, BakeRun)]

    @property
    def asked_for(self) -> list[Run]:
        """Those that somebody asked for, or a rule of theirs: all but bakes begun because something came late."""
        return [run for run in self.runs if not (isinstance(run, BakeRun) and run.alone)]

    @property
    def keeps(self) -> list[KeepRun | SecondRun]:
        """Readings of shelves and second copies, among them."""
        return [run for run in self.runs if isinstance(run, KeepRun | SecondRun)]

    # Beginning

    def start(self, request: IngestRequest) -> IngestRun:
        """Begin an ingest. Raises ShadowError when it is refused, or when that source is being ingested already."""
        with self._lock:
            self._refuse_if_closing(request.source)
            for run in self.ingests:
                if run.request.source == request.source and not (run.request.only and request.only):
                    raise ShadowError("is being ingested already", request.source, "Wait for the end of that ingest.")
            new = IngestRun(
                request, self._session, self._store, patient=self._patient, turn=lambda: self._turn_of(new),
                machine=self.machine,
            )  # fmt: skip
            self._begin(new)
        return new

    def make(self, request: MakeRequest) -> MakeRun:
        """Make proxies of clips. Raises ShadowError when it is refused."""
        self._refuse_if_closing(self._session.path)
        run = MakeRun(request.to_json(), self._session, self._store, self.machine)  # not in the lock
        with self._lock:
            self._refuse_if_closing(self._session.path)
            self._begin(run)
        return run

    def film(self, request: FilmRequest) -> FilmRun:
        """Make a film. Raises ShadowError when it is refused, or being made already."""
        self._refuse_film(request.out)
        values = film_request(request)  # writes a file: nobody waits for the lock meanwhile
        with self._lock:
            self._refuse_film(request.out)
            run = FilmRun(values, self._session, self._store, self.machine)
            self._begin(run)
        return run

    def bake(self, start: int, end: int, alone: bool = False) -> BakeRun:
        """Draw frames ``start`` to before ``end`` of the open timeline for playing, as the switch stands. ``alone``:
        nobody asked for it. Raises ShadowError when it is refused, or being drawn already."""
        self._refuse_if_closing(self._session.path)
        values = bake_values(self._session, start, end, alone)
        with self._lock:
            self._refuse_if_closing(self._session.path)
            if any((run.one.place, run.one.digest) == (place_of(values), values["digest"]) for run in self.bakes):
                raise ShadowError("is being baked already", Path(self._session.project.timeline.name), "Wait for it.")
            new = BakeRun(values, self._session, self._store, self.machine)
            self._begin(new)
        return new

    def keep(self, shelf: Shelf) -> KeepRun:
        """Read a shelf against its records. Raises ShadowError when it is refused, or being read already."""
        with self._lock:
            self._refuse_if_closing(shelf.root)
            if any(isinstance(run, KeepRun) and run.shelf == shelf.id for run in self._runs):
                raise ShadowError("is being read already", shelf.root, "Wait for its end.")
            run = KeepRun(keep_values(shelf), self._session, self._store, self.machine)
            self._begin(run)
        return run

    def second_copies(self, shelf: Shelf) -> SecondRun:
        """Bring the second copies on a shelf up to date. Raises ShadowError when it is refused."""
        with self._lock:
            self._refuse_if_closing(shelf.root)
            if any(isinstance(run, SecondRun) and run.shelf == shelf.id for run in self._runs):
                raise ShadowError("is being brought up to date already", shelf.root, "Wait for its end.")
            run = SecondRun({"shelf": shelf.id}, self._session, self._store, self.machine)
            self._begin(run)
        return run

    def _refuse_film(self, out: Path) -> None:
        self._refuse_if_closing(out)
        if any(run.out == out for run in self.films):
            raise ShadowError("is being made already", out, "Wait for its end, or choose another name.")

    def _refuse_if_closing(self, what: Path) -> None:
        if self._closing.is_set():
            raise DeskClosing("is not begun: the project is being closed", what, "Open it again.")

    def _begin(self, run: Run) -> None:
        """With the lock, so that nothing begins after the end was told."""
        self._runs.append(run)
        if isinstance(run, MakeRun):
            run.turn = lambda: self._turn_of(run)
        elif isinstance(run, FilmRun):
            run.turn = lambda: self._turn_of_film(run)
        elif isinstance(run, BakeRun):
            run.turn = lambda: self._turn_of_bake(run)
        thread = threading.Thread(target=self._work, args=(run,), name=run.kind, daemon=True)
        self._threads = [*(one for one in self._threads if one.is_alive()), thread]
        thread.start()

    def _turn_of(self, run: Run) -> str:
        for earlier in self.runs:
            if earlier is run:
                return ""
            if isinstance(earlier, IngestRun | MakeRun) and earlier.making and not earlier.gated:
                return f"until {earlier.title[:1].lower()}{earlier.title[1:]} has its proxies"
        return ""

    def _turn_of_film(self, run: FilmRun) -> str:
        """Films are made one after the other: side by side each would only take longer. One that runs is finished
        first; then they go in the order that was asked for."""
        pieces = {one: one.piece for one in self.films}  # None: it is just being begun
        mine = pieces.get(run)
        if mine is not None and mine.state == "running":
            return ""
        waiting = {
            one: piece.priority if piece is not None else 0 for one, piece in pieces.items()
            if piece is None or (one.making and not one.gated and not piece.held)
        }  # fmt: skip
        running = [one for one in waiting if (piece := pieces[one]) is not None and piece.state == "running"]
        ahead = max(running or waiting, key=lambda one: waiting[one], default=run)
        return "" if ahead is run else f"until {ahead.title[:1].lower()}{ahead.title[1:]} is made"

    def _turn_of_bake(self, run: BakeRun) -> str:
        """One after the other: what somebody asked for first."""
        before = sorted(self.bakes, key=lambda one: one.alone)
        ahead = next((one for one in before if one is run or (one.making and not one.gated and not one.held)), run)
        return "" if ahead is run else "until another is drawn"

    def _work(self, run: Run) -> None:
        report, problem = None, ""
        try:
            report = run.run()
        except Exception as error:  # the boundary to the user
            log.warning("%s", run.title, exc_info=True)
            problem = sentence(error)
        if not isinstance(run, IngestRun) and run.problems and not run.was_stopped:
            more = f" ({len(run.problems) - 1} more in the log)" if len(run.problems) > 1 else ""
            problem = problem or run.problems[0] + more
        with self._lock:
            self._runs.remove(run)
            if problem and run.job is not None:
                self._given_up.add(run.job)
        if isinstance(run, IngestRun) and (report is None or run.was_stopped):
            self.minding.forget(run.request)
        self._hear_late(run)
        self.ended.emit(Ended(run, report, problem))

    def _hear_late(self, run: Run) -> None:
        """A try that was asked for while the run was just ending."""
        late = run.unheard() if isinstance(run, QueuedRun) and run.job is not None else []
        if late and run.job is not None and not self._closing.is_set():
            try:
                self.try_again(run.job, late)
            except ShadowError:
                log.warning("%s is not tried again", run.title, exc_info=True)

    def go_on(self) -> list[str]:
        """Begin again what an earlier start (or another program) left open; what cannot go on comes as sentences."""
        told = []
        known = {run.job for run in self.runs}
        for job in self._store.open_jobs(self._session.path):
            if job.id in known or job.id in self._given_up or job.kind not in ("ingest", *_KINDS):
                continue
            try:
                self._go_on_with(job)
            except DeskClosing:
                break  # it stays open, for the next start
            except (ShadowError, KeyError, TypeError, ValueError) as error:
                if not self._is_running(job.request):
                    self._store.end(job.id, "failed")
                    told.append(f"An unfinished job ({job.kind}) cannot continue: {error}")
        return told

    def _go_on_with(self, job: JobRecord) -> None:
        with self._lock:
            self._refuse_if_closing(self._session.path)
            if any(run.job is None and _values_of(run) == job.request for run in self._runs):
                return  # it is just being begun
            if job.kind == "ingest":
                self.start(IngestRequest.from_json(job.request))
            else:
                self._begin(_KINDS[job.kind](job.request, self._session, self._store, self.machine))

    def try_again(self, job: int, jobs: Iterable[tuple[str, str]]) -> None:
        """Open an ended run again for some of its jobs, by kind and path. Raises StateError."""
        ids = {piece.key: piece.id for piece in self._store.pieces(run=job)}
        for key in jobs:
            if key in ids:
                self._store.ask(ids[key], "retry")
        self._store.reopen(job)
        with self._lock:
            self._given_up.discard(job)
        self.go_on()

    def _is_running(self, request: dict[str, object]) -> bool:
        return any(str(run.request.source) == request.get("source") for run in self.ingests)

    # All at once

    def give_way(self, playing: bool) -> None:
        """Tell all whether the window plays."""
        self.machine.playing(playing)
        for run in self.runs:
            run.give_way(playing)

    def stop(self, for_good: bool) -> None:
        """End all runs soon; unless ``for_good``, they go on at the next start."""
        for run in self.runs:
            run.stop(for_good)

    def wait(self, limit: float | None = None) -> bool:
        """Wait until all runs have ended; whether they had within ``limit`` seconds each."""
        return all(joined(thread, limit) for thread in list(self._threads))

    def end(self) -> None:
        """Have everything end soon so that it goes on at the next start, without waiting for it."""
        with self._lock:
            self._closing.set()
        self.stop(for_good=False)

    def close(self, limit: float | None = None) -> bool:
        """Stop everything so that it goes on at the next start; whether it had ended within ``limit`` seconds."""
        self.end()
        ended = self.wait(limit)
        self.machine.end()
        self.helpers.end()
        ended = self.machine.close(limit) and ended
        return self.minding.wait(limit) and self.helpers.close(limit) and ended


class DeskClosing(ShadowError):
    """Nothing is begun any more."""


def _values_of(run: Run) -> dict[str, object]:
    return run.request.to_json() if isinstance(run, IngestRun) else run.values
