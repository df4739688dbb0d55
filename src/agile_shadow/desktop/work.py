"""What the window works on: the open project, and the background work for it."""

from __future__ import annotations

import logging
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.errors import Cancelled, ShadowError, sentence
from ..core.export import ExportRequest, run_export
from ..core.ingest import Desk, Ended, IngestReport, IngestRequest, IngestRun, Progress
from ..core.jobs import Awake, JobStore, Piece, WorkerPool
from ..core.jobs.vetting import Vetting
from ..core.project import ProjectLock, ProjectSession
from ..core.stand_ins import CLIPS, draw_clip, missing_from_card
from ..core.stand_ins.card import draw_damaged, draw_small_things
from ..core.time import clock_text
from .bake_work import BakeWork
from .lay_work import LayWork
from .pair_work import PairWork

log = logging.getLogger(__name__)
_POLL = 200  # milliseconds
_SOON = 250  # milliseconds in which changes of background work are gathered
_MIND = 1500  # milliseconds
_LIMIT = 30.0  # seconds


@dataclass(frozen=True)
class JobLine:
    """One row of the jobs drawer.

    ``fraction`` from 0 to 1; ``state`` in words; ``piece``: the job of an ingest, with the run it belongs to.
    """

    job: str
    title: str
    detail: str
    fraction: float
    state: str
    active: bool
    speed: str = ""
    left: str = ""
    tip: str = ""
    piece: Piece | None = None


