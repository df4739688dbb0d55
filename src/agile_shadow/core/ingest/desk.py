"""All ingests of one open project: several at once, what is left from earlier, and the watched folders."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass

from psygnal import Signal

from ..errors import ShadowError, sentence
from ..jobs import JobStore
from ..project import ProjectSession
from ..project.report import IngestReport
from ..threads import joined
from .request import IngestRequest
from .run import IngestRun
from .watched import QUIET, Watch, watched_folders

log = logging.getLogger(__name__)

_LOOK = 2.0  # seconds between two looks at the queue on disk and at watched folders


@dataclass(frozen=True)
class Ended:
    """A run that came to its end: with its report, or the sentence why it could not begin or go on."""

    run: IngestRun
    report: IngestReport | None
    problem: str


class Desk:
    """Any thread may call any method; ``ended`` is emitted on the run's own thread.

    Runs copy side by side; their proxies are made one run after the other. ``patient`` as in IngestRun.
    """

    ended = Signal(Ended)

    def __init__(self, session: ProjectSession, store: JobStore, patient: bool = True, quiet: float = QUIET) -> None:
        self._session = session
        self._store = store
        self._patient = patient
        self._quiet = quiet
        self._lock = threading.RLock()
        self._runs: list[IngestRun] = []
        self._given_up: set[int] = set()  # jobs that broke off here: they are not begun again by themselves
        self._threads: list[threading.Thread] = []
        self._closing = threading.Event()
        self._minder: threading.Thread | None = None
        self.watches: list[Watch] = []

    @property
    def runs(self) -> list[IngestRun]:
        """Those that have not ended, in the order they were begun."""
        with self._lock:
            return list(self._runs)

    def start(self, request: IngestRequest) -> IngestRun:
        """Begin a run. Raises ShadowError when it is refused, or when that source is being ingested already."""
        with self._lock:
            if self._closing.is_set():
                raise ShadowError("is not ingested: the project is being closed", request.source, "Open it again.")
            for run in self._runs:
                if run.request.source == request.source and not (run.request.only and request.only):
                    raise ShadowError("is being ingested already", request.source, "Wait for the end of that ingest.")
            run = IngestRun(request, self._session, self._store, patient=self._patient, turn=lambda: self._turn_of(run))
            self._runs.append(run)
            thread = threading.Thread(target=self._work, args=(run,), name="ingest", daemon=True)
            self._threads = [one for one in self._threads if one.is_alive()]
            self._threads.append(thread)
        thread.start()
        return run

    def _turn_of(self, run: IngestRun) -> str:
        for earlier in self.runs:
            if earlier is run:
                return ""
            if earlier.making and not earlier.gated:
                return f"until {earlier.request.source.name} has its proxies"
        return ""

    def _work(self, run: IngestRun) -> None:
        report, problem = None, ""
        try:
            report = run.run()
        except Exception as error:  # the boundary to the user
            log.warning("ingest of %s", run.request.source, exc_info=True)
            problem = sentence(error)
        with self._lock:
            self._runs.remove(run)
            if problem and run.job is not None:
                self._given_up.add(run.job)
        for watch in self.watches:
            if watch.request.source == run.request.source and (report is None or run.was_stopped):
                watch.forget(run.request)
        self.ended.emit(Ended(run, report, problem))

    def go_on(self) -> list[str]:
        """Begin again what an earlier start (or another program) left open; what cannot go on comes as sentences."""
        told = []
        known = {run.job for run in self.runs}
        for job in self._store.open_jobs(self._session.path):
            if job.kind != "ingest" or job.id in known or job.id in self._given_up or self._closing.is_set():
                continue
            try:
                request = IngestRequest.from_json(job.request)
                if not any(run.job is None and run.request == request for run in self.runs):
                    self.start(request)
            except (ShadowError, KeyError, TypeError, ValueError) as error:
                if self._is_running(job.request):
                    continue
                self._store.end(job.id, "failed")
                told.append(f"An unfinished ingest cannot go on: {error}")
        return told

    def _is_running(self, request: dict[str, object]) -> bool:
        return any(str(run.request.source) == request.get("source") for run in self.runs)

    # Watching

    def mind(self, told: Callable[[str], None] = lambda text: None) -> None:
        """From now on look after the queue on disk and the watched folders, until :meth:`close`."""
        self.watch_again()
        self._minder = threading.Thread(target=self._mind, args=(told,), name="ingest desk", daemon=True)
        self._minder.start()

    def watch_again(self) -> None:
        """Watch the folders that are to be watched now."""
        wanted = watched_folders(self._session.path)
        with self._lock:
            known = {watch.request: watch for watch in self.watches}
            self.watches = [known.get(request) or self._watch(request) for request in wanted]

    def _watch(self, request: IngestRequest) -> Watch:
        watch = Watch(request, self._quiet)
        watch.know(self._session.project)
        return watch

    def _mind(self, told: Callable[[str], None]) -> None:
        said = ""
        while not self._closing.wait(min(_LOOK, max(0.05, self._quiet / 2))):
            try:
                for text in self.go_on():
                    told(text)
                for watch in list(self.watches):
                    self._look(watch)
            except Exception as error:  # the minding goes on whatever happened
                log.warning("minding the ingests", exc_info=True)
                if sentence(error) != said:
                    said = sentence(error)
                    told(f"Looking after ingests and watched folders failed: {said}")

    def _look(self, watch: Watch) -> None:
        if any(run.request.source == watch.request.source for run in self.runs):
            return
        request = watch.look()
        if request is None or self._closing.is_set():
            return
        try:
            self.start(request)
        except ShadowError as error:
            watch.problem = sentence(error)
            watch.forget(request)

    # All at once

    def give_way(self, playing: bool) -> None:
        """Tell all runs whether the window plays."""
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
        self._closing.set()
        self.stop(for_good=False)

    def close(self, limit: float | None = None) -> bool:
        """Stop everything so that it goes on at the next start; whether it had ended within ``limit`` seconds."""
        self.end()
        ended = self.wait(limit)
        return joined(self._minder, limit) and ended
