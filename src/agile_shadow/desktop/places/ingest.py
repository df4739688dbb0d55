"""Ingest: what is on the source, the preset, where everything will go, one button; then the run and its report."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...core.errors import ShadowError, sentence
from ...core.ingest import (
    Context,
    IngestReport,
    IngestRequest,
    ItemState,
    SourceListing,
    needs_probe,
    original_places,
    proxy_place,
    read_source,
    taken,
    token_values,
)
from ...core.presets import Preset, describes, list_presets
from ...core.shelves import free_room, shelf_for, user_shelves
from ...core.time import clock_text
from .. import words
from ..folders import Folders
from ..tables import Column, RowsModel, rows_table
from ..work import Work

_PHASES = {
    "": "new", "here": "here already", "waiting": "waiting", "copying": "copying and proving", "copied": "proved",
    "queued": "proved; proxy waits", "making": "making its proxy", "paired": "paired with its proxy",
    "looking": "looking at it", "measuring": "measuring headroom", "no need": "needs no proxy here",
    "passed over": "passed over", "in place": "in place", "failed": "needs you", "stopped": "stopped",
}  # fmt: skip


@dataclass(frozen=True)
class _Row:
    item: ItemState
    sidecars: int = 0


def _state_text(row: _Row) -> str:
    text = _PHASES[row.item.phase]
    return f"{text}, {row.item.done:.0%}" if row.item.phase in ("copying", "making") else text


_COLUMNS = (
    Column("File", lambda row: row.item.path, 300),
    Column("Kind", lambda row: row.item.kind, 70),
    Column("Size", lambda row: words.gigabytes(row.item.size), 84, right=True),
    Column("With it", lambda row: f"{row.sidecars} sidecar" if row.sidecars else "", 84),
    Column("State", _state_text, 190, tip=lambda row: row.item.note or _state_text(row)),
)


class IngestPlace(QWidget):
    """The whole place. Folders are read on a background thread."""

    def __init__(self, work: Work, folders: Folders) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self._listing: SourceListing | None = None
        self._whole: SourceListing | None = None
        self._brought = False
        self._reading = 0
        self._free = 0
        self._build()
        self._refresh_timer = QTimer(self)
        self._refresh_timer.setSingleShot(True)
        self._refresh_timer.setInterval(150)
        self._refresh_timer.timeout.connect(self._read)
        self.originals.setText(str(folders.originals))
        self.proxies.setText(str(folders.proxies))
        self.second.setText(str(folders.second or ""))
        self.source.setText(str(folders.source) if folders.source is not None else "")
        for edit in (self.source, self.originals, self.proxies, self.second):
            edit.textChanged.connect(self._refresh_timer.start)
        self.reload_presets()
        work.card_grew.connect(self._refresh_timer.start)
        work.jobs_changed.connect(self.refresh_run)
        work.ingest_ended.connect(self._ended)
        self._read()

    def _build(self) -> None:
        outer = QHBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(8)
        row = QHBoxLayout()
        self.source = _path_edit("Source")
        self.source.setPlaceholderText("Folder of a card or drive")
        choose = QPushButton("Choose…")
        choose.clicked.connect(lambda: self._choose(self.source, "Source"))
        row.addWidget(QLabel("Source"))
        row.addWidget(self.source, 1)
        row.addWidget(choose)
        left.addLayout(row)
        self.found = QLabel("")
        self.found.setObjectName("quiet")
        self.found.setWordWrap(True)
        left.addWidget(self.found)
        self._rows = RowsModel(_COLUMNS)
        self.table = rows_table(self._rows, 0, "Files on the source")
        left.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.passed_over = QLabel("")
        self.passed_over.setObjectName("quiet")
        self.reasons = QToolButton()
        self.reasons.setText("Reasons")
        self.reasons.clicked.connect(self._show_reasons)
        self.reasons.hide()
        row.addWidget(self.passed_over, 1)
        row.addWidget(self.reasons)
        left.addLayout(row)
        outer.addLayout(left, 1)
        outer.addWidget(self._instruction_card())

    def _instruction_card(self) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        card.setFixedWidth(362)
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(10)
        layout.addWidget(QLabel("Preset"))
        self.preset = QComboBox()
        self.preset.setAccessibleName("Preset")
        self.preset.currentIndexChanged.connect(self._preset_changed)
        layout.addWidget(self.preset)
        self.by_itself = QCheckBox("It runs by itself on what I bring in")
        self.by_itself.setToolTip("A source that you choose is ingested at once with the standing preset")
        self.by_itself.toggled.connect(self._set_by_itself)
        layout.addWidget(self.by_itself)
        self.describes = QLabel("")
        self.describes.setObjectName("quiet")
        self.describes.setWordWrap(True)
        layout.addWidget(self.describes)
        grid = QGridLayout()
        grid.setSpacing(6)
        self.originals = _path_edit("Originals shelf")
        self.proxies = _path_edit("Proxies shelf")
        self.second = _path_edit("Shelf for second copies")
        self._second_label = QLabel("Second copies go to")
        self._originals_label = QLabel("Originals go to")
        self._proxies_label = QLabel("Proxies go to")
        rows = (
            (self._originals_label, self.originals, "Originals shelf"),
            (self._proxies_label, self.proxies, "Proxies shelf"),
            (self._second_label, self.second, "Shelf for second copies"),
        )
        self._choosers = []
        for number, (label, edit, title) in enumerate(rows):
            button = QToolButton()
            button.setText("…")
            button.setToolTip("Choose a folder")
            button.clicked.connect(lambda _checked=False, edit=edit, title=title: self._choose(edit, title))
            self._choosers.append(button)
            grid.addWidget(label, number * 2, 0, 1, 2)
            grid.addWidget(edit, number * 2 + 1, 0)
            grid.addWidget(button, number * 2 + 1, 1)
        layout.addLayout(grid)
        self.goes = QLabel("")
        self.goes.setObjectName("path")
        self.goes.setWordWrap(True)
        layout.addWidget(self.goes)
        self.room = QLabel("")
        self.room.setObjectName("quiet")
        self.room.setWordWrap(True)
        layout.addWidget(self.room)
        self.start = QPushButton("Ingest")
        self.start.setObjectName("main")
        self.start.clicked.connect(self._start)
        layout.addWidget(self.start)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.hide()
        layout.addWidget(self.bar)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self._work.cancel_ingest)
        self.cancel.hide()
        layout.addWidget(self.cancel)
        self.now = QPushButton("Make the proxies now")
        self.now.clicked.connect(self._work.proxies_now)
        self.now.hide()
        layout.addWidget(self.now)
        self.report = QLabel("")
        self.report.setWordWrap(True)
        self.report.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.report)
        layout.addStretch(1)
        return card

    # Reading the source

    def _choose(self, edit: QLineEdit, title: str) -> None:
        chosen = QFileDialog.getExistingDirectory(self, title, edit.text())
        if chosen and edit is self.source:
            self.bring_in(Path(chosen))
        elif chosen:
            edit.setText(chosen)

    def bring_in(self, source: Path) -> None:
        """A source the user brought in: the standing preset runs on it by itself where that is wished."""
        project = self._work.session.project
        self._brought = project.by_itself and project.preset is not None and self._work.ingest is None
        if self._brought and project.preset is not None:
            self.preset.setCurrentText(project.preset.name)
        self.source.setText(str(source))
        self._refresh_timer.start()

    def _read(self) -> None:
        source = self.source.text().strip()
        if not source or self._work.ingest is not None:
            self._show_listing(self._listing if source else None)
            return
        self._reading += 1
        number = self._reading
        path, originals = Path(source), Path(self.originals.text() or "/")

        def read() -> tuple[SourceListing | None, str, int]:
            try:
                return read_source(path), "", free_room(originals)
            except (ShadowError, OSError) as error:
                return None, sentence(error), 0

        self._work.in_background(read, lambda answer: self._take(number, answer))

    def _take(self, number: int, answer: tuple[SourceListing | None, str, int]) -> None:
        if number != self._reading:
            return  # overtaken
        self._whole, problem, self._free = answer
        self._show_listing(self._taken(), problem)
        if self._brought and self.start.isEnabled():
            self._start()
        self._brought = False

    def _taken(self) -> SourceListing | None:
        """What the preset takes of what was found."""
        preset = self.chosen_preset()
        return taken(self._whole, preset.takes) if self._whole is not None and preset is not None else self._whole

    def _show_listing(self, listing: SourceListing | None, problem: str = "") -> None:
        self._listing = listing
        if listing is None:
            self.found.setText(problem or "Name the folder of a card or drive, or choose one.")
            self._rows.set_rows([])
            self.passed_over.setText("")
            self.reasons.hide()
            self.start.setEnabled(False)
            self.start.setText("Ingest")
            self.room.setText("")
            return
        known = {clip.source for clip in self._work.session.project.clips}
        root = Path(self.source.text().strip()).absolute()
        rows = []
        for file in listing.files:
            here = str(root / file.path) in known
            rows.append(_Row(ItemState(file.path, file.kind, file.size, "here" if here else ""), len(file.sidecars)))
        new = sum(1 for row in rows if row.item.phase == "")
        self._rows.set_rows(rows)
        self.found.setText(self._found_text(listing, new))
        others = len(listing.passed_over) + len(listing.unreadable)
        self.passed_over.setText(f"{others} other{'s' if others != 1 else ''} passed over" if others else "")
        self.reasons.setVisible(bool(others))
        self._show_room(listing)
        self._show_places(listing)
        self.start.setEnabled(bool(rows))
        self.start.setText(
            f"Ingest {len(rows)} files" if new in (len(rows), 0) else f"Ingest {len(rows)} files, {new} new"
        )

    def _found_text(self, listing: SourceListing, new: int) -> str:
        text = f"{len(listing.files)} files, {words.gigabytes(listing.size)}; {new} new to this project"
        drawing = self._work.drawing
        if drawing is not None:
            text += f".  The demo card is still being drawn: {drawing.done} of {drawing.total} clips so far."
        return text

    def _show_room(self, listing: SourceListing) -> None:
        preset = self.chosen_preset()
        if preset is None or preset.originals.do == "leave":
            self.room.setText("Originals stay where they are.")
            return
        size = sum(row.item.size for row in self._rows.rows if row.item.phase != "here")
        enough = "" if size <= self._free else "  That is not enough."
        self.room.setText(f"{words.gigabytes(size)} to copy, {words.gigabytes(self._free)} free there.{enough}")

    def _show_places(self, listing: SourceListing) -> None:
        """Where the first file and its proxy will lie, as real paths."""
        preset = self.chosen_preset()
        if preset is None or not listing.files:
            self.goes.setText("")
            return
        file = next((f for f in listing.files if f.kind == "video"), listing.files[0])
        number = list(listing.files).index(file) + 1
        context = Context(Path(self.source.text().strip()), self._work.session.project.name, preset.name)
        values = token_values(file, number, context, None)
        below = original_places(file, preset.originals, values)[0][1]
        lines = []
        if preset.originals.do == "copy":
            lines.append(f"{Path(file.path).name} goes to {Path(self.originals.text()) / below}")
        wanted = preset.proxies
        if wanted is not None and file.kind in ("video", "sequence"):
            root = Path({"shelf": self.proxies, "beside": self.originals, "project": self.proxies}[wanted.place].text())
            if wanted.place == "project":
                root = self._work.session.path.parent / wanted.folder
            kept = below if preset.originals.do == "copy" else file.path
            lines.append(f"its proxy to {root / proxy_place(kept, wanted, values, False)}")
        if needs_probe(preset):
            lines.append("Reel, camera and time are filled in once each file is read.")
        self.goes.setText("\n".join(lines))

    def _show_reasons(self) -> None:
        if self._listing is None:
            return
        lines = [
            f"{problem.path}: {problem.reason}" for problem in (*self._listing.unreadable, *self._listing.passed_over)
        ]
        box = QMessageBox(self)
        box.setWindowTitle("Passed over")
        box.setText("Not taken from this source, and why:")
        box.setInformativeText("\n\n".join(lines[:30]))
        box.exec()

    # The preset

    def reload_presets(self) -> None:
        """Fill the choice; the project's own preset is chosen."""
        presets = {preset.name: preset for preset in list_presets()}
        current = self._work.session.project.preset
        if current is not None:
            presets[current.name] = current
        self._presets = presets
        self.preset.blockSignals(True)
        self.preset.clear()
        for name in sorted(presets):
            self.preset.addItem(name)
        wanted = current.name if current is not None else "Quick cut"
        self.preset.setCurrentIndex(max(0, self.preset.findText(wanted)))
        self.preset.blockSignals(False)
        self._preset_changed()

    def chosen_preset(self) -> Preset | None:
        """The preset of the choice."""
        return self._presets.get(self.preset.currentText())

    def _preset_changed(self) -> None:
        preset = self.chosen_preset()
        if preset is None:
            return
        self.describes.setText(describes(preset))
        standing = self._work.session.project.preset
        self.by_itself.setVisible(standing == preset)
        with QSignalBlocker(self.by_itself):
            self.by_itself.setChecked(self._work.session.project.by_itself)
        self._take_shelves(preset)
        copying = preset.originals.do == "copy"
        again = preset.originals.second_copy or (preset.proxies is not None and preset.proxies.second_copy)
        on_shelf = preset.proxies is not None and preset.proxies.place == "shelf"
        for shown, widgets in (
            (copying, (self._originals_label, self.originals, self._choosers[0])),
            (on_shelf, (self._proxies_label, self.proxies, self._choosers[1])),
            (again, (self._second_label, self.second, self._choosers[2])),
        ):
            for widget in widgets:
                widget.setVisible(shown)
        if self._whole is not None and self._work.ingest is None:
            self._show_listing(self._taken())

    def _set_by_itself(self, on: bool) -> None:
        label = "Standing preset runs by itself" if on else "Standing preset waits to be started"
        self._work.session.edit(label, lambda project: replace(project, by_itself=on))

    def _take_shelves(self, preset: Preset) -> None:
        """Fill in the folders of the shelves that the preset names."""
        try:
            shelves = (*user_shelves(), *self._work.session.project.shelves)
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            return
        wanted = preset.proxies
        for name, role, edit in (
            (preset.originals.shelf, "originals", self.originals),
            (wanted.shelf if wanted is not None else "", "proxies", self.proxies),
            (preset.originals.second_shelf, "second copies", self.second),
        ):
            shelf = shelf_for(name, role, shelves) if name else None
            if shelf is not None:
                edit.setText(str(shelf.root))

    # The run

    def request(self) -> IngestRequest | None:
        """What the button would run."""
        preset = self.chosen_preset()
        if preset is None:
            return None
        edits = (self.source, self.originals, self.proxies, self.second)
        source, originals, proxies, second = (Path(edit.text().strip()).expanduser().absolute() for edit in edits)
        return IngestRequest(source, originals, proxies, preset, second if self.second.text().strip() else None)

    def _start(self) -> None:
        request = self.request()
        if request is not None:
            self.report.setText("")
            self._work.start_ingest(request)
            self.refresh_run()

    def refresh_run(self) -> None:
        """Show the run of this moment."""
        progress = self._work.ingest_progress()
        running = progress is not None
        for widget in (self.bar, self.cancel):
            widget.setVisible(running)
        self.start.setVisible(not running)
        for widget in (self.source, self.originals, self.proxies, self.second, self.preset):
            widget.setEnabled(not running)
        waits = progress.waits if progress is not None else ""
        self.now.setVisible(bool(waits) and not waits.startswith("while"))
        if progress is None:
            if self._work.drawing is not None and self._listing is not None:
                new = sum(1 for row in self._rows.rows if row.item.phase == "")
                self.found.setText(self._found_text(self._listing, new))
            return
        sidecars = {file.path: len(file.sidecars) for file in self._listing.files} if self._listing else {}
        self._rows.set_rows([_Row(item, sidecars.get(item.path, 0)) for item in progress.items])
        self.bar.setValue(round(progress.fraction * 1000))
        remaining = f", about {clock_text(progress.remaining)}" if progress.remaining is not None else ""
        waiting = f", waiting {waits}" if waits else ""
        self.bar.setFormat(f"{progress.proxies_done} of {progress.proxies_wanted} proxies{remaining}{waiting}")

    def _ended(self) -> None:
        report = self._work.last_report
        self.refresh_run()
        if report is not None:
            self.report.setText(_report_text(report))
        self._refresh_timer.start()


def _report_text(report: IngestReport) -> str:
    lines = [report.headline()]
    lines += [f"\nNeeds you: {Path(problem.path).name}: {_reason(problem.reason)}" for problem in report.failed]
    return "\n".join(lines)


def _reason(text: str) -> str:
    """Without the long path in front: the file is named already."""
    head, separator, tail = text.partition(": ")
    return tail if separator and head.startswith("/") else text


def _path_edit(name: str) -> QLineEdit:
    edit = QLineEdit()
    edit.setAccessibleName(name)
    return edit
