"""Sketches of clips that have no proxy yet, taken one after the other as clips come in."""

from __future__ import annotations

import logging
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from functools import partial

from ..errors import Cancelled
from ..jobs import Executor
from ..media.sketch import Sketch, SketchRequest, has_sketch, make_sketch
from ..project import Clip, Project
from ..threads import Errands

log = logging.getLogger(__name__)
_STALLED = 120.0  # seconds without a sign of life
_Key = tuple[str, int, int]  # a clip as its original is


def wants_sketch(clip: Clip) -> bool:
    """Whether there is nothing light to look through a clip yet."""
    return clip.original.info.kind == "video" and not clip.proxies


class Sketching:
    """Has sketches made for the clips of a project. Any thread may call any method.

    ``came`` is told, on a thread of its own, of each clip whose sketch was taken. A file of which none can be taken is
    asked for anew by :meth:`again`. ``rests`` is told when nothing is left.
    """

    def __init__(
        self, executor: Executor, came: Callable[[str], None], rests: Callable[[], None] = lambda: None
    ) -> None:
        self._executor, self._came, self._rests = executor, came, rests
        self._errands = Errands("sketches")
        self._lock = threading.Lock()
        self._project: Project | None = None
        self._waiting: deque[tuple[str, _Key]] = deque()
        self._asked: set[_Key] = set()
        self._failed: set[_Key] = set()
        self._taken_back: set[_Key] = set()
        self._running: Future[Sketch] | None = None
        self._closed = False

    @property
    def left(self) -> int:
        """Clips whose sketch is wanted and not there."""
        with self._lock:
            return len(self._waiting) + (self._running is not None)

    def want(self, project: Project) -> None:
        """Take what is missing of a project as it is now. There may be ten thousand clips, and one more every second:
        those that were asked for are passed over."""
        with self._lock:
            same = self._project is not None and project.clips is self._project.clips
            self._project = project
            if self._closed or same:
                return
            for clip in project.clips:
                if wants_sketch(clip) and (key := _key(clip)) not in self._asked:
                    self._asked.add(key)
                    self._waiting.append((clip.id, key))
        self._errands.submit(self._more)

    def again(self) -> None:
        """Files came back: what could not be taken is asked for once more."""
        with self._lock:
            project, self._project = self._project, None
            self._asked -= self._failed
            self._failed.clear()
        if project is not None:
            self.want(project)

    def _more(self) -> None:
        """On the thread of errands, which looks at drives."""
        while True:
            with self._lock:
                if self._running is not None or self._closed or self._project is None:
                    return
                following = self._waiting.popleft() if self._waiting else None
                project = self._project
            if following is None:
                self._rests()
                return
            identity, key = following
            clip = project.clip(identity)
            if clip is None or not wants_sketch(clip):  # it has a proxy by now
                continue
            path = project.place_or_none(clip.original.file)
            if path is None:
                continue
            if has_sketch(path):  # from an earlier time: whoever shows the clip finds it, and there may be thousands
                continue
            request = SketchRequest(path, clip.original.info.sequence_rate)
            try:
                future: Future[Sketch] = self._executor.submit(make_sketch, request, stalled_after=_STALLED)
            except Cancelled:  # the machine has closed
                return
            with self._lock:
                self._running = future
            future.add_done_callback(partial(self._errands.submit, self._ended, identity, key))
            return

    def _ended(self, identity: str, key: _Key, future: Future[Sketch]) -> None:
        with self._lock:
            self._running = None
            closed = self._closed
        try:
            future.result()
        except Cancelled:  # others use the executor too, and take back all that is in it
            if closed:
                return
            with self._lock:
                if key not in self._taken_back:  # once more and not again and again: the executor may be at its end
                    self._waiting.appendleft((identity, key))
                self._taken_back.add(key)
        except Exception as error:  # whatever a file does to its reader, the others have their sketch
            log.info("no sketch of clip %s: %s", identity, error)
            with self._lock:
                self._failed.add(key)
        else:
            if not closed:
                self._came(identity)
        self._more()

    def end(self) -> None:
        """Take no more, without waiting for what is being taken."""
        with self._lock:
            self._closed = True
            self._waiting.clear()
            running = self._running
        if running is not None:
            self._executor.cancel(running)
        self._errands.end()

    def close(self, limit: float | None = None) -> bool:
        """End it; whether its thread had ended within ``limit`` seconds."""
        self.end()
        return self._errands.close(limit)


def _key(clip: Clip) -> _Key:
    return clip.id, clip.original.size, clip.original.modified
