"""Opening the files of a source in a worker, those in sight first: their heads and posters come as they come."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from ....core.errors import Cancelled, sentence
from ....core.ingest import Inspection, InspectRequest, inspect
from ...work import Work
from .files import FileRow

_AT_ONCE = 3  # handed to the worker ahead
_LIMIT = 20.0  # seconds that a file may take
_TICK = 120  # milliseconds


class Looking(QObject):
    """One worker. ``seen`` gives source, path and what was found."""

    seen = Signal(Path, str, Inspection)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._pool = work.machine.shared("wanted")
        self._source: Path | None = None
        self._rows: Callable[[], list[FileRow]] = list
        self._in_sight: Callable[[], list[FileRow]] = list
        self._rate: Fraction | None = None
        self._known: dict[tuple[Path, str, int, int], Inspection] = {}
        self._running: set[Future[Inspection]] = set()
        self._asked: set[str] = set()
        self._next = 0
        self._closed = False
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._more)

    def look_at(
        self, source: Path, rows: Callable[[], list[FileRow]], in_sight: Callable[[], list[FileRow]],
        rate: Fraction | None,
    ) -> None:  # fmt: skip
        """Look at the files of a source from now on; what was asked for before is dropped."""
        if self._closed:  # a list that was being read came after the end
            return
        self._drop()
        self._source, self._rows, self._in_sight, self._rate = source, rows, in_sight, rate
        self._asked.clear()
        self._next = 0
        self._timer.start()

    def kept(self, source: Path, row: FileRow) -> Inspection | None:
        """What was found of a file before."""
        return self._known.get((source, row.file.path, row.file.size, row.file.modified))

    def _more(self) -> None:
        source = self._source
        if source is None or self._work.run_of(source) is not None:
            return  # the card is read by the copying: posters wait
        while len(self._running) < _AT_ONCE:
            row = self._wanted()
            if row is None:
                if not self._running:
                    self._timer.stop()
                return
            self._ask(source, row)

    def _wanted(self) -> FileRow | None:
        for row in self._in_sight():
            if row.seen is None and row.file.path not in self._asked:
                return row
        rows = self._rows()
        while self._next < len(rows):
            row = rows[self._next]
            self._next += 1
            if row.seen is None and row.file.path not in self._asked:
                return row
        return None

    def _ask(self, source: Path, row: FileRow) -> None:
        self._asked.add(row.file.path)
        rate = self._rate if row.file.kind == "sequence" else None
        request = InspectRequest(row.file.at(source), rate, row.file.kind != "sound")
        future: Future[Inspection] = self._pool.submit(inspect, request, stalled_after=_LIMIT)
        self._running.add(future)
        key = (source, row.file.path, row.file.size, row.file.modified)
        future.add_done_callback(lambda done: self._work.call_here(lambda: self._came(done, key)))

    def _came(self, future: Future[Inspection], key: tuple[Path, str, int, int]) -> None:
        self._running.discard(future)
        try:
            found = future.result()
        except Cancelled:
            return
        except Exception as error:  # whatever a file makes of its reader, the list goes on
            found = Inspection(problem=sentence(error))
        self._known[key] = found
        self.seen.emit(key[0], key[1], found)
        self._more()

    def close(self) -> None:
        """Have the worker end; nothing is looked at any more."""
        self._closed = True
        self._timer.stop()
        self._source = None
        self._drop()

    def _drop(self) -> None:
        for future in self._running:
            self._pool.cancel(future)
