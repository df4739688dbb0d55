"""What a reading of a shelf found: damaged and missing files, with the copy that is whole, and putting it in place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QDialog, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.errors import sentence
from ....core.jobs import Report
from ....core.project import Project
from ....core.shelves import Shelf
from ....core.storage.keeping import KeepResult, Lost
from ....core.storage.mending import IntactFile, PutBackRequest, find_whole, put_back
from ...flow import at_the_end
from ...tables import Column, RowsModel, rows_table
from ...work import Work

IN_PLACE = "in place"
_LOOK = 200  # milliseconds between two looks at how much is done


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
    """Copies are looked for as soon as it opens; whole ones are read. Each row says what is known as soon as it is."""

    def __init__(self, work: Work, shelf: Shelf, result: KeepResult, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"What was found on {shelf.name}")
        self.resize(900, 480)
        self._work, self._shelf, self._result = work, shelf, result
        self._closed = False
        self._restoring = ("", 0.0)  # the file, and how much of it is done
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK)
        self._timer.timeout.connect(self._show_part)
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
        project, shelf, rows = self._work.session.project, self._shelf, list(self.model.rows)

        def look() -> None:
            for number, row in enumerate(rows):
                if row.lost is not None and not self._closed:
                    self._tell(number, _looked_for(project, row, shelf))

        def looked(_done: None) -> None:
            if not self._closed:
                self.put.setEnabled(any(row.whole is not None for row in self.model.rows))

        self._work.in_background(look, looked)

    def done(self, result: int) -> None:
        """Closed: answers that come later are not shown; what is being put in place goes on to its end, and is told."""
        self._closed = True
        self._timer.stop()
        super().done(result)

    def _tell(self, number: int, row: LostRow) -> None:
        """From a thread: what became of a row."""
        def show() -> None:
            if not self._closed:
                self.model.change_rows([(number, row)])

        self._work.call_here(show)

    def _put(self) -> None:
        self.put.setEnabled(False)
        self._timer.start()
        root, rows = self._shelf.root, list(self.model.rows)

        def work() -> int:
            back = 0
            for number, row in enumerate(rows):
                if row.whole is not None:
                    done = _put_back(root, row, partial(self._note_part, row.path))
                    back += done.state == IN_PLACE
                    self._tell(number, done)
            return back

        def then(back: int) -> None:
            placed = counted(back, "file was", "files were")
            words = f"{placed} put in place and read back. Read the shelf again to be sure of all."
            if self._closed:
                self._work.told.emit(words)
                return
            self._timer.stop()
            self.says.setText(words)

        self._work.in_background(work, then)

    def _note_part(self, path: str, done: float) -> None:
        self._restoring = path, done

    def _show_part(self) -> None:
        path, part = self._restoring
        self.says.setText(f"Restoring {path}: {part:.0%}")


def _looked_for(project: Project, row: LostRow, shelf: Shelf) -> LostRow:
    assert row.lost is not None
    try:
        whole = find_whole(project, row.lost, shelf)
    except Exception as error:  # one file's trouble is not the others'
        return replace(row, note=sentence(error))
    note = f"whole on {whole.shelf}: {whole.path}" if whole else "no whole copy was found"
    return replace(row, whole=whole, note=note)


def _put_back(root: Path, row: LostRow, report: Report) -> LostRow:
    assert row.lost is not None and row.whole is not None
    try:
        aside = put_back(PutBackRequest(root, row.lost, row.whole.path), report)
    except Exception as error:  # one file's trouble is not the others'
        return replace(row, whole=None, note=sentence(error))
    beside = f"; the damaged one is {aside.name}" if aside is not None else ""
    return replace(row, state=IN_PLACE, whole=None, note=f"from {row.whole.path}{beside}")
