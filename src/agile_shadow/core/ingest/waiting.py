"""What waits for a person: jobs without their card, without room, and without the drive of a shelf."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from ..errors import NoRoom, ShelfGone, sentence
from ..jobs import Handed
from ..shelves import free_room
from .setting import Setting
from .source import SourceFile

AGAIN = 1.0  # seconds between two looks for a card, a drive or room
_SPARE = 64 << 20  # bytes that are left free when writing goes on after a full drive


class Waiting:
    """For the run's thread; other threads may ask :attr:`person`. ``shelf``: the root of a shelf that is away."""

    def __init__(self, setting: Setting) -> None:
        self._s = setting
        self._card: tuple[SourceFile, ...] = ()
        self._room: tuple[tuple[Handed, Path], ...] = ()
        self._drive: tuple[tuple[SourceFile, str], ...] = ()
        self._looked = 0.0
        self.shelf: Path | None = None

    @property
    def any(self) -> bool:
        """Whether anything waits."""
        return bool(self._card or self._room or self._drive)

    @property
    def person(self) -> str:
        """What only a person can bring; "" when nothing. Any thread may ask."""
        shelf, card, room = self.shelf, self._card, self._room
        if shelf is not None:
            return f"the drive of {shelf}: connect it again"
        if card:
            return f"the card {self._s.request.source.name} (insert it again)"
        return f"free space on {room[0][1]}" if room else ""

    def for_card(self, job: Handed) -> None:
        """A job needs its card."""
        self._card = (*self._card, job.about)
        self._back(job, "waiting for the card", "")

    def for_room(self, job: Handed, error: NoRoom) -> None:
        """A drive is full."""
        folder = error.path.parent if error.path is not None else self._s.request.originals
        self._room = (*self._room, (job, folder))
        self._back(job, "waiting for room", sentence(error))

    def for_drive(self, job: Handed) -> None:
        """A drive that is written to was taken away: its folders are never made on another one."""
        self.shelf = self._s.shelves.gone()
        self._drive = (*self._drive, (job.about, job.kind))
        self._back(job, "waiting for a drive", "")

    def _back(self, job: Handed, phase: str, note: str) -> None:
        self._s.board.change(job.key, state="waiting", part=0.0, begun=0.0, note=note)
        self._s.note(job.about, phase=phase, note=note, done=0.0)

    def forget(self, file: SourceFile, kind: str) -> None:
        """A job was taken back."""
        self._card = tuple(one for one in self._card if one is not file)
        self._room = tuple(one for one in self._room if one[0].key != (kind, file.path))
        self._drive = tuple(one for one in self._drive if one[0] is not file)
        self.shelf = self.shelf if self._drive else None

    def look(self, begin: Callable[[SourceFile, str], None], hand_over: Callable[[Handed], None]) -> None:
        """See now and then whether a card, a drive or room has come, and let what waited for it go on."""
        if not self.any or time.monotonic() - self._looked < AGAIN:
            return
        self._looked = time.monotonic()
        for file, kind in self._with_drive():
            begin(file, kind)
        if self._card and self._s.card_is_there():
            files, self._card = self._card, ()
            for file in files:
                begin(file, "copy")
        fits = [one for one in self._room if _fits(*one)]
        self._room = tuple(one for one in self._room if one not in fits)
        for job, _folder in fits:
            hand_over(job)

    def _with_drive(self) -> tuple[tuple[SourceFile, str], ...]:
        if not self._drive:
            return ()
        try:
            self._s.shelves.renew()
        except ShelfGone as error:
            self.shelf = error.path
            return ()
        drive, self._drive, self.shelf = self._drive, (), None
        return drive


def _fits(job: Handed, folder: Path) -> bool:
    return free_room(folder) > (job.about.size if job.kind == "copy" else 0) + _SPARE
