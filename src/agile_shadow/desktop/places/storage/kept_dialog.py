"""What a reading of a shelf found: damaged and missing files, with the copy that is whole, and putting it in place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtWidgets import QDialog, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.errors import sentence
from ....core.project import Project
from ....core.shelves import Shelf
from ....core.storage.keeping import KeepResult, Lost
from ....core.storage.mending import IntactFile, PutBackRequest, find_whole, put_back
from ...flow import at_the_end
from ...tables import Column, RowsModel, rows_table
from ...work import Work


@dataclass(frozen=True)
class LostRow:
    """A file that was told, and what is known of a copy that is whole."""

    path: str
    state: str
    note: str
    lost: Lost | None = None
    whole: IntactFile | None = None


_COLUMNS = (
    Column("File", lambda row: row.path, 300),
    Column("State", lambda row: row.state, 110),
    Column("", lambda row: row.note, 420, tip=lambda row: row.note),
)


class KeptDialog(QDialog):
    """Copies are looked for as soon as it opens; whole ones are read."""

    def __init__(self, work: Work, shelf: Shelf, result: KeepResult, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"What was found on {shelf.name}")
        self.resize(900, 480)
        self._work, self._shelf, self._result = work, shelf, result
        self._closed = False
        layout = QVBoxLayout(self)
        self.says = QLabel(result.said()[:1].upper() + result.said()[1:] + ".")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 2, "Files to look at")
        layout.addWidget(self.table, 1)
        note = QLabel("A damaged file stays beside the one that takes its place, under a name that says so.")
        note.setObjectName("quiet")
        note.setVisible(bool(result.lost))
        layout.addWidget(note)
        self.close_ = QPushButton("Close")
        self.close_.setToolTip("Close this list; the files stay as they are")
        self.close_.clicked.connect(self.reject)
        self.put = QPushButton("Restore from whole copies")
        self.put.setObjectName("main")
        self.put.setToolTip("Copies each damaged or lost file from a copy that is whole, and reads it back")
        self.put.setEnabled(False)
        self.put.setVisible(bool(result.lost))
        self.put.clicked.connect(lambda: self._put())
        layout.addLayout(at_the_end(self.close_, self.put))
        rows = [LostRow(one.path, one.state, "looking for a whole copy…", one) for one in result.lost]
        more = [LostRow(path, "no record", "nothing is known of it; it stays as it is") for path in result.added]
        self.model.set_rows([*rows, *more])
        if rows:
            self._look()

    def _look(self) -> None:
        project, shelf, rows = self._work.session.project, self._shelf, [one for one in self.model.rows if one.lost]

        def look() -> list[LostRow]:
            return [_looked_for(project, row, shelf) for row in rows]

        self._work.in_background(look, self._looked)

    def done(self, result: int) -> None:
        """Closed: answers that come later are not shown; what is being put in place goes on to its end."""
        self._closed = True
        super().done(result)

    def _looked(self, rows: list[LostRow]) -> None:
        if self._closed:
            return
        self.model.set_rows([*rows, *(one for one in self.model.rows if one.lost is None)])
        self.put.setEnabled(any(row.whole is not None for row in rows))

    def _put(self) -> None:
        self.put.setEnabled(False)
        root, rows = self._shelf.root, list(self.model.rows)

        def work() -> list[LostRow]:
            return [_put_back(root, row) if row.whole is not None else row for row in rows]

        def then(done: list[LostRow]) -> None:
            back = sum(1 for row in done if row.state == "in place")
            placed = counted(back, "file was", "files were")
            words = f"{placed} put in place and read back. Read the shelf again to be sure of all."
            if self._closed:
                self._work.told.emit(words)
                return
            self.model.set_rows(done)
            self.says.setText(words)

        self._work.in_background(work, then)


def _looked_for(project: Project, row: LostRow, shelf: Shelf) -> LostRow:
    assert row.lost is not None
    try:
        whole = find_whole(project, row.lost, shelf)
    except Exception as error:  # one file's trouble is not the others'
        return replace(row, note=sentence(error))
    note = f"whole on {whole.shelf}: {whole.path}" if whole else "no whole copy was found"
    return replace(row, whole=whole, note=note)


def _put_back(root: Path, row: LostRow) -> LostRow:
    assert row.lost is not None and row.whole is not None
    try:
        aside = put_back(PutBackRequest(root, row.lost, row.whole.path), _quietly)
    except Exception as error:  # one file's trouble is not the others'
        return replace(row, whole=None, note=sentence(error))
    beside = f"; the damaged one is {aside.name}" if aside is not None else ""
    return replace(row, state="in place", whole=None, note=f"from {row.whole.path}{beside}")


def _quietly(done: float) -> None:
    """Nobody watches it."""
