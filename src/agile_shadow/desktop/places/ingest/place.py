"""Ingest: what is on the source, the preset, where everything will go, one button; then the run and its report."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QDragEnterEvent, QDropEvent
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
    QScrollArea,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import ShadowError, sentence
from ....core.ingest import (
    BriefRequest,
    Context,
    IngestReport,
    IngestRequest,
    IngestRun,
    ItemState,
    Place,
    SourceFile,
    SourceListing,
    brief_of,
    needs_probe,
    original_places,
    proxy_place,
    read_source,
    settle,
    stop_watching,
    taken,
    to_be_opened,
    token_values,
    watch_folder,
)
from ....core.presets import Preset, describes, list_presets
from ....core.shelves import free_room, shelf_for, user_shelves
from ....core.time import clock_text
from ... import words
from ...folders import Folders
from ...work import Work
from .files import FileRow, FilesList
from .looking import Looking
from .report import ReportView
from .sources import SourcesList

_HEAD = 20.0  # seconds that opening one file of a source may take


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
        self._version = -1
        self._shown: Path | None = None
        self._shown_run: IngestRun | None = None
        self.looking = Looking(work)
        self.setAcceptDrops(True)
        self._build()
        self._refresh_timer = QTimer(self)
        self._refresh_timer.setSingleShot(True)
        self._refresh_timer.setInterval(150)
        self._refresh_timer.timeout.connect(self._read)
        self._folders = folders
        self.source.setText(str(folders.source) if folders.source is not None else "")
        for edit in (self.source, self.originals, self.proxies, self.second):
            edit.textChanged.connect(self._refresh_timer.start)
        for edit, role in self._roles():
            edit.editingFinished.connect(lambda edit=edit, role=role: self._keep_folder(edit, role))
        self.reload_presets()
        work.card_grew.connect(self._refresh_timer.start)
        work.jobs_changed.connect(self.refresh_run)
        work.ingest_ended.connect(self._ended)
        self.looking.seen.connect(self._file_seen)
        self.sources.chosen.connect(self._source_chosen)
        self.sources.came.connect(self._card_came)
        self.sources.wants_folder.connect(lambda: self._choose(self.source, "Source"))
        self.sources.wants_watch.connect(self._watch)
        self.sources.wants_no_watch.connect(self._watch_no_more)
        self.report_view.retry.connect(self._ingest_again)
        self.report_view.read.connect(lambda source: self.show_source(Path(source)))
        self.report_view.shows_file.connect(self._show_file)
        self._read()

    def _build(self) -> None:
        outer = QHBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(14)
        self.sources = SourcesList(self._work)
        self.sources.setFixedWidth(172)
        outer.addWidget(self.sources)
        left = QVBoxLayout()
        left.setSpacing(6)
        row = QHBoxLayout()
        self.source = _path_edit("Source")
        self.source.setPlaceholderText("Folder of a card or drive")
        row.addWidget(self.source, 1)
        left.addLayout(row)
        self.found = QLabel("")
        self.found.setObjectName("quiet")
        self.found.setWordWrap(True)
        left.addWidget(self.found)
        self.files = FilesList()
        left.addWidget(self.files, 1)
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
        on_source = QWidget()
        on_source.setLayout(left)
        left.setContentsMargins(0, 8, 0, 0)
        self.report_view = ReportView(self._work)
        self.tabs = QTabWidget()
        self.tabs.addTab(on_source, "On the source")
        self.tabs.addTab(self.report_view, "Reports")
        outer.addWidget(self.tabs, 1)
        scroll = QScrollArea()
        scroll.setWidget(self._instruction_card())
        scroll.setWidgetResizable(True)
        scroll.setFixedWidth(318)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(scroll)

    def _instruction_card(self) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(10)
        layout.addWidget(QLabel("Preset"))
        self.preset = QComboBox()
        self.preset.setAccessibleName("Preset")
        self.preset.currentIndexChanged.connect(self._preset_changed)
        self.preset.activated.connect(self._preset_chosen)
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
        row = QHBoxLayout()
        self.still = QPushButton("Stand still")
        self.still.setToolTip("Let this ingest stand still for a while, and go on")
        self.still.clicked.connect(self._stand_still)
        self.cancel = QPushButton("Cancel")
        self.cancel.setToolTip("Take this ingest back; what is proven stays")
        self.cancel.clicked.connect(self._cancel)
        for one in (self.still, self.cancel):
            one.hide()
            row.addWidget(one)
        layout.addLayout(row)
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
            self._keep_folder(edit, dict(self._roles())[edit])

    def _roles(self) -> tuple[tuple[QLineEdit, str], ...]:
        """The fields of folders, each with the role of its shelf."""
        return (self.originals, "originals"), (self.proxies, "proxies"), (self.second, "second copies")

    def _keep_folder(self, edit: QLineEdit, role: str) -> None:
        """A folder that was named is the project's shelf for that from now on, kept with it."""
        if edit.text().strip():
            root = _folder_in(edit)
            self._work.session.absorb(lambda footage: footage.with_shelf_chosen(role, root))

    # Sources

    def bring_in(self, source: Path) -> None:
        """A source the user brought in: the standing preset runs on it by itself where that is wished."""
        project = self._work.session.project
        self._brought = self._runs_by_itself() and self._work.run_of(source) is None
        if self._brought and project.preset is not None:
            self.preset.setCurrentText(project.preset.name)
        self.show_source(source)

    def _runs_by_itself(self) -> bool:
        """Whether the standing preset runs on what comes: only to places that somebody has chosen."""
        project = self._work.session.project
        preset = project.preset
        if not project.cut.by_itself or preset is None:
            return False
        names = (preset.originals.shelf, preset.proxies.shelf if preset.proxies is not None else "", "")
        for (_edit, role), needed, name in zip(self._roles(), self._uses(preset), names, strict=True):
            if needed and not name and project.footage.shelf_of_role(role) is None:
                self._work.problem.emit(f"Nobody has chosen where {role} go: choose it, then press Ingest.")
                return False
        return True

    def show_source(self, source: Path) -> None:
        """Have a source among the sources, and show what is on it."""
        self.sources.add_folder(source)
        self.tabs.setCurrentIndex(0)
        self.source.setText(str(source))
        self._refresh_timer.start()

    def _source_chosen(self) -> None:
        chosen = self.sources.chosen_paths()
        if len(chosen) == 1 and self.source.text() != str(chosen[0]):
            self.source.setText(str(chosen[0]))
        self.sources.refresh()
        self._show_button()

    def _card_came(self, place: Place) -> None:
        """A card was put in: it is shown, and ingested where the standing preset runs by itself."""
        project = self._work.session.project
        if project.preset is not None and self._runs_by_itself():
            self.preset.setCurrentText(project.preset.name)  # its shelves are filled in with it
            self._start_on([place.path], project.preset)
        elif self._work.run_of(self._path()) is None and not self._rows_new():
            self.show_source(place.path)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Folders that were dropped are sources; of a file its folder is."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]

        def folders() -> list[Path]:
            return list(dict.fromkeys(path if path.is_dir() else path.parent for path in paths))

        def then(found: list[Path]) -> None:
            for folder in found:
                self.sources.add_folder(folder)
            if found:
                self.bring_in(found[0])

        self._work.in_background(folders, then)
        event.acceptProposedAction()

    def _path(self) -> Path:
        return Path(self.source.text().strip()).expanduser().absolute()

    def _read(self) -> None:
        source = self.source.text().strip()
        run = self._work.run_of(self._path()) if source else None
        if source:
            self.sources.add_folder(self._path())
            if self.sources.chosen_paths() != [self._path()] and len(self.sources.chosen_paths()) < 2:
                self.sources.choose(self._path())
        if not source or run is not None:
            self._show_listing(None)
            self.refresh_run()
            return
        self._reading += 1
        number = self._reading
        path, originals = self._path(), Path(self.originals.text() or "/")

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
        if self._whole is not None and to_be_opened(self._whole):
            self._settle(number, self._path(), self._whole)

    def _settle(self, number: int, source: Path, listing: SourceListing) -> None:
        """Open what must be opened to tell which files belong together; the list follows."""
        preset = self.chosen_preset()
        join = preset.takes.join_parts if preset is not None else True

        def open_files() -> SourceListing:
            heads = {}
            pool = self._work.machine.shared("wanted")
            for path in to_be_opened(listing):
                if number != self._reading:
                    break
                try:
                    heads[path] = pool.submit(brief_of, BriefRequest(source / path), stalled_after=_HEAD).result()
                except ShadowError:
                    heads[path] = None
            return settle(listing, heads, join)

        def then(settled: SourceListing) -> None:
            if number == self._reading and settled != self._whole and self._work.run_of(source) is None:
                self._whole = settled
                self._show_listing(self._taken())

        self._work.in_background(open_files, then)

    def _taken(self) -> SourceListing | None:
        """What the preset takes of what was found."""
        preset = self.chosen_preset()
        return taken(self._whole, preset.takes) if self._whole is not None and preset is not None else self._whole

    def _show_listing(self, listing: SourceListing | None, problem: str = "") -> None:
        self._listing = listing
        self._shown_run = None
        if listing is None:
            self.found.setText(problem or "Choose a source, put in a card, or drop a folder here.")
            self.files.set_rows([])
            self.passed_over.setText("")
            self.reasons.hide()
            self.room.setText("")
            self.goes.setText("")
            self._show_button()
            return
        root, project = self._path(), self._work.session.project

        def build() -> list[FileRow]:
            known = {(clip.source, clip.original.size) for clip in project.clips}
            return [self._row(root, file, known) for file in listing.files]

        def then(rows: list[FileRow]) -> None:
            if self._listing is listing and self._shown_run is None:
                self._show_rows(root, listing, rows)

        self._work.in_background(build, then)

    def _show_rows(self, root: Path, listing: SourceListing, rows: list[FileRow]) -> None:
        if self._shown != root:
            self._shown = root
            self.files.model.forget()
        self.files.set_rows(rows)
        self.found.setText(self._found_text(listing, self._rows_new()))
        others = len(listing.passed_over) + len(listing.unreadable)
        self.passed_over.setText(f"{others} other{'s' if others != 1 else ''} passed over" if others else "")
        self.reasons.setVisible(bool(others))
        self._show_room(listing)
        self._show_places(listing)
        self._show_button()
        preset = self.chosen_preset()
        rate = preset.takes.sequence_rate if preset is not None else None
        self.looking.look_at(root, lambda: self.files.rows, self.files.in_sight, rate)
        if self._brought and self.start.isEnabled():
            self._start()
        self._brought = False

    def _row(self, root: Path, file: SourceFile, known: set[tuple[str, int]]) -> FileRow:
        here = (str(file.at(root)), file.size) in known
        item = ItemState(file.path, file.kind, file.size, "here" if here else "", parts=len(file.files))
        row = FileRow(file, item)
        return replace(row, seen=self.looking.kept(root, row))

    def _file_seen(self, source: Path, path: str, seen: object) -> None:
        if source == self._path():
            self.files.set_seen(path, seen)  # type: ignore[arg-type]

    def _rows_new(self) -> int:
        return sum(1 for row in self.files.rows if row.item.phase == "")

    def _show_button(self) -> None:
        several = self.sources.chosen_paths()
        ready = [path for path in several if self._work.run_of(path) is None]
        if len(several) > 1:
            self.start.setText(f"Ingest {len(ready)} sources")
            self.start.setEnabled(bool(ready))
            return
        rows, new = len(self.files.rows), self._rows_new()
        preset = self.chosen_preset()
        unnamed = self._unnamed(preset) if preset is not None else ""
        self.start.setEnabled(bool(rows) and self._listing is not None and not unnamed)
        self.start.setToolTip(unnamed)
        if not rows:
            self.start.setText("Ingest")
        else:
            text = f"Ingest {rows} file{'s' if rows != 1 else ''}"
            self.start.setText(text if new in (rows, 0) else f"{text}, {new} new")

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
        size = sum(row.item.size for row in self.files.rows if row.item.phase != "here")
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
        more = f"\n\nand {len(lines) - 20} more; the report lists them all" if len(lines) > 20 else ""
        box.setInformativeText("\n\n".join(lines[:20]) + more)
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
        project = self._work.session.project
        chosen = project.footage.chosen_preset if project.footage.chosen_preset in presets else ""
        wanted = chosen or (current.name if current is not None else "Quick cut")
        self.preset.setCurrentIndex(max(0, self.preset.findText(wanted)))
        self.preset.blockSignals(False)
        self._preset_changed()

    def chosen_preset(self) -> Preset | None:
        """The preset of the choice."""
        return self._presets.get(self.preset.currentText())

    def _preset_chosen(self) -> None:
        """Kept with the project."""
        name = self.preset.currentText()
        self._work.session.absorb(
            lambda now: now if now.chosen_preset == name else replace(now, chosen_preset=name)
        )

    def _preset_changed(self) -> None:
        preset = self.chosen_preset()
        if preset is None:
            return
        self.describes.setText(describes(preset))
        standing = self._work.session.project.preset
        self.by_itself.setVisible(standing == preset)
        with QSignalBlocker(self.by_itself):
            self.by_itself.setChecked(self._work.session.project.cut.by_itself)
        self._take_shelves(preset)
        copying, on_shelf, again = self._uses(preset)
        for shown, widgets in (
            (copying, (self._originals_label, self.originals, self._choosers[0])),
            (on_shelf, (self._proxies_label, self.proxies, self._choosers[1])),
            (again, (self._second_label, self.second, self._choosers[2])),
        ):
            for widget in widgets:
                widget.setVisible(shown)
        if self._whole is not None and self._shown_run is None:
            self._show_listing(self._taken())

    def _set_by_itself(self, on: bool) -> None:
        label = "Standing preset runs by itself" if on else "Standing preset waits to be started"
        self._work.session.edit(label, lambda project: project.but(by_itself=on))

    def _take_shelves(self, preset: Preset) -> None:
        """Fill in the folders of the shelves that the preset names, else of those of the project, else usual ones."""
        project = self._work.session.project
        try:
            shelves = (*user_shelves(), *project.shelves)
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            shelves = project.shelves
        wanted, usual = preset.proxies, self._folders
        for name, role, edit, folder in (
            (preset.originals.shelf, "originals", self.originals, usual.originals),
            (wanted.shelf if wanted is not None else "", "proxies", self.proxies, usual.proxies),
            (preset.originals.second_shelf, "second copies", self.second, usual.second),
        ):
            shelf = (shelf_for(name, role, shelves) if name else None) or project.footage.shelf_of_role(role)
            root = shelf.root if shelf is not None else folder
            edit.setText(str(root) if root is not None else "")

    # The run

    def request(self, source: Path | None = None, chosen: Preset | None = None) -> IngestRequest | None:
        """What the button would run on a source."""
        preset = chosen or self.chosen_preset()
        if preset is None:
            return None
        if self._unnamed(preset):
            self._work.problem.emit(self._unnamed(preset))
            return None
        wanted = _folder_in(self.second) if self.second.text().strip() else None
        return IngestRequest(
            source or self._path(), _folder_in(self.originals), _folder_in(self.proxies), preset, wanted
        )

    @staticmethod
    def _uses(preset: Preset) -> tuple[bool, bool, bool]:
        """Whether a preset needs a folder for originals, for proxies, for second copies."""
        copying = preset.originals.do == "copy"
        again = preset.originals.second_copy or (preset.proxies is not None and preset.proxies.second_copy)
        return copying, preset.proxies is not None and preset.proxies.place == "shelf", again

    def _unnamed(self, preset: Preset) -> str:
        """What must be named before an ingest can begin, as a sentence; empty when nothing."""
        for (edit, role), needed in zip(self._roles(), self._uses(preset), strict=True):
            if needed and not edit.text().strip():
                return f"Name the folder that {role} go to."
        return ""

    def _start(self) -> None:
        several = self.sources.chosen_paths()
        self._start_on(several if len(several) > 1 else [self._path()])

    def _start_on(self, sources: list[Path], preset: Preset | None = None) -> None:
        for source in sources:
            request = self.request(source, preset)
            if request is not None and self._work.run_of(source) is None:
                self.report.setText("")
                self._work.start_ingest(request)
        self.sources.refresh()
        self.refresh_run()

    def _stand_still(self) -> None:
        run = self._work.run_of(self._path())
        if run is not None:
            run.stand_still(not run.standing_still)
            self.refresh_run()

    def _cancel(self) -> None:
        run = self._work.run_of(self._path())
        if run is not None:
            run.stop(for_good=True)

    def _ingest_again(self, source: str) -> None:
        """What failed is tried again: what is proven is not copied again."""
        self.show_source(Path(source))
        self._start_on([Path(source)])

    def _show_file(self, source: str, path: str) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str((Path(source) / path).parent)))

    def _watch(self) -> None:
        """Watch the chosen source, or a folder that is chosen now, with the preset and shelves beside."""
        chosen = self.sources.chosen_paths()
        start = str(chosen[0]) if len(chosen) == 1 else ""
        folder = QFileDialog.getExistingDirectory(self, "Folder to watch", start)
        if not folder:
            return
        request, project = self.request(Path(folder)), self._work.session.path
        if request is not None:
            self._change_watches(lambda: watch_folder(project, request))

    def _watch_no_more(self, folder: Path) -> None:
        project = self._work.session.path
        self._change_watches(lambda: stop_watching(project, folder))

    def _change_watches(self, change: Callable[[], None]) -> None:
        """In the background: it looks at folders and writes a file."""

        def work() -> None:
            change()
            self._work.desk.watch_again()

        self._work.in_background(work, lambda _done: self.sources.refresh())

    def refresh_run(self) -> None:
        """Show the run of the chosen source as it is at this moment."""
        run = self._work.run_of(self._path()) if self.source.text().strip() else None
        running, any_runs = run is not None, bool(self._work.desk.ingests)
        for widget in (self.bar, self.cancel, self.still):
            widget.setVisible(running)
        self.start.setVisible(not running)
        for field in (self.originals, self.proxies, self.second, self.preset):
            field.setEnabled(not running)
        self.now.hide()
        if run is None:
            if self._work.drawing is not None and self._listing is not None and not any_runs:
                self.found.setText(self._found_text(self._listing, self._rows_new()))
            return
        self._show_items(run)
        progress, person = run.progress(), run.waits_for_a_person
        others = ("while", "for the card", "for the drive")  # what pressing the button would not end
        self.now.setVisible(bool(progress.waits) and not progress.waits.startswith(others))
        self.still.setText("Go on" if run.standing_still else "Stand still")
        self.found.setText(
            f"Waiting for {person}. All else goes on." if person
            else f"{progress.copied} of {progress.files} in place, {progress.proved} proved"
            + (f"; {progress.failed} need you" if progress.failed else "")
        )  # fmt: skip
        self.found.setObjectName("warn" if person else "quiet")
        self.found.style().polish(self.found)
        self.bar.setValue(round(progress.fraction * 1000))
        remaining = f", about {clock_text(progress.remaining)}" if progress.remaining is not None else ""
        waiting = f", waiting {progress.waits}" if progress.waits else ""
        made = f"{progress.proxies_done} of {progress.proxies_wanted} proxies" if progress.proxies_wanted else ""
        self.bar.setFormat(f"{made or f'{progress.copied} of {progress.files} files'}{remaining}{waiting}")

    def _show_items(self, run: IngestRun) -> None:
        """Put in what changed since the last time; all of it when another run is shown."""
        if self._shown_run is not run:
            files = run.files
            if not files:
                return
            self._shown_run, self._version = run, -1
            root = run.request.source
            rows = [FileRow(file, ItemState(file.path, file.kind, file.size, "waiting")) for file in files]
            self.files.set_rows([replace(row, seen=self.looking.kept(root, row)) for row in rows])
            self.passed_over.setText("")
            self.reasons.hide()
        self._version, changed = run.board.changes(self._version)
        self.files.set_items([(item.path, item) for _number, item in changed])

    def _ended(self) -> None:
        report = self._work.last_report
        self.refresh_run()
        self.found.setObjectName("quiet")
        self.found.style().polish(self.found)
        if report is not None:
            self.report.setText(_report_text(report))
            self.report_view.show_latest()
        self._refresh_timer.start()

    def close_place(self) -> None:
        """Look at nothing more."""
        self._reading += 1  # whatever is being read is overtaken
        self.sources.close_list()
        self.looking.close()


def _report_text(report: IngestReport) -> str:
    lines = [f"{report.one_number()}.", f"{report.headline()}."]
    if report.failed:
        lines.append("The report says what needs you.")
    return "\n".join(lines)


def _folder_in(edit: QLineEdit) -> Path:
    return Path(edit.text().strip()).expanduser().absolute()


def _path_edit(name: str) -> QLineEdit:
    edit = QLineEdit()
    edit.setAccessibleName(name)
    return edit
