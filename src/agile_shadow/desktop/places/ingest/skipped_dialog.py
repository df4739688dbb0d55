"""What a source holds that is not taken: every file with the reason."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.ingest import Problem
from ...flow import at_the_end
from ...tables import Column, RowsModel, rows_table

_COLUMNS = (
    Column("File", lambda problem: problem.path, 300),
    Column("Why", lambda problem: problem.reason, 320),
)


class SkippedDialog(QDialog):
    """A list that scrolls: there may be thousands."""

    def __init__(self, problems: Sequence[Problem], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Skipped")
        self.resize(760, 420)
        layout = QVBoxLayout(self)
        layout.addWidget(QLabel(f"{counted(len(problems), 'file is', 'files are')} skipped on this source:"))
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 0, "Skipped files")
        self.model.set_rows(problems)
        layout.addWidget(self.table, 1)
        close = QPushButton("Close")
        close.setToolTip("Close this list; nothing changes")
        close.clicked.connect(self.reject)
        layout.addLayout(at_the_end(close))
