"""What the window works on: the open project, and the background work for it."""

from __future__ import annotations

import logging
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.desk import BakeRun, Desk, Ended, FilmRun, MakeRun, Run
from ..core.errors import sentence
from ..core.ingest import IngestReport, IngestRun
from ..core.jobs import Awake, JobStore
from ..core.jobs.vetting import Vetting
from ..core.project import ProjectLock, ProjectSession
from .asked import Requests
from .lay_work import LayWork
from .pair_work import PairWork
from .turns import Turns

if TYPE_CHECKING:
    from .drawing_work import DrawingWork

log = logging.getLogger(__name__)
_POLL = 200  # milliseconds
_SOON = 250  # milliseconds in which changes of background work are gathered
_MIND = 1500  # milliseconds
_LIMIT = 30.0  # seconds
_ENDED = 5  # runs that stay listed, and as many bakes


class Work(QObject):
    """Owns the session and everything that runs. Signals come on the interface thread.

    Large: its attributes are what runs, its signals what is told of it.
    """

    project_changed = Signal()
    saved_changed = Signal()
    jobs_changed = Signal()
    card_grew = Signal()
    ingest_ended = Signal()
    film_ended = Signal()
    watches_changed = Signal()
    problem = Signal(str)
    offered = Signal(str, object)
    told = Signal(str)  # what is no problem
    changed_elsewhere = Signal()
    _from_elsewhere = Signal(object)

    def __init__(self, session: ProjectSession, store: JobStore | None = None, lock: ProjectLock | None = None) -> None:
        super().__init__()
        self.session = session
        self.store = store or JobStore()
        self.lock = lock
        self.desk = Desk(session, self.store)
        self.machine = self.desk.machine
        self.desk.ended.connect(self._run_ended)
        self.awake = Awake()
        self.last_report: IngestReport | None = None
        self.last_at_end = "nothing"
        self.last_film: FilmRun | None = None
        self.turns = Turns(self)
        self.asked = Requests(self)
        self.ended: list[Run] = []  # films, bakes and later proxies of this session, for the drawer
        self._drawing: DrawingWork | None = None
        self.is_playing: Callable[[], bool] = lambda: False
        self._endings: list[Callable[[float], object]] = []
        self._closed = False
        self._from_elsewhere.connect(_called)
        self._connect(session)
        self.pairs = PairWork(self)
        self.pairs.changed.connect(self.jobs_changed)
        self.laying = LayWork(self)
        self.vetting = Vetting().__enter__()
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL)
        self._timer.timeout.connect(self._poll)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON)
        self._soon.timeout.connect(self.project_changed)

    def _connect(self, session: ProjectSession) -> None:
        session.changed.connect(self._session_changed)
        session.saved_state_changed.connect(self.saved_changed.emit)
        session.changed_elsewhere.connect(self.changed_elsewhere.emit)

    def _session_changed(self) -> None:
        """The user's own changes show at once; those of background work, of which there may be many, together."""
        if threading.current_thread() is threading.main_thread():
            self.project_changed.emit()
        else:
            self.call_here(self._change_soon)

    def _change_soon(self) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def call_here(self, call: Callable[[], None]) -> None:
        """Run something on the interface thread soon; any thread may ask. Once the window is closed nothing is run."""
        if not self._closed:
            self._from_elsewhere.emit(call)

    def at_the_end(self, wait: Callable[[float], object]) -> None:
        """Have something that was told to end be waited for, at most so many seconds, when the window closes."""
        self._endings.append(wait)

    def in_background(
        self, work: Callable[[], Any], then: Callable[[Any], None], failed: Callable[[str], None] | None = None
    ) -> None:
        """Compute on a thread; the answer comes back on the interface thread. Errors become one sentence, which comes
        as a problem, or to ``failed``: for whoever shows that it waits."""

        def run() -> None:
            try:
                answer = work()
            except Exception as error:  # the boundary to the user
                log.warning("%s", error, exc_info=True)
                text = sentence(error)
                self.call_here(lambda: self.problem.emit(text) if failed is None else failed(text))
            else:
                self.call_here(lambda: then(answer))

        threading.Thread(target=run, name="background", daemon=True).start()

    def _poll(self) -> None:
        self.desk.give_way(self.is_playing())
        wanted = any(run.request.preset.when.keep_awake for run in self.desk.ingests)
        self.awake.keep(wanted or bool(self.desk.films or self.desk.makes))
        if not self.busy:
            self._timer.stop()
        self.jobs_changed.emit()

    @property
    def ingest(self) -> IngestRun | None:
        """The first of the ingests that run."""
        runs = self.desk.ingests
        return runs[0] if runs else None

    def run_of(self, source: Path) -> IngestRun | None:
        """The ingest of a source that runs."""
        return next((run for run in self.desk.ingests if run.request.source == source), None)

    @property
    def busy(self) -> bool:
        """Whether anything runs."""
        return bool(self.desk.runs) or self.drawing is not None or self.pairs.busy

    def wake(self) -> None:
        """Something began: keep an eye on it."""
        self._timer.start()
        self.jobs_changed.emit()

    # Runs that end

    def _run_ended(self, end: Ended) -> None:
        self.call_here(lambda: self._end_run(end))

    def _end_run(self, end: Ended) -> None:
        if isinstance(end.run, IngestRun):
            self.last_report = end.report
        else:
            self.ended = _with_ended(self.ended, end.run)
        if isinstance(end.run, FilmRun):
            self.last_film = end.run
            self.film_ended.emit()
        elif end.problem:
            self.problem.emit(end.problem)
        if isinstance(end.run, IngestRun):
            self.ingest_ended.emit()
        if isinstance(end.run, IngestRun | MakeRun):
            self.pairs.prove_by_itself()
        self.jobs_changed.emit()

    # The demo card

    def draw_demo_card(self, card: Path) -> None:
        """Draw what is missing of the demo card in the background, light clips first."""
        from .drawing_work import DrawingWork  # loads what draws: only the demo needs it

        self._drawing = DrawingWork(self.machine, card)
        self._drawing.grew.connect(self._drew)
        self._drawing.failed.connect(self.problem)
        self._drawing.begin()
        self._timer.start()

    def _drew(self) -> None:
        self.card_grew.emit()
        self.jobs_changed.emit()

    @property
    def drawing(self) -> DrawingWork | None:
        """The drawing of the demo card while it goes on."""
        return self._drawing if self._drawing is not None and self._drawing.active else None

    # Jobs

    def resume_open_jobs(self) -> None:
        """Go on with what an earlier start left unfinished."""
        for text in self.desk.go_on():
            self.problem.emit(text)
        if self.busy:
            self._timer.start()

    def mind(self) -> None:
        """From now on begin what other programs hand over, and look after the watched folders."""
        self.desk.minding.begin(lambda text: self.call_here(lambda: self.problem.emit(text)))
        self._minding = QTimer(self)
        self._minding.setInterval(_MIND)
        self._minding.timeout.connect(self._mind)
        self._minding.start()

    def _mind(self) -> None:
        if self.desk.runs and not self._timer.isActive():
            self._timer.start()
        if self.desk.minding.watches:
            self.watches_changed.emit()

    def end(self) -> None:
        """Have everything end soon so that it goes on at the next start, without waiting for it."""
        for timer in (self._timer, self._soon, getattr(self, "_minding", None)):
            if timer is not None:
                timer.stop()
        self.desk.end()
        self.machine.end()
        self.pairs.end()
        self.vetting.end()

    def wait(self, limit: float) -> bool:
        """Wait until what was told to end has ended, at most about so many seconds: not for the interface thread.

        Whether all of it had; what has not ends with the process.
        """
        end = time.monotonic() + limit

        def left() -> float:
            return max(0.05, end - time.monotonic())

        ended = [self.desk.close(left()), self.pairs.wait(left()), self.vetting.close(left())]
        ended += [wait(left()) is not False for wait in self._endings]
        if self._drawing is not None:
            ended.append(self._drawing.wait(left()))
        self.awake.keep(False)
        return all(ended)

    def let_go(self, go_on: bool = False) -> None:
        """The project is saved, or not to be: let others have it. ``go_on``: work goes on in a process without a
        window."""
        self._closed = True
        self.turns.end()
        self.session.end()
        if self.lock is not None:
            self.lock.release()
        if go_on:
            go_on_without_window(self.session.path)

    def close(self) -> None:
        """Stop everything so that it goes on at the next start, and save. Raises ProjectError. For tests and scripts:
        it waits."""
        self.end()
        self.wait(_LIMIT)
        try:
            self.session.close()
        finally:
            self.let_go()


def _with_ended(before: list[Run], new: Run) -> list[Run]:
    """With one more run that stays listed. Bakes, of which many are begun by themselves, take the place of bakes only:
    not that of a film, or of proxies that failed and may be tried again."""
    kept = [run for run in before if run.job != new.job]
    alike = [run for run in kept if isinstance(run, BakeRun) == isinstance(new, BakeRun)]
    gone = {id(run) for run in alike[: max(0, len(alike) + 1 - _ENDED)]}
    return [*(run for run in kept if id(run) not in gone), new]


def _called(call: Callable[[], None]) -> None:
    """On the interface thread: what one answer stumbles over is told in the log, the next one is taken all the same."""
    try:
        call()
    except Exception:
        log.exception("an answer of background work")


def go_on_without_window(project: Path) -> None:
    """Start a small process that works off the project's open ingests and ends."""
    command = [sys.executable, "-m", "agile_shadow.cli", "jobs", "run", "--project", str(project)]
    subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
