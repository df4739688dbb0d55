"""Reading what is on a source, in the background: the list first, then what belongs together."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ....core.errors import ShadowError, sentence
from ....core.ingest import BriefRequest, SourceListing, brief_of, read_source, settle, to_be_opened
from ....core.shelves import free_room, would_share_a_drive
from ...work import Work

_HEAD = 20.0  # seconds that opening one file of a source may take
_Read = tuple[SourceListing | None, str, int, bool]


@dataclass(frozen=True)
class TypedFolders:
    """The folders that are typed; ``second``: for second copies."""

    originals: Path
    proxies: Path
    second: Path | None

    def on_the_drive_of_second_copies(self) -> frozenset[Path]:
        """Which of both lie there. Touches drives."""
        if self.second is None:
            return frozenset()
        return frozenset(one for one in (self.originals, self.proxies) if would_share_a_drive(one, self.second))


class SourceReading(QObject):
    """The newest request wins. ``came``: there is something new; ``whole``: all that was found, None for nothing;
    ``problem``: why; ``free``: bytes where originals go; ``one_drive``: which folders of originals and proxies lie on
    the drive of second copies, told by ``placed``: a drive that does not answer holds up nothing else."""

    came = Signal()
    placed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._number = 0
        self.whole: SourceListing | None = None
        self.problem = ""
        self.free = 0
        self.one_drive: frozenset[Path] = frozenset()

    def read(self, source: Path, targets: TypedFolders, join: bool) -> None:
        """Read a source; ``targets``: where its files would go; ``join``: split recordings are one clip."""
        self.stop()
        number = self._number

        def read() -> _Read:
            try:
                listing = read_source(source)
                return listing, "", free_room(targets.originals), bool(to_be_opened(listing))
            except (ShadowError, OSError) as error:
                return None, sentence(error), 0, False

        def then(answer: _Read) -> None:
            if number == self._number:
                self.whole, self.problem, self.free, opens = answer
                self.came.emit()
                if self.whole is not None and opens:
                    self._settle(number, source, self.whole, join)

        def placed(one_drive: frozenset[Path]) -> None:
            if number == self._number:
                self.one_drive = one_drive
                self.placed.emit()

        self._work.in_background(read, then)
        self._work.in_background(targets.on_the_drive_of_second_copies, placed)

    def _settle(self, number: int, source: Path, listing: SourceListing, join: bool) -> None:
        """Open what must be opened to tell which files belong together; the list follows."""

        def open_files() -> SourceListing:
            heads = {}
            opener = self._work.machine.shared("wanted")
            for path in to_be_opened(listing):
                if number != self._number:
                    break
                try:
                    heads[path] = opener.submit(brief_of, BriefRequest(source / path), stalled_after=_HEAD).result()
                except ShadowError:
                    heads[path] = None
            return settle(listing, heads, join)

        def then(settled: SourceListing) -> None:
            if number == self._number and settled != self.whole and self._work.run_of(source) is None:
                self.whole = settled
                self.came.emit()

        self._work.in_background(open_files, then)

    def stop(self) -> None:
        """Whatever is being read is overtaken."""
        self._number += 1
