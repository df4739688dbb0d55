"""Pairs: the ledger of originals and their proxies, the chosen pair's pictures and proof, and finding what belongs."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QItemSelection, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ....core.playback import SoundOutput
from ....core.presets import Preset
from ....core.project import Clip, Project
from ...choosing import ask_file, ask_folder
from ...invitation import Invitation
from ...measuring import Measuring
from ...player_panel import PlayerPanel
from ...posters import Posters
from ...showing import MANY
from ...work import Work
from ..place import PlacePage
from .comparing import CompareView
from .doing import PairCommands
from .finding import PairSearch
from .ledger import LedgerModel, choose_clips, chosen_pairs, ledger_table
from .offers import OfferRow, OffersView
from .pair_list import PairList
from .poster_view import PosterView
from .proof_panel import ProofPanel
from .rows import LESS_ASKED, Pair, Row, changed_in_place
from .tools import Tools
from .ways import Ways, pairing_of

_NARROW = 1060  # pixels
_SEARCH_WAITS = 120  # milliseconds after the last letter


class PairsPlace(PlacePage):
    """The place. ``chosen`` tells the chosen clip.

    Large: its attributes are its controls, its methods what each of them is connected to.
    """

    chosen = Signal()
    looks_again = Signal()
    goes_to = Signal(str)

    def __init__(
        self, work: Work, sound: SoundOutput, measuring: Measuring, presets: Callable[[], list[Preset]],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setObjectName("place")
        self._work = work
        self.list = PairList(measuring, self)
        self._summed: object = None
        self._needed: object = None
        self._sums_of: tuple[Project, list[Row], tuple[str, int]] | None = None
        self.panel = PlayerPanel(sound)
        self.compare = CompareView()
        self.ways = Ways(self.panel, self.compare, lambda: pairing_of(
            self._work.session.project, self.current(), self._offer()))  # fmt: skip
        self.proof = ProofPanel()
        self.model = LedgerModel()
        self.posters = Posters(work, self._poster_came)
        self.model.wants_poster = self._want_poster
        self.finding = PairSearch(work, self)
        self.doing_with = PairCommands(work, self, presets, lambda: chosen_pairs(self.table))
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
        self.splitter = QSplitter(Qt.Orientation.Vertical, self)
        layout.addWidget(self.splitter, 1)
        self.table = ledger_table(self.model)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.invitation = Invitation(
            self.table, "No clips yet. Ingest a card or a folder first; each clip then has a row here.",
            ("Go to Ingest", lambda: self.goes_to.emit("place_2")), lambda: not self._work.session.project.clips,
        )  # fmt: skip
        self.offers = OffersView()
        self.upper = QStackedWidget(self.splitter)
        self.upper.addWidget(self.table)
        self.upper.addWidget(self.offers)
        self.poster_view = PosterView(self._work, self.model)
        self.poster_view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.poster_view.picked.connect(lambda clips: choose_clips(self.table, clips))
        self.poster_view.customContextMenuRequested.connect(
            lambda at: self.menu.popup(self.poster_view.viewport().mapToGlobal(at))
        )
        self.upper.addWidget(self.poster_view)
        lower = QWidget(self.splitter)
        rows = QVBoxLayout(lower)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        above = QHBoxLayout()
        rows.addLayout(above)
        above.addWidget(self.ways)
        above.addStretch(1)
        self.sums = QLabel("")
        self.sums.setObjectName("quiet")
        above.addWidget(self.sums)
        row = QHBoxLayout()
        rows.addLayout(row, 1)
        row.setSpacing(10)
        self.panel.pictures.addWidget(self.compare)
        row.addWidget(self.panel, 1)
        row.addWidget(self.proof)
        self.splitter.setSizes([286, 390])
        self.splitter.setStretchFactor(1, 1)
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

    def _connect(self) -> None:
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
        chosen = self.search.text(), self.choice.currentIndex(), self.grouping.currentIndex()
        rows = self.list.rows(project, self.panel.player.presence, *chosen)
        self._change_rows(rows)
        self._sums_of = project, rows, chosen[:2]
        if len(rows) < MANY:
            self._show_sums()
            self._show_need()
        else:
            self._work.turns.later("sums of pairs", self._show_sums)
            self._work.turns.later("need of proxies", self._show_need)
        if self.panel.loaded:
            self.panel.update_project(project)
        self._show_proof()

    def _change_rows(self, rows: list[Row]) -> None:
        """Other rows, or others in their place; the chosen clips stay chosen."""
        other = changed_in_place(self.model.rows, rows)
        if other is not None:
            self.model.change_rows((n, rows[n]) for n in other)
            return
        kept = {pair.clip.id for pair in chosen_pairs(self.table)}
        self.table.selectionModel().blockSignals(True)
        self.model.set_rows(rows)
        if kept:
            choose_clips(self.table, kept)
        self.table.selectionModel().blockSignals(False)
        self.table.viewport().update()

    def headroom_came(self) -> None:
        """Something was measured: what is shown is looked up again."""
        self.list.headroom_came()

    def _show_sums(self) -> None:
        if self._sums_of is None:
            return
        project, rows, chosen = self._sums_of
        if self._summed != (self.list.state, chosen):
            self._summed = self.list.state, chosen
            self.sums.setText(self.list.sums(project, rows))

    def _show_need(self) -> None:
        if self._sums_of is not None and self._needed != self.list.state:
            self._needed = self.list.state
            self.need.setText(self.list.need(self._sums_of[0]))
            self.need.setToolTip(self.need.text())

    def waiting(self) -> int:
        """Pairs that want a person: files missing, proofs that are doubtful."""
        return self.list.waiting(self._work.session.project, self.panel.player.presence)

    def _order(self, column: int, order: Qt.SortOrder) -> None:
        self.list.order = (column if column >= 0 else None, order == Qt.SortOrder.DescendingOrder)
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
        self.ways.show_pair()

    def _show_proof(self) -> None:
        row = self._offer()
        if row is not None:
            clip = self._work.session.project.clip(row.thing.clip) if hasattr(row.thing, "clip") else None
            self.proof.show_offer(row, clip)
            return
        pairs = chosen_pairs(self.table)
        if not pairs:
            left = self.panel.clip if self.panel.loaded else None  # filters may have taken it off the list
            text = "No pair is selected." + (f" The picture is of {left.name}." if left is not None else "")
            self.proof.show_clip(None, None, text, 0)
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
        self.ways.moved(frame)

    def _offer(self) -> OfferRow | None:
        """The offer that is looked at, where there are any."""
        return self.offers.current() if self.upper.currentWidget() is self.offers else None

    def _offer_chosen(self) -> None:
        row = self.offers.current()
        self._show_proof()
        if row is None or row.thing is None or row.kind == "missing":
            return
        clip = self._work.session.project.clip(row.thing.clip)
        if clip is not None:
            self.panel.show_clip(clip, self._work.session.project, max(0, row.offset))
            if self.panel.pictures.currentWidget() is self.panel.viewer:
                self.ways.look("divided")
            self.ways.show_pair()

    # Commands

    def command(self, identity: str) -> None:
        """A command of the table that belongs here."""
        if identity == "tags":
            self.doing_with.ask_for_tags()
        else:
            self.ways.command(identity)

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
