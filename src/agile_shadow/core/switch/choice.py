"""Which file of a clip is shown: the switch, the pin, and what is there."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Literal

from ..pairs import FileRef, Proxy
from ..project import Clip, Project
from ..timeline import Block, Side

Kind = Literal["original", "proxy", "missing"]


@dataclass(frozen=True)
class Choice:
    """The file to show. ``lead`` in seconds of the original before the file's first frame; ``note`` says why not the
    wanted side. For ``missing``, ``note`` says which shelf is gone and what to do."""

    kind: Kind
    clip: Clip
    path: Path | None = None
    file: FileRef | None = None
    lead: Fraction = Fraction(0)
    width: int = 0
    height: int = 0
    note: str = ""

    @property
    def mark(self) -> str:
        """The text on the picture: what it is, and its size in pixels."""
        if self.kind == "missing":
            return "MISSING"
        extra = f", {self.note}" if self.note else ""
        return f"{self.kind.upper()} {self.width} x {self.height}{extra}"


class Presence:
    """What is known of files being there. Asking never touches a drive; whoever opens files tells."""

    def __init__(self) -> None:
        self._missing: dict[str, float] = {}  # since when, in seconds since 1970
        self._lock = threading.Lock()
        self.version = 0  # counts the changes

    def tell(self, path: Path, present: bool) -> None:
        """Note what was found."""
        with self._lock:
            if present == (str(path) in self._missing):
                self.version += 1
            if present:
                self._missing.pop(str(path), None)
            else:
                self._missing.setdefault(str(path), time.time())

    def is_missing(self, path: Path) -> bool:
        """True when the file was found missing and not found again since."""
        with self._lock:
            return str(path) in self._missing

    def missing_now(self) -> frozenset[str]:
        """Paths of all that is known to be missing, as text."""
        with self._lock:
            return frozenset(self._missing)

    def missing_since(self, path: str) -> str:
        """Day and time when a missing file was first missed, "" for one that is not known to be missing."""
        with self._lock:
            since = self._missing.get(path)
        return _minute(int(since) // 60) if since is not None else ""

    def only_missing(self, paths: Iterable[str]) -> None:
        """Somebody looked at everything: these are missing and no others."""
        now = dict.fromkeys(paths, time.time())
        with self._lock:
            if now.keys() != self._missing.keys():
                self.version += 1
                self._missing = {path: self._missing.get(path, since) for path, since in now.items()}

    @property
    def any_missing(self) -> bool:
        """Whether anything is known to be missing."""
        return bool(self._missing)

    def look_again(self) -> None:
        """Forget what was missing: drives may have come back."""
        with self._lock:
            self.version += bool(self._missing)
            self._missing.clear()


@lru_cache(maxsize=64)  # a drive that goes takes thousands of files with it
def _minute(minutes: int) -> str:
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(minutes * 60))


def choose(
    project: Project,
    clip: Clip,
    presence: Presence,
    seconds: Fraction | None = None,
    block: Block | None = None,
    only: Side | None = None,
) -> Choice:
    """The file to show of a clip: the wanted side if it is there, else the other, else none.

    ``seconds`` after the clip's first frame: there a proxy must have a frame; None: anywhere. ``block``: the one that
    shows it, which may be pinned. ``only``: that side or nothing.
    """
    side = only or project.side_of(clip, block)
    proxy = _proxy_choice(project, clip, presence, seconds) if only != "originals" else None
    original = _original_choice(project, clip, presence) if only != "proxies" else None
    wanted, other = (proxy, original) if side == "proxies" else (original, proxy)
    if wanted is not None:
        return wanted
    if other is not None:
        note = "original missing"
        if other.kind == "original":
            short = seconds is not None and _proxy_choice(project, clip, presence, None) is not None
            note = "no proxy of this part" if short else "no proxy"
        return replace(other, note=note)
    lost = clip.original.file if only != "proxies" or not clip.proxies else clip.proxies[-1].file
    shelf = project.shelf(lost.shelf)
    name = shelf.name if shelf is not None else "unknown"
    return Choice("missing", clip, note=f"Shelf {name} is not there. Connect it, or find the file again.")


def _proxy_choice(project: Project, clip: Clip, presence: Presence, seconds: Fraction | None) -> Choice | None:
    for proxy in reversed(clip.proxies):
        path = project.place_or_none(proxy.file)
        if path is not None and not presence.is_missing(path):
            info = proxy.info
            lead = proxy.offset / info.frame_rate if info.frame_rate else Fraction(0)
            if seconds is not None and not _covers(proxy, clip, lead, seconds):
                continue
            return Choice("proxy", clip, path, proxy.file, lead, info.display_width, info.display_height)
    return None


def _covers(proxy: Proxy, clip: Clip, lead: Fraction, seconds: Fraction) -> bool:
    """Whether a proxy has a frame for a moment of its clip. One that ends with its clip does, whatever rates say."""
    if seconds < lead:
        return False
    ends_with_it = proxy.end() >= clip.original.info.frames
    return ends_with_it or seconds < lead + proxy.info.frames / proxy.info.frame_rate


def _original_choice(project: Project, clip: Clip, presence: Presence) -> Choice | None:
    path = project.place_or_none(clip.original.file)
    if path is None or presence.is_missing(path):
        return None
    info = clip.original.info
    return Choice("original", clip, path, clip.original.file, Fraction(0), info.display_width, info.display_height)
