"""What a desk begins by itself: what is queued on disk, what arrives in watched folders, shelves to be read."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Protocol

from ..errors import ShadowError, sentence
from ..ingest import IngestRequest, IngestRun, Watch, watched_folders
from ..project import ProjectSession
from ..shelves import Shelf
from ..storage.kept import is_due, last_kept, plan_of
from ..storage.outside import keep_to_limit
from ..threads import joined

log = logging.getLogger(__name__)

_DUE = 120.0  # seconds between two looks whether a shelf is to be read
_LOOK = 2.0  # seconds between two looks at the queue on disk and at watched folders


class Begins(Protocol):
    """Who begins runs: a desk."""

    @property
    def ingests(self) -> list[IngestRun]: ...
    def start(self, request: IngestRequest) -> object: ...
    def keep(self, shelf: Shelf) -> object: ...
    def go_on(self) -> list[str]: ...


class Minding:
    """Any thread may call any method. ``quiet``: seconds without a change after which what arrived is whole;
    ``closing``: set once nothing is to be begun any more."""

    def __init__(self, desk: Begins, session: ProjectSession, quiet: float, closing: threading.Event) -> None:
        self.watches: list[Watch] = []
        self._desk = desk
        self._session = session
        self._quiet = quiet
        self._closing = closing
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._due: threading.Thread | None = None

    def begin(self, told: Callable[[str], None] = lambda text: None) -> None:
        """From now on look after all of it, until the desk closes."""
        self.watch_again()
        self._thread = threading.Thread(target=self._mind, args=(told,), name="ingest desk", daemon=True)
        self._thread.start()

    def wait(self, limit: float | None) -> bool:
        """Wait for its end; whether it came within ``limit`` seconds."""
        return joined(self._thread, limit)

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
        said, looked = "", float("-inf")
        while not self._closing.wait(min(_LOOK, max(0.05, self._quiet / 2))):
            try:
                if time.monotonic() - looked > _DUE:
                    self._look_what_is_due()
                    looked = time.monotonic()
                for text in self._desk.go_on():
                    told(text)
                for watch in list(self.watches):
                    self._look(watch)
            except Exception as error:  # the minding goes on whatever happened
                log.warning("minding the ingests", exc_info=True)
                if sentence(error) != said:
                    said = sentence(error)
                    told(f"Looking after ingests and watched folders failed: {said}")

    def _look(self, watch: Watch) -> None:
        if any(run.request.source == watch.request.source for run in self._desk.ingests):
            return
        request = watch.look()
        if request is None or self._closing.is_set():
            return
        try:
            self._desk.start(request)
        except ShadowError as error:
            watch.problem = sentence(error)
            watch.forget(request)

    def forget(self, request: IngestRequest) -> None:
        """An ingest was broken off: what arrived there is to be looked at again."""
        for watch in self.watches:
            if watch.request.source == request.source:
                watch.forget(request)

    def keep_what_is_due(self) -> None:
        """Read the shelves whose time has come by their plans. Touches drives."""
        for shelf in self._session.project.shelves:
            if shelf.made and is_due(plan_of(shelf.root), last_kept(shelf.root), time.time()) and shelf.is_present():
                with suppress(ShadowError):  # it is being read
                    self._desk.keep(shelf)

    def _look_what_is_due(self) -> None:
        """On a thread of its own: a shelf that hangs must not keep the ingests waiting."""
        if self._due is None or not self._due.is_alive():
            self._due = threading.Thread(target=self._keep_due, name="due", daemon=True)
            self._due.start()

    def _keep_due(self) -> None:
        try:
            keep_to_limit()
            self.keep_what_is_due()
        except Exception:  # the next look may do better
            log.warning("looking which shelf is to be read, and what is over its limit", exc_info=True)
