"""The main window: strip, rail, places, drawer; commands go to whichever place is open."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..core.playback import SoundOutput
from ..core.presets import Preset
from ..core.project import Footage
from ..core.time import clock_text
from . import theme
from .actions import COMMANDS, TIMELINE_AREAS, keys_of
from .closing import Closing
from .commands import PLAYING, Commands
from .folders import Folders
from .jobs_drawer import JobsDrawer
from .measuring import Measuring
from .notice import Notice
from .notices import send_notice, sound
from .places.export import ExportPlace
from .places.ingest import IngestPlace
from .places.pairs import PairsPlace
from .places.presets import PresetsPlace
from .places.storage import StoragePlace, look_at_shelves, mended
from .places.timeline import TimelinePlace
from .player_panel import PlayerPanel
from .presence import Looking
from .project_menu import ProjectMenu
from .rail import Rail
from .showing import RULE, Counts
from .status_strip import StatusStrip
from .work import Work

log = logging.getLogger(__name__)


class MainWindow(QMainWindow):
    """One window for one project."""

    def __init__(self, work: Work, folders: Folders, start_sound: bool = True, measure: bool = True) -> None:
        super().__init__()
        self.work = work
        self.setMinimumSize(1000, 680)
        self.resize(1280, 800)
        self.sound = SoundOutput()
        self.measuring = Measuring(work)
        self._counts = Counts()
        self.commands = Commands(self)
        self.closing = Closing(self, work, self.jobs_text, self._end_parts)
        self._build(folders)
        self._bind_keys()
        self._connect()
        self.open_place(1)
        self._show_project()
        self.reopen_with: Path | None = None
        self.ready_made: str | None = None
        self._find_shelves()
        self.presence = Looking(work, [self.pairs.panel.player.presence, self.timeline.panel.player.presence])
        self.presence.changed.connect(self._came_or_went)
        self.pairs.looks_again.connect(self.presence.look_now)
        self.presence.start()
        if measure:
            self.measuring.want_headrooms(self.work.session.project)
            self.measuring.start()
            self.work.pairs.by_itself = True
            self.work.pairs.prove_by_itself()
        if start_sound:
            threading.Thread(target=self._find_sound, name="sound device", daemon=True).start()

    def _find_sound(self) -> None:
        self.sound.find_device()
        self.work.call_here(self._show_sound)

    def _build(self, folders: Folders) -> None:
        self.strip = StatusStrip()
        self.rail = Rail()
        self.presets = PresetsPlace(self.work, self.measuring)
        self.ingest = IngestPlace(self.work, folders)
        self.pairs = PairsPlace(self.work, self.sound, self.measuring, self._proxy_presets)
        self.timeline = TimelinePlace(self.work, self.sound)
        self.export = ExportPlace(self.work, folders.exports)
        self.storage = StoragePlace(self.work)
        self.stack = QStackedWidget()
        for place in (self.presets, self.ingest, self.pairs, self.timeline, self.export, self.storage):
            self.stack.addWidget(place)
        self.drawer = JobsDrawer(self.work)
        self.drawer.hide()
        self.notice = Notice()
        whole = QWidget()
        whole.setObjectName("place")
        outer = QVBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.strip)
        outer.addWidget(self.notice)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self.stack, 1)
        outer.addLayout(middle, 1)
        outer.addWidget(self.drawer)
        self.setCentralWidget(whole)
        self.project_menu = ProjectMenu(self)
        self.strip.project.setMenu(self.project_menu)

    def _bind_keys(self) -> None:
        self._playing_keys: list[QShortcut] = []
        self._timeline_keys: list[QShortcut] = []
        for command in COMMANDS:
            for keys in command.keys:
                shortcut = QShortcut(QKeySequence(keys), self)
                shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
                shortcut.activated.connect(lambda identity=command.id: self.command(identity))
                if command.id in PLAYING:
                    self._playing_keys.append(shortcut)
                elif command.area in TIMELINE_AREAS:
                    self._timeline_keys.append(shortcut)

    def _connect(self) -> None:
        work = self.work
        work.project_changed.connect(self._show_project)
        work.saved_changed.connect(self._show_saved)
        work.jobs_changed.connect(self.show_jobs)
        work.problem.connect(self.tell)
        work.told.connect(lambda text: self.tell(text, calm=True))
        work.offered.connect(lambda text, answers: self.offer(text, *answers))
        work.changed_elsewhere.connect(self._changed_elsewhere)
        work.ingest_ended.connect(self._ingest_ended)
        self.rail.chosen.connect(self.open_place)
        self.strip.switch.flipped.connect(self.commands.flip_to)
        self.strip.jobs.clicked.connect(lambda: self.command("jobs"))
        self.presets.chosen.connect(self.ingest.card.reload_presets)
        self.measuring.measured.connect(self._show_measured)
        work.is_playing = lambda: any(panel.player.playing for panel in (self.pairs.panel, self.timeline.panel))
        for panel in (self.pairs.panel, self.timeline.panel):
            panel.metered.connect(self.strip.show_meter)
            panel.heard.connect(self.strip.show_levels)
            panel.picture_came.connect(self._show_counts)
            panel.switch_asked.connect(lambda: self.command("switch"))
            panel.mend_asked.connect(self.commands.mend)
            panel.scrub.scrubbed.connect(lambda _frame: self.measuring.stand_still())
        self.pairs.chosen.connect(self.measuring.stand_still)
        self.export.check_panel.look.connect(self._look_for_missing)
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.setInterval(12_000)
        self._notice_timer.timeout.connect(self.notice.hide)

    def _look_for_missing(self) -> None:
        """The search for missing files, asked for from the final check."""
        self.open_place(2)
        self.pairs.ask_for_missing()

    def _proxy_presets(self) -> list[Preset]:
        """Presets that make proxies, for making them at any time."""
        known = (self.presets.library.named(name) for name in self.presets.library.names)
        return [preset for preset in known if preset is not None and preset.proxies is not None]

    def _find_shelves(self) -> None:
        """Shelves that moved while the project was closed are found again by themselves."""
        project = self.work.session.project
        if not project.shelves:
            return

        def then(after: Footage) -> None:
            if after is not project.footage:
                moved = [shelf for shelf in after.shelves if project.shelf(shelf.id) != shelf]
                for shelf in moved:
                    self.work.session.absorb(partial(Footage.with_shelf_moved, moved=shelf))
                told = ", ".join(f"{shelf.name} at {shelf.root}" for shelf in moved)
                self.tell(f"Found again: {told}.", calm=True)

        self.work.in_background(lambda: mended(project.footage, look_at_shelves(project, ())), then)

    def _came_or_went(self) -> None:
        """Files are there, or missing, that were not: every place, list, strip and block shows it."""
        self.pairs.presence_changed()
        self.timeline.presence_changed()
        self._show_project()

    def _show_measured(self) -> None:
        self.pairs.headroom_came()
        if self.stack.currentWidget() is self.pairs:
            self.pairs.refresh()
        self.show_jobs()

    # Showing

    def _show_project(self) -> None:
        project = self.work.session.project
        self.setWindowTitle(f"{project.name} - Agile Shadow")
        name = self.strip.project.fontMetrics().elidedText(project.name, Qt.TextElideMode.ElideRight, 190)
        self.strip.project.setText(name)
        self.strip.project.setToolTip(str(self.work.session.path))
        self.strip.switch.set_side(project.showing)
        place = self.stack.currentWidget()
        if place is self.presets:
            self.presets.refresh_table()
        elif place is self.pairs:
            self.pairs.refresh()
        elif place is self.timeline:
            self.timeline.refresh()
        elif place is self.export:
            self.export.refresh()
        self._show_counts()
        self._show_saved()

    def _show_saved(self) -> None:
        session = self.work.session
        if session.save_problem:
            self.strip.saved.setText("not saved")
            if not session.is_changed_elsewhere:
                self.tell(session.save_problem)
            elif not (self.notice.isVisible() and self.notice.buttons):
                self._changed_elsewhere()  # something else was told meanwhile: the question still stands
        else:
            self.strip.saved.setText("saved" if session.is_saved else "saving")

    def _show_counts(self) -> None:
        project = self.work.session.project
        counts = self._counts.text(project, self.timeline.panel.player.presence)
        self.strip.counts.setText(counts)
        self.strip.counts.setToolTip(RULE)
        self.strip.switch.setToolTip(f"{RULE} Flip: {keys_of('switch')}")
        self.rail.buttons["Pairs"].set_waiting(self.pairs.waiting())
        report = self.work.last_report
        running = sum(run.progress().failed for run in self.work.desk.ingests)
        self.rail.buttons["Ingest"].set_waiting(running + (len(report.failed) if report is not None else 0))

    def _show_sound(self) -> None:
        problem = self.sound.problem
        self.strip.sound.setText("no sound" if problem else "")
        self.strip.sound.setToolTip(problem or "")
        if problem and self.isVisible():
            self.tell(f"Playing is silent: {problem.removeprefix('no sound: ')}.", calm=True)

    def show_jobs(self) -> None:
        """Show the jobs of this moment."""
        text = self.jobs_text()
        self.strip.jobs.setText(self.strip.jobs.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 330))
        if self.drawer.isVisible():
            self.drawer.refresh(text)

    def jobs_text(self) -> str:
        """The chip: what runs, how much of it, how long still."""
        parts = []
        progress = self.work.ingest_progress()
        if progress is not None:
            left = f", about {clock_text(progress.remaining)}" if progress.remaining is not None else ""
            waits = f", waiting {progress.waits}" if progress.waits else ""
            made = f"{progress.proxies_done} of {progress.proxies_wanted} proxies"
            copied = f"{progress.copied} of {progress.files} files"
            parts.append(f"{made if progress.proxies_wanted else copied}{left}{waits}")
        for run in (*self.work.desk.makes, *self.work.desk.films):
            done, total, part = run.progress()
            waits = f", waiting {run.waits}" if run.waits else ""
            parts.append((f"{done} of {total} proxies" if run.kind == "make" else f"film {part:.0%}") + waits)
        for run in self.work.desk.keeps:
            waits = f", waiting {run.waits}" if run.waits else ""
            parts.append(f"{run.title[:1].lower()}{run.title[1:]} {run.progress()[2]:.0%}{waits}")
        if self.work.drawing is not None:
            parts.append(f"drawing {self.work.drawing.done} of {self.work.drawing.total} clips")
        parts.extend(self.work.pairs.texts())
        parts.extend(self.work.bakes.texts())
        person = self.work.waits_for_a_person
        if person and progress is not None and not progress.waits:
            parts.append(f"waits for {person}")
        if not parts and self.measuring.now:
            return "measuring"
        return "; ".join(parts) or "No jobs"

    def tell(self, text: str, calm: bool = False) -> None:
        """Show a sentence above the place for a while; ``calm``: it is no problem."""
        self.notice.tell(text, calm)
        self._notice_timer.start()

    def offer(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Show a sentence with buttons, until one is pressed or something else is to be told."""
        self.notice.tell(text, True, answers)
        self._notice_timer.stop()

    def _ingest_ended(self) -> None:
        self._show_counts()
        report = self.work.last_report
        if report is not None and report.paired and self.work.session.project.showing == "originals":
            self.offer(
                f"{report.paired} clips have a proxy now. Show proxies from here on? {keys_of('switch')} flips back.",
                ("Show proxies", lambda: self.commands.flip_to("proxies")),
                ("Not now", lambda: None),
            )
        self.measuring.want_headrooms(self.work.session.project)
        at_end = self.work.last_at_end
        if report is not None and at_end == "notice":
            send_notice(self, "The ingest has ended", report.headline())
        elif report is not None and at_end == "sound":
            sound()

    def _changed_elsewhere(self) -> None:
        """Another copy of the program, or a person, has changed the project file meanwhile."""
        session = self.work.session
        self.offer(
            f"{session.path.name} was changed by another program while it was open here. Nothing is saved over it "
            "until you choose.",
            ("Keep mine, the other goes to the earlier saves", lambda: self._settle(session.keep_mine)),
            ("Take the other version", lambda: self._settle(session.take_theirs)),
        )

    def _settle(self, choice: Callable[[], None]) -> None:
        self.work.in_background(choice, lambda _done: self._show_saved())

    def open_place(self, number: int) -> None:
        """Go to a place by its number."""
        before = self.stack.currentWidget()
        self.rail.open(number)
        if before is self.stack.widget(number) and number != 1:
            return
        if isinstance(before, PairsPlace | TimelinePlace | StoragePlace):
            before.left()
        self.stack.setCurrentIndex(number)
        after = self.stack.currentWidget()
        for shortcut in self._playing_keys:  # elsewhere Space presses the button that has the focus
            shortcut.setEnabled(isinstance(after, PairsPlace | TimelinePlace))
        for shortcut in self._timeline_keys:
            shortcut.setEnabled(isinstance(after, TimelinePlace))
        if isinstance(after, PresetsPlace | PairsPlace | TimelinePlace | ExportPlace | StoragePlace):
            after.entered()
        self._first_widget(number).setFocus()
        self._show_project()

    def _first_widget(self, number: int) -> QWidget:
        """What has the focus when a place is opened."""
        return (
            self.presets.list,
            self.ingest.card.start,
            self.pairs.table,
            self.timeline.clips,
            self.export.card.start,
            self.storage.list,
        )[number]

    def change_theme(self) -> None:
        chosen = theme.PAPER if theme.theme() is theme.INK else theme.INK
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply_theme(app, chosen)
        for model in (self.timeline.model, self.export.check_panel.model, self.export.films.model):
            model.forget_icons()
        self.pairs.colours_changed()
        self.ingest.on_source.files.model.forget()
        self.update()

    # Commands

    def panel(self) -> PlayerPanel | None:
        """The player of the open place."""
        place = self.stack.currentWidget()
        return place.panel if isinstance(place, PairsPlace | TimelinePlace) else None

    def command(self, identity: str) -> None:
        """Do a command of the table; one that has no meaning in the open place does nothing."""
        self.commands.do(identity)

    def reopen(self, path: Path, ready_made: str | None = None) -> None:
        """Close, and go on with another project, begun from a ready-made one if named."""
        self.reopen_with, self.ready_made = path, ready_made
        if not self.close():
            self.reopen_with = None

    def closeEvent(self, event: QCloseEvent) -> None:
        """Save first: a project that cannot be saved stays open, unless the user wants it otherwise."""
        closed = self.closing.close()
        if not closed:
            self.reopen_with = None
        event.setAccepted(closed)

    def _end_parts(self) -> None:
        self._notice_timer.stop()
        self.work.at_the_end(self.presence.end())
        self.ingest.close_place()
        self.pairs.close_place()
        self.timeline.close_place()
        self.measuring.close()
        self.sound.stop()
        self.work.at_the_end(self.sound.close)

    def dispose(self) -> None:
        """The window is closed, and another one opens: let go of everything, also of what the toolkit holds."""
        work = self.work
        work.is_playing = lambda: False
        for one in (self.presence, self.measuring, work.pairs, work.bakes, work, self):
            one.deleteLater()
