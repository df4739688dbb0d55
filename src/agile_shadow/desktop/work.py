"""What the window works on: the open project, and the background work for it."""

from __future__ import annotations

import logging
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
from ..core.ingest import IngestReport, IngestRequest, IngestRun, Progress
from ..core.jobs import JobStore, WorkerPool
from ..core.project import ProjectSession
from ..core.stand_ins import CLIPS, draw_clip, missing_from_card
from ..core.stand_ins.card import draw_damaged, draw_small_things

log = logging.getLogger(__name__)
_POLL = 200  # milliseconds


@dataclass(frozen=True)
class JobLine:
    """One row of the jobs drawer. ``fraction`` from 0 to 1; ``state`` in words; ``job`` names it for cancelling."""

    job: str
    title: str
    detail: str
    fraction: float
    state: str
    active: bool


class Work(QObject):
    """Owns the session and everything that runs. Signals come on the interface thread."""

    project_changed = Signal()
    saved_changed = Signal()
    jobs_changed = Signal()
    card_grew = Signal()
    ingest_ended = Signal()
    export_ended = Signal()
    problem = Signal(str)
    _from_elsewhere = Signal(object)

    def __init__(self, session: ProjectSession, store: JobStore | None = None) -> None:
        super().__init__()
        self.session = session
        self.store = store or JobStore()
        self.ingest: IngestRun | None = None
        self.last_report: IngestReport | None = None
        self.last_at_end = "nothing"
        self.export: ExportState | None = None
        self.drawing: DrawingState | None = None
        self.is_playing: Callable[[], bool] = lambda: False
        self._threads: list[threading.Thread] = []
        self._from_elsewhere.connect(lambda call: call())
        self._connect(session)
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL)
        self._timer.timeout.connect(self._poll)

    def _connect(self, session: ProjectSession) -> None:
        session.changed.connect(self._session_changed)
        session.saved_state_changed.connect(self._session_saved)

    def _session_changed(self) -> None:
        self.project_changed.emit()  # queued to the interface thread by Qt when it comes from another

    def _session_saved(self) -> None:
        self.saved_changed.emit()

    def call_here(self, call: Callable[[], None]) -> None:
        """Run something on the interface thread soon; any thread may ask."""
        self._from_elsewhere.emit(call)

    def in_background(self, work: Callable[[], Any], then: Callable[[Any], None]) -> None:
        """Compute on a thread; the answer comes back on the interface thread. Errors become one sentence."""

        def run() -> None:
            try:
                answer = work()
            except (ShadowError, OSError) as error:
                log.warning("%s", error, exc_info=True)
                text = sentence(error)
                self.call_here(lambda: self.problem.emit(text))
            else:
                self.call_here(lambda: then(answer))

        threading.Thread(target=run, name="background", daemon=True).start()

    def _poll(self) -> None:
        if self.ingest is not None:
            self.ingest.give_way(self.is_playing())
        if not self.busy:
            self._timer.stop()
        self.jobs_changed.emit()

    @property
    def busy(self) -> bool:
        """Whether anything runs."""
        return self.ingest is not None or (self.export is not None and self.export.active) or self.drawing is not None

    def proxies_now(self) -> None:
        """Let the running ingest make its proxies now, whatever they wait for."""
        if self.ingest is not None:
            self.ingest.make_now()

    # Ingest

    def start_ingest(self, request: IngestRequest) -> None:
        """Begin a run; a refusal comes as a problem."""
        if self.ingest is not None:
            self.problem.emit("An ingest is running already. Wait for its end or cancel it.")
            return
        try:
            run = IngestRun(request, self.session, self.store)
        except ShadowError as error:
            self.problem.emit(sentence(error))
            return
        self.ingest = run
        self.last_report = None
        self.last_at_end = request.preset.when.at_end
        self._timer.start()
        self._spawn(lambda: self._run_ingest(run), "ingest")

    def _spawn(self, work: Callable[[], None], name: str) -> None:
        thread = threading.Thread(target=work, name=name)
        self._threads.append(thread)
        thread.start()

    def _run_ingest(self, run: IngestRun) -> None:
        try:
            report = run.run()
        except Exception as error:  # the boundary to the user
            log.warning("ingest", exc_info=True)
            text = sentence(error)
            self.call_here(lambda: self._end_ingest(None, text))
        else:
            self.call_here(lambda: self._end_ingest(report, ""))

    def _end_ingest(self, report: IngestReport | None, problem: str) -> None:
        self.ingest = None
        self.last_report = report
        if problem:
            self.problem.emit(problem)
        self.ingest_ended.emit()
        self.jobs_changed.emit()

    def ingest_progress(self) -> Progress | None:
        """The running ingest at this moment."""
        return self.ingest.progress() if self.ingest is not None else None

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
        for job in self.store.open_jobs(self.session.path):
            try:
                if job.kind == "ingest" and self.ingest is None:
                    self.start_ingest(IngestRequest.from_json(job.request))
                elif job.kind == "export" and self.export is None:
                    self.start_export(Path(job.request["out"]))
            except (ShadowError, KeyError) as error:
                self.store.end(job.id, "failed")
                self.problem.emit(f"An unfinished job cannot go on: {error}")

    def job_lines(self) -> list[JobLine]:
        """Rows for the drawer: what runs and what ended in this session."""
        lines: list[JobLine] = []
        if self.drawing is not None:
            lines.append(self.drawing.line())
        progress = self.ingest_progress()
        if progress is not None:
            lines.extend(_ingest_lines(progress))
        if self.export is not None:
            lines.append(self.export.line())
        return lines

    def cancel_ingest(self) -> None:
        """Take the running ingest back; what is proven stays."""
        if self.ingest is not None:
            self.ingest.stop(for_good=True)

    def cancel_export(self) -> None:
        """Take the running export back."""
        if self.export is not None and self.export.future is not None:
            self.export.pool.cancel(self.export.future)

    def close(self) -> None:
        """Stop everything so that it goes on at the next start, and save."""
        if self.ingest is not None:
            self.ingest.stop(for_good=False)
        if self.export is not None and self.export.active and self.export.future is not None:
            self.export.keep_open = True
            self.export.pool.cancel(self.export.future)
        if self.drawing is not None:
            self.drawing.pool.cancel_all()
        for thread in self._threads:
            thread.join()
        self._timer.stop()
        self.session.close()


def _ingest_lines(progress: Progress) -> list[JobLine]:
    words = {
        "waiting": "waiting", "copying": "copying and proving", "copied": "proved", "queued": "proved, proxy waits",
        "making": "making its proxy", "paired": "paired", "in place": "in place", "failed": "needs you",
        "stopped": "stopped", "looking": "looking at it", "measuring": "measuring its headroom",
        "no need": "needs no proxy here", "passed over": "passed over",
    }  # fmt: skip
    lines = []
    for item in progress.items:
        ended = item.phase in ("paired", "in place", "failed", "stopped", "no need", "passed over")
        fraction = 1.0 if ended else item.done if item.phase in ("copying", "making") else 0.0
        lines.append(JobLine("ingest", item.path, item.note, fraction, words[item.phase], not ended))
    return lines


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
