"""The way of one file: a table of the states it comes into, with one function for each."""

from __future__ import annotations

import logging
import time
from collections import defaultdict, deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace
from functools import partial
from typing import Any, Literal

from ..errors import Cancelled, CopyError, MediaError, NoRoom, ShelfGone, WorkerDied, WorkerStalled, is_away, sentence
from ..estimates import (
    Headroom,
    HeadroomRequest,
    gets_proxy,
    kept_headroom,
    measure_headroom,
    needs_headroom,
    needs_proxy,
)
from ..estimates.headroom import keep_headroom, keep_pace
from ..jobs import Executor, Handed
from ..pairs import Proxy
from ..presets import codec_named
from ..project import Clip
from ..proof.making import make_proven_proxy
from ..proxies import ProxyRequest, ProxyResult
from ..proxies.sizes import proxy_pixels
from .copying import (
    ENDED_ITS_READER,
    CopyRequest,
    CopyResult,
    Proved,
    ReadBackRequest,
    copy_and_prove,
    read_copies_back,
)
from .looking import Look, LookRequest, look
from .naming import Naming
from .places import needs_probe
from .second import SecondCopy, copy_again
from .setting import Setting, though_state_fails
from .source import SourceFile
from .taking_in import TakingIn
from .waiting import Waiting

log = logging.getLogger(__name__)

State = Literal[
    "found", "looked at", "read back", "copied", "in place", "taken in", "measured", "made", "paired", "copied again",
]  # fmt: skip