class Work(QObject):
    """Owns the session and everything that runs. Signals come on the interface thread."""

    project_changed = Signal()
    saved_changed = Signal()
    jobs_changed = Signal()
    card_grew = Signal()
    ingest_ended = Signal()
    export_ended = Signal()
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
        self.desk.ended.connect(self._run_ended)
        self.awake = Awake()
        self.last_report: IngestReport | None = None
        self.last_at_end = "nothing"
        self.export: ExportState | None = None
        self.drawing: DrawingState | None = None
        self.is_playing: Callable[[], bool] = lambda: False
        self._threads: list[threading.Thread] = []
        self._endings: list[Callable[[float], object]] = []
        self._closed = False
        self._from_elsewhere.connect(_called)
        self._connect(session)
        self.pairs = PairWork(self)
        self.pairs.changed.connect(self.jobs_changed)
        self.bakes = BakeWork(self)
        self.bakes.changed.connect(self.jobs_changed)
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
        session.saved_state_changed.connect(self._session_saved)
        session.changed_elsewhere.connect(self._changed_elsewhere)

    def _session_changed(self) -> None:
        """The user's own changes show at once; those of background work, of which there may be many, together."""
        if threading.current_thread() is threading.main_thread():
            self.project_changed.emit()
        else:
            self.call_here(self._change_soon)

    def _change_soon(self) -> None:
        if not self._soon.isActive():
            self._soon.start()

    def _session_saved(self) -> None:
        self.saved_changed.emit()

    def _changed_elsewhere(self) -> None:
        self.changed_elsewhere.emit()

    def call_here(self, call: Callable[[], None]) -> None:
        """Run something on the interface thread soon; any thread may ask. Once the window is closed nothing is run."""
        if not self._closed:
            self._from_elsewhere.emit(call)

    def at_the_end(self, wait: Callable[[float], object]) -> None:
        """Have something that was told to end be waited for, at most so many seconds, when the window closes."""
        self._endings.append(wait)

    def in_background(self, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Compute on a thread; the answer comes back on the interface thread. Errors become one sentence."""

        def run() -> None:
            try:
                answer = work()
            except Exception as error:  # the boundary to the user
                log.warning("%s", error, exc_info=True)
                text = sentence(error)
                self.call_here(lambda: self.problem.emit(text))
            else:
                self.call_here(lambda: then(answer))

        threading.Thread(target=run, name="background", daemon=True).start()

    def _poll(self) -> None:
        self.desk.give_way(self.is_playing())
        self.pairs.mind()
        self.awake.keep(any(run.request.preset.when.keep_awake for run in self.desk.runs))
        if not self.busy:
            self._timer.stop()
        self.jobs_changed.emit()

    @property
    def ingest(self) -> IngestRun | None:
        """The first of the ingests that run."""
        runs = self.desk.runs
        return runs[0] if runs else None

    def run_of(self, source: Path) -> IngestRun | None:
        """The ingest of a source that runs."""
        return next((run for run in self.desk.runs if run.request.source == source), None)

    @property
    def busy(self) -> bool:
        """Whether anything runs."""
        exporting = self.export is not None and self.export.active
        return bool(self.desk.runs) or exporting or self.drawing is not None or self.pairs.busy or self.bakes.busy

    def wake(self) -> None:
        """Something began: keep an eye on it."""
        self._timer.start()
        self.jobs_changed.emit()

    def proxies_now(self) -> None:
        """Let the running ingests make their proxies now, whatever they wait for."""
        for run in self.desk.runs:
            run.make_now()

    # Ingest

    def start_ingest(self, request: IngestRequest) -> bool:
        """Begin a run; a refusal comes as a problem."""
        try:
            self.desk.start(request)
        except ShadowError as error:
            self.problem.emit(sentence(error))
            return False
        self.last_report = None
        self.last_at_end = request.preset.when.at_end
        self._timer.start()
        self.jobs_changed.emit()
        return True

    def _run_ended(self, end: Ended) -> None:
        self.call_here(lambda: self._end_ingest(end))

    def _spawn(self, work: Callable[[], None], name: str) -> None:
        thread = threading.Thread(target=work, name=name, daemon=True)
        self._threads.append(thread)
        thread.start()

    def _end_ingest(self, end: Ended) -> None:
        self.last_report = end.report
        if end.problem:
            self.problem.emit(end.problem)
        self.ingest_ended.emit()
        self.pairs.prove_by_itself()
        self.jobs_changed.emit()

    def ingest_progress(self) -> Progress | None:
        """The running ingests together at this moment."""
        runs = [run.progress() for run in self.desk.runs]
        if len(runs) < 2:
            return runs[0] if runs else None
        files = sum(one.files for one in runs) or 1
        left = [one.remaining for one in runs]
        return Progress(
            sum(one.files for one in runs), sum(one.copied for one in runs), sum(one.proxies_done for one in runs),
            sum(one.proxies_wanted for one in runs), sum(one.failed for one in runs),
            sum(one.fraction * one.files for one in runs) / files,
            max((one for one in left if one is not None), default=None), "; ".join({o.waits for o in runs if o.waits}),
            sum(one.proved for one in runs),
        )  # fmt: skip

    @property
    def waits_for_a_person(self) -> str:
        """What only a person can bring to a running ingest; empty when nothing."""
        return "; ".join(run.waits_for_a_person for run in self.desk.runs if run.waits_for_a_person)

    def ask(self, pieces: list[Piece], wish: str) -> None:
        """Ask something of single jobs of the running ingests."""
        runs = {run.job: run for run in self.desk.runs}
        for piece in pieces:
            if piece.run in runs:
                runs[piece.run].ask(*piece.key, wish)
        self._timer.start()

    # Export

    def start_export(self, out: Path) -> None:
        """Render the timeline to a file in a worker."""
        request = {"out": str(out)}
        job = self.store.begin("export", self.session.path, request)
        state = ExportState(out, job, WorkerPool(1))
        state.future = state.pool.submit(
            run_export, ExportRequest(self.session.project, out), lambda done: setattr(state, "fraction", done)
        )
        self.export = state
        self._timer.start()
        self._spawn(lambda: self._wait_for_export(state), "export")

    def _wait_for_export(self, state: ExportState) -> None:
        assert state.future is not None
        try:
            state.result = state.future.result()
            outcome = "done"
        except Cancelled:
            outcome = "cancelled"
        except Exception as error:  # the boundary to the user
            log.warning("export", exc_info=True)
            state.problem = sentence(error)
            outcome = "failed"
        state.pool.close()
        if not state.keep_open:
            self.store.end(state.job, outcome)
        self.call_here(lambda: self._end_export(state, outcome))

    def _end_export(self, state: ExportState, outcome: str) -> None:
        state.active = False
        state.outcome = outcome
        self.export_ended.emit()
        self.jobs_changed.emit()

    # The demo card

    def draw_demo_card(self, card: Path) -> None:
        """Draw what is missing of the demo card in the background, light clips first."""
        self.drawing = DrawingState(card, len(CLIPS), len(CLIPS) - len(missing_from_card(card)))
        self._timer.start()
        state = self.drawing
        self._spawn(lambda: self._draw(state), "drawing")

    def _draw(self, state: DrawingState) -> None:
        try:
            draw_small_things(state.card)
            missing = missing_from_card(state.card)
            futures = [state.pool.submit(draw_clip, (plan, state.card), state.noter(plan.path)) for plan in missing]
            self.card_grew.emit()
            for future in futures:
                future.result()
                state.done += 1
                draw_damaged(state.card)
                self.card_grew.emit()
        except Cancelled:
            pass
        except Exception as error:  # the boundary to the user
            log.warning("drawing", exc_info=True)
            text = sentence(error)
            self.call_here(lambda: self.problem.emit(text))
        state.pool.close()
        self.call_here(self._end_drawing)

    def _end_drawing(self) -> None:
        self.drawing = None
        self.card_grew.emit()
        self.jobs_changed.emit()

    # Jobs

    def resume_open_jobs(self) -> None:
        """Go on with what an earlier start left unfinished."""
        for text in self.desk.go_on():
            self.problem.emit(text)
        for job in self.store.open_jobs(self.session.path):
            try:
                if job.kind == "export" and self.export is None:
                    self.start_export(Path(job.request["out"]))
            except (ShadowError, KeyError) as error:
                self.store.end(job.id, "failed")
                self.problem.emit(f"An unfinished job cannot go on: {error}")
        self.pairs.resume()
        if self.busy:
            self._timer.start()

    def mind(self) -> None:
        """From now on begin what other programs hand over, and look after the watched folders."""
        self.desk.mind(lambda text: self.call_here(lambda: self.problem.emit(text)))
        self._minding = QTimer(self)
        self._minding.setInterval(_MIND)
        self._minding.timeout.connect(self._mind)
        self._minding.start()

    def _mind(self) -> None:
        if self.desk.runs and not self._timer.isActive():
            self._timer.start()
        if self.desk.watches:
            self.watches_changed.emit()

    def job_lines(self) -> list[JobLine]:
        """Rows for the drawer: what runs first, what waits, then what ended in this session."""
        lines: list[JobLine] = []
        if self.drawing is not None:
            lines.append(self.drawing.line())
        if self.export is not None:
            lines.append(self.export.line())
        lines.extend(self.pairs.lines())
        lines.extend(self.bakes.lines(JobLine))
        for run in self.desk.runs:
            lines.extend(_piece_line(piece) for piece in sorted(run.board.pieces(), key=_order))
        return lines

    def cancel_ingest(self) -> None:
        """Take the running ingests back; what is proven stays."""
        self.desk.stop(for_good=True)

    def cancel_export(self) -> None:
        """Take the running export back."""
        if self.export is not None and self.export.future is not None:
            self.export.pool.cancel(self.export.future)

    def end(self) -> None:
        """Have everything end soon so that it goes on at the next start, without waiting for it."""
        for timer in (self._timer, self._soon, getattr(self, "_minding", None)):
            if timer is not None:
                timer.stop()
        self.desk.end()
        self.pairs.end()
        self.bakes.end()
        self.laying.end()
        self.vetting.end()
        if self.export is not None and self.export.active and self.export.future is not None:
            self.export.keep_open = True
            self.export.pool.cancel(self.export.future)
        if self.drawing is not None:
            self.drawing.pool.end()

    def wait(self, limit: float) -> bool:
        """Wait until what was told to end has ended, at most about so many seconds: not for the interface thread.

        Whether all of it had; what has not ends with the process.
        """
        end = time.monotonic() + limit

        def left() -> float:
            return max(0.05, end - time.monotonic())

        ended = [self.desk.close(left()), self.pairs.wait(left()), self.bakes.wait(left())]
        ended += [self.laying.wait(left()), self.vetting.close(left())]
        for wait in self._endings:
            wait(left())
        for thread in self._threads:
            thread.join(left())
        self.awake.keep(False)
        return all(ended) and not any(thread.is_alive() for thread in self._threads)

    def let_go(self, go_on: bool = False) -> None:
        """The project is saved, or not to be: let others have it. ``go_on``: work goes on in a process without a
        window."""
        self._closed = True
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


_RANK = {"running": 0, "waiting": 1, "failed": 2, "cancelled": 3, "done": 4}


def _order(piece: Piece) -> tuple[int, int]:
    return _RANK[piece.state], -piece.priority


def _piece_line(piece: Piece) -> JobLine:
    left, speed = piece.remaining(), piece.speed()
    kind = {"copy": "Copy", "proxy": "Proxy of", "second copy": "Second copy of"}[piece.kind]
    pace = "" if speed is None else f"{speed:.1f}x" if piece.kind == "proxy" else f"{speed / 1e6:.0f} MB/s"
    tip = f"From {piece.source}\nto {piece.target}\n{piece.settings}"
    return JobLine(
        "ingest", f"{kind} {piece.path}", piece.note or piece.settings, 1.0 if piece.state == "done" else piece.part,
        piece.state_words(), piece.active, pace, clock_text(left) if left is not None else "",
        f"{tip}\n{piece.note}".strip(), piece,
    )  # fmt: skip


class ExportState:
    """One export: its worker, how far it is, how it ended."""

    def __init__(self, out: Path, job: int, pool: WorkerPool) -> None:
        self.out = out
        self.job = job
        self.pool = pool
        self.future: Future[Any] | None = None
        self.fraction = 0.0
        self.active = True
        self.keep_open = False
        self.outcome = ""
        self.problem = ""
        self.result: Any = None
        self.begun = time.monotonic()

    @property
    def remaining(self) -> float | None:
        """Seconds, None while it cannot be told."""
        elapsed = time.monotonic() - self.begun
        return elapsed * (1 - self.fraction) / self.fraction if self.fraction > 0.02 else None

    def line(self) -> JobLine:
        """The row for the drawer."""
        state = "rendering" if self.active else {"done": "finished"}.get(self.outcome, self.outcome)
        return JobLine("export", f"Export {self.out.name}", self.problem, self.fraction, state, self.active)


class DrawingState:
    """The drawing of the demo card."""

    def __init__(self, card: Path, total: int, done: int) -> None:
        self.card = card
        self.total = total
        self.done = done
        self.pool = WorkerPool(2)
        self._parts: dict[str, float] = {}

    def noter(self, path: str) -> Callable[[float], None]:
        """A progress callback for one clip."""
        return lambda done: self._parts.__setitem__(path, done)

    @property
    def fraction(self) -> float:
        """Of the clips, with the parts of those being drawn."""
        parts = sum(part for part in self._parts.values() if part < 1)
        return min(1.0, (self.done + parts) / self.total)

    def line(self) -> JobLine:
        """The row for the drawer."""
        detail = f"{self.done} of {self.total} clips"
        return JobLine("drawing", "Drawing the demo card", detail, self.fraction, "drawing", True)
