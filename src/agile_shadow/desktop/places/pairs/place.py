"""Pairs: the ledger of originals and their proxies, the chosen pair's pictures and proof, and finding what belongs."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QItemSelection, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import ShadowError, sentence
from ....core.estimates import headroom_under, key_of
from ....core.pairs.half import Half
from ....core.playback import SoundOutput
from ....core.presets import Preset
from ....core.project import Clip, Project
from ....core.switch import Presence
from ... import words
from ...actions import tip, with_key
from ...choosing import ask_file, ask_folder
from ...invitation import Invitation
from ...measuring import Measuring
from ...player_panel import PlayerPanel
from ...posters import Posters
from ...work import Work
from ..place import PlacePage
from ..presets.outlook import need_words
from .comparing import ZOOMS, CompareView, Pairing
from .doing import Doing
from .finding import Finding
from .ledger import LedgerModel, choose_clips, chosen_pairs, ledger_table
from .offers import OfferRow, OffersView
from .poster_view import PosterView
from .proof_panel import ProofPanel
from .rows import LESS_ASKED, Order, Pair, Row, Surroundings, arranged, pair_of
from .tools import Tools

_WAYS = (("play", "One picture"), ("divided", "Divided"), ("turns", "Alternating"), ("difference", "Difference"))
_NARROW = 1060  # pixels
_SLICE = 250  # rows prepared at a time
_SEARCH_WAITS = 120  # milliseconds after the last letter


class PairsPlace(PlacePage):
    """The place. ``chosen`` tells the chosen clip."""

    chosen = Signal()
    looks_again = Signal()
    goes_to = Signal(str)

    def __init__(
        self, work: Work, sound: SoundOutput, measuring: Measuring, presets: Callable[[], list[Preset]]
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self._measuring = measuring
        self._known: dict[str, Pair] = {}
        self._stamp: object = None
        self._waiting_of: list[Pair] | None = None
        self._waiting = 0
        self._headroom_version = 0
        self._summed: object = None
        self._ordered = Order([])
        self._to_warm = 0
        self._needs_known = False  # whether the words hold: they are of originals, and proxies come by the thousand
        self._need_words = ""
        self._all: list[Pair] = []
        self._all_of: object = None
        self.order: tuple[int | None, bool] = (None, False)
        self.panel = PlayerPanel(sound)
        self.compare = CompareView()
        self.proof = ProofPanel()
        self.model = LedgerModel()
        self.posters = Posters(work, self._poster_came)
        self.model.wants_poster = self._want_poster
        self.finding = Finding(work, self)
        self.doing_with = Doing(work, self, presets, lambda: chosen_pairs(self.table))
        self._build()
        self._connect()
        self.panel.show_nothing("Select a pair to see it. Q switches between original and proxy.")

    # Building

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(6)
        tools = Tools()
        layout.addWidget(tools)
        self.search, self.choice, self.grouping = tools.search, tools.choice, tools.grouping
        self.as_posters, self.poster_size = tools.posters.button, tools.posters.size_slider
        self.menu = tools.menu
        self.find_pairs, self.find_files = tools.find_pairs, tools.find_files
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.table = ledger_table(self.model)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.invitation = Invitation(
            self.table, "No clips yet. Ingest a card or a folder first; each clip then has a row here.",
            ("Go to Ingest", lambda: self.goes_to.emit("place_2")), lambda: not self._work.session.project.clips,
        )  # fmt: skip
        self.offers = OffersView()
        self.upper = QStackedWidget()
        self.upper.addWidget(self.table)
        self.upper.addWidget(self.offers)
        self.poster_view = PosterView(self._work, self.model)
        self.poster_view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.poster_view.picked.connect(lambda clips: choose_clips(self.table, clips))
        self.poster_view.customContextMenuRequested.connect(
            lambda at: self.menu.popup(self.poster_view.viewport().mapToGlobal(at))
        )
        self.upper.addWidget(self.poster_view)
        self.splitter.addWidget(self.upper)
        lower = QWidget()
        rows = QVBoxLayout(lower)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(self._build_ways())
        row = QHBoxLayout()
        row.setSpacing(10)
        self.panel.pictures.addWidget(self.compare)
        row.addWidget(self.panel, 1)
        row.addWidget(self.proof)
        rows.addLayout(row, 1)
        self.splitter.addWidget(lower)
        self.splitter.setSizes([286, 390])
        self.splitter.setStretchFactor(1, 1)
        layout.addWidget(self.splitter, 1)
        self.need = QLabel("")
        self.need.setObjectName("quiet")
        layout.addWidget(self.need)

    def show_rows(self) -> None:
        """The pairs again, as rows or as posters."""
        self.upper.setCurrentWidget(self.poster_view if self.as_posters.isChecked() else self.table)

    def _show_posters(self) -> None:
        if self.upper.currentWidget() is not self.offers:
            self.show_rows()
        self.poster_view.choose({pair.clip.id for pair in chosen_pairs(self.table)})

    def _build_ways(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.ways = QButtonGroup(self)
        self.way_buttons: dict[str, QToolButton] = {}
        for way, text in _WAYS:
            button = QToolButton()
            button.setText(text)
            button.setCheckable(True)
            button.setObjectName("way")
            button.setProperty("small", True)
            tip(button, partial(with_key, f"{text}; next view", "look"))
            self.ways.addButton(button)
            self.way_buttons[way] = button
            button.clicked.connect(lambda _checked=False, way=way: self.look(way))
            row.addWidget(button)
        self.way_buttons["play"].setChecked(True)
        self.zoom = QComboBox()
        self.zoom.setAccessibleName("Zoom")
        self.zoom.setToolTip("Size of the picture")
        for zoom in ZOOMS:
            self.zoom.addItem(f"{zoom} %" if zoom else "Fit", zoom)
        self.zoom.setEnabled(False)
        row.addWidget(self.zoom)
        row.addStretch(1)
        self.sums = QLabel("")
        self.sums.setObjectName("quiet")
        row.addWidget(self.sums)
        return row

    def _connect(self) -> None:
        self._warm_timer = QTimer(self)
        self._warm_timer.setInterval(2)
        self._warm_timer.timeout.connect(self._warm)
        self._search_timer = QTimer(self)
        self._search_timer.setSingleShot(True)
        self._search_timer.setInterval(_SEARCH_WAITS)
        self._search_timer.timeout.connect(self.refresh)
        self.search.textChanged.connect(lambda _text: self._search_timer.start())
        self.choice.currentIndexChanged.connect(lambda _number: self.refresh())
        self.grouping.currentIndexChanged.connect(lambda _number: self.refresh())
        self.table.selectionModel().selectionChanged.connect(self._selected)
        self.table.horizontalHeader().sortIndicatorChanged.connect(self._order)
        self.table.customContextMenuRequested.connect(lambda at: self.menu.popup(self.table.viewport().mapToGlobal(at)))
        self.menu.aboutToShow.connect(lambda: self.doing_with.fill(self.menu))
        self.as_posters.toggled.connect(lambda _on: self._show_posters())
        self.poster_size.valueChanged.connect(self.poster_view.set_width)
        self.find_pairs.clicked.connect(self._find)
        self.find_files.clicked.connect(self.ask_for_missing)
        self.zoom.currentIndexChanged.connect(lambda _number: self.compare.set_zoom(self.zoom.currentData()))
        self.panel.moved.connect(self._moved)
        self.proof.seek.connect(self.panel.seek)
        self.proof.step.connect(self._step)
        self.offers.done.connect(self.finding.put_away)
        self.offers.taken.connect(self.finding.take)
        self.offers.ticked.connect(self.finding.tick)
        self.offers.chosen.connect(self._offer_chosen)
        self.offers.stopped.connect(self._work.pairs.stop_looking)
        self._work.pairs.changed.connect(self.finding.show_progress)

    # Showing

    def refresh(self) -> None:
        """Show the document."""
        project = self._work.session.project
        pairs = self._pairs(project, self.panel.player.presence)
        if self._ordered.pairs is not pairs:
            self._ordered = Order(pairs)
            self._to_warm = 0
            self._warm_timer.start()
        chosen = self.search.text(), self.choice.currentIndex(), self.grouping.currentIndex()
        rows = arranged(self._ordered.by(*self.order), *chosen)
        shown = self.model.rows
        if len(rows) != len(shown) or any(one is not other for one, other in zip(rows, shown, strict=True)):
            self._change_rows(rows)
        self._show_sums(project, rows, chosen[:2])
        if self.panel.loaded:
            self.panel.update_project(project)
        self._show_proof()

    def _change_rows(self, rows: list[Row]) -> None:
        """Other rows, or others in their place; the chosen clips stay chosen."""
        kept = {pair.clip.id for pair in chosen_pairs(self.table)}
        moved = len(rows) != len(self.model.rows) or any(
            not isinstance(one, Pair) or not isinstance(other, Pair) or one.clip.id != other.clip.id
            for one, other in zip(rows, self.model.rows, strict=False)
        )
        self.table.selectionModel().blockSignals(moved)
        self.model.set_rows(rows)
        if moved and kept:
            choose_clips(self.table, kept)
        self.table.selectionModel().blockSignals(False)
        self.table.viewport().update()

    def _warm(self) -> None:
        """Gather what is searched of some more rows, so that the first search need not wait for thousands."""
        pairs = self._ordered.pairs
        for pair in pairs[self._to_warm : self._to_warm + _SLICE]:
            pair.text  # noqa: B018  (kept by the row)
        self._to_warm += _SLICE
        if self._to_warm >= len(pairs):
            self._warm_timer.stop()

    @property
    def warming(self) -> bool:
        """Whether rows are still being prepared for searching."""
        return self._warm_timer.isActive()

    def _pairs(self, project: Project, presence: Presence) -> list[Pair]:
        """All rows; those of clips that did not change are kept from the last time."""
        stamp = (project.shelves, presence.version, self._headroom_version, project.used_clips)
        if stamp != self._stamp:
            self._stamp, self._known, self._needs_known = stamp, {}, False
            self._all_of = None
        if self._all_of is project.clips:
            return self._all
        known, pairs = self._known, []
        around = Surroundings.of(project, presence)
        kept = self._measuring.kept
        for clip in project.clips:
            pair = known.get(clip.id)
            if pair is None or pair.clip is not clip:
                self._needs_known &= pair is not None and pair.clip.original is clip.original
                original = clip.original
                measured = headroom_under(key_of(around.path(original.file), original.size, original.modified), kept)
                pair = pair_of(clip, around, measured.ratio if measured is not None else None)
                known[clip.id] = pair
            pairs.append(pair)
        self._needs_known &= len(pairs) == len(self._all)
        self._all, self._all_of = pairs, project.clips
        return pairs

    def headroom_came(self) -> None:
        """Something was measured: what is shown is looked up again."""
        self._headroom_version += 1

    def _show_sums(self, project: Project, rows: list[Row], chosen: tuple[str, int]) -> None:
        if self._summed == (id(self._ordered), chosen):
            return
        self._summed = id(self._ordered), chosen
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
        self.sums.setText(
            f"{part}{len(project.clips)} clips, {words.gigabytes(originals)}   |   "
            f"{proxies} proxies, {words.gigabytes(size)}{share}   |   {proven} proven"
        )
        if not self._needs_known:
            self._needs_known = True
            self._need_words = need_words(project, None, self._measuring)
        shelves = _by_shelf(self._ordered.pairs)
        self.need.setText("   |   ".join(text for text in (shelves, self._need_words) if text))
        self.need.setToolTip(self.need.text())

    def waiting(self) -> int:
        """Pairs that want a person: files missing, proofs that are doubtful."""
        project, presence = self._work.session.project, self.panel.player.presence
        pairs = self._pairs(project, presence)
        if pairs is not self._waiting_of:
            kinds = ("original missing", "proxy missing", "doubtful", "refused")
            self._waiting_of, self._waiting = pairs, sum(1 for pair in pairs if pair.kind in kinds)
        return self._waiting

    def _order(self, column: int, order: Qt.SortOrder) -> None:
        self.order = (column if column >= 0 else None, order == Qt.SortOrder.DescendingOrder)
        self.refresh()

    # The chosen pair

    def current(self) -> Clip | None:
        """The chosen clip; the first of several."""
        pairs = chosen_pairs(self.table)
        return pairs[0].clip if pairs else None

    def _selected(self, _new: QItemSelection, _old: QItemSelection) -> None:
        clip = self.current()
        if clip is not None and (self.panel.clip is None or clip.id != self.panel.clip.id):
            self._show_clip(clip)
            self.chosen.emit()
        self._show_proof()

    def show_clip(self, identity: str) -> None:
        """Select a clip in the ledger; filters that leave it out are taken off."""
        if not any(isinstance(row, Pair) and row.clip.id == identity for row in self.model.rows):
            self.search.clear()
            self.choice.setCurrentIndex(0)
            self.refresh()
        for number, row in enumerate(self.model.rows):
            if isinstance(row, Pair) and row.clip.id == identity:
                self.table.selectRow(number)
                self.table.scrollTo(self.model.index(number, 0))
                return

    def _show_clip(self, clip: Clip, frame: int = 0) -> None:
        self.panel.show_clip(clip, self._work.session.project, frame)
        self._show_comparison()

    def _show_proof(self) -> None:
        row = self.offers.current() if self.upper.currentWidget() is self.offers else None
        if row is not None:
            clip = self._work.session.project.clip(row.thing.clip) if hasattr(row.thing, "clip") else None
            self.proof.show_offer(row, clip)
            return
        pairs = chosen_pairs(self.table)
        if not pairs:
            self.proof.show_clip(None, None, "No pair is selected.", 0)
            return
        pair = pairs[0]
        problem = self._work.pairs.prover.problems.get(pair.clip.id, "")
        state = pair.state[:1].upper() + pair.state[1:]
        if pair.since:
            state += f" from {pair.original_shelf if pair.original_missing else pair.proxy_shelf} since {pair.since}"
        if problem and pair.kind == "paired":
            state += f": {problem}"
        self.proof.show_clip(pair.clip, pair.proxy, state, len(pairs))

    def _moved(self, frame: int) -> None:
        self.proof.curve.set_position(frame)
        if self.panel.player.playing and self.compare.isVisible():
            self.look("play")
        elif self.compare.isVisible():
            self.compare.show_frame(frame)

    def look(self, way: str) -> None:
        """Another way of looking at the pair."""
        self.way_buttons[way].setChecked(True)
        playing = way == "play"
        self.panel.pictures.setCurrentWidget(self.panel.viewer if playing else self.compare)
        self.panel.player.look(playing)
        self.zoom.setEnabled(not playing)
        if playing:
            self.compare.rest()
            return
        self.panel.halt()
        self.compare.look(way)  # type: ignore[arg-type]
        self._show_comparison()

    def _show_comparison(self) -> None:
        if not self.compare.isVisibleTo(self.panel.pictures):
            return
        pairing, text = self._pairing()
        self.compare.show_pair(pairing, self.panel.player.position, text)

    def _pairing(self) -> tuple[Pairing | None, str]:
        """Both files to compare: of the offer that is looked at, else of the chosen pair; or why there are none."""
        row = self.offers.current() if self.upper.currentWidget() is self.offers else None
        project = self._work.session.project
        try:
            if row is not None and row.thing is not None and row.kind != "missing":
                return self._offered(row, project), ""
            clip = self.current()
            if clip is None or clip.original.info.kind != "video":
                return None, "Select a pair to compare."
            if not clip.proxies:
                return None, f"{clip.name} has no proxy to compare with."
            proxy = clip.proxies[-1]
            original, light = project.place(clip.original.file), project.place(proxy.file)
        except ShadowError as error:
            return None, sentence(error)
        if original is None or light is None:
            return None, "A shelf of this pair is not known."
        return Pairing(Half(original, clip.original.info), Half(light, proxy.info), proxy.offset), ""

    @staticmethod
    def _offered(row: OfferRow, project: Project) -> Pairing | None:
        clip = project.clip(row.thing.clip)
        place = project.place(clip.original.file) if clip is not None else None
        if clip is None or place is None:
            return None
        found, known = Half(row.path, row.thing.info), Half(place, clip.original.info)
        original, proxy = (known, found) if row.kind == "proxy" else (found, known)
        return Pairing(original, proxy, row.offset)

    def _offer_chosen(self) -> None:
        row = self.offers.current()
        self._show_proof()
        if row is None or row.thing is None or row.kind == "missing":
            return
        clip = self._work.session.project.clip(row.thing.clip)
        if clip is not None:
            self.panel.show_clip(clip, self._work.session.project, max(0, row.offset))
            if self.panel.pictures.currentWidget() is self.panel.viewer:
                self.look("divided")
            self._show_comparison()

    # Commands

    def command(self, identity: str) -> None:
        """A command of the table that belongs here."""
        if identity == "look":
            ways = [way for way, _text in _WAYS]
            now = next(way for way in ways if self.way_buttons[way].isChecked())
            self.look(ways[(ways.index(now) + 1) % len(ways)])
        elif identity == "tags":
            self.doing_with.ask_for_tags()
        elif identity in ("closer", "wider", "all"):
            step = {"closer": 1, "wider": -1, "all": -len(ZOOMS)}[identity]
            self.zoom.setCurrentIndex(min(max(0, self.zoom.currentIndex() + step), len(ZOOMS) - 1))
        elif identity in ("divider_left", "divider_right", "pan_left", "pan_right", "pan_up", "pan_down"):
            self.compare.nudge(identity)

    def _step(self, name: str) -> None:
        """What was asked beside the pictures."""
        clip = self.current()
        if clip is None:
            return
        if name == "choose":
            self.pair_with_file()
        elif name == "find":
            self.ask_for_missing()
        else:
            self.doing_with.step(name, clip)

    def let_go_of_files(self) -> None:
        """Files are about to go: nothing is shown of them."""
        self.panel.halt()
        self.compare.rest()
        self.panel.player.release()

    # Finding files

    def _find(self) -> None:
        folder = ask_folder(self, "Search", otherwise=str(self._work.session.path.parent))
        if folder is not None:
            self.finding.look_for_pairs([folder])

    def ask_for_missing(self) -> None:
        """Ask for a folder, and look there for what is missing."""
        start = str(self._work.session.path.parent)
        folder = ask_folder(self, "Search for missing files in", start)
        if folder is not None:
            self.finding.look_for_missing(folder)

    def pair_with_file(self) -> None:
        """Choose the file that belongs to the chosen clip by hand."""
        clip = self.current()
        if clip is None:
            return
        otherwise = str(self._work.session.path.parent)
        chosen = ask_file(self, f"Proxy of {clip.name}", otherwise=otherwise, kind="A proxy to pair")
        if chosen is not None:
            self.finding.pair_by_hand(clip, chosen)

    def presence_changed(self) -> None:
        """Files came or went."""
        self.posters.forget()
        self.panel.look_again()
        if self.isVisible():
            self.refresh()

    def _poster_came(self, clip: str, data: bytes | None) -> None:
        self.model.keep_poster(clip, data)
        self.table.viewport().update()
        self.poster_view.viewport().update()

    def colours_changed(self) -> None:
        """Another theme: what is drawn once is drawn again."""
        self.model.forget_icons()
        self.posters.forget()

    def _want_poster(self, pair: Pair) -> None:
        place = None
        if not pair.original_missing and pair.clip.original.info.kind != "sound":
            place = self._work.session.project.place(pair.clip.original.file)
        self.posters.want(pair.clip.id, place, pair.clip.original.info.sequence_rate)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """On a narrow window what is least asked for makes room."""
        super().resizeEvent(event)
        narrow = self.width() < _NARROW
        for column in LESS_ASKED:
            self.table.setColumnHidden(column, narrow)
        self.proof.setFixedWidth(270 if narrow else 316)

    # Coming and going

    def left(self) -> None:
        """Another place was opened."""
        self.let_go_of_files()

    def entered(self) -> None:
        """The place was opened."""
        self.refresh()
        self.looks_again.emit()
        clip = self.current()
        if clip is not None:
            self._show_clip(clip, self.panel.player.position)

    def close_place(self) -> None:
        """Have its threads end."""
        self.posters.close()
        self._work.at_the_end(self.compare.close_view())
        self._work.at_the_end(self.panel.close_player())


def _by_shelf(pairs: list[Pair]) -> str:
    """Bytes by shelf, in one line."""
    sums: dict[str, int] = {}
    for pair in pairs:
        sums[pair.original_shelf] = sums.get(pair.original_shelf, 0) + pair.clip.original.size
        if pair.proxy is not None:
            sums[pair.proxy_shelf] = sums.get(pair.proxy_shelf, 0) + pair.proxy.size
    return "   ".join(f"{name or 'no shelf'} {words.gigabytes(size)}" for name, size in sorted(sums.items()))
