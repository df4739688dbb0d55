"""The jobs drawer: every job with its progress, and how to cancel."""

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

from . import theme
from .tables import Column, Index, RowsModel, rows_table
from .work import Work

_COLUMNS = (
    Column("Job", lambda line: line.title, 330),
    Column("State", lambda line: line.state, 160),
    Column("Progress", lambda line: str(line.fraction), 160, tip=lambda line: f"{line.fraction:.0%}"),
    Column("", lambda line: line.detail),
)


class ProgressDelegate(QStyledItemDelegate):
    """Draws a part from 0 to 1 as a bar with its number."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        part = float(index.data() or 0)
        rect = QRectF(option.rect).adjusted(6, 6, -6, -6)  # type: ignore[attr-defined]
        painter.fillRect(rect, theme.colour("raised"))
        painter.fillRect(QRectF(rect.x(), rect.y(), rect.width() * part, rect.height()), theme.colour("line"))
        painter.fillRect(
            QRectF(rect.x() + rect.width() * part - 2, rect.y(), 2 if part else 0, rect.height()), theme.colour("focus")
        )
        painter.setPen(theme.colour("text"))
        painter.setFont(theme.sans(8))
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, f"{part:.0%}")


class JobsDrawer(QFrame):
    """Comes up from below."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFixedHeight(220)
        self._work = work
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        row = QHBoxLayout()
        self.summary = QLabel("No jobs.")
        row.addWidget(self.summary, 1)
        self.cancel_ingest = QPushButton("Cancel the ingest")
        self.cancel_ingest.clicked.connect(work.cancel_ingest)
        self.cancel_export = QPushButton("Cancel the export")
        self.cancel_export.clicked.connect(work.cancel_export)
        row.addWidget(self.cancel_ingest)
        row.addWidget(self.cancel_export)
        layout.addLayout(row)
        self._lines = RowsModel(_COLUMNS)
        self.table = rows_table(self._lines, 3, "Jobs")
        self.table.setItemDelegateForColumn(2, ProgressDelegate(self.table))
        self.table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.table)

    def refresh(self, summary: str) -> None:
        """Show the jobs of this moment."""
        self.summary.setText(summary)
        self._lines.set_rows(self._work.job_lines())
        self.cancel_ingest.setVisible(self._work.ingest is not None)
        self.cancel_export.setVisible(self._work.export is not None and self._work.export.active)
