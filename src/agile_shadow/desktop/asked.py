"""What is asked of the queue: ingests, proxies, films, shelves to be read, and wishes for what runs."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from ..core import desk, handover  # their parts are loaded when they are needed
from ..core.errors import ShadowError, sentence
from ..core.ingest import IngestRequest, IngestRun
from ..core.jobs import Piece
from ..core.project import Bake
from ..core.shelves import Shelf
from ..core.upkeep.making import MakeRequest

if TYPE_CHECKING:
    from ..core.desk import Run
    from ..core.film import FilmRequest
    from .work import Work

_KEEPING = threading.Lock()  # one at a time: each looks at what the one before has kept


class Requests:
    """Belongs to the window's work. What is refused comes there as a problem."""

    def __init__(self, work: Work) -> None:
        self._work = work
        self._begun = threading.Event()  # set when those that were asked for last are in the queue
        self._begun.set()

    def start_ingest(self, request: IngestRequest) -> bool:
        """Begin a run; a refusal comes as a problem."""
        begun = self._begin(lambda: self._work.desk.start(request))
        if begun:
            self._work.last_report = None
            self._work.last_at_end = request.preset.when.at_end
        return begun

    def start_films(self, requests: Sequence[FilmRequest]) -> None:
        """Make films, in the queue, in the order they were asked for. What is refused comes as a problem, and ends the
        row."""

        def begin() -> None:
            for request in requests:
                self._work.desk.film(request)

        self._in_turn(begin)

    def _in_turn(self, begin: Callable[[], object]) -> None:
        """Put something into the queue on a thread, after all that was asked for before: a row of thousands takes its
        time to write."""
        before, mine = self._begun, threading.Event()
        self._begun = mine

        def run() -> None:
            before.wait()
            try:
                begin()
            finally:
                mine.set()

        self._work.in_background(run, lambda _done: self._work.wake())

    def make(self, request: MakeRequest) -> None:
        """Make proxies of clips, in the queue."""
        self._in_turn(lambda: self._work.desk.make(request))

    def bake(self, start: int, end: int, alone: bool = False) -> None:
        """Bake frames ``start`` to before ``end`` of the open timeline, as the switch stands. ``alone``: nobody asked
        for it."""
        self._begin(lambda: self._work.desk.bake(start, end, alone))

    def remove_bakes(self, bakes: list[Bake]) -> None:
        """Take bakes away, with their files."""
        session = self._work.session
        self._work.in_background(lambda: desk.remove_bakes(session, bakes), lambda _done: None)

    def keep(self, shelf: Shelf) -> None:
        """Read a shelf against its records, in the queue."""
        self._begin(lambda: self._work.desk.keep(shelf))

    def second_copies(self, shelf: Shelf) -> None:
        """Bring the second copies on a shelf up to date, in the queue."""
        self._begin(lambda: self._work.desk.second_copies(shelf))

    def _begin(self, start: Callable[[], Run]) -> bool:
        """What is refused comes as a problem."""
        try:
            start()
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            return False
        self._work.wake()
        return True

    def keep_edit_lists(self) -> None:
        """Before media are swapped, removed or paired anew: keep what the cut was, beside the project."""
        project, path = self._work.session.project, self._work.session.path

        def keep() -> None:
            with _KEEPING:
                handover.keep_edit_lists(project, path)

        self._work.in_background(keep, lambda _done: None)

    def ask(self, pieces: list[Piece], wish: str) -> None:
        """Ask something of single jobs of the running ingests."""
        runs = {run.job: run for run in self._work.desk.runs}
        for piece in pieces:
            if piece.run in runs:
                runs[piece.run].ask(*piece.key, wish)
        if wish == "retry":
            for job in {piece.run for piece in pieces} - set(runs):
                self._try_again(job, [piece.key for piece in pieces if piece.run == job])
        self._work.wake()

    def _try_again(self, job: int, keys: list[tuple[str, str]]) -> None:
        self._work.in_background(lambda: self._work.desk.try_again(job, keys), lambda _done: self._work.wake())

    def proxies_now(self) -> None:
        """Let the running ingests make their proxies now, whatever they wait for."""
        for run in self._work.desk.ingests:
            run.make_now()

    def cancel_ingest(self) -> None:
        """Take the running ingests back; what is proven stays."""
        for run in self._work.desk.ingests:
            run.stop(for_good=True)

    def cancel_queued(self) -> None:
        """Take back all that was asked for besides ingests."""
        for run in self._work.desk.runs:
            if not isinstance(run, IngestRun):
                run.stop(for_good=True)
