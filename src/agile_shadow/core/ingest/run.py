"""One run of a preset over a source: copies, probes, proxies, pairs, project saved; goes on where it was."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any

from ..errors import Cancelled, ShadowError, sentence
from ..files import remove_partials
from ..jobs import CopyRecord, JobStore, WorkerPool
from ..media import MediaInfo
from ..pairs import FileRef, Original, pair_made_proxy
from ..presets import Preset, Proxies
from ..presets.library import parse_preset
from ..project import Clip, Project, ProjectSession
from ..proxies import ProxyRequest, ProxyResult, is_such_proxy, make_or_take_proxy, proxy_file_name
from ..shelves import Shelf, free_room
from ..timeline.model import new_id
from .copying import CopyRequest, CopyResult, copy_and_prove
from .report import IngestReport, Problem
from .source import SourceFile, SourceListing, read_source

log = logging.getLogger(__name__)

_PROXY_SHARE = 0.85  # of a file's work, where a proxy is made
BESIDE = "Proxies"


@dataclass(frozen=True)
class IngestRequest:
    """What to run: folders of the source and of both shelves, and the preset."""

    source: Path
    originals: Path
    proxies: Path
    preset: Preset

    def to_json(self) -> dict[str, Any]:
        """Plain values for the job store."""
        return {
            "source": str(self.source),
            "originals": str(self.originals),
            "proxies": str(self.proxies),
            "preset": self.preset.to_json(),
        }

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> IngestRequest:
        """The inverse of :meth:`to_json`."""
        source, originals, proxies = (Path(values[key]) for key in ("source", "originals", "proxies"))
        return cls(source, originals, proxies, parse_preset(values["preset"]))

    def refuse_if_unsafe(self) -> None:
        """Raises ShadowError where copies or proxies would land on the source or among the originals' names."""
        source, originals, proxies = (p.resolve() for p in (self.source, self.originals, self.proxies))
        if self.preset.originals.do == "copy" and originals.is_relative_to(source):
            raise ShadowError("the originals shelf lies on the source", self.originals, "Choose another folder.")
        if self.preset.proxies is None:
            return
        if self.preset.proxies.place == "beside":
            if self.preset.originals.do == "leave":
                raise ShadowError(
                    "proxies beside originals would be written onto the source", self.source, "Put them on a shelf."
                )
        elif proxies.is_relative_to(source):
            raise ShadowError("the proxies shelf lies on the source", self.proxies, "Choose another folder.")
        elif proxies == originals:
            raise ShadowError(
                "the proxies would get the folders and names of the originals", self.proxies, "Choose another folder."
            )


@dataclass(frozen=True)
class ItemState:
    """One file of the run, for the screen. ``done`` from 0 to 1 within ``phase``; ``note`` says what went wrong."""

    path: str
    kind: str
    size: int
    phase: str = "waiting"
    done: float = 0.0
    note: str = ""


@dataclass(frozen=True)
class Progress:
    """The run at one moment. ``remaining`` in seconds, None while it cannot be told."""

    items: tuple[ItemState, ...]
    proxies_done: int
    proxies_wanted: int
    fraction: float
    remaining: float | None


