"""Ingest: what is on the source, the preset, where everything will go, one button; then the run and its report."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QScrollArea, QTabWidget, QWidget

from ....core.ingest import MountedPlace, SourceListing, taken
from ....core.presets import Preset
from ...folders import Folders
from ...show_file import show_file
from ...waits import enable
from ...work import Work
from ..place import PlacePage
from .card import InstructionCard
from .files import FileRow
from .on_source import OnSource
from .reading import SourceReading
from .report import ReportView
from .sources import SourcesList
from .watching import Watching


class IngestPlace(PlacePage):
    """The whole place. Folders are read on a background thread."""

    def __init__(self, work: Work, folders: Folders, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.setAcceptDrops(True)
        self._work = work
        self._brought = False
        self.sources = SourcesList(work)
        self.on_source = OnSource(work)
        self.report_view = ReportView(work)
        self.card = InstructionCard(work, folders)
        self._reading = SourceReading(work)
        self._watching = Watching(work, self.sources, self.card.request)
        self._lay_out()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)
        self.on_source.source.setText(str(folders.source) if folders.source is not None else "")
        self._connect()
        self.card.reload_presets()
        self._read()

    def _lay_out(self) -> None:
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(14)
        self.sources.setFixedWidth(172)
        layout.addWidget(self.sources)
        self.tabs = QTabWidget()
        self.tabs.addTab(self.on_source, "On the source")
        self.tabs.addTab(self.report_view, "Reports")
        layout.addWidget(self.tabs, 1)
        scroll = QScrollArea()
        scroll.setWidget(self.card)
        scroll.setWidgetResizable(True)
        scroll.setFixedWidth(318)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(scroll)

    def _connect(self) -> None:
        self._soon.timeout.connect(self._read)
        for changed in (self.on_source.source.textChanged, self.card.folder_changed, self._work.card_grew):
            changed.connect(self._soon.start)
        self.card.preset_changed.connect(self._preset_changed)
        self.card.started.connect(self._start)
        self._reading.came.connect(self._show_listing)
        self._reading.placed.connect(self._show_room)
        self._work.jobs_changed.connect(self.refresh_run)
        self._work.ingest_ended.connect(self._ended)
        self.sources.chosen.connect(self._source_chosen)
        self.sources.came.connect(self._card_came)
        self.sources.wants_folder.connect(self._choose)
        self.on_source.files.wants_folder.connect(self._choose)
        self.report_view.retry.connect(self._ingest_again)
        self.report_view.read.connect(lambda source: self.show_source(Path(source)))
        self.report_view.shows_file.connect(_show_file)

    # Sources

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Source", self.on_source.source.text())
        if chosen:
            self.bring_in(Path(chosen))

    def bring_in(self, source: Path) -> None:
        """A source the user brought in: the standing preset runs on it by itself where that is wished."""
        project = self._work.session.project
        self._brought = self.card.runs_by_itself() and self._work.run_of(source) is None
        if self._brought and project.preset is not None:
            self.card.preset.setCurrentText(project.preset.name)
        self.show_source(source)

    def show_source(self, source: Path) -> None:
        """Have a source among the sources, and show what is on it."""
        self.sources.add_folder(source)
        self.tabs.setCurrentIndex(0)
        self.on_source.source.setText(str(source))
        self._soon.start()

    def _source_chosen(self) -> None:
        chosen = self.sources.chosen_paths()
        if len(chosen) == 1 and self.on_source.source.text() != str(chosen[0]):
            self.on_source.source.setText(str(chosen[0]))
        self.sources.refresh()
        self._show_button()

    def _card_came(self, place: MountedPlace) -> None:
        """A card was put in: it is shown, and ingested where the standing preset runs by itself."""
        project = self._work.session.project
        if project.preset is not None and self.card.runs_by_itself():
            self.card.preset.setCurrentText(project.preset.name)  # its shelves are filled in with it
            self._start_on([place.path], project.preset)
        elif self._work.run_of(self.on_source.path) is None and not self.on_source.new:
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

    # What is on the source

    def _read(self) -> None:
        source, path = self.on_source.source.text().strip(), self.on_source.path
        if source:
            self.sources.add_folder(path)
            if self.sources.chosen_paths() != [path] and len(self.sources.chosen_paths()) < 2:
                self.sources.choose(path)
        if not source or self._work.run_of(path) is not None:
            self._show_nothing("")
            self.refresh_run()
            return
        preset = self.card.chosen_preset()
        join = preset.takes.join_parts if preset is not None else True
        self._reading.read(path, self.card.targets(), join)

    def _preset_changed(self) -> None:
        if self._reading.whole is not None and self.on_source.run is None:
            self._show_listing()

    def _show_nothing(self, why: str) -> None:
        self.on_source.show_nothing(why)
        self.card.room.setText("")
        self.card.goes.setText("")
        self._show_button()

    def _show_listing(self) -> None:
        """What the preset takes of what was found."""
        whole, preset = self._reading.whole, self.card.chosen_preset()
        listing = taken(whole, preset.takes) if whole is not None and preset is not None else whole
        if listing is None:
            self._show_nothing(self._reading.problem)
            return
        self.on_source.show_listing(listing)
        root, project = self.on_source.path, self._work.session.project

        def build() -> list[FileRow]:
            return self.on_source.rows_of(root, listing, {(clip.source, clip.original.size) for clip in project.clips})

        def then(rows: list[FileRow]) -> None:
            if self.on_source.listing is listing and self.on_source.run is None:
                self._show_rows(root, listing, rows)

        self._work.in_background(build, then)

    def _show_rows(self, root: Path, listing: SourceListing, rows: list[FileRow]) -> None:
        pane, preset = self.on_source, self.card.chosen_preset()
        pane.show_rows(root, listing, rows)
        self._show_room()
        self.card.show_places(pane.source.text().strip(), listing)
        self._show_button()
        rate = preset.takes.sequence_rate if preset is not None else None
        pane.looking.look_at(root, lambda: pane.files.rows, pane.files.in_sight, rate)
        if self._brought and self.card.start.isEnabled():
            self._start()
        self._brought = False

    def _show_room(self) -> None:
        if self.on_source.listing is not None and self.on_source.run is None:
            self.card.show_room(self.on_source.to_copy, self._reading.free, self._reading.one_drive)

    def _show_button(self) -> None:
        several, button = self.sources.chosen_paths(), self.card.start
        ready = [path for path in several if self._work.run_of(path) is None]
        if len(several) > 1:
            button.setText(f"Ingest {len(ready)} sources")
            button.setEnabled(bool(ready))
            return
        rows, new, unnamed = len(self.on_source.files.rows), self.on_source.new, self.card.unnamed()
        able = bool(rows) and self.on_source.listing is not None and not unnamed
        enable(button, able, unnamed or "Choose a source with footage first.")
        text = f"Ingest {rows} file{'s' if rows != 1 else ''}" if rows else "Ingest"
        button.setText(text if new in (rows, 0) else f"{text}, {new} new")

    # The run

    def _start(self) -> None:
        several = self.sources.chosen_paths()
        self._start_on(several if len(several) > 1 else [self.on_source.path])

    def _start_on(self, sources: list[Path], preset: Preset | None = None) -> None:
        for source in sources:
            request = self.card.request(source, preset)
            if request is not None and self._work.run_of(source) is None:
                self.card.run.show_report(None)
                self._work.asked.start_ingest(request)
        self.sources.refresh()
        self.refresh_run()

    def _ingest_again(self, source: str) -> None:
        """What failed is tried again: what is proven is not copied again."""
        self.show_source(Path(source))
        self._start_on([Path(source)])

    def refresh_run(self) -> None:
        """Show the run of the chosen source as it is at this moment."""
        run = self._work.run_of(self.on_source.path) if self.on_source.source.text().strip() else None
        self.card.show_running(run is not None)
        self.card.run.show_run(run)
        if run is not None:
            self.on_source.show_run(run)
        elif self._work.drawing is not None and not self._work.desk.ingests:
            self.on_source.show_found()

    def _ended(self) -> None:
        report = self._work.last_report
        self.refresh_run()
        self.on_source.show_quiet(True)
        if report is not None:
            self.card.run.show_report(report)
            self.report_view.show_latest()
        self._soon.start()

    def colours_changed(self) -> None:
        """What was drawn in the other colours is forgotten."""
        self.on_source.files.model.forget()

    def close_place(self) -> None:
        """Look at nothing more."""
        self._reading.stop()
        self.sources.close_list()
        self.on_source.looking.close()


def _show_file(source: str, path: str) -> None:
    show_file(Path(source) / path)
