"""Whether shelves are there and answer, looked at all the time: each by a thread of its own, for a drive that hangs
keeps whoever asks it waiting."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable
from pathlib import Path

from ..drives import drives

EVERY = 0.6  # seconds between two looks at a root
PATIENCE = 1.2  # seconds after which a drive that does not answer counts as away

Identity = tuple[int, int] | None


class _Root:
    """One root. ``identity``: what was seen last, None when it was not there; ``asked``: since when an answer is waited
    for, 0 when none is."""

    def __init__(self, path: Path, every: float) -> None:
        self.path = path
        self.identity: Identity = None
        self.seen = False
        self.asked = 0.0
        self.wanted = True
        self._every = every
        self._rest = threading.Event()
        threading.Thread(target=self._loop, name=f"attending {path.name}", daemon=True).start()

    def let_go(self) -> None:
        """Look at it no more."""
        self.wanted = False
        self._rest.set()

    def _loop(self) -> None:
        while self.wanted:
            self.asked = time.monotonic()
            try:
                found: Identity = drives().identity(self.path)
            except OSError:
                found = None
            self.identity, self.seen, self.asked = found, True, 0.0
            self._rest.wait(self._every)

    def hangs(self, patience: float) -> bool:
        """Whether it has not answered for too long."""
        asked = self.asked
        return asked > 0 and time.monotonic() - asked > patience

    def state(self, patience: float) -> object:
        """Another value as soon as another folder, or none, lies there, or it does not answer."""
        return "hangs" if self.hangs(patience) else (self.seen, self.identity)


class Attending:
    """``changed`` is called on a thread of its own when a root was first seen, came, went, or stopped answering."""

    def __init__(self, changed: Callable[[], None], every: float = EVERY, patience: float = PATIENCE) -> None:
        self._changed = changed
        self._every, self._patience = every, patience
        self._roots: dict[Path, _Root] = {}
        self._lock = threading.Lock()
        self._closing = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="attending", daemon=True)
        self._thread.start()

    def attend(self, roots: Iterable[Path]) -> None:
        """Look at these from now on, and at no others."""
        wanted = set(roots)
        with self._lock:
            if self._closing.is_set():
                return
            for path in set(self._roots) - wanted:
                self._roots.pop(path).let_go()
            for path in wanted - set(self._roots):
                self._roots[path] = _Root(path, self._every)

    @property
    def away(self) -> frozenset[Path]:
        """Roots that are not there, or do not answer."""
        with self._lock:
            roots = list(self._roots.values())
        return frozenset(one.path for one in roots if one.hangs(self._patience) or (one.seen and one.identity is None))

    def end(self) -> None:
        """Look no more; a thread that waits for a drive ends when the drive answers."""
        self._closing.set()
        self.attend_none()

    def attend_none(self) -> None:
        """Let go of all roots."""
        with self._lock:
            for one in self._roots.values():
                one.let_go()
            self._roots.clear()

    def _loop(self) -> None:
        before: dict[Path, object] = {}
        while not self._closing.wait(self._every / 2):
            with self._lock:
                now = {path: one.state(self._patience) for path, one in self._roots.items() if one.seen or one.asked}
            settled = {path: state for path, state in now.items() if state != (False, None)}
            if settled != before:
                before = settled
                self._changed()
