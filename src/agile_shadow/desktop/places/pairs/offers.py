"""What a search found: each file with the clip it seems to belong to, why, and whether it is to be taken."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.project import Project
from ...tables import Column, Index, RowsModel, rows_table


@dataclass(frozen=True)
class OfferRow:
    """A row. ``kind``: proxy, original, or missing (found again); ``take``: it is ticked; ``thing``: the offer itself,
    None for a file that is left alone."""

    path: Path
    clip: str
    kind: str
    verdict: str
    offset: int
    why: str
    evidence: tuple[tuple[str, float, str], ...]
    take: bool = False
    thing: Any = None
    size: int = 0

    @property
    def becomes(self) -> str:
        """What the file would be, in words."""
        if self.thing is None:
            return "no match"
        return {"proxy": "proxy of", "original": "original of", "missing": "found again:"}[self.kind]


def _why(row: OfferRow) -> str:
    if row.why:
        return row.why
    strongest = sorted((one for one in row.evidence if one[1] > 0), key=lambda one: -one[1])
    return "; ".join(says for _kind, _weight, says in strongest[:3])


_COLUMNS = (
    Column("Use", lambda row: "", 48),
    Column("File", lambda row: row.path.name, 210, tip=lambda row: str(row.path),
           mark=lambda row: None if row.thing is None else "original" if row.kind == "original" else "proxy"),
    Column("Match", lambda row: row.becomes, 96),
    Column("Clip", lambda row: row.clip, 150),
    Column("Offset", lambda row: str(row.offset) if row.thing is not None else "", 84, right=True,
           tip=lambda row: "Frames of the original before the proxy's first one"),
    Column("Certainty", lambda row: row.verdict, 128),
    Column("Why", _why, 320, tip=lambda row: "\n".join(f"{says} ({weight:+.1f})" for _k, weight, says in row.evidence)),
)  # fmt: skip


class OffersModel(RowsModel):
    """Rows that can be ticked. ``ticked`` gives the number of the row and whether it is wanted."""

    ticked = Signal(int, bool)

    def __init__(self) -> None:
        super().__init__(_COLUMNS)

    def flags(self, index: Index) -> Qt.ItemFlag:
        flags = super().flags(index)
        if index.column() == 0 and self.rows[index.row()].thing is not None:
            flags |= Qt.ItemFlag.ItemIsUserCheckable
        return flags

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == 0:
            row = self.rows[index.row()]
            if row.thing is None:
                return None
            return Qt.CheckState.Checked if row.take else Qt.CheckState.Unchecked
        return super().data(index, role)

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.CheckStateRole or index.column() != 0:
            return False
        wanted = Qt.CheckState(value) == Qt.CheckState.Checked
        self.ticked.emit(QPersistentModelIndex(index).row(), wanted)
        return True


class OffersView(QWidget):
    """The list with its buttons. ``taken`` gives the ticked offers; ``ticked``: a person said yes or no to one;
    ``chosen``: another row is looked at; ``done``: back to the ledger; ``stopped``: break the search off."""

    taken = Signal(list)
    ticked = Signal(object, bool)
    chosen = Signal()
    done = Signal()
    stopped = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.model = OffersModel()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        row = QHBoxLayout()
        self.told = QLabel("")
        self.told.setWordWrap(True)
        row.addWidget(self.told, 1)
        self.stop = QPushButton("Cancel search")
        self.stop.clicked.connect(self.stopped)
        self.yes = QPushButton("Tick or untick")
        self.yes.setToolTip("Ticking a likely match confirms it; files named the same way follow.")
        self.yes.clicked.connect(self._toggle)
        self.take = QPushButton("Pair")
        self.take.setObjectName("main")
        self.take.clicked.connect(lambda: self.taken.emit([row.thing for row in self.model.rows if row.take]))
        self.back = QPushButton("Back to the ledger")
        self.back.clicked.connect(self.done)
        for button in (self.stop, self.yes, self.back, self.take):
            row.addWidget(button)
        layout.addLayout(row)
        self.model.ticked.connect(lambda number, yes: self.ticked.emit(self.model.rows[number], yes))
        self.table = rows_table(self.model, 6, "Files found")
        self.table.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self.chosen.emit())
        layout.addWidget(self.table, 1)

    def current(self) -> OfferRow | None:
        """The row that is looked at."""
        rows = self.table.selectionModel().selectedRows()
        return self.model.rows[rows[0].row()] if rows and rows[0].row() < len(self.model.rows) else None

    def _toggle(self) -> None:
        row = self.current()
        if row is not None and row.thing is not None:
            self.ticked.emit(row, not row.take)

    def show_progress(self, text: str) -> None:
        """A search runs."""
        self.model.set_rows([])
        self.told.setText(text)
        self._show_buttons(busy=True)

    def show_rows(self, rows: list[OfferRow], told: str) -> None:
        """What was found; ticked rows first, then likely ones, then what is left alone."""
        self.model.set_rows(rows)
        self.told.setText(told)
        self._show_buttons(busy=False)
        if rows and self.current() is None:
            self.table.selectRow(0)

    def _show_buttons(self, busy: bool) -> None:
        ticked = sum(1 for row in self.model.rows if row.take)
        found = any(row.thing is not None for row in self.model.rows)
        missing = any(row.kind == "missing" for row in self.model.rows)
        self.stop.setVisible(busy)
        self.yes.setVisible(not busy and found)
        self.take.setVisible(not busy)
        self.take.setEnabled(ticked > 0)
        files = "1 file" if ticked == 1 else f"{ticked} files"
        self.take.setText(f"Use {counted(ticked, 'found file')}" if missing else f"Pair {files}")


def rows_of_offers(offers: Any, project: Project, refused: set[Path], confirmed: dict[Path, str]) -> list[OfferRow]:
    """Rows of a search for pairs. ``refused``: files that a person left out."""
    rows = []
    for one in offers.pairs:
        clip = project.clip(one.clip)
        evidence = tuple((f.kind, f.weight, f.says) for f in one.findings)
        verdict = "confirmed by you" if confirmed.get(one.path) == one.clip else one.verdict
        take = one.verdict == "certain" and one.path not in refused
        rows.append(
            OfferRow(one.path, clip.name if clip is not None else "?", one.role, verdict, one.offset, one.says,
                     evidence, take, one, one.size)
        )  # fmt: skip
    rows.sort(key=lambda row: (not row.take, row.verdict != "likely", str(row.path)))
    rows += [OfferRow(Path(one.path), "", "proxy", "", 0, one.reason, ()) for one in offers.left]
    return rows


def rows_of_missing(found: Any, refused: set[Path]) -> list[OfferRow]:
    """Rows of a search for missing files."""
    rows = []
    for one in found.found:
        evidence = tuple((f.kind, f.weight, f.says) for f in one.findings)
        take = one.verdict == "certain" and one.path not in refused
        kind = "missing"
        rows.append(
            OfferRow(one.path, f"{one.missing.clip.name}, {one.missing.part}", kind, one.verdict, 0, "", evidence, take,
                     one, one.missing.size)
        )  # fmt: skip
    for lost in found.still:
        where = lost.path if lost.path is not None else Path(lost.file.path)
        rows.append(OfferRow(where, lost.clip.name, "proxy", "", 0, "not found there", ()))
    return rows


def told_of_offers(rows: list[OfferRow], place: str) -> str:
    """The line above the list."""
    sure = sum(1 for row in rows if row.thing is not None and row.verdict != "likely")
    likely = sum(1 for row in rows if row.verdict == "likely")
    alone = sum(1 for row in rows if row.thing is None)
    counts = f"{sure} certain, {likely} likely, {alone} with no match"
    return f"{place}: {counts}. Ticked files will be paired; no file is renamed."


__all__ = ["OfferRow", "OffersView", "rows_of_missing", "rows_of_offers", "told_of_offers"]
