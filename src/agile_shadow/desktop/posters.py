"""Posters of clips for lists and the timeline, made in a worker as rows come into sight, kept for the next time."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from fractions import Fraction
from functools import partial
from pathlib import Path

from ..core.errors import Cancelled
from ..core.ingest import Inspection, InspectRequest, inspect, poster_in_cache
from ..core.threads import Errands
from .work import Work

_AT_ONCE = 3
_LIMIT = 20.0  # seconds that a file may take


class Posters:
    """One worker. What was wanted last comes first: it is what is in sight."""

    def __init__(self, work: Work, came: Callable[[str, bytes | None], None]) -> None:
        self._work = work
        self._came = came
        self._pool = work.machine.shared("wanted")
        self._cache = Errands("posters")
        self._asked: set[str] = set()
        self._waiting: list[tuple[str, Path, Fraction | None]] = []
        self._running = 0
        self._closed = False

    def want(self, clip: str, path: Path | None, rate: Fraction | None) -> None:
        """Want the poster of a clip, once; without a path there is none."""
        if clip in self._asked or self._closed:
            return
        self._asked.add(clip)
        if path is None:
            self._work.call_here(lambda: self._came(clip, None))
        else:
            self._cache.submit(self._look, clip, path, rate)

    def _look(self, clip: str, path: Path, rate: Fraction | None) -> None:
        """On a thread: one made before comes at once, without waiting for the worker."""
        try:
            known = poster_in_cache(path)
        except OSError:
            self._work.call_here(lambda: self._came(clip, None))
            return
        if known is not None:
            self._work.call_here(lambda: self._came(clip, known))
        else:
            self._work.call_here(lambda: self._wait(clip, path, rate))

    def _wait(self, clip: str, path: Path, rate: Fraction | None) -> None:
        self._waiting.append((clip, path, rate))
        self._more()

    def _more(self) -> None:
        while self._waiting and self._running < _AT_ONCE and not self._closed:
            clip, path, rate = self._waiting.pop()
            future: Future[Inspection] = self._pool.submit(inspect, InspectRequest(path, rate), stalled_after=_LIMIT)
            self._running += 1
            future.add_done_callback(partial(self._tell_of, clip))

    def _tell_of(self, clip: str, future: Future[Inspection]) -> None:
        self._work.call_here(lambda: self._made(clip, future))

    def _made(self, clip: str, future: Future[Inspection]) -> None:
        self._running -= 1
        if self._closed:
            return
        try:
            self._came(clip, future.result().picture)
        except Cancelled:
            return
        except Exception:  # whatever a file does to its reader, the list goes on
            self._came(clip, None)
        self._more()

    def forget(self) -> None:
        """Files came back or colours changed: ask again."""
        self._asked.clear()

    def close(self) -> None:
        """Have the worker end."""
        self._closed = True
        self._cache.end()
        self._work.at_the_end(self._cache.close)
