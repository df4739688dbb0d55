"""All pairs of a project as rows: kept from one time to the next, in an order, prepared for searching, summed up."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from ....core.amounts import counted
from ....core.estimates import headroom_under, key_of
from ....core.project import Clip, Project
from ....core.switch import Presence
from ... import words
from ...measuring import Measuring
from ..presets.outlook import need_words
from .rows import Pair, Row, RowOrder, Surroundings, arranged, pair_of

_SLICE = 250  # rows prepared at a time
_WANT_A_PERSON = ("original missing", "proxy missing", "doubtful", "refused")


class PairList(QObject):
    """``order``: the column by which it is sorted, None for the project's order, and whether the last come first."""

    def __init__(self, measuring: Measuring, parent: QObject) -> None:
        super().__init__(parent)
        self._measuring = measuring
        self.order: tuple[int | None, bool] = (None, False)
        self._known: dict[str, Pair] = {}
        self._stamp: object = None
        self._all: list[Pair] = []
        self._all_of: object = None
        self._headroom_version = 0
        self._ordered = RowOrder([])
        self._version = 0
        self._waiting_of: list[Pair] | None = None
        self._waiting = 0
        self._needs_known = False  # whether the words hold: they are of originals, and proxies come by the thousand
        self._need_words = ""
        self._to_warm = 0
        self._warm_timer = QTimer(self)
        self._warm_timer.setInterval(2)
        self._warm_timer.timeout.connect(self._warm)

    def pairs(self, project: Project, presence: Presence) -> list[Pair]:
        """All rows; those of clips that did not change are kept from the last time."""
        stamp = (project.shelves, presence.version, self._headroom_version, project.used_clips)
        if stamp != self._stamp:
            self._stamp, self._known, self._needs_known = stamp, {}, False
            self._all_of = None
        if self._all_of is project.clips:
            return self._all
        around = Surroundings.of(project, presence)
        before = self._all if self._all_of is not None and len(self._all) == len(project.clips) else []
        self._needs_known &= bool(before)
        pairs = [
            before[n] if before and before[n].clip is clip else self._pair(clip, around)
            for n, clip in enumerate(project.clips)
        ]  # most are those of before: thousands of clips, of which one at a time changes
        self._all, self._all_of = pairs, project.clips
        return pairs

    def _pair(self, clip: Clip, around: Surroundings) -> Pair:
        """As known from the last time where it is the same clip."""
        pair, original = self._known.get(clip.id), clip.original
        if pair is None or pair.clip is not clip:
            self._needs_known &= pair is not None and pair.clip.original is original
            key = key_of(around.path(original.file), original.size, original.modified)
            measured = headroom_under(key, self._measuring.kept)
            pair = self._known[clip.id] = pair_of(clip, around, measured.ratio if measured is not None else None)
        return pair

    def rows(self, project: Project, presence: Presence, search: str, choice: int, grouping: int) -> list[Row]:
        """What is to be shown, in its order, with headings where it is grouped."""
        pairs = self.pairs(project, presence)
        if self._ordered.pairs is not pairs:
            self._ordered = RowOrder(pairs)
            self._version += 1
            self._to_warm = 0
            self._warm_timer.start()
        return arranged(self._ordered.by(*self.order), search, choice, grouping)

    def headroom_came(self) -> None:
        """Something was measured: what is shown is looked up again."""
        self._headroom_version += 1

    def waiting(self, project: Project, presence: Presence) -> int:
        """Pairs that want a person: files missing, proofs that are doubtful."""
        pairs = self.pairs(project, presence)
        if pairs is not self._waiting_of:
            self._waiting_of, self._waiting = pairs, sum(1 for pair in pairs if pair.kind in _WANT_A_PERSON)
        return self._waiting

    # Searching

    def _warm(self) -> None:
        """Gather what some more rows are searched and ordered by, so that the first time need not wait for all."""
        pairs = self._ordered.pairs
        for pair in pairs[self._to_warm : self._to_warm + _SLICE]:
            pair.text, pair.keys  # noqa: B018  (kept by the row)
        self._to_warm += _SLICE
        if self._to_warm >= len(pairs):
            self._warm_timer.stop()

    @property
    def warming(self) -> bool:
        """Whether rows are still being prepared for searching and ordering."""
        return self._warm_timer.isActive()

    # Sums

    @property
    def state(self) -> object:
        """Equal as long as sums of the same rows are the same."""
        return self._version

    def sums(self, project: Project, rows: list[Row]) -> str:
        """What the rows that are shown come to, in one line."""
        count = originals = proxies = size = proven = 0
        for row in rows:
            if isinstance(row, Pair):
                count += 1
                originals += row.clip.original.size
                proven += row.kind == "proven"
                for proxy in row.clip.proxies:
                    proxies += 1
                    size += proxy.size
        part = f"{count} of " if count != len(project.clips) else ""
        share = f" ({size / originals:.0%})" if originals else ""
        return (
            f"{part}{counted(len(project.clips), 'clip')}, {words.gigabytes(originals)}   |   "
            f"{counted(proxies, 'proxy', 'proxies')}, {words.gigabytes(size)}{share}   |   {proven} proven"
        )

    def need(self, project: Project) -> str:
        """Bytes by shelf, and which clips need a proxy on this machine, in one line."""
        if not self._needs_known:
            self._needs_known = True
            self._need_words = need_words(project, None, self._measuring)
        return "   |   ".join(text for text in (_by_shelf(self._ordered.pairs), self._need_words) if text)


def _by_shelf(pairs: list[Pair]) -> str:
    sums: dict[str, int] = {}
    for pair in pairs:
        sums[pair.original_shelf] = sums.get(pair.original_shelf, 0) + pair.clip.original.size
        if pair.proxy is not None:
            sums[pair.proxy_shelf] = sums.get(pair.proxy_shelf, 0) + pair.proxy.size
    return "   ".join(f"{name or 'no shelf'} {words.gigabytes(size)}" for name, size in sorted(sums.items()))
