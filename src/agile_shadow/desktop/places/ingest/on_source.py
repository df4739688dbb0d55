"""What is on the source: its path, its files, what was passed over."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from ....core.amounts import counted, needing
from ....core.ingest import IngestRun, ItemState, SourceFile, SourceListing
from ... import words
from ...choosing import typed_path
from ...labels import set_look
from ...work import Work
from .card import path_edit
from .files import FileRow, FilesList
from .looking import Looking
from .skipped_dialog import SkippedDialog

_MANY = 200  # files


class OnSource(QWidget):
    """Shows a listing, or the run that works on it. ``listing`` and ``run``: which."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._version = -1
        self._shown: Path | None = None
        self.listing: SourceListing | None = None
        self.run: IngestRun | None = None
        self._coming: IngestRun | None = None  # whose rows are being made
        self.dialog: SkippedDialog | None = None
        self.looking = Looking(work)
        self.looking.seen.connect(self._file_seen)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        layout.setSpacing(6)
        self.source = path_edit("Source")
        self.source.setPlaceholderText("Folder of a card or drive")
        layout.addWidget(self.source)
        self.found = QLabel("")
        self.found.setObjectName("quiet")
        self.found.setWordWrap(True)
        layout.addWidget(self.found)
        self.files = FilesList()
        layout.addWidget(self.files, 1)
        row = QHBoxLayout()
        self.passed_over = QLabel("")
        self.passed_over.setObjectName("quiet")
        self.reasons = QToolButton()
        self.reasons.setText("Show reasons")
        self.reasons.clicked.connect(self._show_reasons)
        self.reasons.hide()
        row.addWidget(self.passed_over, 1)
        row.addWidget(self.reasons)
        layout.addLayout(row)

    @property
    def path(self) -> Path:
        """The source."""
        return typed_path(self.source.text()).absolute()

    @property
    def new(self) -> int:
        """Files that are new to the project."""
        return sum(1 for row in self.files.rows if row.item.phase == "")

    @property
    def to_copy(self) -> int:
        """Bytes of what the project does not have."""
        return sum(row.item.size for row in self.files.rows if row.item.phase != "here")

    # What was found

    def show_nothing(self, why: str) -> None:
        """There is no listing."""
        self.listing = self.run = self._coming = None
        self.found.setText(why or "Choose a source, insert a card, or drop a folder here.")
        self.files.set_rows([])
        self.passed_over.setText("")
        self.reasons.hide()

    def show_listing(self, listing: SourceListing) -> None:
        """What was found is shown from now on, and no run."""
        self.listing, self.run, self._coming = listing, None, None

    def rows_of(self, root: Path, listing: SourceListing, known: set[tuple[str, int]]) -> list[FileRow]:
        """Rows of the files; ``known``: source and bytes of what the project has. Any thread may ask."""
        return [self._row(root, file, known) for file in listing.files]

    def _row(self, root: Path, file: SourceFile, known: set[tuple[str, int]]) -> FileRow:
        here = (str(file.at(root)), file.size) in known
        item = ItemState(file.path, file.kind, file.size, "here" if here else "", parts=len(file.files))
        row = FileRow(file, item)
        return replace(row, seen=self.looking.kept(root, row))

    def show_rows(self, root: Path, listing: SourceListing, rows: list[FileRow]) -> None:
        """Show the files of a source."""
        if self._shown != root:
            self._shown = root
            self.files.model.forget()
        self.files.set_rows(rows)
        self.show_found()
        others = len(listing.passed_over) + len(listing.unreadable)
        self.passed_over.setText(f"{others} skipped" if others else "")
        self.reasons.setVisible(bool(others))

    def show_found(self) -> None:
        """Say how much there is."""
        if self.listing is None:
            return
        found = counted(len(self.listing.files), "file")
        text = f"{found}, {words.gigabytes(self.listing.size)}; {self.new} new to this project"
        drawing = self._work.drawing
        if drawing is not None:
            text += f".  The demo card is still being drawn: {drawing.done} of {counted(drawing.total, 'clip')} so far."
        self.found.setText(text)

    def _file_seen(self, source: Path, path: str, seen: object) -> None:
        if source == self.path:
            self.files.set_seen(path, seen)  # type: ignore[arg-type]

    def _show_reasons(self) -> None:
        if self.listing is not None:
            self.dialog = SkippedDialog((*self.listing.unreadable, *self.listing.passed_over), self)
            self.dialog.open()

    # What is done with it

    def show_run(self, run: IngestRun) -> None:
        """Put in what changed since the last time; all of it when another run is shown."""
        if self.run is not run and self._coming is not run:
            files = run.files
            if files:
                self._begin_run(run, files)
        if self.run is run:
            self._version, changed = run.board.changes(self._version)
            self.files.set_items([(item.path, item) for _number, item in changed])
        progress, person = run.progress(), run.waits_for_a_person
        needs = f"; {needing(progress.failed)}" if progress.failed else ""
        text = progress.of_files()
        counts = f"{text[:1].upper()}{text[1:]}{needs}"
        self.found.setText(f"Waiting for {person}. Everything else continues." if person else counts)
        self.show_quiet(not person)

    def _begin_run(self, run: IngestRun, files: list[SourceFile]) -> None:
        """Rows of its files; those of very many are made on a thread, and shown when they are there."""
        root = run.request.source

        def make() -> list[FileRow]:
            rows = [FileRow(file, ItemState(file.path, file.kind, file.size, "waiting")) for file in files]
            return [replace(row, seen=self.looking.kept(root, row)) for row in rows]

        def show(rows: list[FileRow]) -> None:
            if self._coming is not run:
                return  # another source is shown by now
            self._coming, self.run, self._version = None, run, -1
            self.files.set_rows(rows)
            self.passed_over.setText("")
            self.reasons.hide()

        self._coming = run
        if len(files) > _MANY:
            self._work.in_background(make, show)
        else:
            show(make())

    def show_quiet(self, quiet: bool) -> None:
        """Whether nothing is wanted of a person."""
        set_look(self.found, "quiet" if quiet else "warn")