class IngestRun:
    """Runs on the caller's thread with :meth:`run`; other threads may read :meth:`progress` and call :meth:`stop`."""

    def __init__(
        self,
        request: IngestRequest,
        session: ProjectSession,
        store: JobStore,
        on_clip: Callable[[Clip], None] = lambda clip: None,
    ) -> None:
        request.refuse_if_unsafe()
        self.request = request
        self._session = session
        self._store = store
        self._on_clip = on_clip
        self._copies = WorkerPool(1)
        self._makers = WorkerPool(1)
        self._stopped = threading.Event()
        self._for_good = False
        self._lock = threading.RLock()
        self._items: dict[str, ItemState] = {}
        self._same_stem: set[str] = set()
        self._begun = time.monotonic()
        self._listing: SourceListing | None = None
        self._job: int | None = None
        self.report: IngestReport | None = None

    # What others ask

    def progress(self) -> Progress:
        """The run at this moment."""
        with self._lock:
            items = tuple(self._items.values())
        video = [item for item in items if item.kind == "video"] if self.request.preset.proxies else []
        wanted = [item for item in video if item.phase != "failed"]
        total = sum(item.size for item in items) or 1
        fraction = sum(item.size * self._share(item) for item in items) / total
        elapsed = time.monotonic() - self._begun
        remaining = elapsed * (1 - fraction) / fraction if fraction > 0.02 else None
        done = sum(1 for item in wanted if item.phase == "paired")
        return Progress(items, done, len(wanted), fraction, remaining)

    def _share(self, item: ItemState) -> float:
        making = item.kind == "video" and self.request.preset.proxies is not None
        copy_share = 1 - _PROXY_SHARE if making else 1.0
        if item.phase in ("paired", "failed", "in place"):
            return 1.0
        if item.phase == "copying":
            return copy_share * item.done
        if item.phase == "copied":
            return copy_share
        return copy_share + _PROXY_SHARE * item.done if item.phase == "making" else 0.0

    def stop(self, for_good: bool) -> None:
        """End the run soon. ``for_good``: the user took it back; else it goes on at the next start."""
        self._for_good = for_good
        self._stopped.set()

    @property
    def was_stopped(self) -> bool:
        """Whether somebody ended it before its end."""
        return self._stopped.is_set()

    # The run

    def run(self) -> IngestReport:
        """Do it all; returns the report, also when stopped. Raises ShadowError when it cannot begin."""
        listing = self._listing = read_source(self.request.source)
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
            "preset": self.request.preset.name,
            "ended": time.strftime("%Y-%m-%d %H:%M"),
            **report.to_json(),
        }

    def _begin(self, listing: SourceListing) -> None:
        copying = self.request.preset.originals.do == "copy"
        proxies = self.request.preset.proxies
        for folder, wanted in (
            (self.request.originals, copying),
            (self.request.proxies, proxies is not None and proxies.place == "shelf"),
        ):
            if wanted:
                folder.mkdir(parents=True, exist_ok=True)
                remove_partials(folder)
        if copying:
            self._check_room(listing)
        self._originals_shelf = self._shelf("originals", self.request.originals if copying else self.request.source)
        self._proxies_shelf = self._originals_shelf
        if proxies is not None and proxies.place == "shelf":
            self._proxies_shelf = self._shelf("proxies", self.request.proxies)
        self._same_stem = _later_of_same_stem(listing)
        with self._lock:
            self._items = {f.path: ItemState(f.path, f.kind, f.size) for f in listing.files}

    def _check_room(self, listing: SourceListing) -> None:
        needed = sum(f.size for f in listing.files if not (self.request.originals / f.path).exists())
        free = free_room(self.request.originals)
        if needed > free:
            raise ShadowError(
                f"there is room for {free / 1e9:.1f} GB, and {needed / 1e9:.1f} GB are needed",
                self.request.originals,
                "Free some room there or choose another shelf.",
            )

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
        return found[0]

    def _work(self, listing: SourceListing) -> IngestReport:
        pending: dict[Future[Any], tuple[SourceFile, Clip | None]] = {}
        for file in listing.files:
            pending[self._begin_copy(file)] = (file, None)
        while pending:
            if self._stopped.is_set():
                self._copies.cancel_all()
                self._makers.cancel_all()
            finished, _ = wait(pending, timeout=0.1, return_when=FIRST_COMPLETED)
            for future in [future for future in pending if future in finished]:
                file, clip = pending.pop(future)
                result = self._outcome(file, future)
                if result is None:
                    continue
                if clip is not None:
                    self._pair(file, clip, result)
                    continue
                clip = self._take_in(file, result)
                making = self._begin_proxy(file, clip) if clip is not None else None
                if making is not None:
                    pending[making] = (file, clip)
        return self._counted(listing)

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

    # Copy

    def _begin_copy(self, file: SourceFile) -> Future[Any]:
        source = self.request.source / file.path
        checksum = self.request.preset.originals.checksum
        if self.request.preset.originals.do == "leave":
            request = CopyRequest(source, None, checksum)
        else:
            target = self.request.originals / file.path
            known = self._proven(source, target)
            if known is not None:
                future: Future[Any] = Future()
                future.set_result(known)
                return future
            pairs = tuple((self.request.source / s, self.request.originals / s) for s in file.sidecars)
            request = CopyRequest(source, target, checksum, pairs)
        return self._copies.submit(copy_and_prove, request, lambda done: self._note(file, phase="copying", done=done))

    def _proven(self, source: Path, target: Path) -> CopyResult | None:
        """The copy of an earlier try, when proof and files still agree and the project knows the clip."""
        record = self._store.proven_copy(source, target)
        clip = self._clip_from(source)
        if record is None or clip is None or not target.is_file():
            return None
        here, there = target.stat(), source.stat()
        same = (record.size, record.source_mtime, record.target_mtime) == (
            there.st_size, there.st_mtime_ns, here.st_mtime_ns,
        ) and here.st_size == there.st_size  # fmt: skip
        same = same and record.checksum == self.request.preset.originals.checksum
        return CopyResult(target, here.st_size, here.st_mtime_ns, record.value, clip.original.info) if same else None

    def _clip_from(self, source: Path) -> Clip | None:
        return next((clip for clip in self._session.project.clips if clip.source == str(source)), None)

    # Take into the project

    def _take_in(self, file: SourceFile, result: CopyResult) -> Clip | None:
        source = self.request.source / file.path
        checksum = self.request.preset.originals.checksum
        status = source.stat() if source.exists() else None
        if status is not None:
            self._store.remember_copy(
                CopyRecord(str(source), status.st_size, status.st_mtime_ns, str(result.path), result.modified,
                           checksum, result.value)
            )  # fmt: skip
        self._note(file, phase="copied", done=1.0)
        if result.info is None:
            self._note(file, phase="failed", note=result.problem)
            return None
        clip = self._known_clip(source, result) or self._new_clip(file, result, result.info)
        self._session.absorb(lambda project: project.with_clip(project.clip(clip.id) or clip))
        if clip.original.info.kind != "video" or self.request.preset.proxies is None:
            self._note(file, phase="in place")
        self._on_clip(clip)
        return clip

    def _known_clip(self, source: Path, result: CopyResult) -> Clip | None:
        reference = self._reference(self._originals_shelf, result.path)
        for clip in self._session.project.clips:
            if clip.original.file == reference and clip.original.checksum_value == result.value:
                return clip
        return None

    def _new_clip(self, file: SourceFile, result: CopyResult, info: MediaInfo) -> Clip:
        original = Original(
            self._reference(self._originals_shelf, result.path),
            info,
            result.size,
            result.modified,
            self.request.preset.originals.checksum,
            result.value,
        )
        sidecars = tuple(self._reference(self._originals_shelf, path) for path in result.sidecars)
        name = PurePosixPath(file.path).stem
        return Clip(new_id(), name, original, (), sidecars, source=str(self.request.source / file.path))

    @staticmethod
    def _reference(shelf: Shelf, path: Path) -> FileRef:
        return FileRef(shelf.id, path.absolute().relative_to(shelf.root).as_posix())

    # Proxy and pair

    def _begin_proxy(self, file: SourceFile, clip: Clip) -> Future[Any] | None:
        wanted = self.request.preset.proxies
        if wanted is None or clip.original.info.kind != "video":
            return None
        if self._has_such_proxy(clip, wanted):
            self._note(file, phase="paired", done=1.0)
            return None
        self._note(file, phase="queued", done=0.0)
        original = self._session.project.path(clip.original.file)
        assert original is not None
        request = ProxyRequest(
            original, self._proxy_target(file, clip, wanted), wanted.scale, wanted.codec, clip.original.info
        )
        return self._makers.submit(
            make_or_take_proxy, request, lambda done: self._note(file, phase="making", done=done)
        )

    def _proxy_target(self, file: SourceFile, clip: Clip, wanted: Proxies) -> Path:
        relative = PurePosixPath(clip.original.file.path)
        folder = relative.parent / BESIDE if wanted.place == "beside" else relative.parent
        taken = frozenset({f"{relative.stem}.mov".casefold()} if file.path in self._same_stem else ())
        return self._proxies_shelf.root / folder / proxy_file_name(relative.name, taken)

    def _has_such_proxy(self, clip: Clip, wanted: Proxies) -> bool:
        """Whether the project has a proxy of that size and codec for the clip, and its file is there."""
        project = self._session.project
        known = project.clip(clip.id)
        for proxy in known.proxies if known is not None else ():
            path = project.path(proxy.file)
            if is_such_proxy(proxy.info, clip.original.info, wanted.scale, wanted.codec) and path and path.is_file():
                return True
        return False

    def _pair(self, file: SourceFile, clip: Clip, result: ProxyResult) -> None:
        proxy = pair_made_proxy(self._reference(self._proxies_shelf, result.path), result)

        def add(project: Project) -> Project:
            current = project.clip(clip.id)
            if current is None or any(old.file == proxy.file for old in current.proxies):
                return project
            return project.with_clip(replace(current, proxies=(*current.proxies, proxy)))

        self._session.absorb(add)
        self._note(file, phase="paired", done=1.0)

    # The report

    def _counted(self, listing: SourceListing) -> IngestReport:
        items = list(self._items.values())
        in_place = [
            i for i in items if i.phase in ("copied", "queued", "making", "paired", "in place") or i.done >= 1.0
        ]
        paired = sum(1 for item in items if item.phase == "paired")
        failed = [Problem(item.path, item.note) for item in items if item.phase == "failed"]
        proved = len(in_place)
        copied = proved if self.request.preset.originals.do == "copy" else 0
        return IngestReport(
            found=len(items),
            copied=copied,
            proved=proved,
            proxies=paired,
            paired=paired,
            passed_over=listing.passed_over,
            failed=(*listing.unreadable, *failed),
        )


def _later_of_same_stem(listing: SourceListing) -> set[str]:
    """Video files whose folder and name without ending an earlier one has: their proxies need another name."""
    seen: set[str] = set()
    later: set[str] = set()
    for file in listing.files:
        if file.kind == "video":
            stem = str(PurePosixPath(file.path).with_suffix("")).casefold()
            (later.add(file.path) if stem in seen else seen.add(stem))
    return later
