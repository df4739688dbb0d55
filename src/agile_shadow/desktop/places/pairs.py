"""Pairs: the ledger of originals and their proxies, and the picture of the chosen pair."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QItemSelection, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSplitter, QVBoxLayout, QWidget

from ...core.estimates import headroom_under, key_of
from ...core.pairs import Proxy
from ...core.playback import Presence, SoundOutput
from ...core.project import Clip, Project
from .. import words
from ..measuring import Measuring
from ..player_panel import PlayerPanel
from ..tables import Column, RowsModel, rows_table
from ..work import Work
from .presets.outlook import need_words


@dataclass(frozen=True)
class Pair:
    """A row: one clip and the proxy that is used of it."""

    clip: Clip
    proxy: Proxy | None
    original_missing: bool
    proxy_missing: bool
    original_shelf: str
    proxy_shelf: str
    headroom: float | None = None

    @property
    def state(self) -> str:
        """The spine: the state in words."""
        if self.clip.original.info.kind != "video":
            return f"{self.clip.original.info.kind}, needs none"
        if self.original_missing:
            return "original missing"
        if self.proxy is None:
            return "no proxy"
        text = "proxy missing" if self.proxy_missing else self.proxy.state
        return f"{text}, pinned to {self.clip.pin}" if self.clip.pin else text


_COLUMNS = (
    Column("Original", lambda p: p.clip.name, 178, mark=lambda p: "missing" if p.original_missing else "original",
           tip=lambda p: f"{p.original_shelf}: {p.clip.original.file.path}"),
    Column("Picture", lambda p: words.frame_size(p.clip.original.info), 112),
    Column("Codec", lambda p: words.codec(p.clip.original.info), 110),
    Column("Rate", lambda p: words.rate(p.clip.original.info), 122),
    Column("Size", lambda p: words.gigabytes(p.clip.original.size), 78, right=True),
    Column("Headroom", lambda p: _headroom(p), 84, right=True,
           tip=lambda p: "How many times faster than its rate the original decodes here"),
    Column("State", lambda p: p.state, 150),
    Column("Proxy", lambda p: words.frame_size(p.proxy.info) if p.proxy else "", 128,
           mark=lambda p: None if p.proxy is None else "missing" if p.proxy_missing else "proxy",
           tip=lambda p: f"{p.proxy_shelf}: {p.proxy.file.path}" if p.proxy else ""),
    Column("Codec", lambda p: words.codec(p.proxy.info) if p.proxy else "", 78),
    Column("Size", lambda p: words.gigabytes(p.proxy.size) if p.proxy else "", 78, right=True),
)  # fmt: skip


def _headroom(pair: Pair) -> str:
    if pair.clip.original.info.kind != "video":
        return ""
    return f"{pair.headroom:.1f}x" if pair.headroom is not None else "?"


class PairsPlace(QWidget):
    """The place. ``chosen`` tells the chosen clip."""

    chosen = Signal()

    def __init__(self, work: Work, sound: SoundOutput, measuring: Measuring) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self._measuring = measuring
        self._known: dict[str, Pair] = {}
        self._stamp: object = None
        self._headroom_version = 0
        self.panel = PlayerPanel(sound)
        self._build()
        self.panel.show_nothing("Choose a pair to see it. Q flips between original and proxy.")

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(8)
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search names, codecs, states")
        self.search.setFixedWidth(250)
        self.search.setAccessibleName("Search pairs")
        self.search.textChanged.connect(self.refresh)
        row.addWidget(self.search)
        row.addStretch(1)
        self.sums = QLabel("")
        self.sums.setObjectName("quiet")
        row.addWidget(self.sums)
        layout.addLayout(row)
        self.need = QLabel("")
        self.need.setObjectName("quiet")
        self.need.setWordWrap(True)
        splitter = QSplitter(Qt.Orientation.Vertical)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 6, "Pairs")
        self.table.selectionModel().selectionChanged.connect(self._selected)
        splitter.addWidget(self.table)
        splitter.addWidget(self.panel)
        splitter.setSizes([280, 380])
        splitter.setStretchFactor(1, 1)
        layout.addWidget(splitter, 1)
        layout.addWidget(self.need)

    def refresh(self) -> None:
        """Show the document."""
        project = self._work.session.project
        presence = self.panel.player.presence
        pairs = self._pairs(project, presence)
        wanted = self.search.text().casefold()
        if wanted:
            pairs = [pair for pair in pairs if any(wanted in column.text(pair).casefold() for column in _COLUMNS)]
        self.model.set_rows(pairs)
        self._show_sums(project)
        if self.panel.loaded:
            self.panel.update_project(project)

    def _pairs(self, project: Project, presence: Presence) -> list[Pair]:
        """All rows; those of clips that did not change are kept from the last time."""
        stamp = (project.shelves, presence.version, self._headroom_version)
        if stamp != self._stamp:
            self._stamp, self._known = stamp, {}
        known, pairs = self._known, []
        for clip in project.clips:
            pair = known.get(clip.id)
            if pair is None or pair.clip is not clip:
                pair = replace(_pair_of(project, clip, presence), headroom=self._headroom(clip))
                known[clip.id] = pair
            pairs.append(pair)
        return pairs

    def headroom_came(self) -> None:
        """Something was measured: what is shown is looked up again."""
        self._headroom_version += 1

    def _headroom(self, clip: Clip) -> float | None:
        shelf = self._work.session.project.shelf(clip.original.file.shelf)
        if shelf is None:
            return None
        key = key_of(shelf.root / clip.original.file.path, clip.original.size, clip.original.modified)
        found = headroom_under(key, self._measuring.kept)
        return found.ratio if found is not None else None

    def _show_sums(self, project: Project) -> None:
        originals = sum(clip.original.size for clip in project.clips)
        proxies = [proxy for clip in project.clips for proxy in clip.proxies]
        size = sum(proxy.size for proxy in proxies)
        share = f" ({size / originals:.0%})" if originals else ""
        self.sums.setText(
            f"{len(project.clips)} clips, {words.gigabytes(originals)}   |   "
            f"{len(proxies)} proxies, {words.gigabytes(size)}{share}"
        )
        self.need.setText(need_words(project, None, self._measuring))

    def waiting(self) -> int:
        """Video clips without a usable proxy or original."""
        project, presence = self._work.session.project, self.panel.player.presence
        pairs = self._pairs(project, presence)
        return sum(1 for pair in pairs if pair.original_missing or pair.proxy_missing)

    def current(self) -> Clip | None:
        """The chosen clip."""
        rows = self.table.selectionModel().selectedRows()
        return self.model.rows[rows[0].row()].clip if rows and rows[0].row() < len(self.model.rows) else None

    def _selected(self, _new: QItemSelection, _old: QItemSelection) -> None:
        clip = self.current()
        if clip is not None:
            self.panel.show_clip(clip, self._work.session.project)
            self.chosen.emit()

    def left(self) -> None:
        """Another place was opened."""
        self.panel.halt()
        self.panel.player.release()

    def entered(self) -> None:
        """The place was opened."""
        self.refresh()
        clip = self.current()
        if clip is not None:
            self.panel.show_clip(clip, self._work.session.project, self.panel.player.position)


def _pair_of(project: Project, clip: Clip, presence: Presence) -> Pair:
    proxy = clip.proxies[-1] if clip.proxies else None
    original_shelf = project.shelf(clip.original.file.shelf)
    proxy_shelf = project.shelf(proxy.file.shelf) if proxy is not None else None
    original_gone = original_shelf is None or presence.is_missing(original_shelf.root / clip.original.file.path)
    proxy_gone = proxy is not None and (proxy_shelf is None or presence.is_missing(proxy_shelf.root / proxy.file.path))
    return Pair(
        clip,
        proxy,
        original_gone,
        proxy_gone,
        original_shelf.name if original_shelf else "unknown shelf",
        proxy_shelf.name if proxy_shelf else "",
    )
