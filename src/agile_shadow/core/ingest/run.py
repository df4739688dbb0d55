"""One run of a preset over a source: copies, probes, proxies, pairs, project saved; goes on where it was."""

from __future__ import annotations

import logging
import threading
import time
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Any

from ..errors import Cancelled, ShadowError, sentence
from ..estimates import HeadroomRequest, Measurements, kept_headroom, measure_headroom, needs_headroom, needs_proxy
from ..estimates.headroom import Headroom, keep_headroom
from ..files import remove_partials
from ..jobs import CopyRecord, JobStore, WorkerPool
from ..media import MediaInfo
from ..media.sequence import exists
from ..pairs import FileRef, Original, Proxy, pair_made_proxy
from ..presets import Proxies
from ..project import Clip, Project, ProjectSession
from ..proxies import ProxyRequest, ProxyResult, is_such_proxy, make_or_take_proxy
from ..shelves import Shelf, free_room, with_volume
from ..timeline.model import new_id
from .copying import CopyItem, CopyRequest, CopyResult, Proved, checksum_of, copy_and_prove
from .gate import on_mains_power, waits_for
from .looking import IdentifyRequest, Identity, Look, LookRequest, identify, look
from .manifest import write_manifest
from .places import Context, clip_name, needs_probe, original_places, proxy_place, token_values
from .report import IngestReport, Problem
from .request import IngestRequest
from .second import SecondCopy, copy_again
from .source import SourceFile, SourceListing, read_source, taken

log = logging.getLogger(__name__)

_PROXY_SHARE = 0.85  # of a file's work, where a proxy is made
_TICK = 0.1  # seconds


@dataclass(frozen=True)
class ItemState:
    """One file of the run, for the screen. ``done`` from 0 to 1 within ``phase``; ``note`` says more.

    ``here``: the project held it already, by its content.
    """

    path: str
    kind: str
    size: int
    phase: str = "waiting"
    done: float = 0.0
    note: str = ""
    here: bool = False


@dataclass(frozen=True)
class Progress:
    """The run at one moment.

    ``remaining`` in seconds, None while it cannot be told. ``waits``: what proxies wait for.
    """

    items: tuple[ItemState, ...]
    proxies_done: int
    proxies_wanted: int
    fraction: float
    remaining: float | None
    waits: str = ""


