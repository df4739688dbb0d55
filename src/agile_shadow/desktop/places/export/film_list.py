"""The films of this session: what is being made, what waits, what is there and what was found about it."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.desk import FilmRun
from ....core.film import page_path
from ....core.film.render import MEASURED, RENDERED
from ....core.time import clock_text
from ...show_file import show_file, show_folder
from ...tables import Column, RowsModel, rows_table
from ...work import Work

_KEPT = 40


def _state(run: FilmRun) -> str:
    piece = run.piece
    if run.result is not None:
        return f"verified, {counted(run.result.frames, 'frame')}"
    if run.problems:
        return run.problems[0]
    if piece is None:
        return "waits"
    if piece.state == "running":
        return "verifying" if piece.part >= RENDERED else "rendering"
    waits = run.waits
    return f"waiting {waits}" if piece.state == "waiting" and waits else piece.state_words()


def _progress(run: FilmRun) -> str:
    piece = run.piece
    return "" if piece is None or run.result is not None or not piece.active else f"{piece.part:.0%}"


def _pace(run: FilmRun) -> str:
    if run.result is not None:
        ahead = run.result.pace / run.result.original_pace if run.result.original_pace else 0.0
        about = f"{ahead:.0f}" if ahead >= 3 else f"{ahead:.1f}"
        times = f", about {about} times the film's" if ahead else ""
        return f"{run.result.pace:.0f} fps{times}"
    piece = run.piece
    made = max(0.0, min(1.0, (piece.part - MEASURED) / (RENDERED - MEASURED))) * run.frames if piece is not None else 0
    took = piece.elapsed() if piece is not None else 0.0
    return f"{made / took:.0f} a second" if made and took > 1 else ""


def _left(run: FilmRun) -> str:
    piece = run.piece
    left = piece.remaining() if piece is not None and run.result is None else None
    return clock_text(left) if left is not None else ""


def _loudness(run: FilmRun) -> str:
    found = run.result.loudness if run.result is not None else None
    return f"{found['integrated']:g} LUFS" if found else ""


_COLUMNS = (
    Column("Film", lambda run: run.out.name, 210, mark=lambda run: "proxy" if run.draft else "original",
           tip=lambda run: str(run.out)),
    Column("State", _state, 180),
    Column("Done", _progress, 56, right=True),
    Column("Frames", _pace, 300, right=True),
    Column("Left", _left, 76, right=True),
    Column("Loudness", _loudness, 90, right=True),
)  # fmt: skip


class FilmList(QWidget):
    """Newest last; not to be seen before there is one."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.runs: list[FilmRun] = []  # all that were seen, in their order
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        row = QHBoxLayout()
        self.title = QLabel("")
        self.title.setObjectName("quiet")
        row.addWidget(self.title, 1)
        self.cancel = self._button(row, "Cancel", self._cancel)
        self.folder = self._button(row, "Open its folder", self._open_folder)
        self.certificate = self._button(row, "Certificate", self._open_certificate)
        layout.addLayout(row)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 1, "Films")
        self.table.selectionModel().selectionChanged.connect(lambda _new, _old: self._enable())
        layout.addWidget(self.table)
        work.jobs_changed.connect(self.refresh)
        work.film_ended.connect(self.refresh)
        self.refresh()

    def _button(self, row: QHBoxLayout, title: str, call: Any) -> QPushButton:
        button = QPushButton(title)
        button.clicked.connect(lambda _checked=False: call())
        row.addWidget(button)
        return button

    def _note_new(self) -> None:
        """A film that is made once more takes the place of the one before."""
        last = [self._work.last_film] if self._work.last_film is not None else []
        for run in (*last, *self._work.desk.films):
            if run not in self.runs:
                self.runs = [*(one for one in self.runs if one.out != run.out), run][-_KEPT:]

    def refresh(self) -> None:
        """Show how far they are."""
        self._note_new()
        runs = self.runs
        self.model.set_rows(runs)
        self.setVisible(bool(runs))
        open_ = len(self._work.desk.films)
        words = f"{len(runs)} {'film' if len(runs) == 1 else 'films'}" + (f", {open_} to be made" if open_ else "")
        self.title.setText(words)
        self._enable()

    def current(self) -> FilmRun | None:
        """The chosen one; the last where none is chosen."""
        rows = self.table.selectionModel().selectedRows()
        runs = self.model.rows
        if rows and rows[0].row() < len(runs):
            found: FilmRun = runs[rows[0].row()]
            return found
        return runs[-1] if runs else None

    def _enable(self) -> None:
        run = self.current()
        for button in (self.cancel, self.folder, self.certificate):
            button.setVisible(run is not None)
        if run is None:
            return
        self.cancel.setEnabled(run in self._work.desk.films)
        self.folder.setEnabled(run.result is not None)
        self.certificate.setEnabled(run.result is not None)

    def _cancel(self) -> None:
        run = self.current()
        if run is not None:
            run.stop(for_good=True)

    def _open_folder(self) -> None:
        run = self.current()
        if run is not None:
            show_file(run.out)

    def _open_certificate(self) -> None:
        run = self.current()
        if run is not None:
            show_folder(page_path(run.out))
