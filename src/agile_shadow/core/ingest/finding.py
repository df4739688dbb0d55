"""What an ingest takes from its source: what is there now, and what was there when it was begun."""

from __future__ import annotations

import os
import threading
from pathlib import Path

from ..errors import Cancelled, ShadowError, WorkerDied
from ..jobs import Executor, JobStore, Machine
from ..media.brief import Brief
from ..project.report import Problem
from .known import Known
from .request import IngestRequest
from .settling import BriefRequest, brief_of, settle, to_be_opened
from .source import SourceListing, read_source, taken

_HEAD = 20.0  # seconds that opening a file of a source may take
_BREATH = 0.1  # seconds before a file is opened again


class SourceFinding:
    """For one run. ``patient``: wait for a card that is taken out while it is read; ``stopped`` ends the waiting.

    ``resumed`` tells, after :meth:`listing`, whether an earlier try of the job had found something already; ``waits``
    whether a card is waited for at this moment.
    """

    def __init__(
        self, request: IngestRequest, store: JobStore, known: Known, patient: bool, stopped: threading.Event,
        machine: Machine,
    ) -> None:  # fmt: skip
        self._request = request
        self._store = store
        self._known = known
        self._patient = patient
        self._stopped = stopped
        self._machine = machine
        self.resumed = False
        self.waits = False

    def listing(self, job: int) -> SourceListing:
        """All that the preset takes; kept with the job. Raises ShadowError when the source was never readable."""
        kept = self._store.listing(job)
        before = SourceListing.from_json(kept) if kept is not None else None
        self.resumed = before is not None
        try:
            fresh = self._settled(read_source(self._request.source))
        except ShadowError:
            if before is None:
                raise
            fresh = SourceListing((), (), ())
        if self._request.only:
            fresh = fresh.only(set(self._request.only))
        whole = taken(self._with_missing(fresh, before), self._request.preset.takes)
        self._store.keep_listing(job, whole.to_json())
        return whole

    def _with_missing(self, fresh: SourceListing, before: SourceListing | None) -> SourceListing:
        """What is there now, and what was there before and is not, or is another file of that name now."""
        if before is None or not fresh.files:
            return before or fresh
        now = {(file.path, file.size, file.modified) for file in fresh.files}
        parts = {part for file in fresh.files for part in file.files}
        gone = [file for file in before.files if (file.path, file.size, file.modified) not in now]
        missing = [file for file in gone if not parts & set(file.files)]
        replaced = [
            Problem(file.path, "another file of that name is on the source now: insert the card that this file was on")
            for file in gone
            if file not in missing
            and not self._known.was_taken(file.at(self._request.source), file.size, file.modified)
        ]  # fmt: skip
        files = tuple(sorted((*fresh.files, *missing), key=lambda file: file.path))
        return SourceListing(files, fresh.passed_over, (*fresh.unreadable, *replaced))

    def _settled(self, listing: SourceListing) -> SourceListing:
        """With the parts of recordings joined and small copies under their clips: some files are opened for it."""
        paths = to_be_opened(listing)
        briefs: dict[str, Brief | None] = {}
        openers = self._machine.hire("wanted", 1, _HEAD)
        try:
            for path in paths:
                briefs[path] = self._brief(openers, self._request.source / path)
        finally:
            self._machine.dismiss(openers)
            openers.close()
        return settle(listing, briefs, self._request.preset.takes.join_parts)

    def _brief(self, openers: Executor, path: Path) -> Brief | None:
        """The head of a file, None when it cannot be read; asked again where the worker died of something else.

        Raises ShadowError when the card was taken out meanwhile: half of what it says would join the wrong files.
        """
        died = 0
        while not self._stopped.is_set():
            found: Brief | None = None
            try:
                found = openers.submit(brief_of, BriefRequest(path)).result()
            except WorkerDied:
                died += 1
            except (ShadowError, Cancelled):
                return None
            if found is not None or ((path.exists() or self._is_readable()) and died != 1):
                self.waits = False
                return found
            if not self._is_readable():
                if not self._patient:
                    raise ShadowError("was taken out while it was read", self._request.source, "Insert it, then retry.")
                self.waits = True
            self._stopped.wait(_BREATH)
        return None

    def _is_readable(self) -> bool:
        """Whether the source is there: a card that was taken out leaves no folder, or an empty one."""
        try:
            with os.scandir(self._request.source) as entries:
                return next(entries, None) is not None
        except OSError:
            return False
