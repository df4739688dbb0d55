"""The main window: strip, rail, places, drawer; commands go to whichever place is open."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)

from ..core.amounts import counted
from ..core.playback import SoundOutput
from ..core.presets import Preset
from ..core.project import Footage, Project
from ..core.switch import Presence
from ..core.time import clock_text
from . import theme
from .actions import COMMANDS, EVERYWHERE, PLACE_NAMES, Command, all_keys, keys_of, tip
from .closing import Closing
from .commands import Commands
from .folders import Folders
from .jobs_drawer import JobsDrawer
from .kept_look import KeptLook
from .late_places import EXPORT, INGEST, PAIRS, PRESETS, STORAGE, TIMELINE, LatePlaces, builders
from .measuring import Measuring
from .menus import MainMenu
from .notice import Notice, NoticeLine
from .notices import send_notice, sound
from .presence import Looking
from .project_menu import ProjectMenu
from .rail import Rail
from .showing import RULE, Counts
from .sketch_work import SketchWork
from .status_strip import StatusStrip
from .work import Work

if TYPE_CHECKING:
    from .places.export import ExportPlace
    from .places.ingest import IngestPlace
    from .places.pairs import PairsPlace
    from .places.presets import PresetsPlace
    from .places.storage import StoragePlace
    from .places.timeline import TimelinePlace
    from .player_panel import PlayerPanel

log = logging.getLogger(__name__)
_FRAME = 36  # pixels that the frame of a window takes in height
_PAINTED = 120  # milliseconds after which a window that is shown has been painted


class MainWindow(QMainWindow):
    """One window for one project."""

    def __init__(self, work: Work, folders: Folders, start_sound: bool = True, measure: bool = True) -> None:
        super().__init__()
        self.work = work
        self.kept = KeptLook()
        self.guide: QDialog | None = None
        self._folders = folders
        self.setMinimumSize(1000, 680)
        self._take_size()
        self.sound = SoundOutput()
        self.measuring = Measuring(work)
        self.sketches = SketchWork(work)
        self._counts = Counts()
        self._known = Presence()
        self.presence = Looking(work, [self._known])
        self.commands = Commands(self)
        self.closing = Closing(self, work, self.jobs_text, self._end_parts)
        self._build(folders)
        self.bind_keys()
        self._connect()
        self.open_place(INGEST)
        self._show_project()
        self.reopen_with: Path | None = None
        self.ready_made: str | None = None
        self.reopen_demo = False
        self._find_shelves()
        self.presence.changed.connect(self._came_or_went)
        self.presence.start()
        if measure:
            self.measuring.want_headrooms(self.work.session.project)
            self.measuring.start()
            self.sketches.start()
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
        self.places = LatePlaces(builders(self, folders))
        self.places.built.connect(self._place_built)
        self.places.all_built.connect(self._show_project)
        self.stack = self.places.stack
        self.drawer = JobsDrawer(self.work)
        self.drawer.hide()
        self.notice = Notice()
        whole = QWidget()
        whole.setObjectName("place")
        outer = QVBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.strip)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self.stack, 1)
        outer.addLayout(middle, 1)
        self.foot = NoticeLine(self.notice)
        outer.addWidget(self.foot)
        outer.addWidget(self.drawer)
        self.setCentralWidget(whole)
        self.project_menu = ProjectMenu(self)
        self.strip.project.setMenu(self.project_menu)
        self.menu = MainMenu(self)
        self.strip.menu.setMenu(self.menu)

    def _place_built(self, number: int, place: QWidget) -> None:
        self.kept.restore(PLACE_NAMES[number], place)

    def _take_size(self) -> None:
        """The last size and place, else one that fits the screen."""
        if self.kept.restore_window(self):
            return
        room = self.screen().availableSize()
        self.resize(min(1280, room.width()), min(800, room.height() - _FRAME))

    @property
    def presets(self) -> PresetsPlace:
        """The place of presets."""
        return cast("PresetsPlace", self.places.get(PRESETS))

    @property
    def ingest(self) -> IngestPlace:
        """The place where footage comes in."""
        return cast("IngestPlace", self.places.get(INGEST))

    @property
    def pairs(self) -> PairsPlace:
        """The place of pairs."""
        return cast("PairsPlace", self.places.get(PAIRS))

    @property
    def timeline(self) -> TimelinePlace:
        """The place of the timeline."""
        return cast("TimelinePlace", self.places.get(TIMELINE))

    @property
    def export(self) -> ExportPlace:
        """The place of films and of handing over."""
        return cast("ExportPlace", self.places.get(EXPORT))

    @property
    def storage(self) -> StoragePlace:
        """The place of shelves and cards."""
        return cast("StoragePlace", self.places.get(STORAGE))

    def showEvent(self, event: QShowEvent) -> None:
        """The places that are not open are built after the window was painted."""
        super().showEvent(event)
        QTimer.singleShot(_PAINTED, self.places.build_all_by_and_by)

    def bind_keys(self) -> None:
        """Give every command its keys, as the user has them now."""
        for shortcut, _command in getattr(self, "_shortcuts", []):
            shortcut.setParent(None)
            shortcut.deleteLater()
        self._shortcuts: list[tuple[QShortcut, Command]] = []
        for command in COMMANDS:
            for keys in all_keys(command.id):
                shortcut = QShortcut(QKeySequence(keys), self)
                shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
                shortcut.activated.connect(lambda identity=command.id: self.commands.by_key(identity))
                self._shortcuts.append((shortcut, command))
        self._enable_keys(self.stack.currentIndex())
        self.foot.show_hint()

    def _enable_keys(self, place: int) -> None:
        """Keys that have no meaning in a place are free there: elsewhere Space presses the button that has the focus.

        Those of commands whose places are all but a few stay as they are: what cannot be done says so.
        """
        for shortcut, command in self._shortcuts:
            if command.places != EVERYWHERE:
                shortcut.setEnabled(place in command.places)

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
        self.measuring.measured.connect(self._show_measured)
        self.sketches.changed.connect(self.show_jobs)
        self.sketches.came.connect(lambda _clip: self.show_jobs())
        work.is_playing = self._is_playing
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.setInterval(12_000)
        self._notice_timer.timeout.connect(self.notice.hide)

    def _players(self) -> list[PlayerPanel]:
        """Those of the places that are built."""
        pairs = [self.pairs.panel] if self.places.is_built(PAIRS) else []
        return [*pairs, self.timeline.panel] if self.places.is_built(TIMELINE) else pairs

    def _is_playing(self) -> bool:
        return any(panel.player.playing for panel in self._players())

    def tie_player(self, panel: PlayerPanel) -> None:
        """A place's player tells the strip, and is told what is there."""
        panel.metered.connect(self.strip.show_meter)
        panel.heard.connect(self.strip.show_levels)
        panel.picture_came.connect(self._show_counts)
        panel.switch_asked.connect(lambda: self.command("switch"))
        panel.mend_asked.connect(self.commands.mend)
        panel.scrub.scrubbed.connect(lambda _frame: self.measuring.stand_still())
        self.presence.tell_too(panel.player.presence)

    def look_for_missing(self) -> None:
        """The search for missing files, asked for from the final check."""
        self.open_place(PAIRS)
        self.pairs.ask_for_missing()

    def proxy_presets(self) -> list[Preset]:
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

        self.work.in_background(lambda: _mended(project), then)

    def _came_or_went(self) -> None:
        """Files are there, or missing, that were not: every place, list, strip and block shows it."""
        self.sketches.came_or_went()
        if self.places.is_built(PAIRS):
            self.pairs.presence_changed()
        if self.places.is_built(TIMELINE):
            self.timeline.presence_changed()
        self._show_project()

    def _show_measured(self) -> None:
        if self.places.is_built(PAIRS):
            self.pairs.headroom_came()
        if self.stack.currentIndex() == PAIRS:
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
        place = self.stack.currentIndex()
        if place == PRESETS:
            self.presets.refresh_table()
        elif place == PAIRS:
            self.pairs.refresh()
        elif place == TIMELINE:
            self.timeline.refresh()
        elif place == EXPORT:
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
        known = self.timeline.panel.player.presence if self.places.is_built(TIMELINE) else self._known
        counts = self._counts.text(project, known)
        self.strip.counts.setText(counts)
        self.strip.counts.setToolTip(f"{counts}\n{RULE}" if counts else RULE)
        tip(self.strip.switch, lambda: f"{RULE} Switch: {keys_of('switch')}")
        if self.places.is_built(PAIRS):
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
        parts.extend(filter(None, [self.sketches.text]))
        if not parts and self.measuring.now:
            return "measuring"
        return "; ".join(parts) or "No jobs"

    def tell(self, text: str, calm: bool = False) -> None:
        """Show a sentence below the place for a while; ``calm``: it is no problem."""
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
                f"{counted(report.paired, 'clip now has', 'clips now have')} a proxy. Show proxies? "
                f"{keys_of('switch')} switches back.",
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
            ("Keep mine (the other goes to earlier saves)", lambda: self._settle(session.keep_mine)),
            ("Use the other version", lambda: self._settle(session.take_theirs)),
        )

    def _settle(self, choice: Callable[[], None]) -> None:
        self.work.in_background(choice, lambda _done: self._show_saved())

    def open_place(self, number: int) -> None:
        """Go to a place by its number."""
        before = self.stack.currentIndex()
        self.rail.open(number)
        if before == number and number != INGEST:
            return
        self.places.open(number)
        self._enable_keys(number)
        self._first_widget(number).setFocus()
        self._show_project()

    def _first_widget(self, number: int) -> QWidget:
        """What has the focus when a place is opened."""
        firsts: dict[int, Callable[[], QWidget]] = {
            PRESETS: lambda: self.presets.list, INGEST: lambda: self.ingest.card.start,
            PAIRS: lambda: self.pairs.table, TIMELINE: lambda: self.timeline.clips,
            EXPORT: lambda: self.export.card.start, STORAGE: lambda: self.storage.list,
        }  # fmt: skip
        return firsts[number]()

    def change_theme(self) -> None:
        chosen = theme.PAPER if theme.theme() is theme.INK else theme.INK
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply_theme(app, chosen)
        self.kept.theme = chosen.name
        self.places.colours_changed()
        self.update()

    # Commands

    def toggle_jobs(self) -> None:
        """Open or close the jobs drawer."""
        self.drawer.setVisible(not self.drawer.isVisible())
        self.show_jobs()

    def open_menu(self) -> None:
        """The menu below its button."""
        button = self.strip.menu
        self.menu.popup(button.mapToGlobal(QPoint(0, button.height())))

    def first_steps(self) -> None:
        """Ask where files go, for a preset and for footage; all of it can be left."""
        from .first_steps import FirstSteps

        dialog = FirstSteps(self, self._folders)
        dialog.finished_with.connect(self._take_first_steps)
        dialog.wants_demo.connect(self.open_demo)
        self.kept.first_steps = True
        self.kept.write()
        self.commands.dialog = dialog
        dialog.open()

    def _take_first_steps(
        self, originals: Path | None, proxies: Path | None, preset: Preset | None, source: Path | None
    ) -> None:
        session = self.work.session
        for role, root in (("originals", originals), ("proxies", proxies)):
            if root is not None:
                session.absorb(partial(Footage.with_shelf_chosen, role=role, root=root.absolute()))
        if preset is not None:
            session.edit("Set the standing preset", lambda project: project.but(preset=preset))
        self.open_place(INGEST)
        self.ingest.card.reload_presets()
        if source is not None:
            self.ingest.bring_in(source.absolute())

    def bring_preset(self, path: Path) -> None:
        """A preset file that was opened from the desktop: into the library, and shown."""
        self.open_place(PRESETS)
        self.presets.library.bring_in(path)

    def open_demo(self) -> None:
        """Close this project and open the demo."""
        from .__main__ import demo_folder

        self.reopen_demo = True
        self.reopen(demo_folder() / "The Tern Ferry.otio")
        self.reopen_demo = self.reopen_with is not None

    def panel(self) -> PlayerPanel | None:
        """The player of the open place."""
        number = self.stack.currentIndex()
        return self.pairs.panel if number == PAIRS else self.timeline.panel if number == TIMELINE else None

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
        built = {PLACE_NAMES[number]: place for number, place in self.places.all_places().items()}
        self.kept.keep(self, dict(built))
        closed = self.closing.close()
        if not closed:
            self.reopen_with = None
        event.setAccepted(closed)

    def _end_parts(self) -> None:
        self._notice_timer.stop()
        self.work.at_the_end(self.presence.end())
        self.places.end()
        self.measuring.close()
        self.sketches.end()
        self.sound.stop()
        self.work.at_the_end(self.sound.close)

    def dispose(self) -> None:
        """The window is closed, and another one opens: let go of everything, also of what the toolkit holds."""
        work = self.work
        work.is_playing = lambda: False
        for one in (self.presence, self.measuring, self.sketches, work.pairs, work.bakes, work, self):
            one.deleteLater()


def _mended(project: Project) -> Footage:
    """On a thread: the footage with its shelves where they are now."""
    from .places.storage import look_at_shelves, mended

    return mended(project.footage, look_at_shelves(project, ()))
