"""What a run shows of itself: every file's state, every job, and the sums, kept up to date change by change."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from ..amounts import counted
from ..jobs import JobStore, Listing
from .source import SourceFile

READING = "reading the source"  # before a run knows its files
_PROXY_SHARE = 0.85  # of a file's work, where a proxy is made
_NO_PROXY = ("failed", "no need", "passed over", "cancelled")
_ENDED = ("paired", "failed", "in place", "no need", "passed over", "cancelled")


@dataclass(frozen=True)
class ItemState:
    """One file of the run, for the screen. ``done`` from 0 to 1 within ``phase``; ``note`` says more.

    ``here``: the project held it already, by its content. ``parts``: how many files it is, when it is several.
    ``copied``: all its copies lie where they are to lie, looked at in this run; ``proved``: and their bytes were read.
    ``step``: what a person can do about it, where that is known (see :class:`Problem`).
    """

    path: str
    kind: str
    size: int
    phase: str = "waiting"
    done: float = 0.0
    note: str = ""
    here: bool = False
    parts: int = 1
    copied: bool = False
    proved: bool = False
    step: str = ""

    @property
    def ended(self) -> bool:
        """Whether nothing more will happen to it by itself."""
        return self.phase in _ENDED or self.phase == "stopped"


@dataclass(frozen=True)
class Progress:
    """The run at one moment.

    ``copied`` of ``files`` are in their place, ``proved`` of them read back in this run. ``remaining`` in seconds, None
    while it cannot be told. ``waits``: what it waits for. ``failed``: how many need a person so far.
    """

    files: int
    copied: int
    proxies_done: int
    proxies_wanted: int
    failed: int
    fraction: float
    remaining: float | None
    waits: str = ""
    proved: int = 0

    def of_work(self) -> str:
        """``3 of 8 proxies``; where none are made, ``4 of 12 files``."""
        if not self.files:
            return READING
        if self.proxies_wanted:
            return f"{self.proxies_done} of {counted(self.proxies_wanted, 'proxy', 'proxies')}"
        return f"{self.copied} of {counted(self.files, 'file')}"

    def in_short(self) -> str:
        """``9 of 12 verified``; where nothing is read back, ``11 of 12 in place``."""
        if not self.files:
            return READING
        stays = self.copied and not self.proved
        return f"{self.copied if stays else self.proved} of {self.files} {'in place' if stays else 'verified'}"

    def of_files(self) -> str:
        """``11 of 12 in place, 9 verified``: verified is what was read back, never more."""
        if not self.files:
            return READING
        return f"{self.copied} of {self.files} in place" + (f", {self.proved} verified" if self.proved else "")


class Board(Listing):
    """Any thread may call any method."""

    def __init__(self, store: JobStore, making: bool) -> None:
        super().__init__(store)
        self._making = making
        self._items: dict[str, ItemState] = {}
        self._order: dict[str, int] = {}
        self._changed: dict[str, int] = {}
        self._version = 0
        self._total = 0
        self._sum = 0.0
        self._counts: dict[str, int] = {}
        self._begun = time.monotonic()
        self.waits = ""

    # Files

    def fill(self, run: int, files: Iterable[SourceFile]) -> None:
        """Begin with the files of a run; what the queue on disk knows of its jobs is taken over."""
        self.begin(run)
        with self._lock:
            for file in files:
                item = ItemState(file.path, file.kind, file.size, parts=len(file.files))
                self._order[file.path] = len(self._items)
                self._items[file.path] = item
                self._total += item.size
                self._count(item, 1)
                self._version += 1
                self._changed[file.path] = self._version

    def note(self, path: str, **changes: Any) -> None:
        """Change what is known of a file."""
        with self._lock:
            before = self._items[path]
            after = replace(before, **changes)
            if after == before:
                return
            self._count(before, -1)
            self._items[path] = after
            self._count(after, 1)
            self._version += 1
            self._changed[path] = self._version

    def _count(self, item: ItemState, sign: int) -> None:
        self._sum += sign * item.size * self._share(item)
        self._counts[item.phase] = self._counts.get(item.phase, 0) + sign
        for so, what in ((item.proved, "proved"), (item.copied and item.phase == "failed", "copied, needs a person")):
            if so:
                self._counts[what] = self._counts.get(what, 0) + sign
        if self._makes(item) and item.phase not in _NO_PROXY:
            self._counts["wanted"] = self._counts.get("wanted", 0) + sign
            if item.phase == "paired":
                self._counts["made"] = self._counts.get("made", 0) + sign

    def _makes(self, item: ItemState) -> bool:
        return self._making and item.kind in ("video", "sequence")

    def _share(self, item: ItemState) -> float:
        copy_share = 1 - _PROXY_SHARE if self._makes(item) else 1.0
        if item.phase in _ENDED:
            return 1.0
        if item.phase == "copying":
            return copy_share * item.done
        if item.phase in ("copied", "queued", "measuring"):
            return copy_share
        return copy_share + _PROXY_SHARE * item.done if item.phase == "making" else 0.0

    def items(self) -> list[ItemState]:
        """All files in order, as they are now."""
        with self._lock:
            return list(self._items.values())

    def item(self, path: str) -> ItemState:
        """One file as it is now."""
        return self._items[path]

    def changes(self, since: int) -> tuple[int, list[tuple[int, ItemState]]]:
        """The version of now, and (number, state) of the files that changed after version ``since``."""
        with self._lock:
            changed = [path for path, version in self._changed.items() if version > since]
            return self._version, [(self._order[path], self._items[path]) for path in changed]

    def progress(self) -> Progress:
        """The run at this moment."""
        with self._lock:
            counts, fraction = dict(self._counts), self._sum / (self._total or 1)
            files = len(self._items) - counts.get("passed over", 0)
        elapsed = time.monotonic() - self._begun
        remaining = elapsed * (1 - fraction) / fraction if fraction > 0.02 and not self.waits else None
        copied = sum(
            counts.get(phase, 0)
            for phase in (
                "copied", "queued", "measuring", "making", "paired", "in place", "no need", "copied, needs a person",
            )
        )
        return Progress(
            files, copied, counts.get("made", 0), counts.get("wanted", 0), counts.get("failed", 0),
            min(1.0, max(0.0, fraction)), remaining, self.waits, counts.get("proved", 0),
        )  # fmt: skip