class IngestRun:
    """Runs on the caller's thread with :meth:`run`; other threads may read :meth:`progress` and call :meth:`stop`.

    ``now``: make proxies at once, whatever the preset says of night and mains power.
    """

    def __init__(
        self,
        request: IngestRequest,
        session: ProjectSession,
        store: JobStore,
        on_clip: Callable[[Clip], None] = lambda clip: None,
        now: bool = False,
    ) -> None:
        request.refuse_if_unsafe(session.path.parent)
        self.request = request
        self._preset = request.preset
        self._session = session
        self._store = store
        self._measured = Measurements()
        self._on_clip = on_clip
        self._now = now
        self._copies = WorkerPool(1)
        self._makers = WorkerPool(request.preset.when.at_a_time)
        self._stopped = threading.Event()
        self._giving_way = threading.Event()
        self._for_good = False
        self._lock = threading.RLock()
        self._items: dict[str, ItemState] = {}
        self._numbers: dict[str, int] = {}
        self._passed: list[Problem] = []
        self._same_stem: set[str] = set()
        self._values: dict[str, dict[str, str]] = {}
        self._proved: list[Proved] = []
        self._pending: dict[Future[Any], tuple[SourceFile, Callable[[Any], None]]] = {}
        self._waits = ""
        self._second = 0
        self._beside: list[Path] = []
        self._by_source: dict[str, str] = {}
        self._by_size: defaultdict[int, list[str]] = defaultdict(list)
        self._begun = time.monotonic()
        self._job: int | None = None
        self._context = Context(request.source, session.project.name, request.preset.name)
        self.report: IngestReport | None = None

    # What others ask

    def progress(self) -> Progress:
        """The run at this moment."""
        with self._lock:
            items = tuple(self._items.values())
        making = self._preset.proxies is not None
        video = [item for item in items if item.kind in ("video", "sequence")] if making else []
        wanted = [item for item in video if item.phase not in ("failed", "no need", "passed over")]
        total = sum(item.size for item in items) or 1
        fraction = sum(item.size * self._share(item) for item in items) / total
        elapsed = time.monotonic() - self._begun
        remaining = elapsed * (1 - fraction) / fraction if fraction > 0.02 and not self._waits else None
        done = sum(1 for item in wanted if item.phase == "paired")
        return Progress(items, done, len(wanted), fraction, remaining, self._waits)

    def _share(self, item: ItemState) -> float:
        making = item.kind in ("video", "sequence") and self._preset.proxies is not None
        copy_share = 1 - _PROXY_SHARE if making else 1.0
        if item.phase in ("paired", "failed", "in place", "no need", "passed over"):
            return 1.0
        if item.phase == "copying":
            return copy_share * item.done
        if item.phase in ("copied", "queued", "measuring"):
            return copy_share
        return copy_share + _PROXY_SHARE * item.done if item.phase == "making" else 0.0

    def stop(self, for_good: bool) -> None:
        """End the run soon. ``for_good``: the user took it back; else it goes on at the next start."""
        self._for_good = for_good
        self._stopped.set()

    def give_way(self, playing: bool) -> None:
        """Have the making of proxies stand still while the window plays, where the preset says so."""
        if self._preset.when.give_way:
            (self._giving_way.set if playing else self._giving_way.clear)()

    def make_now(self) -> None:
        """Wait neither for the night nor for mains power any more."""
        self._now = True

    @property
    def was_stopped(self) -> bool:
        """Whether somebody ended it before its end."""
        return self._stopped.is_set()

    # The run

    def run(self) -> IngestReport:
        """Do it all; returns the report, also when stopped. Raises ShadowError when it cannot begin."""
        whole = read_source(self.request.source)
        self._numbers = {file.path: number for number, file in enumerate(whole.files, 1)}
        listing = taken(whole, self._preset.takes)
        self._job = self._store.begin("ingest", self._session.path, self.request.to_json())
        try:
            self._begin(listing)
            report = self._work(listing)
        except ShadowError:
            self._store.end(self._job, "failed")
            raise
        finally:
            self._copies.close()
            self._makers.close()
        self.report = report
        if not self._stopped.is_set():
            self._session.absorb(lambda project: replace(project, reports=(*project.reports, self._dated(report))))
        self._session.save()
        if not self._stopped.is_set():
            self._store.end(self._job, "done", report.to_json())
        elif self._for_good:
            self._store.end(self._job, "cancelled", report.to_json())
        return report

    def _dated(self, report: IngestReport) -> dict[str, Any]:
        return {
            "source": str(self.request.source),
            "preset": self._preset.name,
            "ended": time.strftime("%Y-%m-%d %H:%M"),
            **report.to_json(),
        }

    def _begin(self, listing: SourceListing) -> None:
        copying = self._preset.originals.do == "copy"
        for clip in self._session.project.clips:
            self._by_source.setdefault(clip.source, clip.id)
            self._by_size[clip.original.size].append(clip.id)
        roots = self.request.roots(self._session.path.parent)
        for folder in roots.written():
            folder.mkdir(parents=True, exist_ok=True)
            remove_partials(folder)
        if copying:
            self._check_room(listing)
        self._originals_shelf = self._shelf("originals", roots.originals)
        self._proxies_shelf = self._originals_shelf
        if roots.proxies is not None:
            self._proxies_shelf = self._shelf("proxies", roots.proxies)
        if roots.second is not None:
            self._shelf("second copies", roots.second)
        self._roots = roots
        self._same_stem = _later_of_same_stem(listing)
        with self._lock:
            self._items = {f.path: ItemState(f.path, f.kind, f.size) for f in listing.files}

    def _check_room(self, listing: SourceListing) -> None:
        roots = [self.request.originals]
        if self._preset.originals.second_copy and self.request.second is not None:
            roots.append(self.request.second)
        for root in roots:
            needed = sum(f.size for f in listing.files if not self._lies_there(f, root))
            free = free_room(root)
            if needed > free:
                raise ShadowError(
                    f"there is room for {free / 1e9:.1f} GB, and {needed / 1e9:.1f} GB are needed",
                    root,
                    "Free some room there or choose another shelf.",
                )

    def _lies_there(self, file: SourceFile, root: Path) -> bool:
        """Whether a file needs no room on a shelf any more: it is there by its name, or the project has it."""
        return exists(root / file.path) or str(self.request.source / file.path) in self._by_source

    def _shelf(self, role: str, root: Path) -> Shelf:
        root = root.absolute()
        name = root.name or str(root)
        found: list[Shelf] = []

        def add(project: Project) -> Project:
            if found:
                return project if project.shelf(found[0].id) else replace(project, shelves=(*project.shelves, found[0]))
            project, shelf = project.with_shelf(name, role, root)
            found.append(shelf)
            return project

        self._session.absorb(add)
        known = with_volume(found[0])
        self._session.absorb(lambda project: project.with_shelf_replaced(known))
        return known

    def _work(self, listing: SourceListing) -> IngestReport:
        for file in listing.files:
            self._start(file)
        while self._pending:
            if self._stopped.is_set():
                self._makers.resume()
                self._copies.cancel_all()
                self._makers.cancel_all()
            else:
                self._mind_the_gate()
            finished, _ = wait(self._pending, timeout=_TICK, return_when=FIRST_COMPLETED)
            for future in [future for future in self._pending if future in finished]:
                file, then = self._pending.pop(future)
                result = self._outcome(file, future)
                if result is not None:
                    then(result)
        manifests = self._write_manifests() if not self._stopped.is_set() else ()
        return self._counted(listing, manifests)

    def _mind_the_gate(self) -> None:
        """Makers stand still while the window plays, by day where it is to be done at night, and on battery."""
        gate = "" if self._now else waits_for(self._preset.when, datetime.now(), on_mains_power())
        self._waits = gate or ("while you play" if self._giving_way.is_set() else "")
        (self._makers.pause if self._waits else self._makers.resume)()

    def _submit(
        self, pool: WorkerPool, task: Any, request: Any, file: SourceFile, phase: str, then: Callable[[Any], None]
    ) -> None:
        future = pool.submit(task, request, lambda done: self._note(file, phase=phase, done=done))
        self._pending[future] = (file, then)

    def _outcome(self, file: SourceFile, future: Future[Any]) -> Any:
        """The result of a finished job, or None after its failure was noted."""
        try:
            return future.result()
        except Cancelled:
            self._note(file, phase="stopped")
        except Exception as error:  # the boundary: whatever a job raised becomes a sentence in the report
            log.warning("%s", file.path, exc_info=True)
            self._note(file, phase="failed", note=sentence(error))
        return None

    def _note(self, file: SourceFile, **changes: Any) -> None:
        with self._lock:
            self._items[file.path] = replace(self._items[file.path], **changes)

    # Look, and copy

    def _start(self, file: SourceFile) -> None:
        short = self._preset.takes.longer_than > 0 and file.kind == "video"
        if short or needs_probe(self._preset):
            request = LookRequest(self.request.source / file.path, self._rate(file))
            self._submit(self._copies, look, request, file, "looking", lambda seen: self._seen(file, seen))
        else:
            self._seen(file, Look(None))

    def _rate(self, file: SourceFile) -> Any:
        return self._preset.takes.sequence_rate if file.kind == "sequence" else None

    def _seen(self, file: SourceFile, seen: Look) -> None:
        info, least = seen.info, self._preset.takes.longer_than
        if info is not None and info.kind == "video" and info.duration <= least:
            self._passed.append(Problem(file.path, f"not longer than {least:g} s"))
            self._note(file, phase="passed over", note=f"not longer than {least:g} s")
            return
        self._values[file.path] = token_values(file, self._numbers[file.path], self._context, info)
        request = self._copy_request(file)
        known = self._proven(file, request)
        if known is not None:
            self._take_in(file, known)
            return
        alike = self._same_size(file) if self._preset.takes.skip_known else ()
        if alike:
            place = self.request.source / file.path
            members = tuple(self.request.source / member for member in file.members) or (place,)
            self._submit(
                self._copies, identify, IdentifyRequest(members, alike), file, "copying",
                lambda found: self._identified(file, request, found),
            )  # fmt: skip
        else:
            self._copy(file, request)

    def _copy(self, file: SourceFile, request: CopyRequest) -> None:
        self._submit(self._copies, copy_and_prove, request, file, "copying", lambda done: self._take_in(file, done))

    def _copy_request(self, file: SourceFile) -> CopyRequest:
        originals, source = self._preset.originals, self.request.source
        places = original_places(file, originals, self._values[file.path])
        roots = [] if originals.do == "leave" else [self.request.originals]
        if originals.do == "copy" and originals.second_copy and self.request.second is not None:
            roots.append(self.request.second)
        items = tuple(CopyItem(source / path, tuple(root / place for root in roots)) for path, place in places)
        own = len(file.members) or 1
        sidecars = items[own:] if originals.do == "copy" else ()
        return CopyRequest(
            source / file.path, items[:own], originals.checksum, sidecars, originals.on_clash, self._rate(file)
        )

    def _proven(self, file: SourceFile, request: CopyRequest) -> CopyResult | None:
        """The copies of an earlier try, when proofs and files still agree and the project knows the clip."""
        clip = self._clip_from(request.place)
        if clip is None:
            return None
        proved = []
        for item in (*request.items, *request.sidecars):
            for target in item.targets or (item.source,):
                record = self._record_that_holds(item.source, target)
                if record is None:
                    return None
                proved.append(Proved(item.source, target, record.value))
        path = self._session.project.path(clip.original.file)
        if path is None or not exists(path):
            return None
        original = clip.original
        second = self._second_place(file, request)
        return CopyResult(path, original.size, original.modified, original.checksum_value, original.info, "", (),
                          second, tuple(proved))  # fmt: skip

    def _second_place(self, file: SourceFile, request: CopyRequest) -> Path | None:
        targets = request.items[0].targets
        return targets[1] if len(targets) > 1 else None

    def _record_that_holds(self, source: Path, target: Path) -> CopyRecord | None:
        record = self._store.proven_copy(source, target)
        if record is None or record.checksum != self._preset.originals.checksum:
            return None
        try:
            there, here = source.stat(), target.stat()
        except OSError:
            return None
        same = (record.size, record.source_mtime, record.target_mtime) == (
            there.st_size, there.st_mtime_ns, here.st_mtime_ns,
        )  # fmt: skip
        return record if same and here.st_size == there.st_size else None

    def _clip_from(self, source: Path) -> Clip | None:
        return self._session.project.clip(self._by_source.get(str(source), ""))

    def _same_size(self, file: SourceFile) -> tuple[Identity, ...]:
        """Originals of the project that may be this file by their size and can be told by their checksum."""
        project = self._session.project
        found = []
        for identity in self._by_size.get(file.size, ()):
            clip = project.clip(identity)
            path = project.place(clip.original.file) if clip is not None else None
            if clip is not None and clip.original.checksum_value and path is not None and exists(path):
                found.append(Identity(clip.id, clip.original.checksum, clip.original.checksum_value))
        return tuple(found)

    def _identified(self, file: SourceFile, request: CopyRequest, found: str) -> None:
        clip = self._session.project.clip(found) if found else None
        path = self._session.project.path(clip.original.file) if clip is not None else None
        if clip is None or path is None:
            self._copy(file, request)
            return
        self._note(file, here=True)
        self._after(file, clip)

    # Take into the project

    def _take_in(self, file: SourceFile, result: CopyResult) -> None:
        self._remember(file, result)
        self._note(file, phase="copied", done=1.0)
        self._proved.extend(result.proved)
        self._second += 1 if result.second is not None else 0
        if result.info is None:
            self._note(file, phase="failed", note=result.problem)
            return
        source = self.request.source / file.path
        clip = self._known_clip(source, result) or self._new_clip(file, result, result.info)
        self._session.absorb(lambda project: project.with_clip(project.clip(clip.id) or clip))
        self._by_source[clip.source] = clip.id
        self._by_size[clip.original.size].append(clip.id)
        self._after(file, clip)

    def _remember(self, file: SourceFile, result: CopyResult) -> None:
        """Keep the proof of each file, so that going on does not copy it again."""
        proved = result.proved
        if not proved and self._preset.originals.do == "leave" and not file.members:
            proved = (Proved(result.path, result.path, result.value),)
        for one in proved:
            try:
                there, here = one.source.stat(), one.path.stat()
            except OSError:
                continue  # the card is gone: what lies on the shelf holds all the same
            self._store.remember_copy(
                CopyRecord(str(one.source), there.st_size, there.st_mtime_ns, str(one.path), here.st_mtime_ns,
                           self._preset.originals.checksum, one.value)
            )  # fmt: skip

    def _known_clip(self, source: Path, result: CopyResult) -> Clip | None:
        project = self._session.project
        for identity in self._by_size.get(result.size, ()):
            clip = project.clip(identity)
            same = clip is not None and clip.original.checksum_value == result.value
            if clip is not None and same and project.place(clip.original.file) == result.path:
                return clip
        return None

    def _new_clip(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> Clip:
        original = Original(
            self._reference(self._originals_shelf, result.path),
            info,
            result.size,
            result.modified,
            self._preset.originals.checksum,
            result.value,
        )
        sidecars = tuple(self._reference(self._originals_shelf, path) for path in result.sidecars)
        name = clip_name(file) if self._preset.originals.do == "leave" else _name_of(result.path, file)
        return Clip(new_id(), name, original, (), sidecars, source=str(self.request.source / file.path))

    @staticmethod
    def _reference(shelf: Shelf, path: Path) -> FileRef:
        return FileRef(shelf.id, path.absolute().relative_to(shelf.root).as_posix())

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
                self._makers, measure_headroom, HeadroomRequest(path, info), file, "measuring",
                lambda measured: self._measured_now(file, clip, wanted, path, measured),
            )  # fmt: skip

    def _measured_now(self, file: SourceFile, clip: Clip, wanted: Proxies, path: Path, measured: Headroom) -> None:
        keep_headroom(path, measured, self._measured)
        self._make_if_needed(file, clip, wanted, measured)

    def _make_if_needed(self, file: SourceFile, clip: Clip, wanted: Proxies, known: Headroom | None) -> None:
        ratio = known.ratio if known is not None else None
        if not needs_proxy(clip.original.info, wanted, ratio):
            note = f"needs no proxy here: headroom {ratio:.1f}x" if ratio is not None else "needs no proxy here"
            self._note(file, phase="no need", done=1.0, note=note)
            return
        self._note(file, phase="queued", done=0.0)
        original = self._session.project.path(clip.original.file)
        assert original is not None
        values = self._token_values(file, clip)
        request = ProxyRequest(
            original, self._proxy_target(file, clip, wanted, values), wanted, clip.original.info, values
        )
        self._submit(
            self._makers, make_or_take_proxy, request, file, "making", lambda made: self._pair(file, clip, made)
        )

    def _token_values(self, file: SourceFile, clip: Clip) -> dict[str, str]:
        values = token_values(file, self._numbers[file.path], self._context, clip.original.info)
        return {**values, "name": clip.name}

    def _proxy_target(self, file: SourceFile, clip: Clip, wanted: Proxies, values: dict[str, str]) -> Path:
        below = proxy_place(clip.original.file.path, wanted, values, file.path in self._same_stem)
        shelf = self._proxies_shelf
        if wanted.place == "beside":
            known = self._session.project.shelf(clip.original.file.shelf)
            shelf = known or shelf
        return shelf.root / below

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
        shelf = self._proxies_shelf
        if self._preset.proxies is not None and self._preset.proxies.place == "beside":
            shelf = self._session.project.shelf(clip.original.file.shelf) or shelf
        proxy = pair_made_proxy(self._reference(shelf, result.path), result)

        def add(project: Project) -> Project:
            current = project.clip(clip.id)
            if current is None or any(old.file == proxy.file for old in current.proxies):
                return project
            return project.with_clip(replace(current, proxies=(*current.proxies, proxy)))

        self._session.absorb(add)
        assert self._preset.proxies is not None
        self._paired(file, self._preset.proxies, proxy)

    def _paired(self, file: SourceFile, wanted: Proxies, proxy: Proxy) -> None:
        self._note(file, phase="paired", done=1.0)
        path = self._session.project.path(proxy.file)
        assert path is not None
        self._beside.append(path)
        if wanted.second_copy and self._roots.second is not None:
            target = self._roots.second / "Proxies" / proxy.file.path
            request = SecondCopy(path, target, self._true_checksum)
            self._submit(self._copies, copy_again, request, file, "paired", lambda done: self._copied_again(file, done))

    @property
    def _true_checksum(self) -> str:
        checksum = self._preset.originals.checksum
        return "xxh128" if checksum == "size" else checksum

    def _copied_again(self, file: SourceFile, done: Proved) -> None:
        self._second += 1
        self._proved.append(done)
        self._note(file, phase="paired", done=1.0)

    # The end

    def _write_manifests(self) -> tuple[str, ...]:
        if not self._preset.originals.manifest:
            return ()
        roots = [self.request.originals, *([self._roots.second] if self._roots.second is not None else [])]
        written = []
        for root in roots:
            below = [one for one in self._proved if one.path.is_relative_to(root)]
            if not below:
                continue
            known = {one.path for one in below}
            for path in self._beside:  # proxies among the originals are part of what the manifest vouches for
                if path.is_relative_to(root) and path not in known:
                    below.append(Proved(path, path, checksum_of([path], self._preset.originals.checksum)))
            folder = write_manifest(root, below, self._preset.originals.checksum)
            written.append(str(folder or root / "ascmhl"))
        return tuple(written)

    def _counted(self, listing: SourceListing, manifests: tuple[str, ...]) -> IngestReport:
        phases: dict[str, list[ItemState]] = defaultdict(list)
        for item in self._items.values():
            phases[item.phase].append(item)
        in_place = sum(
            1
            for item in self._items.values()
            if item.phase in ("copied", "queued", "measuring", "making", "paired", "in place", "no need")
            or (item.done >= 1.0 and item.phase != "passed over")
        )
        paired = len(phases["paired"])
        failed = [Problem(item.path, item.note) for item in phases["failed"]]
        return IngestReport(
            found=len(self._items) - len(phases["passed over"]),
            copied=in_place if self._preset.originals.do == "copy" else 0,
            proved=in_place if self._preset.originals.checksum != "size" else 0,
            proxies=paired,
            paired=paired,
            passed_over=tuple(sorted((*listing.passed_over, *self._passed), key=lambda problem: problem.path)),
            failed=(*listing.unreadable, *failed),
            here_already=sum(1 for item in self._items.values() if item.here),
            no_proxy_needed=len(phases["no need"]),
            second_copies=self._second,
            manifests=manifests,
        )


def _name_of(path: Path, file: SourceFile) -> str:
    return clip_name(replace(file, path=path.name))


def _later_of_same_stem(listing: SourceListing) -> set[str]:
    """Video files whose folder and name without ending an earlier one has: their proxies need another name."""
    seen: set[str] = set()
    later: set[str] = set()
    for file in listing.files:
        if file.kind == "video":
            stem = str(PurePosixPath(file.path).with_suffix("")).casefold()
            (later.add(file.path) if stem in seen else seen.add(stem))
    return later
