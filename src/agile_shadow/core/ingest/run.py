"""One run of a preset over a source: copies, probes, proxies, pairs, project saved; goes on where it was."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import PurePosixPath

from ..errors import ShelfGone
from ..jobs import Handed, Hands, JobStore, Machine
from ..project import Clip, ProjectSession
from ..project.report import IngestReport
from .board import Board, Progress
from .ending import reported
from .finding import SourceFinding
from .gate import on_mains_power, waits_for
from .known import Known
from .proofs import Proofs
from .request import IngestRequest
from .setting import Setting, though_state_fails
from .shelving import RunShelves
from .source import SourceFile, SourceListing
from .waiting import AGAIN, Waiting
from .way import Way

log = logging.getLogger(__name__)

_TICK = 0.1  # seconds
STALLED = 600.0  # seconds without progress after which a worker is ended: reading a long file's index takes its time
_REPORTS = 30  # kept in a project


class IngestRun:
    """Runs on the caller's thread with :meth:`run`; other threads may call all other methods.

    ``now``: make proxies at once, whatever the preset says of night and mains power. ``patient``: wait for a card that
    was pulled out and for room on a full drive, instead of telling and going on. ``turn``: what its proxies wait for
    besides, in words, or "". ``machine``: where its work is done, default: one of its own.
    """

    kind = "ingest"

    def __init__(
        self,
        request: IngestRequest,
        session: ProjectSession,
        store: JobStore,
        on_clip: Callable[[Clip], None] = lambda clip: None,
        now: bool = False,
        patient: bool = False,
        turn: Callable[[], str] = lambda: "",
        stalled_after: float = STALLED,
        machine: Machine | None = None,
    ) -> None:
        request.refuse_if_unsafe(session.path.parent)
        self.request = request
        self.job: int | None = None
        self.report: IngestReport | None = None
        self._now = now
        self._turn = turn
        self._machine = machine or Machine()
        self._giving_way = threading.Event()
        self._standing = threading.Event()
        self.board = Board(store, request.preset.proxies is not None)
        checksum = request.preset.originals.checksum
        self._s = Setting(
            request, session, store, self.board,
            hands=Hands(self.board, store, self._told),
            copies=self._machine.hire("copy", 1, stalled_after),
            makers=self._machine.hire(
                "make", request.preset.when.at_a_time, stalled_after, request.preset.when.where == "with-helpers"
            ),
            known=Known(session, store, checksum),
            shelves=RunShelves(request, session),
            patient=patient,
            stopped=threading.Event(),
            proofs=Proofs(checksum),
        )  # fmt: skip
        self._waiting = Waiting(self._s)
        self._way = Way(self._s, self._waiting, on_clip)
        self._finding = SourceFinding(request, store, self._s.known, patient, self._s.stopped, self._machine)

    # What others ask

    @property
    def title(self) -> str:
        """What it is, for a person."""
        return f"Ingest of {self.request.source.name}"

    @property
    def files(self) -> list[SourceFile]:
        """The files of the run, in order; none before it has read its source."""
        return list(self._s.files.values()) if self.board.run else []

    def progress(self) -> Progress:
        """The run at this moment."""
        return self.board.progress()

    def stop(self, for_good: bool) -> None:
        """End the run soon. ``for_good``: the user took it back; else it goes on at the next start."""
        self._s.for_good = for_good
        self._s.stopped.set()

    def stand_still(self, on: bool) -> None:
        """Have the whole run stand still, or go on."""
        (self._standing.set if on else self._standing.clear)()

    @property
    def standing_still(self) -> bool:
        """Whether it was asked to stand still."""
        return self._standing.is_set()

    def give_way(self, playing: bool) -> None:
        """Have the making of proxies stand still while the window plays, where the preset says so."""
        if self.request.preset.when.give_way:
            (self._giving_way.set if playing else self._giving_way.clear)()

    def make_now(self) -> None:
        """Make proxies now; do not wait for night or mains power any more."""
        self._now = True

    @property
    def gated(self) -> bool:
        """Whether its proxies wait for the night, for power or for the user, so that another run may make its own."""
        return bool(self._own_gate()) or self._standing.is_set()

    @property
    def making(self) -> bool:
        """Whether proxies wait to be made, or are being made."""
        return self._s.hands.works_in(self._s.makers)

    @property
    def was_stopped(self) -> bool:
        """Whether somebody ended it before its end."""
        return self._s.stopped.is_set()

    @property
    def waits_for_a_person(self) -> str:
        """What only a person can bring: a card, a drive, or room; empty when nothing."""
        if self._finding.waits and not self._waiting.person:
            return f"the card {self.request.source.name} (insert it again)"
        return self._waiting.person

    def ask(self, kind: str, path: str, wish: str) -> None:
        """Ask something of one job (see WISHES); it is done soon."""
        self._s.hands.ask(kind, path, wish)

    # The run

    def run(self) -> IngestReport:
        """Do it all; returns the report, also when stopped. Raises ShadowError when it cannot begin."""
        s, began = self._s, time.time()
        self.job = s.store.begin(self.kind, s.session.path, self.request.to_json())
        try:
            listing = self._finding.listing(self.job)
            self._begin(listing)
            self._work(listing)
            report = reported(s, listing, began)
        except Exception:  # whatever it was: an open job would be begun again and again
            if s.for_good or not s.stopped.is_set():
                with though_state_fails():
                    s.store.end(self.job, "failed")
            raise
        finally:
            for executor in (s.copies, s.makers):
                self._machine.dismiss(executor)
                executor.close()
            self.board.flush()
        if self._way.left_behind or self._finding.resumed:
            s.shelves.remove_partials()
        self._keep(report)
        return report

    def _keep(self, report: IngestReport) -> None:
        s = self._s
        self.report = report
        assert self.job is not None
        if not s.stopped.is_set():
            kept = report.to_json()
            s.session.absorb(lambda now: replace(now, reports=(*now.reports[1 - _REPORTS :], kept)))
        s.session.save()
        with though_state_fails():
            if not s.stopped.is_set():
                s.store.end(self.job, "done", report.to_json())
            elif s.for_good:
                s.store.end(self.job, "cancelled", report.to_json())
            s.store.forget_old()

    def _begin(self, listing: SourceListing) -> None:
        s = self._s
        assert self.job is not None
        self._open_shelves()
        if not (s.patient and self._finding.resumed):  # then it is seen when a drive is full, and waited for
            s.shelves.check_room(listing, s.known)
        s.shelves.make_known()
        s.numbers = {file.path: number for number, file in enumerate(listing.files, 1)}
        s.same_stem = _later_of_same_stem(listing)
        s.files = {file.path: file for file in listing.files}
        self.board.fill(self.job, listing.files)

    def _open_shelves(self) -> None:
        """Raises ShelfGone when a drive is away that is not to be waited for, or the run is stopped meanwhile."""
        while True:
            try:
                self._s.shelves.open()
                self._waiting.shelf = None
                return
            except ShelfGone as error:
                self._waiting.shelf = error.path
                if not self._s.patient or self._s.stopped.wait(AGAIN):
                    raise

    def _work(self, listing: SourceListing) -> None:
        s = self._s
        assert self.job is not None
        early = s.store.wishes(self.job)
        s.retried = {(kind, path) for kind, path, wish in early if wish == "retry"}
        self._way.begin(listing.files)
        for wish in early:
            if wish[2] != "retry":
                self._do(*wish)
        while s.hands.busy or ((self._waiting.any or self._way.has_more) and not s.stopped.is_set()):
            if s.stopped.is_set():
                self._cancel_all()
            else:
                self._way.go_on()
                self._mind_the_gate()
                with though_state_fails():
                    for wish in s.hands.wishes(self.job):
                        self._do(*wish)
                self._waiting.look(self._way.begin_again, self._way.hand_over)
            for job, future in s.hands.came(_TICK):
                self._way.came(job, future)
            self.board.flush_soon()

    def _told(self, job: Handed, done: float) -> None:
        self.board.note(job.path, phase=job.phase, done=done)

    def _cancel_all(self) -> None:
        for executor in (self._s.makers, self._s.copies):
            executor.resume()
            executor.cancel_all()

    def _own_gate(self) -> str:
        return "" if self._now else waits_for(self.request.preset.when, datetime.now(), on_mains_power())

    def _mind_the_gate(self) -> None:
        """Makers stand still while the window plays, by day where it is to be done at night, and on battery."""
        still = self._standing.is_set()
        (self._s.copies.pause if still else self._s.copies.resume)()
        gate = "until you resume it" if still else self._own_gate() or self._turn()
        gate = gate or ("during playback" if self._giving_way.is_set() else "")
        (self._s.makers.pause if gate else self._s.makers.resume)()
        person = self.waits_for_a_person
        self.board.waits = gate or (f"for {person}" if person and not self._s.hands.busy else "")

    def _do(self, kind: str, path: str, wish: str) -> None:
        """What was asked for a single job, here or by another program."""
        piece, file = self.board.piece(kind, path), self._s.files.get(path)
        if piece is None or file is None:
            return
        if wish == "retry" and not piece.active:
            self._s.retried.add(piece.key)
            self._s.note(file, phase="waiting", done=0.0, note="")
            self._way.begin_again(file, kind)
        elif wish == "cancel" and piece.active:
            if not self._s.hands.cancel(kind, path):
                self._waiting.forget(file, kind)
                self._way.cancelled(file, kind)
        else:
            self._s.hands.order(kind, path, wish)


def _later_of_same_stem(listing: SourceListing) -> set[str]:
    """Video files whose folder and name without ending an earlier one has: their proxies need another name."""
    seen: set[str] = set()
    later: set[str] = set()
    for file in listing.files:
        if file.kind == "video":
            stem = str(PurePosixPath(file.path).with_suffix("")).casefold()
            (later.add(file.path) if stem in seen else seen.add(stem))
    return later
