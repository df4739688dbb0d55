"""Measuring in the background while nothing else runs: headroom of clips, tastes of a preset, candidates."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.errors import Cancelled, ShadowError, WorkerDied, sentence
from ..core.estimates import (
    CandidatesRequest,
    Decoders,
    HardwareRequest,
    Headroom,
    HeadroomRequest,
    Measurements,
    Sample,
    Taste,
    TasteRequest,
    can_be_measured,
    given_up,
    headroom_under,
    keep_candidates,
    keep_headroom,
    keep_taste,
    kept_candidates,
    kind_of,
    measure_candidates,
    measure_hardware,
    measure_headroom,
    measure_taste,
    taste_under,
)
from ..core.presets import Proxies
from ..core.project import Clip, Project
from ..core.shelves import Shelf
from .work import Work

log = logging.getLogger(__name__)
_TICK = 250  # milliseconds
_KINDS = ("taste", "candidates", "headroom", "hardware")  # in the order in which they are measured
_QUIET = 3.0  # seconds after the user last wanted something of a player
ENOUGH_HEADROOM = 1.5  # from here on a clip plays well without a proxy, where the preset names no number


@dataclass(frozen=True)
class _Order:
    """One measurement: ``what`` in words, its identity, the task with its request, and how the answer is kept."""

    what: str
    key: tuple[str, ...]
    task: Any
    request: Any
    keep: Callable[[Any], None]
    died: Callable[[], None] = lambda: None  # the process that measured ended


_SAMPLES: dict[str, tuple[Clip, Shelf | None, Sample]] = {}


def samples_in(project: Project) -> list[Sample]:
    """The video originals of a project. Touches no drive; clips that did not change are known from the last time."""
    samples = []
    for clip in project.clips:
        if clip.original.info.kind != "video":
            continue
        shelf = project.shelf(clip.original.file.shelf)
        known = _SAMPLES.get(clip.id)
        if known is None or known[0] is not clip or known[1] is not shelf:
            sample = _sample(project, clip)
            if sample is None:
                continue
            known = _SAMPLES[clip.id] = (clip, shelf, sample)
        samples.append(known[2])
    return samples


def _sample(project: Project, clip: Clip) -> Sample | None:
    original = clip.original
    try:
        path = project.place(original.file)
    except ShadowError:
        return None
    return Sample(path, original.info, original.size, original.modified) if path is not None else None


class Measuring(QObject):
    """One worker process that measures what is wanted, in this order: tastes, candidates, headroom, hardware decoders.

    ``measured`` tells that something new is known or that what is measured now has changed.
    """

    measured = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.kept = Measurements()
        self.decoders = Decoders(self.kept)
        self._work = work
        self._pool = work.machine.shared("measure")
        self._wanted: dict[str, list[_Order]] = {kind: [] for kind in _KINDS}
        self._failed: dict[tuple[str, ...], str] = {}
        self._running: _Order | None = None
        self._future: Future[Any] | None = None
        self._quiet_until = 0.0
        self._disturbed = False
        self._pauses = 0
        self.part = 0.0  # of what is measured now, 0 to 1
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)

    def start(self) -> None:
        """Measure from now on."""
        self._timer.start()

    @property
    def now(self) -> str:
        """What is measured at this moment, in words; empty when nothing is."""
        return self._running.what if self._running is not None else ""

    @property
    def waiting(self) -> int:
        """How many measurements are wanted and not begun."""
        return sum(len(orders) for orders in self._wanted.values())

    # What is wanted

    def want_tastes(self, settings: Proxies, samples: Sequence[Sample]) -> None:
        """Try a preset on these originals; takes the place of what was wanted before."""
        self._wanted["taste"] = [
            _Order(
                f"this preset on {sample.path.name}",
                ("taste", sample.key, settings.model_dump_json()),
                measure_taste,
                TasteRequest(sample.path, settings, sample.info),
                partial(self._keep_taste, sample, settings),
            )
            for sample in samples
            if taste_under(sample.key, settings, self.kept) is None
        ]

    def _keep_taste(self, sample: Sample, settings: Proxies, taste: Taste) -> None:
        keep_taste(sample.key, settings, taste, self.kept)

    def _keep_headroom(self, sample: Sample, found: Headroom) -> None:
        keep_headroom(sample.path, found, self.kept)

    def want_candidates(self, sample: Sample) -> None:
        """Try the usual sizes and codecs on one original."""
        if not kept_candidates(sample.key, self.kept):
            self._wanted["candidates"] = [
                _Order(
                    f"sizes and codecs on {sample.path.name}",
                    ("candidates", sample.key),
                    measure_candidates,
                    CandidatesRequest(sample.path, sample.info),
                    lambda found: keep_candidates(sample.key, found, self.kept),
                )
            ]

    def want_headrooms(self, project: Project) -> None:
        """Measure the headroom of every clip of which it is not known."""
        self._wanted["headroom"] = [
            _Order(
                f"the headroom of {sample.path.name}",
                ("headroom", sample.key),
                measure_headroom,
                HeadroomRequest(sample.path, sample.info),
                partial(self._keep_headroom, sample),
            )
            for sample in samples_in(project)
            if headroom_under(sample.key, self.kept) is None
        ]
        self._want_hardware(project)

    def _want_hardware(self, project: Project) -> None:
        """Compare what decoders this machine has with software, once for each kind of file."""
        if not self.decoders.there:
            return
        kinds = {kind_of(one.info): one for one in samples_in(project) if can_be_measured(one.info)}
        self._wanted["hardware"] = [
            _Order(
                f"hardware decoders on {sample.path.name}",
                ("hardware", kind),
                measure_hardware,
                HardwareRequest(sample.path, sample.info),
                partial(self.decoders.keep, sample.info),
                lambda sample=sample: self.decoders.keep(sample.info, given_up()),  # type: ignore[misc]
            )
            for kind, sample in kinds.items()
            if self.decoders.verdicts(sample.info) is None
        ]

    # Doing

    def stand_still(self) -> None:
        """Pause at once, for a moment: the user wants the machine."""
        self._quiet_until = time.monotonic() + _QUIET
        if self._future is not None:
            self._pause()

    def _pause(self) -> None:
        """A measurement that stands still on the way measures the standing still: it is made again."""
        self._disturbed = True
        self._pool.pause()

    def _may_run(self) -> bool:
        return not (self._work.busy or self._work.is_playing() or time.monotonic() < self._quiet_until)

    def _tick(self) -> None:
        self._work.machine.playing(self._work.is_playing())  # nobody else looks while nothing else runs
        if self._future is not None:
            self._pool.resume() if self._may_run() else self._pause()
            return
        if not self._may_run():
            return
        for queue in self._wanted.values():
            while queue:
                order = queue.pop(0)
                if order.key not in self._failed:
                    self._begin(order)
                    return

    def _begin(self, order: _Order) -> None:
        self._running, self._disturbed, self._pauses = order, False, self._pool.pauses
        self.part = 0.0
        future = self._future = self._pool.submit(order.task, order.request, self._came_so_far)
        future.add_done_callback(lambda done: self._keep(order, done))
        self.measured.emit()

    def _came_so_far(self, part: float) -> None:
        self.part = part

    def _keep(self, order: _Order, done: Future[Any]) -> None:
        """On the pool's thread: keeping looks at the file's drive and writes."""
        problem, disturbed = "", self._disturbed or self._pool.pauses != self._pauses
        try:
            if not disturbed:
                order.keep(done.result())
        except Cancelled:
            pass
        except Exception as error:  # the boundary: shown where the number would stand
            log.warning("measuring %s", order.what, exc_info=True)
            problem = sentence(error)
            if isinstance(error, WorkerDied):
                order.died()
        self._work.call_here(lambda: self._end(order, problem, disturbed))

    def _end(self, order: _Order, problem: str, disturbed: bool) -> None:
        self._running = self._future = None
        if disturbed:
            self._again(order)
            return
        if problem:
            self._failed[order.key[:2]] = self._failed[order.key] = problem
        self.measured.emit()

    def _again(self, order: _Order) -> None:
        """To the front of its queue."""
        self._wanted[order.key[0]].insert(0, order)

    def close(self) -> None:
        """Have the worker end."""
        self._timer.stop()
        if self._future is not None:
            self._pool.cancel(self._future)
