"""Reading what is on a source, in the background: the list first, then what belongs together."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from ....core.drives import on_one_drive
from ....core.errors import ShadowError, sentence
from ....core.ingest import BriefRequest, SourceListing, brief_of, read_source, settle, to_be_opened
from ....core.shelves import free_room
from ...work import Work

_HEAD = 20.0  # seconds that opening one file of a source may take


class SourceReading(QObject):
    """The newest request wins. ``came``: there is something new; ``whole``: all that was found, None for nothing;
    ``problem``: why; ``free``: bytes where originals go; ``one_drive``: second copies would go onto the same drive."""

    came = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._number = 0
        self.whole: SourceListing | None = None
        self.problem = ""
        self.free = 0
        self.one_drive = False

    def read(self, source: Path, originals: Path, second: Path | None, join: bool) -> None:
        """Read a source; ``originals``, ``second``: where its files would go; ``join``: split recordings are one clip.
        """
        self.stop()
        number = self._number

        def read() -> tuple[SourceListing | None, str, int, bool, bool]:
            try:
                listing = read_source(source)
                both = second is not None and on_one_drive(originals, second)
                return listing, "", free_room(originals), both, bool(to_be_opened(listing))
            except (ShadowError, OSError) as error:
                return None, sentence(error), 0, False, False

        def then(answer: tuple[SourceListing | None, str, int, bool, bool]) -> None:
            if number == self._number:
                self.whole, self.problem, self.free, self.one_drive, opens = answer
                self.came.emit()
                if self.whole is not None and opens:
                    self._settle(number, source, self.whole, join)

        self._work.in_background(read, then)

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
