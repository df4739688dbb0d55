"""The jobs drawer: every job with its progress, speed and what is left; and what can be asked of it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
)

from ..core.jobs import Piece
from . import theme
from .invitation import Invitation
from .job_lines import JobLine, PieceLines
from .jobs_text import job_lines
from .tables import Column, Index, RowsModel, rows_table
from .waits import enable
from .work import Work

_COLUMNS = (
    Column("Job", lambda line: line.title, 330, tip=lambda line: line.tip or line.title),
    Column("State", lambda line: line.state, 150),
    Column("Progress", lambda line: str(line.fraction), 150, tip=lambda line: f"{line.fraction:.0%}"),
    Column("Speed", lambda line: line.speed, 74, right=True,
           tip=lambda line: "Times real time, or bytes per second" if line.speed else ""),
    Column("Time left", lambda line: line.left, 70, right=True),
    Column("Details", lambda line: line.detail, tip=lambda line: line.tip or line.detail),
)  # fmt: skip


class ProgressDelegate(QStyledItemDelegate):
    """Draws a part from 0 to 1 as a bar with its number."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        part = float(index.data() or 0)
        rect = QRectF(option.rect).adjusted(6, 6, -6, -6)
        painter.fillRect(rect, theme.colour("raised"))
        painter.fillRect(QRectF(rect.x(), rect.y(), rect.width() * part, rect.height()), theme.colour("line"))
        painter.fillRect(
            QRectF(rect.x() + rect.width() * part - 2, rect.y(), 2 if part else 0, rect.height()), theme.colour("focus")
        )
        painter.setPen(theme.colour("text"))
        painter.setFont(theme.sans(8))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, f"{part:.0%}")


class JobsDrawer(QFrame):
    """Comes up from below.

    Large: its attributes are its controls.
    """

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFixedHeight(252)
        self._work = work
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        row = QHBoxLayout()
        self.summary = QLabel("No jobs.")
        row.addWidget(self.summary, 1)
        self.first = self._button("Do first", "Run the selected jobs before all others", "first")
        self.last = self._button("Do last", "Run the selected jobs after all others", "last")
        self.hold = self._button("Pause", "Pause the selected jobs; the others continue", "hold")
        self.go_on = self._button("Resume", "Resume the selected jobs", "go on")
        self.take_back = self._button("Cancel", "Cancel the selected jobs; verified copies are kept", "cancel")
        self.retry = self._button("Retry", "Retry the selected jobs", "retry")
        self.retry_all = QPushButton("Retry all")
        self.retry_all.setToolTip("Retry every failed job")
        self.retry_all.clicked.connect(self._retry_all)
        self.cancel_ingest = QPushButton("Cancel all ingests")
        self.cancel_ingest.clicked.connect(work.asked.cancel_ingest)
        self.cancel_queued = QPushButton("Cancel films, bakes and proxies")
        self.cancel_queued.setToolTip("Cancel all films and bakes, and the proxies ordered in Pairs")
        self.cancel_queued.clicked.connect(work.asked.cancel_queued)
        self._of_jobs = (self.first, self.last, self.hold, self.go_on, self.take_back, self.retry)
        self.stop_looking = QPushButton("Cancel search")
        self.stop_looking.clicked.connect(work.pairs.stop_looking)
        for button in (*self._of_jobs, self.retry_all, self.cancel_ingest, self.cancel_queued, self.stop_looking):
            button.setProperty("small", True)
            row.addWidget(button)
        layout.addLayout(row)
        self._lines = RowsModel(_COLUMNS)
        self._made = PieceLines()
        self.table = rows_table(self._lines, 5, "Jobs")
        self.invitation = Invitation(self.table, "No jobs. Copies, proxies, films and searches are listed here.")
        self.table.setItemDelegateForColumn(2, ProgressDelegate(self.table))
        self.table.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        layout.addWidget(self.table)

    def _button(self, text: str, tip: str, wish: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self._work.asked.ask(self.chosen(), wish))
        return button

    def chosen(self) -> list[Piece]:
        """The jobs chosen."""
        rows = sorted(index.row() for index in self.table.selectionModel().selectedRows())
        lines = [self._lines.rows[row] for row in rows if row < len(self._lines.rows)]
        return [line.piece for line in lines if line.piece is not None]

    def _retry_all(self) -> None:
        failed = [line.piece for line in self._lines.rows if line.piece is not None and line.piece.state == "failed"]
        self._work.asked.ask(failed, "retry")

    def _enable(self) -> None:
        chosen = self.chosen()
        for button, fits, which in (
            (self.first, any(piece.active for piece in chosen), "waits or runs"),
            (self.last, any(piece.active for piece in chosen), "waits or runs"),
            (self.hold, any(piece.active and not piece.held for piece in chosen), "waits or runs"),
            (self.go_on, any(piece.active and piece.held for piece in chosen), "is paused"),
            (self.take_back, any(piece.active for piece in chosen), "waits or runs"),
            (self.retry, any(piece.state in ("failed", "cancelled") for piece in chosen), "failed or was cancelled"),
        ):
            enable(button, fits, f"Select a job that {which} first.")

    def refresh(self, summary: str) -> None:
        """Show the jobs of this moment; those chosen stay chosen."""
        self.summary.setText(summary)
        chosen = {(piece.run, *piece.key) for piece in self.chosen()}
        lines = job_lines(self._work, self._made)
        before = [_identity(line) for line in self._lines.rows] if chosen else []
        self._lines.set_rows(lines)
        if chosen and [_identity(line) for line in lines] != before:
            self._choose_again(lines, chosen)
        self._enable()
        failed = any(line.piece is not None and line.piece.state == "failed" for line in lines)
        enable(self.retry_all, failed, "No job has failed.")
        self.cancel_ingest.setVisible(self._work.ingest is not None)
        self.cancel_queued.setVisible(bool(self._work.desk.films or self._work.desk.makes or self._work.desk.bakes))
        self.stop_looking.setVisible(self._work.pairs.looking is not None)

    def _choose_again(self, lines: list[JobLine], chosen: set[tuple[int, str, str]]) -> None:
        model = self.table.selectionModel()
        model.clearSelection()
        for row, line in enumerate(lines):
            if _identity(line) in chosen:
                flags = model.SelectionFlag.Select | model.SelectionFlag.Rows
                model.select(self._lines.index(row, 0), flags)


def _identity(line: JobLine) -> tuple[int, str, str]:
    return (line.piece.run, *line.piece.key) if line.piece is not None else (0, line.job, line.title)
