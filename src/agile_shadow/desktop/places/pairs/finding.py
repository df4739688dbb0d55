"""Looking for files on behalf of the place: the searches, what a person says to what was found, and taking it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject

from ....core.matching.names import Addition, addition_between
from ....core.project import Clip
from ....core.upkeep.by_hand import offer_by_hand
from ....core.upkeep.missing import FoundAgain, find_again, missing_files, take_again
from ....core.upkeep.search import Search
from ....core.upkeep.taking import take
from ...pair_work import RunningSearch
from ...work import Work
from .offers import OfferRow, rows_of_missing, rows_of_offers, told_of_offers

if TYPE_CHECKING:
    from .place import PairsPlace


class PairSearch(QObject):
    """One search at a time, and what was found by the last."""

    def __init__(self, work: Work, place: PairsPlace) -> None:
        super().__init__()
        self._work = work
        self._place = place
        self._where = Path()
        self._search: Search | None = None
        self._again: FoundAgain | None = None
        self._confirmed: dict[Path, str] = {}
        self._taught: set[Addition] = set()
        self._refused: set[Path] = set()
        self._asked = 0

    @property
    def busy(self) -> bool:
        """Whether something is being looked for."""
        return self._work.pairs.looking is not None

    def look_for_pairs(self, places: list[Path]) -> None:
        """Look through folders or files for the other halves of the clips."""
        project = self._work.session.project

        def work(state: RunningSearch) -> Any:
            search = Search(project, places, state.pool, True, state.report, state.stopped.is_set)
            search.run()
            return search

        self._begin(places, work, self._found)

    def look_for_missing(self, place: Path) -> None:
        """Search a folder for files that have moved."""
        project = self._work.session.project

        def work(state: RunningSearch) -> FoundAgain:
            return find_again(missing_files(project), [place], state.pool, state.report, state.stopped.is_set)

        self._begin([place], work, self._found_again)

    def _begin(self, places: list[Path], work: Any, then: Any) -> None:
        self._where = places[0]
        self._search, self._again = None, None
        self._confirmed, self._taught, self._refused = {}, set(), set()
        self._place.panel.halt()
        self._work.pairs.look(places, work, then)
        if self._work.pairs.looking is not None:
            self._place.upper.setCurrentWidget(self._place.offers)
            self.show_progress()

    def show_progress(self) -> None:
        """The line above the list while a search runs."""
        state = self._work.pairs.looking
        if state is not None and self._place.upper.currentWidget() is self._place.offers:
            self._place.offers.show_progress(f"{state.text}.")

    def _found(self, search: Search | None) -> None:
        if search is None:
            self.put_away()
            return
        self._search = search
        self._place.upper.setCurrentWidget(self._place.offers)
        self._show()

    def _found_again(self, found: FoundAgain | None) -> None:
        if found is None:
            self.put_away()
            return
        self._again = found
        self._place.upper.setCurrentWidget(self._place.offers)
        self._show()

    def _show(self) -> None:
        """Decide in the background, since thousands of files take a while; what a newer tick overtook is dropped."""
        self._asked += 1
        asked, search, project = self._asked, self._search, self._work.session.project
        name = self._where.name or str(self._where)
        if search is not None:
            taught, confirmed, refused = set(self._taught), dict(self._confirmed), set(self._refused)

            def work() -> list[OfferRow]:
                return rows_of_offers(search.decide(taught, confirmed), project, refused, confirmed)

            self._work.in_background(work, lambda rows: self._show_rows(asked, rows, told_of_offers(rows, name)))
        elif self._again is not None:
            told = f"{name}: {len(self._again.found)} of the missing files are here, {len(self._again.still)} are not."
            self._show_rows(asked, rows_of_missing(self._again, self._refused), told)

    def _show_rows(self, asked: int, rows: list[OfferRow], told: str) -> None:
        if asked == self._asked and (self._search is not None or self._again is not None):
            self._place.offers.show_rows(rows, told)

    # What a person says

    def tick(self, row: OfferRow, yes: bool) -> None:
        """A tick confirms a likely pair by hand, and teaches what is like it; without, the file is left out."""
        (self._refused.discard if yes else self._refused.add)(row.path)
        if self._search is not None and row.thing is not None:
            if yes and row.verdict == "likely":
                self._confirmed[row.path] = row.thing.clip
                self._learn(row)
            elif not yes and row.path in self._confirmed:
                del self._confirmed[row.path]
                self._taught = set()
        elif self._again is not None:
            self._tick_again(row, yes)
        self._show()

    def _learn(self, row: OfferRow) -> None:
        clip = self._work.session.project.clip(row.thing.clip)
        if clip is None or row.kind != "proxy":
            return
        addition = addition_between(clip.original.file.path, str(row.path))
        if addition is not None and (addition.before or addition.after):
            self._taught.add(addition)

    def _tick_again(self, row: OfferRow, yes: bool) -> None:
        assert self._again is not None
        found = tuple(
            replace(one, verdict="certain") if one.path == row.path and yes else one for one in self._again.found
        )
        self._again = replace(self._again, found=found)

    def take(self, things: list[Any]) -> None:
        """Take what is ticked: one step for undo."""
        where = self._where if self._where.is_dir() else self._where.parent
        if self._again is not None:
            self._work.asked.keep_edit_lists()
            self._work.session.edit(f"Find {len(things)} files", lambda project: take_again(project, things, where))
            self._place.panel.player.presence.look_again()
            self._place.posters.forget()
        else:
            self._work.asked.keep_edit_lists()
            self._work.session.edit(f"Pair {len(things)} files", lambda project: take(project, things, where))
        self.put_away()
        self._work.pairs.prove_by_itself()

    def put_away(self) -> None:
        """Back to the ledger."""
        self._search, self._again = None, None
        self._place.show_rows()
        self._place.refresh()
        clip = self._place.current()
        if clip is not None:
            self._place.panel.show_clip(clip, self._work.session.project, 0)

    def pair_by_hand(self, clip: Clip, path: Path) -> None:
        """Join a file to a clip because a person says so; its offset is looked for, its proof tells what is wrong."""
        project = self._work.session.project

        def work(state: RunningSearch) -> Any:
            return offer_by_hand(project, clip, path, state.pool)

        def then(offer: Any) -> None:
            if offer is not None:
                self._work.asked.keep_edit_lists()
                self._work.session.edit(f"Pair {path.name}", lambda now: take(now, [offer], path.parent))
                self._work.pairs.prove([clip.id])

        self._work.pairs.look([path], work, then)