class Way:
    """For the run's thread. ``left_behind``: a worker died, so that half-made files may lie about.

    Large: it has a method for each state and each way to end, so that one table shows them all.

    A step ends by handing work over, whose result leads into the next state, or by entering that at once. Whatever it
    raises is this file's trouble and not the others'.
    """

    def __init__(self, setting: Setting, waiting: Waiting, on_clip: Callable[[Clip], None]) -> None:
        self._s = setting
        self._waiting = waiting
        self._on_clip = on_clip
        self._names = Naming(setting)
        self._taking = TakingIn(setting)
        self._later: dict[str, deque[SourceFile]] = {}
        self._ready: deque[SourceFile] = deque()
        self.left_behind = False
        self._steps: dict[State, Callable[[SourceFile, Any], None]] = {
            "found": self._found,  # look at it where the preset asks what is in it
            "looked at": self._looked_at,  # pass over, copy, or go on without its card
            "read back": self._read_back,  # what lies there of it is enough, or its card is needed
            "copied": self._copied,
            "in place": self._in_place,  # into the project
            "taken in": self._taken_in,  # measure whether it needs a proxy, where the preset asks
            "measured": self._measured,  # make it, take one that is there, or none
            "made": self._made,  # into the project
            "paired": self._paired,  # copy the proxy again, where the preset asks
            "copied again": self._copied_again,
        }

    def enter(self, state: State, file: SourceFile, value: Any = None) -> None:
        """Do what is to be done with a file in a state; ``value``: what the step before brought."""
        try:
            self._steps[state](file, value)
        except Exception as error:  # one file's trouble is not the others'
            log.warning("%s", file.path, exc_info=True)
            self.fail(self._no_work(file, _KINDS[state]), error)

    # Order

    def begin(self, files: list[SourceFile] | tuple[SourceFile, ...]) -> None:
        """Begin with every file; of files of one size the next waits for the one before: it may be the same."""
        by_size: dict[int, deque[SourceFile]] = defaultdict(deque)
        for file in files:
            by_size[file.size].append(file)
        for group in by_size.values():
            if self._s.preset.takes.skip_known and len(group) > 1:
                self._later.update((file.path, group) for file in group)
        for file in files:
            if file.path not in self._later or self._later[file.path][0] is file:
                self.enter("found", file)

    def _next_of_size(self, file: SourceFile) -> None:
        group = self._later.pop(file.path, None)
        if group and group[0] is file:
            group.popleft()
            if group:
                self._ready.append(group[0])

    @property
    def has_more(self) -> bool:
        """Whether files wait for nothing but :meth:`go_on`."""
        return bool(self._ready)

    def go_on(self) -> None:
        """Begin with files whose turn has come."""
        while self._ready:
            self.enter("found", self._ready.popleft())

    def begin_again(self, file: SourceFile, kind: str) -> None:
        """Once more from where its job of a kind begins."""
        clip = self._s.clip_of(file)
        if kind == "copy" or clip is None:
            self.enter("found", file)
        else:
            self.enter("taken in", file, clip)

    # The states

    def _found(self, file: SourceFile, _nothing: None) -> None:
        short = self._s.preset.takes.longer_than > 0 and file.kind == "video"
        if self._s.is_on_source(file) and (short or needs_probe(self._s.preset)):
            request = LookRequest(file.at(self._s.request.source), self._names.rate(file))
            self._hand(self._s.copies, look, request, file, "copy", "looking", "looked at")
        else:
            self.enter("looked at", file, Look(None))

    def _looked_at(self, file: SourceFile, seen: Look) -> None:
        info, least = seen.info, self._s.preset.takes.longer_than
        if info is not None and info.kind == "video" and info.duration <= least:
            self._ends(file, "copy", "passed over", "passed over", f"not longer than {least:g} s")
            self._next_of_size(file)
            return
        self._s.values[file.path] = self._names.values(file, info)
        if self._s.is_on_source(file):
            self._s.note(file, copied=False, proved=False)
            request = self._names.copy_request(file)
            self._hand(self._s.copies, copy_and_prove, request, file, "copy", "copying", "copied")
            return
        roots = self._names.copy_roots()
        copies = self._s.known.without_card(self._names.copy_request(file), roots) if roots else ()
        if copies:
            back = ReadBackRequest(copies, self._s.checksum)
            self._hand(self._s.copies, read_copies_back, back, file, "copy", "copying", "read back")
        else:
            self._needs_card(file)

    def _read_back(self, file: SourceFile, found: tuple[Proved, ...]) -> None:
        place = file.at(self._s.request.source)
        result = self._s.known.result_of(place, found, self._names.copy_roots()) if found else None
        if result is not None:
            self.enter("in place", file, result)
        else:
            self._needs_card(file)

    def _copied(self, file: SourceFile, result: CopyResult) -> None:
        self._s.bytes += file.size
        self.enter("in place", file, result)

    def _in_place(self, file: SourceFile, result: CopyResult) -> None:
        s = self._s
        with though_state_fails():
            s.known.remember(result.proved)
        s.proofs.put(file.path, result.proved)
        if s.board.piece("copy", file.path) is None:
            s.board.put(self._names.piece(file, "copy"))
        copied = s.preset.originals.do == "copy"
        s.note(file, phase="copied", done=1.0, copied=copied, proved=s.proofs.proves(file.path))
        if result.second is not None and s.shelves.roots.second is not None:
            s.seconds[file.path] = result.second.relative_to(s.shelves.roots.second).as_posix()
        if result.info is None:
            self._ends(file, "copy", "", "failed", result.problem)
        else:
            clip, here, note = self._taking.clip(file, result, result.info)
            s.note(file, here=here, note=note)
            self._done(file, "copy", note or (f"here already as {clip.name}" if here else ""))
            self.enter("taken in", file, clip)
        self._next_of_size(file)

    def _taken_in(self, file: SourceFile, clip: Clip) -> None:
        """The original is in place: see whether a proxy is to be made."""
        self._on_clip(clip)
        wanted, info = self._s.preset.proxies, clip.original.info
        if wanted is None or not gets_proxy(info, wanted):
            self._s.note(file, phase="in place", done=1.0)
            return
        known_proxy = self._taking.such_proxy(self._s.clip_of(file) or clip, wanted)
        path = self._s.project.path(clip.original.file)
        assert path is not None
        if known_proxy is not None:
            self.enter("paired", file, known_proxy)
            return
        measure = needs_headroom(wanted) and info.kind == "video"
        known = kept_headroom(path, self._s.measured) if measure else None
        if known is not None or not measure:
            self.enter("measured", file, known)
            return
        self._s.note(file, phase="queued", done=0.0)
        request = HeadroomRequest(path, info)
        self._hand(self._s.makers, measure_headroom, request, file, "proxy", "measuring", "measured")

    def _measured(self, file: SourceFile, measured: Headroom | None) -> None:
        clip, wanted = self._s.clip_of(file), self._s.preset.proxies
        original = self._s.project.path(clip.original.file) if clip is not None else None
        assert clip is not None and wanted is not None and original is not None
        if measured is not None:
            with though_state_fails():
                keep_headroom(original, measured, self._s.measured)
        ratio = measured.ratio if measured is not None else None
        if not needs_proxy(clip.original.info, wanted, ratio):
            note = "no proxy needed on this machine" + (f": headroom {ratio:.1f}x" if ratio is not None else "")
            self._ends(file, "proxy", note, "no need", note)
            return
        if proxy_pixels(clip.original.info, wanted) is None:
            note = f"needs no proxy: it is smaller than any in {codec_named(wanted.codec).label}"
            self._ends(file, "proxy", note, "no need", note)
            return
        self._s.note(file, phase="queued", done=0.0)
        request = ProxyRequest(
            original, self._names.proxy_target(file, clip, wanted), wanted, clip.original.info,
            self._names.values_of_clip(file, clip),
            anchor=self._s.shelves.anchor(self._names.proxy_shelf(clip).root),
        )  # fmt: skip
        self._hand(self._s.makers, make_proven_proxy, request, file, "proxy", "making", "made")

    def _made(self, file: SourceFile, result: ProxyResult) -> None:
        clip = self._s.clip_of(file)
        assert clip is not None
        proxy = self._taking.proxy(clip, self._names.proxy_shelf(clip), result)
        original = self._s.project.path(clip.original.file)
        if original is not None:
            with though_state_fails():
                keep_pace(original, clip.original.info, result.pace, self._s.measured)
        self._done(file, "proxy")
        self.enter("paired", file, proxy)

    def _paired(self, file: SourceFile, proxy: Proxy) -> None:
        s = self._s
        s.note(file, phase="paired", done=1.0)
        path = s.project.path(proxy.file)
        assert path is not None and s.preset.proxies is not None
        s.beside.append(path)
        if s.preset.proxies.second_copy and s.shelves.roots.second is not None:
            anchor = s.shelves.anchor(s.shelves.roots.second)
            place = self._names.second_place(proxy.file.path)
            request = SecondCopy(path, place, self._names.proving_checksum, anchor)
            self._hand(s.copies, copy_again, request, file, "second copy", "paired", "copied again")

    def _copied_again(self, file: SourceFile, done: Proved) -> None:
        self._s.proofs.add(file.path, done)
        self._done(file, "second copy")
        self._s.note(file, phase="paired", done=1.0)

    # Work

    def _hand(
        self, executor: Executor, task: Any, request: Any, file: SourceFile, kind: str, phase: str, then: State
    ) -> None:
        """Have work done whose result leads into another state, unless its job was taken back in an earlier try."""
        piece = self._s.board.piece(kind, file.path)
        if piece is not None and piece.state == "cancelled" and piece.key not in self._s.retried:
            self.cancelled(file, kind)
            return
        self._s.board.put(self._names.piece(file, kind))
        self.hand_over(Handed(executor, task, request, kind, file.path, partial(self.enter, then, file), file, phase))

    def hand_over(self, job: Handed) -> None:
        """Have it done."""
        self._s.note(job.about, note="")
        self._s.hands.hand_over(job)

    def _no_work(self, file: SourceFile, kind: str) -> Handed:
        return Handed(self._s.copies, None, None, kind, file.path, lambda result: None, file)

    def came(self, job: Handed, future: Future[Any]) -> None:
        """A job has ended, in one way or another."""
        try:
            result = future.result()
        except Cancelled:
            self._taken_back(job)
        except (WorkerDied, WorkerStalled) as error:
            self.left_behind = True
            if job.tries == 0 and not self._s.stopped.is_set():
                log.warning("%s: tried again", job.path, exc_info=True)
                self.hand_over(replace(job, tries=1))
            elif isinstance(error, WorkerDied) and not self._s.stopped.is_set():
                self._ended_its_reader(job)
            else:
                self.fail(job, error)
        except NoRoom as error:
            self._waiting.for_room(job, error) if self._s.waits_patiently else self.fail(job, error)
        except Exception as error:  # the boundary: whatever a job raised becomes a sentence in the report
            if self._s.shelves.gone() is not None:
                self._no_drive(job, error)
            elif isinstance(error, CopyError) and job.kind == "copy" and not self._s.card_is_there():
                self._no_card(job)
            elif job.tries == 0 and is_away(error) and not self._s.stopped.is_set():
                self.hand_over(replace(job, tries=1))  # it went before or while this was read, and is back
            else:
                log.warning("%s", job.path, exc_info=True)
                self.fail(job, error)
        else:
            job.then(result)

    def _ended_its_reader(self, job: Handed) -> None:
        """Twice a process ended while it read this file: it is not opened again, but copied and proved all the same."""
        if job.kind == "copy" and isinstance(job.request, CopyRequest) and not job.request.closed:
            self.hand_over(replace(job, request=replace(job.request, closed=True), tries=0))
        elif job.kind == "copy" and isinstance(job.request, LookRequest):
            self.enter("looked at", job.about, Look(None))
        else:
            self.fail(job, MediaError(ENDED_ITS_READER, job.path, "Check the file: retrying cannot help."))

    # Ends

    def _done(self, file: SourceFile, kind: str, note: str = "") -> None:
        self._s.board.change((kind, file.path), state="done", part=1.0, ended=time.time(), note=note)

    def _ends(self, file: SourceFile, kind: str, result: str, phase: str, note: str) -> None:
        """The file's way ends here."""
        self._done(file, kind, result)
        self._s.note(file, phase=phase, done=1.0, note=note)

    def fail(self, job: Handed, error: Exception) -> None:
        """It needs a person; the reason is told with the file."""
        file, why = job.about, sentence(error)
        self._s.board.change(job.key, state="failed", ended=time.time(), note=why)
        if isinstance(error, MediaError):
            self._s.note(file, step="show")
            self._taking.damage(file, getattr(error, "damage", ""))
        if job.kind == "second copy":
            self._s.note(file, phase="failed", note=f"second copy: {why}")
        else:
            self._s.note(file, phase="failed", note=why, done=0.0)
        if job.kind == "copy":
            self._next_of_size(file)

    def _taken_back(self, job: Handed) -> None:
        if self._s.stopped.is_set():
            state = "cancelled" if self._s.for_good else "waiting"
            self._s.note(job.about, phase="stopped")
            self._s.board.change(job.key, state=state, part=0.0, begun=0.0)
        else:
            self.cancelled(job.about, job.kind)

    def cancelled(self, file: SourceFile, kind: str) -> None:
        """A job was taken back by a person."""
        self._s.board.change((kind, file.path), state="cancelled", ended=time.time())
        if kind == "copy":
            self._s.note(file, phase="cancelled", note="cancelled")
            self._next_of_size(file)
        else:
            self._s.note(file, phase="in place", done=1.0, note="its proxy was cancelled")

    def _needs_card(self, file: SourceFile) -> None:
        job = self._no_work(file, "copy")
        self._s.board.put(self._names.piece(file, "copy"))
        if not self._s.card_is_there():
            self._no_card(job)
            return
        self.fail(job, CopyError(
            "has changed or is no longer on the source", self._s.request.source / file.path,
            "If another card is in its place, insert the first one and retry.",
        ))  # fmt: skip

    def _no_card(self, job: Handed) -> None:
        if self._s.waits_patiently:
            self._waiting.for_card(job)
        else:
            gone = "the card was taken out before it was copied"
            self.fail(job, CopyError(gone, job.path, "Insert it and ingest again."))

    def _no_drive(self, job: Handed, error: Exception) -> None:
        if self._s.waits_patiently:
            self._waiting.for_drive(job)
        elif isinstance(error, ShelfGone):
            self.fail(job, error)
        else:
            gone = "its drive was taken away before this was done"
            self.fail(job, ShelfGone(gone, self._s.shelves.gone(), "Connect it and ingest again."))


_KINDS: dict[State, str] = {
    "found": "copy", "looked at": "copy", "read back": "copy", "copied": "copy", "in place": "copy",
    "taken in": "proxy", "measured": "proxy", "made": "proxy", "paired": "second copy", "copied again": "second copy",
}  # fmt: skip
