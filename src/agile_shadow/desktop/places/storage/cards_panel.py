"""The cards that were ingested: which may be wiped, and why not yet."""

from __future__ import annotations

import time
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted, needing
from ....core.errors import Cancelled, sentence
from ....core.jobs import Executor
from ....core.project import Project
from ....core.storage import (
    AskedFile,
    Card,
    CardAnswer,
    CardFile,
    KeptAnswer,
    age_words,
    all_cards,
    answer_words,
    ask_card,
    ask_request,
    keep_answer,
    kept_answers,
)
from ....core.storage.pages import write_card
from ... import words
from ...choosing import ask_folder, ask_new_file
from ...labels import set_look
from ...tables import Column, RowsModel, rows_table
from ...work import Work

_AGE = 30_000  # milliseconds between two looks at how old the answer is


@dataclass(frozen=True)
class CardRow:
    """A card, and whether it may be wiped by what was asked just now, in words."""

    card: Card
    good: bool
    words: str
    kept: KeptAnswer | None


@dataclass(frozen=True)
class CardFileRow:
    """A file of a card: as it was asked, or as it is only known."""

    path: str
    size: int
    state: str
    copies: str


_CARDS = (
    Column("Card", lambda row: row.card.name, 130, tip=lambda row: str(row.card.source)),
    Column("Ingested", lambda row: row.card.ended, 175),
    Column("Files", lambda row: str(len(row.card.files)), 55, right=True, key=lambda row: len(row.card.files)),
    Column("Result", lambda row: "may be wiped" if row.good else "not yet", 120),
    Column("Folder", lambda row: str(row.card.source), 260),
)  # fmt: skip
_FILES = (
    Column("File", lambda row: row.path, 250),
    Column("Size", lambda row: words.gigabytes(row.size), 85, right=True, key=lambda row: row.size),
    Column("State", lambda row: row.state, 125),
    Column("Copies", lambda row: row.copies, 400, tip=lambda row: row.copies.replace("; ", "\n")),
)


