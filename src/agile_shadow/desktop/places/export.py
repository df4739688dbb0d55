"""Export: the final check, the output, its progress and its proof."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ...core.export import FinalCheck, SourceCheck, final_check, what_is_used
from ...core.time import clock_text, rate_label, timecode_at
from ..tables import Column, RowsModel, rows_table
from ..work import Work

_FORMATS = ((".mp4", "H.264 in MP4"), (".mov", "ProRes in MOV"))


def _state(check: SourceCheck) -> str:
    return check.problem or check.note or "there, unchanged"


_COLUMNS = (
    Column("Clip", lambda check: check.clip, 180, mark=lambda check: "missing" if check.problem else "original"),
    Column("Shelf", lambda check: check.shelf, 130),
    Column("Used", lambda check: f"{check.blocks} x", 60, right=True),
    Column("Final check", _state, 300),
    Column("File", lambda check: check.path, 400),
)


class ExportPlace(QWidget):
    """The place. The check reads drives, so it runs in the background whenever the place is opened."""

    def __init__(self, work: Work, folder: Path) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self._number = 0
        self.check: FinalCheck | None = None
        self._checked: object = None
        self._build()
        self.out.setText(str(folder / f"{work.session.project.name}.mp4"))
        work.jobs_changed.connect(self.refresh_run)
        work.film_ended.connect(self._ended)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(10)
        row = QHBoxLayout()
        self.summary = QLabel("")
        self.summary.setWordWrap(True)
        row.addWidget(self.summary, 1)
        self.again = QPushButton("Check again")
        self.again.clicked.connect(self.run_check)
        row.addWidget(self.again)
        layout.addLayout(row)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 4, "Final check")
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.format = QComboBox()
        self.format.setAccessibleName("Format")
        for ending, words in _FORMATS:
            self.format.addItem(words, ending)
        self.format.currentIndexChanged.connect(self._format_changed)
        self.out = QLineEdit()
        self.out.setAccessibleName("File of the film")
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        for widget in (QLabel("As"), self.format, QLabel("to")):
            row.addWidget(widget)
        row.addWidget(self.out, 1)
        row.addWidget(choose)
        layout.addLayout(row)
        row = QHBoxLayout()
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.result = QLabel("")
        self.result.setWordWrap(True)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self._cancel)
        self.start = QPushButton("Export from the originals")
        self.start.setObjectName("main")
        self.start.clicked.connect(self._start)
        row.addWidget(self.result, 1)
        row.addWidget(self.bar, 1)
        row.addWidget(self.cancel)
        row.addWidget(self.start)
        layout.addLayout(row)
        self.bar.hide()
        self.cancel.hide()

    def entered(self) -> None:
        """The place was opened."""
        self.run_check()

    def left(self) -> None:
        """Another place was opened."""

    def refresh(self) -> None:
        """The document changed: originals are looked at again only where what the film uses of them did."""
        if self.isVisible() and what_is_used(self._work.session.project) != self._checked:
            self.run_check()

    def run_check(self) -> None:
        """Look at all originals again, in the background."""
        self._number += 1
        number = self._number
        project = self._work.session.project
        self._checked = what_is_used(project)
        self._work.in_background(lambda: final_check(project), lambda check: self._take(number, check))

    def _take(self, number: int, check: FinalCheck) -> None:
        if number != self._number:
            return
        self.check = check
        self.model.set_rows(check.sources)
        line = self._work.session.project.timeline
        if check.empty:
            self.summary.setText("The timeline is empty: there is nothing to export yet.")
        else:
            problems = sum(1 for source in check.sources if source.problem)
            found = "every original is there and unchanged" if not problems else f"{problems} of them cannot be used"
            self.summary.setText(
                f"{line.name}: {timecode_at(line.length, line.rate)}, {line.width} x {line.height} at "
                f"{rate_label(line.rate)}. It is made from {len(check.sources)} originals; {found}."
            )
        self.refresh_run()

    def _choose(self) -> None:
        chosen, _filter = QFileDialog.getSaveFileName(self, "Film", self.out.text())
        if chosen:
            self.out.setText(chosen)
            index = self.format.findData(Path(chosen).suffix.lower())
            if index >= 0:
                self.format.setCurrentIndex(index)

    def _format_changed(self) -> None:
        path = Path(self.out.text())
        if path.name:
            self.out.setText(str(path.with_suffix(self.format.currentData())))

    def _start(self) -> None:
        self.result.setText("")
        self._work.start_film(Path(self.out.text().strip()).expanduser().absolute())
        self.refresh_run()

    def _cancel(self) -> None:
        for run in self._work.desk.films:
            run.stop(for_good=True)

    def refresh_run(self) -> None:
        """Show the film of this moment; others wait in the queue."""
        films = self._work.desk.films
        running = bool(films)
        self.bar.setVisible(running)
        self.cancel.setVisible(running)
        self.result.setVisible(not running)
        self.start.setEnabled(not running and self.check is not None and self.check.ready)
        pieces = [piece for run in films[:1] for piece in run.board.pieces()]
        if pieces:
            left = pieces[0].remaining()
            self.bar.setValue(round(pieces[0].part * 1000))
            self.bar.setFormat(f"{pieces[0].part:.0%}" + (f", about {clock_text(left)}" if left is not None else ""))

    def _ended(self) -> None:
        run = self._work.last_film
        self.refresh_run()
        if run is None:
            return
        if run.result is not None:
            count = len(run.result.sources)
            self.result.setText(
                f"Finished: {run.out.name}, {run.result.frames} frames read back, made from {count} originals."
            )
        else:
            self.result.setText((run.problems or ["Export cancelled; no file was left behind."])[0])
