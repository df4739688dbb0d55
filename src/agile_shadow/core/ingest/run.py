"""One run of a preset over a source: copies, probes, proxies, pairs, project saved; goes on where it was."""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections import defaultdict, deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Any

from ..errors import (
    Cancelled,
    CopyError,
    MediaError,
    NoRoom,
    ShelfGone,
    StateError,
    WorkerDied,
    WorkerStalled,
    sentence,
)
from ..estimates import HeadroomRequest, Measurements, kept_headroom, measure_headroom, needs_headroom, needs_proxy
from ..estimates.headroom import Headroom, keep_headroom
from ..jobs import JobStore, Piece, WorkerPool
from ..jobs.store import SHORT
from ..jobs.vetting import remember_read
from ..media import MediaInfo
from ..media.joined import parts_of
from ..media.recording import is_joined
from ..media.sequence import status
from ..pairs import Original, Proxy, pair_made_proxy
from ..presets import Proxies, codec_named, describes_proxies
from ..project import Clip, ProjectSession
from ..project.report import IngestReport, Problem
from ..proxies import ProxyRequest, ProxyResult, is_such_proxy, make_or_take_proxy
from ..proxies.sizes import proxy_pixels
from ..shelves import Shelf, free_room
from ..timeline.model import new_id
from .board import Board, Progress
from .copying import (
    ENDED_ITS_READER,
    CopyItem,
    CopyRequest,
    CopyResult,
    Proved,
    ReadBackRequest,
    copy_and_prove,
    read_copies_back,
)
from .counting import counted, took
from .finding import Finding
from .gate import on_mains_power, waits_for
from .known import Known
from .known_as import known_as
from .looking import Look, LookRequest, look
from .manifest import write_manifest_of
from .places import Context, clip_name, needs_probe, original_places, proxy_place, token_values
from .proofs import Proofs
from .request import IngestRequest
from .second import SecondCopy, copy_again
from .shelving import RunShelves, reference
from .source import SourceFile, SourceListing

log = logging.getLogger(__name__)

_TICK = 0.1  # seconds
_FLUSH = 0.5  # seconds between two writings of the queue
_LOOK_AGAIN = 1.0  # seconds between two looks for a card or for room
STALLED = 600.0  # seconds without progress after which a worker is ended: reading a long file's index takes its time
_REPORTS = 30  # kept in a project
_SPARE = 64 << 20  # bytes that are left free when writing goes on after a full drive


@dataclass
class _Job:
    """A piece of work handed to a pool, so that it can be handed over again."""

    pool: WorkerPool
    task: Any
    request: Any
    file: SourceFile
    kind: str
    phase: str
    then: Callable[[Any], None]
    tries: int = 0

    @property
    def key(self) -> tuple[str, str]:
        return self.kind, self.file.path


@dataclass
class _Waiting:
    """What waits for a person: jobs without their card, jobs without room (with the folder that is full), and files
    whose jobs of a kind wait for the drive of a shelf, with the root of the shelf that is away."""

    card: list[SourceFile] = field(default_factory=list)
    room: list[tuple[_Job, Path]] = field(default_factory=list)
    drive: list[tuple[SourceFile, str]] = field(default_factory=list)
    shelf: Path | None = None
    looked: float = 0.0


