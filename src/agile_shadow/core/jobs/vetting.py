"""Before this process opens a media file for the first time, a worker does: a file that ends its reader ends no window.

What was read without harm on this machine, ingested files and made proxies among it, is remembered with its size and
time, so that a file is tried out once.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterable
from concurrent.futures import CancelledError
from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import av

from ..errors import Cancelled, MediaError, ShadowError, StateError, WorkerDied, WorkerStalled
from ..media import SoundReader
from ..media.asking import Question
from ..media.joined import parts_of
from ..media.opening import ODD_FILE, no_longer_through, open_media, opened_through
from ..media.recording import is_joined
from ..media.sequence import status
from ..state import opened, state_file
from .pool import WorkerPool
from .task import Report

log = logging.getLogger(__name__)

_TABLE = """CREATE TABLE IF NOT EXISTS read_well (
  path TEXT PRIMARY KEY, size INTEGER NOT NULL, modified INTEGER NOT NULL)"""
_SOUND = 24_000  # samples that are tried
_STALLED = 120.0  # seconds
_TRIES = 2
_SIDE_BY_SIDE = 2  # a file on a drive that does not answer holds up one

Known = tuple[Path, int, int]


def remember_read(paths: Iterable[Path]) -> None:
    """Keep that workers have read files without harm. What cannot be kept is tried out again."""
    try:
        rows = [(str(path), *status(path)) for path in paths]
        with opened(state_file(), _TABLE, patience=2.0) as db:
            db.executemany("INSERT OR REPLACE INTO read_well VALUES (?, ?, ?)", rows)
    except (OSError, StateError):
        log.warning("what was read is not remembered", exc_info=True)


def was_read(path: Path, size: int, modified: int) -> bool:
    """Whether a file as it is now was read without harm."""
    try:
        with opened(state_file(), _TABLE, patience=2.0) as db:
            row = db.execute("SELECT size, modified FROM read_well WHERE path=?", (str(path),)).fetchone()
    except StateError:
        return False
    return row is not None and (int(row[0]), int(row[1])) == (size, modified)


def try_out(question: Question, report: Report) -> None:
    """Open a file, decode its first frame and a little of its sound: a task for a worker. Raises MediaError.

    What cannot be decoded is no harm: whoever opens it next is told.
    """
    with suppress(av.error.FFmpegError, *ODD_FILE):
        _try_out(question, report)


def _try_out(question: Question, report: Report) -> None:
    with open_media(question.path, question.rate) as container:
        has_sound = bool(container.streams.audio)
        if container.streams.video:
            next(container.decode(container.streams.video[0]), None)
    report(0.5)
    if has_sound:
        reader = SoundReader(question.path)
        try:
            reader.read(0, _SOUND)
        finally:
            reader.close()


class Vetting:
    """Stands at the door of this process: every opening of a media file comes through :meth:`vet`. A context manager
    while it does. Any thread may ask; several that ask for one file wait for one answer, and nobody for a file that is
    known, however long another takes."""

    def __init__(self) -> None:
        self._lock = threading.Lock()  # of what stands below, for a moment
        self._asking: dict[Known, threading.Lock] = {}
        self._pool: WorkerPool | None = None
        self._well: set[Known] = set()
        self._deadly: set[Known] = set()
        self._closed = False

    def __enter__(self) -> Vetting:
        opened_through(self.vet)
        return self

    def __exit__(self, *_error: object) -> None:
        self.end()
        self.close()

    def vet(self, path: Path, rate: Fraction | None = None) -> None:
        """Return when the file may be opened here; raises MediaError for one that ended its readers, OSError."""
        known = (path, *status(path))
        if known in self._well:
            return
        with self._lock:
            turn = self._asking.setdefault(known, threading.Lock())
        try:
            with turn:
                self._vet_in_turn(path, rate, known)
        finally:
            with self._lock:
                self._asking.pop(known, None)

    def _vet_in_turn(self, path: Path, rate: Fraction | None, known: Known) -> None:
        if known in self._well:
            return
        if known in self._deadly:
            raise _deadly(path)
        if not was_read(*known):
            self._try(path, rate, known)
            remember_read([path])
        self._well.add(known)
        for part in parts_of(path) if is_joined(path) else ():
            self._well.add((part, *status(part)))

    def _workers(self) -> WorkerPool:
        with self._lock:
            if self._pool is None:
                self._pool = WorkerPool(_SIDE_BY_SIDE, _STALLED)
            if self._closed:  # meanwhile: a pool that has ended refuses what comes
                self._pool.end()
            return self._pool

    def _try(self, path: Path, rate: Fraction | None, known: Known) -> None:
        for left in reversed(range(_TRIES)):
            if self._closed:
                raise MediaError("is not opened any more: the program is closing", path)
            try:
                self._workers().submit(try_out, Question(path, rate)).result()
            except (WorkerDied, WorkerStalled) as error:
                log.warning("%s ended its reader", path, exc_info=True)
                if not left:
                    self._deadly.add(known)
                    raise _deadly(path) from error
            except (Cancelled, CancelledError) as error:
                raise MediaError("is not opened any more: the program is closing", path) from error
            except (ShadowError, OSError):
                return  # whoever opens it here hears of it in the same words
            except Exception:  # whatever it was, the worker has lived through it
                log.warning("trying out %s", path, exc_info=True)
                return
            else:
                return

    def end(self) -> None:
        """Open nothing more; from now on files are opened without being tried."""
        self._closed = True
        no_longer_through(self.vet)
        if self._pool is not None:
            self._pool.end()

    def close(self, limit: float | None = None) -> bool:
        """Whether it had ended within ``limit`` seconds."""
        return self._pool is None or self._pool.close(limit)


def _deadly(path: Path) -> MediaError:
    return MediaError(
        "twice a process ended while it read this file: it is not opened here", path, "Check the file with care."
    )