class CardsPanel(QWidget):
    """``answer``: what was found in this session for the card that is shown.

    Large: its attributes are its controls.
    """

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.answers: dict[str, CardAnswer] = {}
        self._executor: Executor | None = None
        self._future: Future[Any] | None = None
        self._wanted: Path | None = None
        self._part = 0.0
        self._stopped = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        title = QLabel("Cards")
        title.setObjectName("heading")
        layout.addWidget(title)
        self.model = RowsModel(_CARDS)
        self.table = rows_table(self.model, 4, "Cards that were ingested")
        self.table.setMaximumHeight(150)
        self.table.selectionModel().selectionChanged.connect(lambda _new, _old: self._show_card())
        layout.addWidget(self.table)
        self.empty = QLabel("No card was ingested into this project yet.")
        self.empty.setObjectName("quiet")
        layout.addWidget(self.empty)
        layout.addWidget(self._page(), 1)
        self._timer = QTimer(self)
        self._timer.setInterval(150)
        self._timer.timeout.connect(self._progress)
        self._ages = QTimer(self)
        self._ages.setInterval(_AGE)
        self._ages.timeout.connect(self.refresh)

    def _page(self) -> QWidget:
        self.page = QFrame()
        self.page.setObjectName("card")
        layout = QVBoxLayout(self.page)
        layout.setContentsMargins(14, 10, 14, 12)
        layout.setSpacing(7)
        self.says = QLabel("")
        self.says.setObjectName("sentence")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        self.known = QLabel("")
        self.known.setObjectName("quiet")
        self.known.setWordWrap(True)
        layout.addWidget(self.known)
        row = QHBoxLayout()
        self.ask = QPushButton("Check the card…")
        self.ask.setObjectName("main")
        self.ask.setToolTip("Read every file on the card again, and its copies as they are on the shelves now.")
        self.ask.clicked.connect(lambda: self._choose_and_ask())
        row.addWidget(self.ask)
        self.passed = QCheckBox("Skipped and empty files need no copy")
        self.passed.setToolTip("Files that the ingest skipped, and empty ones, have no copy; tick if they may be lost")
        row.addWidget(self.passed)
        row.addStretch(1)
        self.bar = QProgressBar()
        self.bar.setMaximumWidth(220)
        self.bar.setAccessibleName("How much was read")
        self.bar.hide()
        row.addWidget(self.bar)
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(lambda: self._stop())
        self.stop.hide()
        row.addWidget(self.stop)
        self.save = QPushButton("Save the result…")
        self.save.setToolTip("As a page to keep or send, or as a table.")
        self.save.clicked.connect(lambda: self._save())
        row.addWidget(self.save)
        layout.addLayout(row)
        self.files = RowsModel(_FILES)
        self.file_table = rows_table(self.files, 3, "Files of the card")
        layout.addWidget(self.file_table, 1)
        return self.page

    # Looking

    def entered(self) -> None:
        """It is shown."""
        self._ages.start()
        self.refresh()

    def left(self) -> None:
        """It is not shown any more."""
        self._ages.stop()

    def refresh(self) -> None:
        """Look at what is known of all cards, on a thread."""
        session, store = self._work.session, self._work.store

        def look() -> list[CardRow]:
            answers = kept_answers(session.path)
            rows = []
            for card in all_cards(session.project, store):
                kept = answers.get(card.id)
                rows.append(CardRow(card, *answer_words(kept, kept.changed() if kept is not None else ""), kept))
            return rows

        self._work.in_background(look, self._show)

    def _show(self, rows: list[CardRow]) -> None:
        chosen = self.chosen
        self.model.set_rows(rows)
        self.empty.setVisible(not rows)
        self.table.setVisible(bool(rows))
        self.page.setVisible(bool(rows))
        if rows:
            same = next((n for n, row in enumerate(rows) if chosen is not None and row.card.id == chosen.card.id), 0)
            self.table.selectRow(same)
            self._choose_wanted()
            self._show_card()

    def choose_copy(self, path: Path | None) -> None:
        """Select the card that a file on a shelf was copied from, as soon as the cards are known."""
        self._wanted = path
        self._choose_wanted()

    def _choose_wanted(self) -> None:
        for number, row in enumerate(self.model.rows if self._wanted is not None else []):
            if any(copy.path == self._wanted for file in row.card.files for copy in file.copies):
                self.table.selectRow(number)
                self._wanted = None
                return

    @property
    def chosen(self) -> CardRow | None:
        """The card that is chosen."""
        found = [index.row() for index in self.table.selectionModel().selectedRows()]
        return self.model.rows[found[0]] if found and found[0] < len(self.model.rows) else None

    def _show_card(self) -> None:
        row = self.chosen
        if row is None:
            return
        card, names = row.card, {shelf.id: shelf.name for shelf in self._work.session.project.shelves}
        if self.ask.isEnabled():  # else it is being asked
            self.says.setText(row.words + ".")
        set_look(self.says, "sentence" if row.good else "warn")
        shelves = " and ".join(names.get(one, "a shelf that is not in the project") for one in card.shelves)
        on = f"copied to {shelves}" if shelves else "its files stayed where they are"
        over = f"; {len(card.passed_over)} skipped" if card.passed_over else ""
        failed = f"; {needing(len(card.failed))}" if card.failed else ""
        times = f", {card.ingests} ingests" if card.ingests > 1 else ""
        size = words.gigabytes(card.size)
        self.known.setText(f"{card.source}: {counted(len(card.files), 'file')}, {size}, {on}{over}{failed}{times}.")
        self.passed.setVisible(bool(card.passed_over or card.failed))
        self.passed.setToolTip("\n".join(f"{path}: {why}" for path, why in card.passed_over[:30]))
        answer = self.answers.get(card.id)
        self.save.setEnabled(answer is not None)
        self.save.setToolTip("As a page to keep or send, or as a table." if answer else "Check the card first.")
        if answer is None:
            self.files.set_rows([_known_row(file, names) for file in card.files])
        else:
            asked = sorted(answer.files, key=lambda file: (file.needless, file.is_on(answer.shelves), file.path))
            self.files.set_rows([_asked_row(file, answer, names) for file in asked])

    # Asking

    def _choose_and_ask(self) -> None:
        row = self.chosen
        if row is None:
            return
        chosen = ask_folder(self, "Where the card is", str(row.card.source))
        if chosen is not None:
            self.ask_at(chosen)

    def ask_at(self, source: Path) -> None:
        """Ask the chosen card, which lies in a folder."""
        row = self.chosen
        if row is None or self._future is not None:
            return
        project, store, passed = self._work.session.project, self._work.store, self.passed.isChecked()
        self._stopped = False
        self._busy(True)
        self.says.setText("Reading the card and its copies…")

        def prepare() -> tuple[Card, Any]:
            return ask_request(project, all_cards(project, store), source, passed_over_may_go=passed)

        def failed_or(call: Any) -> Any:
            try:
                return call()
            except Exception as error:
                return error

        self._work.in_background(lambda: failed_or(prepare), lambda found: self._submit(project, found))

    def _submit(self, project: Project, found: Any) -> None:
        if isinstance(found, Exception):
            self._tell_failed(found)
            return
        if self._stopped:
            self._tell_failed(Cancelled())
            return
        card, request = found
        self._executor = self._work.machine.hire("copy")
        self._part = 0.0
        self._future = self._executor.submit(ask_card, request, lambda done: setattr(self, "_part", done))
        self._future.add_done_callback(lambda future: self._work.call_here(lambda: self._asked(card, future)))
        self._timer.start()

    def _asked(self, card: Card, future: Future[Any]) -> None:
        if self._executor is not None:
            executor = self._executor
            self._work.machine.dismiss(executor)
            self._work.in_background(executor.close, lambda _done: None)
        self._executor = self._future = None
        try:
            answer: CardAnswer = future.result()
        except Exception as error:
            self._tell_failed(error)
            return
        self.answers[card.id] = answer
        path = self._work.session.path

        def keep() -> None:
            keep_answer(path, card, answer)

        def not_kept(why: str) -> None:  # what was found is listed; the card itself stays "not yet"
            self._work.problem.emit(why)
            kept(None)

        def kept(_done: object) -> None:
            self._busy(False)
            number = next((n for n, row in enumerate(self.model.rows) if row.card.id == card.id), None)
            if number is not None:
                self.table.selectRow(number)
            self.refresh()

        self._work.in_background(keep, kept, not_kept)

    def _tell_failed(self, error: Exception) -> None:
        self._busy(False)
        self.refresh()
        if not isinstance(error, Cancelled):
            self._work.problem.emit(sentence(error))

    def _busy(self, on: bool) -> None:
        self.ask.setEnabled(not on)
        self.passed.setEnabled(not on)
        self.table.setEnabled(not on)
        self.bar.setVisible(on)
        self.stop.setVisible(on)
        self.bar.setValue(0)
        if not on:
            self._timer.stop()

    def _progress(self) -> None:
        self.bar.setValue(int(self._part * 100))

    def _stop(self) -> None:
        self._stopped = True
        if self._executor is not None and self._future is not None:
            self._executor.cancel(self._future)

    def _save(self) -> None:
        row = self.chosen
        answer = self.answers.get(row.card.id) if row is not None else None
        if row is None or answer is None:
            return
        kinds, folder = "Page (*.html);;Table (*.csv)", str(self._work.session.path.parent)
        chosen = ask_new_file(self, "Save the result", kinds, f"{row.card.name} card.html", folder)
        if chosen is not None:
            project, card = self._work.session.project, row.card
            self._work.in_background(
                lambda: write_card(project, card, answer, chosen),
                lambda _done: self._work.told.emit(f"Result saved as {chosen}."),
            )


def _known_row(file: CardFile, names: dict[str, str]) -> CardFileRow:
    now = time.time()
    copies = "; ".join(
        f"{names.get(copy.shelf, '?')}: "
        + (f"read back {age_words(now - copy.read)}, {copy.checksum}" if copy.read else "not read on this machine")
        for copy in file.copies
    )
    return CardFileRow(file.path, file.size, "not asked" if file.copies else "no copy is known", copies)


def _asked_row(file: AskedFile, answer: CardAnswer, names: dict[str, str]) -> CardFileRow:
    if file.needless:
        state = "needs no copy"
    elif file.is_on(answer.shelves):
        state = "equal"
    else:
        state = "not safe" if file.value else "cannot be read"
    copies = "; ".join(
        f"{names.get(copy.shelf, '?')}: {copy.state}" + (f" ({copy.note})" if copy.note else "") for copy in file.copies
    )
    return CardFileRow(file.path, file.size, state, copies or file.note)