class IngestRun:
    """Runs on the caller's thread with :meth:`run`; other threads may call all other methods.

    ``now``: make proxies at once, whatever the preset says of night and mains power. ``patient``: wait for a card that
    was pulled out and for room on a full drive, instead of telling and going on. ``turn``: what its proxies wait for
    besides, in words, or "".
    """

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
    ) -> None:
        request.refuse_if_unsafe(session.path.parent)
        self.request = request
        self._preset = request.preset
        self._session = session
        self._store = store
        self._measured = Measurements()
        self._on_clip = on_clip
        self._now = now
        self._patient = patient
        self._turn = turn
        self._copies = WorkerPool(1, stalled_after)
        self._makers = WorkerPool(request.preset.when.at_a_time, stalled_after)
        self._stopped = threading.Event()
        self._giving_way = threading.Event()
        self._standing = threading.Event()
        self._for_good = False
        self.board = Board(store, request.preset.proxies is not None)
        self._known = Known(session, store, request.preset.originals.checksum)
        self._finding = Finding(request, store, self._known, patient, self._stopped)
        self._numbers: dict[str, int] = {}
        self._same_stem: set[str] = set()
        self._values: dict[str, dict[str, str]] = {}
        self._proofs = Proofs(request.preset.originals.checksum)
        self._pending: dict[Future[Any], _Job] = {}
        self._by_key: dict[tuple[str, str], Future[Any]] = {}
        self._ended: queue.SimpleQueue[Future[Any]] = queue.SimpleQueue()
        self._asked: queue.SimpleQueue[tuple[str, str, str]] = queue.SimpleQueue()
        self._waiting = _Waiting()
        self._later: dict[str, deque[SourceFile]] = {}
        self._retried: set[tuple[str, str]] = set()
        self._taken: dict[str, str] = {}
        self._files: dict[str, SourceFile] = {}
        self._ready: deque[SourceFile] = deque()
        self._manifest_problems: list[Problem] = []
        self._seconds: dict[str, str] = {}
        self._small_copies = 0
        self._bytes = 0
        self._beside: list[Path] = []
        self._left_behind = False
        self._heard = 0.0
        self._began = time.time()
        self._flushed = 0.0
        self.job: int | None = None
        self._context = Context(request.source, session.project.name, request.preset.name)
        self.report: IngestReport | None = None

    # What others ask

    @property
    def files(self) -> list[SourceFile]:
        """The files of the run, in order; none before it has read its source."""
        return list(self._files.values()) if self.board.run else []

    def progress(self) -> Progress:
        """The run at this moment."""
        return self.board.progress()

    def stop(self, for_good: bool) -> None:
        """End the run soon. ``for_good``: the user took it back; else it goes on at the next start."""
        self._for_good = for_good
        self._stopped.set()

    def stand_still(self, on: bool) -> None:
        """Have the whole run stand still, or go on."""
        (self._standing.set if on else self._standing.clear)()

    @property
    def standing_still(self) -> bool:
        """Whether it was asked to stand still."""
        return self._standing.is_set()

    def give_way(self, playing: bool) -> None:
        """Have the making of proxies stand still while the window plays, where the preset says so."""
        if self._preset.when.give_way:
            (self._giving_way.set if playing else self._giving_way.clear)()

    def make_now(self) -> None:
        """Wait neither for the night nor for mains power any more."""
        self._now = True

    @property
    def gated(self) -> bool:
        """Whether its proxies wait for the night, for power or for the user, so that another run may make its own."""
        return bool(self._own_gate()) or self._standing.is_set()

    @property
    def making(self) -> bool:
        """Whether proxies wait to be made, or are being made."""
        return any(job.pool is self._makers for job in list(self._pending.values()))

    @property
    def was_stopped(self) -> bool:
        """Whether somebody ended it before its end."""
        return self._stopped.is_set()

    @property
    def waits_for_a_person(self) -> str:
        """What only a person can bring: a card, a drive, or room; empty when nothing."""
        if self._waiting.shelf is not None:
            return f"the drive of {self._waiting.shelf}: connect it again"
        if self._waiting.card or self._finding.waits:
            return f"the card {self.request.source.name}: put it in again"
        if self._waiting.room:
            return f"room on {self._waiting.room[0][1]}"
        return ""

    # The run

    def run(self) -> IngestReport:
        """Do it all; returns the report, also when stopped. Raises ShadowError when it cannot begin."""
        self.job = self._store.begin("ingest", self._session.path, self.request.to_json())
        try:
            listing = self._finding.listing(self.job)
            self._numbers = {file.path: number for number, file in enumerate(listing.files, 1)}
            self._begin(listing)
            report = self._work(listing)
        except Exception:  # whatever it was: an open job would be begun again and again
            if self._for_good or not self._stopped.is_set():
                with self._though_state_fails():
                    self._store.end(self.job, "failed")
            raise
        finally:
            self._copies.close()
            self._makers.close()
            self.board.flush()
        if self._left_behind or self._finding.resumed:
            self._shelves.remove_partials()
        self.report = report
        if not self._stopped.is_set():
            kept = report.to_json()
            self._session.absorb(lambda now: replace(now, reports=(*now.reports[1 - _REPORTS :], kept)))
        self._session.save()
        with self._though_state_fails():
            if not self._stopped.is_set():
                self._store.end(self.job, "done", report.to_json())
            elif self._for_good:
                self._store.end(self.job, "cancelled", report.to_json())
            self._store.forget_old()
        return report

    @contextmanager
    def _though_state_fails(self) -> Iterator[None]:
        """This machine's state is for going on after a crash: that it cannot be written costs no footage."""
        try:
            yield
        except StateError:
            log.warning("the state of this machine cannot be written", exc_info=True)

    def _begin(self, listing: SourceListing) -> None:
        assert self.job is not None
        self._open_shelves()
        if not (self._patient and self._finding.resumed):  # then it is seen when a drive is full, and waited for
            self._shelves.check_room(listing, self._known)
        self._shelves.make_known()
        self._same_stem = _later_of_same_stem(listing)
        self._files = {file.path: file for file in listing.files}
        self.board.fill(self.job, listing.files)

    def _open_shelves(self) -> None:
        """Raises ShelfGone when a drive is away that is not to be waited for, or the run is stopped meanwhile."""
        self._shelves = RunShelves(self.request, self._session)
        while True:
            try:
                self._shelves.open()
                self._waiting.shelf = None
                return
            except ShelfGone as error:
                self._waiting.shelf = error.path
                if not self._patient or self._stopped.wait(_LOOK_AGAIN):
                    raise

    def _work(self, listing: SourceListing) -> IngestReport:
        assert self.job is not None
        early = self._store.wishes(self.job)
        self._retried = {(kind, path) for kind, path, wish in early if wish == "retry"}
        self._start_all(listing)
        for kind, path, wish in early:
            if wish != "retry":
                self._do(kind, path, wish)
        while self._pending or self._ready or self._waits_on():
            if self._stopped.is_set():
                self._cancel_all()
            else:
                while self._ready:
                    self._start_or_tell(self._ready.popleft())
                self._mind_the_gate()
                self._hear_wishes()
                self._look_again()
            self._take_results()
            self._flush()
        manifests: tuple[str, ...] = ()
        if not self._stopped.is_set():
            self._look_once_more()
            manifests = self._manifests()
        report = counted(
            listing, self.board.items(), self._taken, self._seconds, self._preset, self._session.project,
            manifests=manifests,
            second_copies=len(self._seconds) + self._proofs.more, small_copies=self._small_copies,
            source=str(self.request.source),
            took=took(self._began, self._bytes),
        )  # fmt: skip
        return replace(report, failed=(*report.failed, *self._manifest_problems))

    def _look_once_more(self) -> None:
        """What is not as it was when it was read back is not counted, but told."""
        for path, reason in self._proofs.look_once_more().items():
            self.board.note(path, phase="failed", note=reason, copied=False, proved=False, done=0.0)
            self._seconds.pop(path, None)

    def _manifests(self) -> tuple[str, ...]:
        """Write them; one that cannot be written is a line of the report."""
        if not self._preset.originals.manifest or self._preset.originals.do != "copy":
            return ()
        written: list[str] = []
        roots = [self.request.originals, *([self._shelves.roots.second] if self._shelves.roots.second else [])]
        for root in roots:
            try:
                wrote = write_manifest_of(
                    self._shelves.anchor(root), self._proofs.every(), self._beside, self._preset.originals.checksum,
                    self._refuse_if_stopped,
                )  # fmt: skip
            except Cancelled:
                return tuple(written)  # the run goes on at the next start, and its manifests with it
            except Exception as error:  # whatever it was: the copies are what they are, and the report says so
                log.warning("manifest of %s", root, exc_info=True)
                self._manifest_problems.append(Problem(str(root), f"no manifest was written: {sentence(error)}"))
            else:
                written += wrote.folders
                self._manifest_problems += [Problem(str(root), text) for text in wrote.told]
        return tuple(written)

    def _refuse_if_stopped(self) -> None:
        if self._stopped.is_set():
            raise Cancelled

    def _waits_on(self) -> bool:
        waiting = self._waiting
        return bool(waiting.card or waiting.room or waiting.drive) and not self._stopped.is_set()

    def _start_all(self, listing: SourceListing) -> None:
        """Begin with every file; of files of one size the next waits for the one before: it may be the same."""
        by_size: dict[int, deque[SourceFile]] = defaultdict(deque)
        for file in listing.files:
            by_size[file.size].append(file)
        for group in by_size.values():
            if self._preset.takes.skip_known and len(group) > 1:
                for file in group:
                    self._later[file.path] = group
        for file in listing.files:
            if file.path not in self._later or self._later[file.path][0] is file:
                self._start_or_tell(file)

    def _next_of_size(self, file: SourceFile) -> None:
        group = self._later.pop(file.path, None)
        if group and group[0] is file:
            group.popleft()
            if group:
                self._ready.append(group[0])

    def _cancel_all(self) -> None:
        self._makers.resume()
        self._copies.resume()
        self._copies.cancel_all()
        self._makers.cancel_all()

    def _take_results(self) -> None:
        """Take in what has ended; wait a moment when nothing has."""
        try:
            future = self._ended.get(timeout=_TICK)
        except queue.Empty:
            return
        while True:
            job = self._pending.pop(future)
            self._by_key.pop(job.key, None)
            self._take_result(job, future)
            try:
                future = self._ended.get_nowait()
            except queue.Empty:
                return

    def _take_result(self, job: _Job, future: Future[Any]) -> None:
        try:
            result = future.result()
        except Cancelled:
            self._taken_back(job)
        except (WorkerDied, WorkerStalled) as error:
            self._left_behind = True
            if job.tries == 0 and not self._stopped.is_set():
                log.warning("%s: tried again", job.file.path, exc_info=True)
                self._hand_over(replace(job, tries=1))
            elif isinstance(error, WorkerDied) and not self._stopped.is_set():
                self._ended_its_reader(job)
            else:
                self._fail(job, error)
        except NoRoom as error:
            self._no_room(job, error)
        except Exception as error:  # the boundary: whatever a job raised becomes a sentence in the report
            if self._shelves.gone() is not None:
                self._no_shelf(job, error)
            elif isinstance(error, CopyError) and job.kind == "copy" and not self._card_is_there():
                self._no_card(job)
            else:
                log.warning("%s", job.file.path, exc_info=True)
                self._fail(job, error)
        else:
            self._go_on_with(job, result)

    def _ended_its_reader(self, job: _Job) -> None:
        """Twice a process ended while it read this file: it is not opened again, but copied and proved all the same."""
        if job.kind == "copy" and isinstance(job.request, CopyRequest) and not job.request.closed:
            self._hand_over(replace(job, request=replace(job.request, closed=True), tries=0))
        elif job.kind == "copy" and isinstance(job.request, LookRequest):
            self._seen(job.file, Look(None))
        else:
            self._fail(job, MediaError(ENDED_ITS_READER, job.file.path, "Look at it: trying again cannot help."))

    def _go_on_with(self, job: _Job, result: Any) -> None:
        try:
            job.then(result)
        except Exception as error:  # one file's trouble is not the others'
            log.warning("%s", job.file.path, exc_info=True)
            self._fail(job, error)

    def _flush(self) -> None:
        if time.monotonic() - self._flushed >= _FLUSH:
            self._flushed = time.monotonic()
            self.board.flush()

    # What stands against it

    def _own_gate(self) -> str:
        return "" if self._now else waits_for(self._preset.when, datetime.now(), on_mains_power())

    def _mind_the_gate(self) -> None:
        """Makers stand still while the window plays, by day where it is to be done at night, and on battery."""
        still = self._standing.is_set()
        (self._copies.pause if still else self._copies.resume)()
        gate = "until you let it go on" if still else self._own_gate() or self._turn()
        gate = gate or ("while you play" if self._giving_way.is_set() else "")
        (self._makers.pause if gate else self._makers.resume)()
        person = self.waits_for_a_person
        self.board.waits = gate or (f"for {person}" if person and not self._pending else "")

    def _fail(self, job: _Job, error: Exception) -> None:
        self.board.change(job.key, state="failed", ended=time.time(), note=sentence(error))
        if isinstance(error, MediaError):
            self._note(job.file, step="show")
            self._mark_damaged(job.file, getattr(error, "damage", ""))
        if job.kind == "second copy":
            self._note(job.file, phase="failed", note=f"second copy: {sentence(error)}")
        else:
            self._note(job.file, phase="failed", note=sentence(error), done=0.0)
        if job.kind == "copy":
            self._next_of_size(job.file)

    def _mark_damaged(self, file: SourceFile, damage: str) -> None:
        """Keep with the clip what decoding its original showed."""

        if damage:
            self._session.absorb(
                lambda now: now.with_change(self._taken.get(file.path, ""), lambda clip: _damaged(clip, damage))
            )

    def _taken_back(self, job: _Job) -> None:
        if self._stopped.is_set():
            self._note(job.file, phase="stopped")
            state: dict[str, Any] = {"state": "cancelled" if self._for_good else "waiting", "part": 0.0, "begun": 0.0}
            self.board.change(job.key, **state)
            return
        self._cancelled(job.file, job.kind)

    def _cancelled(self, file: SourceFile, kind: str) -> None:
        self.board.change((kind, file.path), state="cancelled", ended=time.time())
        if kind == "copy":
            self._note(file, phase="cancelled", note="taken back by you")
            self._next_of_size(file)
        else:
            self._note(file, phase="in place", done=1.0, note="its proxy was taken back by you")

    def _card_is_there(self) -> bool:
        """Whether the source can still be read: any of its files is there."""
        source = self.request.source
        for file in list(self._files.values())[:50]:
            with suppress(OSError):
                if (source / file.files[0]).stat().st_size >= 0:
                    return True
        return False

    def _no_card(self, job: _Job) -> None:
        if self._patient and not self._stopped.is_set():
            self._waiting.card.append(job.file)
            self.board.change(job.key, state="waiting", part=0.0, begun=0.0)
            self._note(job.file, phase="waiting for the card", done=0.0)
        else:
            gone = CopyError(
                "the card was taken out before it was copied", job.file.path, "Put it in and ingest again."
            )
            self._fail(job, gone)

    def _no_room(self, job: _Job, error: NoRoom) -> None:
        folder = error.path.parent if error.path is not None else self.request.originals
        if self._patient and not self._stopped.is_set():
            self._waiting.room.append((job, folder))
            self.board.change(job.key, state="waiting", part=0.0, begun=0.0, note=sentence(error))
            self._note(job.file, phase="waiting for room", note=sentence(error), done=0.0)
        else:
            self._fail(job, error)

    def _no_shelf(self, job: _Job, error: Exception) -> None:
        """A drive that is written to was taken away: its folders are never made on another one."""
        if self._patient and not self._stopped.is_set():
            self._waiting.shelf = self._shelves.gone()
            self._waiting.drive.append((job.file, job.kind))
            self.board.change(job.key, state="waiting", part=0.0, begun=0.0)
            self._note(job.file, phase="waiting for a drive", done=0.0)
        else:
            gone = error if isinstance(error, ShelfGone) else ShelfGone(
                "its drive was taken away before this was done", self._shelves.gone(), "Connect it and ingest again."
            )  # fmt: skip
            self._fail(job, gone)

    def _look_for_drives(self) -> None:
        waiting = self._waiting
        try:
            self._shelves.renew()
        except ShelfGone as error:
            waiting.shelf = error.path
            return
        waiting.shelf = None
        drive, waiting.drive = waiting.drive, []
        for file, kind in drive:
            self._begin_again(file, kind)

    def _begin_again(self, file: SourceFile, kind: str) -> None:
        clip = self._session.project.clip(self._taken.get(file.path, ""))
        if kind == "copy" or clip is None:
            self._start_or_tell(file)
            return
        try:
            self._after(file, clip)
        except Exception as error:  # one file's trouble is not the others'
            log.warning("%s", file.path, exc_info=True)
            self._fail(_Job(self._makers, None, None, file, kind, "making", lambda result: None), error)

    def _look_again(self) -> None:
        """See now and then whether a card, a drive or room has come."""
        waiting = self._waiting
        if not self._waits_on() or time.monotonic() - waiting.looked < _LOOK_AGAIN:
            return
        waiting.looked = time.monotonic()
        if waiting.drive:
            self._look_for_drives()
        if waiting.card and self._card_is_there():
            files, waiting.card = waiting.card, []
            for file in files:
                self._start_or_tell(file)
        room, waiting.room = waiting.room, []
        for job, folder in room:
            if free_room(folder) > (job.file.size if job.kind == "copy" else 0) + _SPARE:
                self._hand_over(job)
            else:
                waiting.room.append((job, folder))

    def _hear_wishes(self) -> None:
        """Do what was asked for single jobs, here or by another program."""
        while not self._asked.empty():
            self._do(*self._asked.get())
        if self.job is None or time.monotonic() - self._heard < _FLUSH / 2:
            return
        self._heard = time.monotonic()
        with self._though_state_fails():
            for kind, path, wish in self._store.wishes(self.job, SHORT):
                self._do(kind, path, wish)

    def ask(self, kind: str, path: str, wish: str) -> None:
        """Ask something of one job (see WISHES); it is done soon."""
        self._asked.put((kind, path, wish))

    def _do(self, kind: str, path: str, wish: str) -> None:
        piece, future, file = self.board.piece(kind, path), self._by_key.get((kind, path)), self._files.get(path)
        if piece is None or file is None:
            return
        job = self._pending.get(future) if future is not None else None
        if wish in ("hold", "go on"):
            self.board.change(piece.key, held=wish == "hold")
            if job is not None and future is not None:
                job.pool.hold(future, wish == "hold")
        elif wish in ("first", "last"):
            priority = self.board.edge(wish == "first")
            self.board.change(piece.key, priority=priority)
            if job is not None and future is not None:
                job.pool.prefer(future, priority)
        elif wish == "retry" and not piece.active:
            self._again(file, kind)
        elif wish == "cancel" and piece.active:
            self._take_back(file, kind, job, future)

    def _take_back(self, file: SourceFile, kind: str, job: _Job | None, future: Future[Any] | None) -> None:
        if job is not None and future is not None:
            job.pool.cancel(future)
        else:
            self._waiting.card = [one for one in self._waiting.card if one is not file]
            self._waiting.room = [one for one in self._waiting.room if one[0].key != (kind, file.path)]
            self._waiting.drive = [one for one in self._waiting.drive if one[0] is not file]
            self._waiting.shelf = self._waiting.shelf if self._waiting.drive else None
            self._cancelled(file, kind)

    def _again(self, file: SourceFile, kind: str) -> None:
        self._retried.add((kind, file.path))
        self._note(file, phase="waiting", done=0.0, note="")
        self._begin_again(file, kind)

    # Handing over

    def _submit(
        self, pool: WorkerPool, task: Any, request: Any, file: SourceFile, kind: str, phase: str,
        then: Callable[[Any], None],
    ) -> None:  # fmt: skip
        piece = self.board.piece(kind, file.path)
        if piece is not None and piece.state == "cancelled" and piece.key not in self._retried:
            self._cancelled(file, kind)
            return
        self.board.put(self._piece(file, kind))
        self._hand_over(_Job(pool, task, request, file, kind, phase, then))

    def _hand_over(self, job: _Job) -> None:
        piece = self.board.piece(*job.key)
        self.board.change(job.key, state="waiting", note="")
        self._note(job.file, note="")

        def told(done: float) -> None:
            self.board.change(job.key, part=done)
            self._note(job.file, phase=job.phase, done=done)

        priority, held = (piece.priority, piece.held) if piece is not None else (0, False)
        future = job.pool.submit(job.task, job.request, told, priority, held)
        self._pending[future] = job
        self._by_key[job.key] = future
        future.add_done_callback(self._ended.put)

    def _piece(self, file: SourceFile, kind: str) -> Piece:
        """The job as it is listed."""
        assert self.job is not None
        source, target, settings, seconds, size = self.request.source / file.path, Path(), "", 0.0, file.size
        clip = self._session.project.clip(self._taken.get(file.path, ""))
        wanted = self._preset.proxies
        if kind == "copy":
            places = original_places(file, self._preset.originals, self._values.get(file.path, self._no_values(file)))
            target = self.request.originals / places[0][1] if self._shelves.roots.copied else source
            checksum = self._preset.originals.checksum
            settings = "sizes compared" if checksum == "size" else f"proved with {checksum}"
        elif clip is not None and wanted is not None:
            source = self._session.project.place(clip.original.file) or source
            target, _shelf = self._proxy_target(file, clip, wanted, self._token_values(file, clip))
            settings, seconds = describes_proxies(wanted), float(clip.original.info.duration)
            if kind == "second copy" and self._shelves.roots.second is not None:
                source, below = target, target.name
                with suppress(ValueError):
                    below = str(target.relative_to(self._shelves.proxies.root))
                target, settings = self._second_place(below), f"proved with {self._true_checksum}"
        return Piece(self.job, kind, file.path, str(source), str(target), settings, seconds, size)

    def _no_values(self, file: SourceFile) -> dict[str, str]:
        return token_values(file, self._numbers.get(file.path, 0), self._context, None)

    def _note(self, file: SourceFile, **changes: Any) -> None:
        self.board.note(file.path, **changes)

    def _done(self, file: SourceFile, kind: str, note: str = "") -> None:
        self.board.change((kind, file.path), state="done", part=1.0, ended=time.time(), note=note)

    # Look, and copy

    def _start(self, file: SourceFile) -> None:
        short = self._preset.takes.longer_than > 0 and file.kind == "video"
        if not self._is_on_source(file):
            self._seen(file, Look(None))
        elif short or needs_probe(self._preset):
            request = LookRequest(file.at(self.request.source), self._rate(file))
            self._submit(self._copies, look, request, file, "copy", "looking", lambda seen: self._seen(file, seen))
        else:
            self._seen(file, Look(None))

    def _start_or_tell(self, file: SourceFile) -> None:
        try:
            self._start(file)
        except Exception as error:  # one file's trouble is not the others'
            log.warning("%s", file.path, exc_info=True)
            self._fail(_Job(self._copies, None, None, file, "copy", "copying", lambda result: None), error)

    def _is_on_source(self, file: SourceFile) -> bool:
        """Whether it lies there as it was found."""
        try:
            return status(file.at(self.request.source)) == (file.size, file.modified)
        except OSError:
            return False

    def _rate(self, file: SourceFile) -> Any:
        return self._preset.takes.sequence_rate if file.kind == "sequence" else None

    def _seen(self, file: SourceFile, seen: Look) -> None:
        info, least = seen.info, self._preset.takes.longer_than
        if info is not None and info.kind == "video" and info.duration <= least:
            self._done(file, "copy", "passed over")
            self._note(file, phase="passed over", note=f"not longer than {least:g} s")
            self._next_of_size(file)
            return
        self._values[file.path] = token_values(file, self._numbers[file.path], self._context, info)
        if not self._is_on_source(file):
            self._without_card(file)
            return
        self._copy(file, self._copy_request(file))

    def _without_card(self, file: SourceFile) -> None:
        """The file is not where it was found: what was copied of it is enough to go on, else its card is needed."""
        place, roots = file.at(self.request.source), self._copy_roots()
        copies = self._known.without_card(self._copy_request(file), roots) if roots else ()
        if copies:
            self._submit(
                self._copies, read_copies_back, ReadBackRequest(copies, self._preset.originals.checksum), file, "copy",
                "copying", lambda found: self._read_back(file, place, found),
            )  # fmt: skip
            return
        self._needs_card(file)

    def _read_back(self, file: SourceFile, place: Path, found: tuple[Proved, ...]) -> None:
        result = self._known.result_of(place, found, self._copy_roots()) if found else None
        if result is not None:
            self._take_in(file, result)
        else:
            self._needs_card(file)

    def _needs_card(self, file: SourceFile) -> None:
        job = _Job(self._copies, None, None, file, "copy", "copying", lambda result: None)
        self.board.put(self._piece(file, "copy"))
        if not self._card_is_there():
            self._no_card(job)
            return
        self._fail(job, CopyError(
            "is not on the source as it was when the ingest began", self.request.source / file.path,
            "Another card may be in its place: put the first one in and try again.",
        ))  # fmt: skip

    def _copy(self, file: SourceFile, request: CopyRequest) -> None:
        self._note(file, copied=False, proved=False)
        self._submit(
            self._copies, copy_and_prove, request, file, "copy", "copying", lambda done: self._copied(file, done)
        )

    def _copied(self, file: SourceFile, result: CopyResult) -> None:
        self._bytes += file.size
        self._take_in(file, result)

    def _copy_roots(self) -> list[Path]:
        """Of the shelves that originals are copied to."""
        originals = self._preset.originals
        roots = [] if originals.do == "leave" else [self.request.originals]
        if originals.do == "copy" and originals.second_copy and self.request.second is not None:
            roots.append(self.request.second)
        return roots

    def _copy_request(self, file: SourceFile) -> CopyRequest:
        originals, source, roots = self._preset.originals, self.request.source, self._copy_roots()
        places = original_places(file, originals, self._values.get(file.path, self._no_values(file)))
        items = tuple(CopyItem(source / path, tuple(root / place for root in roots)) for path, place in places)
        own, beside = len(file.files), len(file.files) + len(file.sidecars)
        sidecars = items[own:beside] if originals.do == "copy" else ()
        request = CopyRequest(
            file.at(source), items[:own], originals.checksum, sidecars, originals.on_clash, self._rate(file),
            items[beside:], self._shelves.anchors(roots), (file.size, file.modified),
        )  # fmt: skip
        if not self._preset.takes.skip_known or originals.do == "leave":
            return request
        project = self._session.project
        alike = (
            known_as(clip, request, project, source, self._shelves.anchor)
            for clip in self._known.same_size(file.size)
        )
        return replace(request, known=tuple(one for one in alike if one is not None))

    # Take into the project

    def _take_in(self, file: SourceFile, result: CopyResult) -> None:
        with self._though_state_fails():
            self._known.remember(result.proved)
        self._proofs.put(file.path, result.proved)
        if self.board.piece("copy", file.path) is None:
            self.board.put(self._piece(file, "copy"))
        copied = self._preset.originals.do == "copy"
        self._note(file, phase="copied", done=1.0, copied=copied, proved=self._proofs.proves(file.path))
        if result.second is not None and self._shelves.roots.second is not None:
            self._seconds[file.path] = result.second.relative_to(self._shelves.roots.second).as_posix()
        if result.info is None:
            self._done(file, "copy")
            self._note(file, phase="failed", note=result.problem)
            self._next_of_size(file)
            return
        remember_read([result.path])
        clip = self._clip_of(file, result, result.info)
        self._taken[file.path] = clip.id
        self._small_copies += sum(1 for proxy in clip.proxies if not proxy.info.made_as) if file.copies else 0
        self._after(file, clip)
        self._next_of_size(file)

    def _clip_of(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> Clip:
        """The clip of the project that a copy is of, which lies where the copy lies from now on; or a new one."""
        source = file.at(self.request.source)
        known = self._session.project.clip(result.clip) if result.clip else self._known.clip_at(result)
        clip = known or self._new_clip(file, result, info)
        if known is None:
            self._done(file, "copy")
        else:
            here = known is not self._known.clip_from(source)
            self._note(file, here=here)
            clip, note = self._where_it_lies(known, result, info)
            self._done(file, "copy", note or (f"here already as {clip.name}" if here else ""))
            self._note(file, note=note)
        self._session.absorb(lambda now: now.with_clip(_with_original_of(now.clip(clip.id), clip)))
        self._known.add(replace(clip, source=str(source)))
        return clip

    def _where_it_lies(self, clip: Clip, result: CopyResult, info: MediaInfo) -> tuple[Clip, str]:
        """A known clip whose copy was missing or not whole any more has the new one, and a note says so."""
        project = self._session.project
        if project.place_or_none(clip.original.file) == result.path:
            return clip, ""
        home = project.shelf(clip.original.file.shelf)
        shelf = home if home is not None and result.path.is_relative_to(home.root) else self._shelves.originals
        original = Original(
            reference(shelf, result.path), info, result.size, result.modified, self._preset.originals.checksum,
            result.value,
        )  # fmt: skip
        damaged = project.place_or_none(clip.original.file) in result.others
        note = f"the copy that was there had other bytes: copied anew as {result.path.name}" if damaged else ""
        return replace(clip, original=original), note

    def _new_clip(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> Clip:
        original = Original(
            reference(self._shelves.originals, result.path),
            info,
            result.size,
            result.modified,
            self._preset.originals.checksum,
            result.value,
        )
        own = [(path, known) for path, known in result.copies if _same_frames(known, info)]
        proxies = tuple(Proxy(reference(self._shelves.originals, path), known, known.size) for path, known in own)
        paired = {path for path, _known in own}
        beside = [*result.sidecars, *(path for path, _known in result.copies if path not in paired)]
        sidecars = tuple(reference(self._shelves.originals, path) for path in beside)
        name = clip_name(file) if self._preset.originals.do == "leave" else _name_of(result.path, file)
        return Clip(new_id(), name, original, proxies, sidecars, source=str(file.at(self.request.source)))

    # Proxy and pair

    def _after(self, file: SourceFile, clip: Clip) -> None:
        """The original is in place: see whether a proxy is to be made."""
        self._on_clip(clip)
        wanted, info = self._preset.proxies, clip.original.info
        if wanted is None or info.kind != "video":
            self._note(file, phase="in place", done=1.0)
            return
        known_proxy = self._such_proxy(clip, wanted)
        if known_proxy is not None:
            self._paired(file, wanted, known_proxy)
            return
        path = self._session.project.path(clip.original.file)
        assert path is not None
        if not needs_headroom(wanted):
            self._make_if_needed(file, clip, wanted, None)
            return
        known = kept_headroom(path, self._measured)
        if known is not None:
            self._make_if_needed(file, clip, wanted, known)
        else:
            self._note(file, phase="queued", done=0.0)
            self._submit(
                self._makers, measure_headroom, HeadroomRequest(path, info), file, "proxy", "measuring",
                lambda measured: self._measured_now(file, clip, wanted, path, measured),
            )  # fmt: skip

    def _measured_now(self, file: SourceFile, clip: Clip, wanted: Proxies, path: Path, measured: Headroom) -> None:
        with self._though_state_fails():
            keep_headroom(path, measured, self._measured)
        self._make_if_needed(file, clip, wanted, measured)

    def _make_if_needed(self, file: SourceFile, clip: Clip, wanted: Proxies, known: Headroom | None) -> None:
        ratio = known.ratio if known is not None else None
        if not needs_proxy(clip.original.info, wanted, ratio):
            note = f"needs no proxy here: headroom {ratio:.1f}x" if ratio is not None else "needs no proxy here"
            self._done(file, "proxy", note)
            self._note(file, phase="no need", done=1.0, note=note)
            return
        if proxy_pixels(clip.original.info, wanted) is None:
            note = f"needs no proxy: it is smaller than any in {codec_named(wanted.codec).label}"
            self._done(file, "proxy", note)
            self._note(file, phase="no need", done=1.0, note=note)
            return
        self._note(file, phase="queued", done=0.0)
        original = self._session.project.path(clip.original.file)
        assert original is not None
        values = self._token_values(file, clip)
        target, shelf = self._proxy_target(file, clip, wanted, values)
        anchor = self._shelves.anchor(shelf.root)
        request = ProxyRequest(original, target, wanted, clip.original.info, values, anchor=anchor)
        self._submit(
            self._makers, make_or_take_proxy, request, file, "proxy", "making",
            lambda made: self._pair(file, clip, made),
        )  # fmt: skip

    def _token_values(self, file: SourceFile, clip: Clip) -> dict[str, str]:
        values = token_values(file, self._numbers[file.path], self._context, clip.original.info)
        return {**values, "name": clip.name}

    def _proxy_target(
        self, file: SourceFile, clip: Clip, wanted: Proxies, values: dict[str, str]
    ) -> tuple[Path, Shelf]:
        """Where a clip's proxy goes, and the shelf that it lies on."""
        several = clip.original.file.form != "file"
        below = proxy_place(clip.original.file.path, wanted, values, file.path in self._same_stem, several)
        shelf = self._shelves.proxies
        if wanted.place == "beside":
            known = self._session.project.shelf(clip.original.file.shelf)
            shelf = known or shelf
        return shelf.root / below, shelf

    def _such_proxy(self, clip: Clip, wanted: Proxies) -> Proxy | None:
        """The proxy made with these settings that the project has for the clip, if its file is there."""
        project = self._session.project
        known = project.clip(clip.id)
        for proxy in known.proxies if known is not None else ():
            path = project.path(proxy.file)
            if is_such_proxy(proxy.info, wanted) and path and path.is_file():
                return proxy
        return None

    def _pair(self, file: SourceFile, clip: Clip, result: ProxyResult) -> None:
        shelf = self._shelves.proxies
        if self._preset.proxies is not None and self._preset.proxies.place == "beside":
            shelf = self._session.project.shelf(clip.original.file.shelf) or shelf
        remember_read([result.path])
        proxy = pair_made_proxy(reference(shelf, result.path), result)

        def add(current: Clip) -> Clip:
            known = any(old.file == proxy.file for old in current.proxies)
            return current if known else _damaged(current, result.original.damage).with_proxy(proxy)

        self._session.absorb(lambda now: now.with_change(clip.id, add))
        assert self._preset.proxies is not None
        self._done(file, "proxy")
        self._paired(file, self._preset.proxies, proxy)

    def _paired(self, file: SourceFile, wanted: Proxies, proxy: Proxy) -> None:
        self._note(file, phase="paired", done=1.0)
        path = self._session.project.path(proxy.file)
        assert path is not None
        self._beside.append(path)
        if wanted.second_copy and self._shelves.roots.second is not None:
            anchor = self._shelves.anchor(self._shelves.roots.second)
            request = SecondCopy(path, self._second_place(proxy.file.path), self._true_checksum, anchor)
            self._submit(
                self._copies, copy_again, request, file, "second copy", "paired",
                lambda done: self._copied_again(file, done),
            )  # fmt: skip

    def _second_place(self, below: str) -> Path:
        assert self._shelves.roots.second is not None
        return self._shelves.roots.second / "Proxies" / below

    @property
    def _true_checksum(self) -> str:
        checksum = self._preset.originals.checksum
        return "xxh128" if checksum == "size" else checksum

    def _copied_again(self, file: SourceFile, done: Proved) -> None:
        self._proofs.add(file.path, done)
        self._done(file, "second copy")
        self._note(file, phase="paired", done=1.0)


def _with_original_of(known: Clip | None, clip: Clip) -> Clip:
    """A clip of the project with its original where ``clip`` has it; that one itself where the project has none."""
    if known is None:
        return clip
    return known if known.original.file == clip.original.file else replace(known, original=clip.original)


def _damaged(clip: Clip, damage: str) -> Clip:
    """With what decoding showed, where nothing was known of it."""
    if not damage or clip.original.info.damage:
        return clip
    return replace(clip, original=replace(clip.original, info=replace(clip.original.info, damage=damage)))


def _name_of(path: Path, file: SourceFile) -> str:
    return clip_name(replace(file, path=path.name, members=_renamed(path, file)))


def _renamed(path: Path, file: SourceFile) -> tuple[str, ...]:
    return tuple(part.name for part in parts_of(path)) if is_joined(path) else file.members


def _same_frames(small: MediaInfo, original: MediaInfo) -> bool:
    return small.kind == "video" and (small.frames, small.frame_rate) == (original.frames, original.frame_rate)


def _later_of_same_stem(listing: SourceListing) -> set[str]:
    """Video files whose folder and name without ending an earlier one has: their proxies need another name."""
    seen: set[str] = set()
    later: set[str] = set()
    for file in listing.files:
        if file.kind == "video":
            stem = str(PurePosixPath(file.path).with_suffix("")).casefold()
            (later.add(file.path) if stem in seen else seen.add(stem))
    return later
