"""The main window: strip, rail, places, drawer; commands go to whichever place is open.

Imports inside functions: what is rarely opened is imported when it is: the window is there sooner.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QMainWindow,
    QVBoxLayout,
    QWidget,
)

from ..core.playback import SoundOutput
from ..core.presets import Preset
from ..core.project import Footage, Project
from . import theme
from .actions import PLACE_NAMES
from .bound_keys import BoundKeys
from .closing import Closing
from .commands import Commands
from .folders import Folders
from .jobs_drawer import JobsDrawer
from .jobs_text import jobs_text
from .kept_look import KeptLook
from .late_bakes import LateBakes
from .late_places import EXPORT, INGEST, PAIRS, PRESETS, STORAGE, TIMELINE, LatePlaces, builders
from .measuring import Measuring
from .menus import MainMenu
from .notice import Notice, NoticeLine
from .presence import PresenceWatch
from .project_menu import ProjectMenu
from .rail import Rail
from .sketch_work import SketchWork
from .status_strip import StatusStrip
from .window_shows import WindowShows
from .work import Work

if TYPE_CHECKING:
    from ..core.playback import LateStretch
    from .places.export import ExportPlace
    from .places.ingest import IngestPlace
    from .places.pairs import PairsPlace
    from .places.presets import PresetsPlace
    from .places.storage import StoragePlace
    from .places.timeline import TimelinePlace
    from .player_panel import PlayerPanel

log = logging.getLogger(__name__)
_FRAME = 36  # pixels that the frame of a window takes in height
_REST = 2.0  # seconds without a key or the mouse
_PAINTED = 120  # milliseconds after which a window that is shown has been painted


class MainWindow(QMainWindow):
    """One window for one project.

    Large: every command and every part of the window meets here; what each does lies in modules of its own.
    """

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
        self.late_bakes = LateBakes(work, self._came_late)
        self.shows = WindowShows(self)
        self.keys = BoundKeys(self)
        self.presence = PresenceWatch(work, [self.shows.presence])
        self.commands = Commands(self)
        self.closing = Closing(self, work, self.jobs_text, self._end_parts)
        self._build(folders)
        self.keys.bind()
        self._connect()
        self.open_place(INGEST)
        self.shows.project()
        self.reopen_with: Path | None = None
        self.ready_made: str | None = None
        self.reopen_demo = False
        self._find_shelves()
        self.presence.changed.connect(self.shows.came_or_went)
        self.presence.start()
        if measure:
            self.measuring.want_headrooms(self.work.session.project)
            self.measuring.start()
            self.sketches.start()
            self.late_bakes.start()
            self.work.pairs.by_itself = True
            self.work.pairs.prove_by_itself()
        if start_sound:
            threading.Thread(target=self._find_sound, name="sound device", daemon=True).start()

    def _find_sound(self) -> None:
        self.sound.find_device()
        self.work.call_here(self.shows.sound)

    def _build(self, folders: Folders) -> None:
        self.strip = StatusStrip()
        self.rail = Rail()
        self.places = LatePlaces(builders(self, folders), self._has_time)
        self.places.built.connect(self._place_built)
        self.places.all_built.connect(self.shows.project)
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
        self.windowHandle().installEventFilter(self.late_bakes)
        QTimer.singleShot(_PAINTED, self.places.build_all_by_and_by)

    def _connect(self) -> None:
        work = self.work
        work.project_changed.connect(self.shows.project)
        work.saved_changed.connect(self.shows.saved)
        work.jobs_changed.connect(self.show_jobs)
        work.problem.connect(self.tell)
        work.told.connect(lambda text: self.tell(text, calm=True))
        work.offered.connect(lambda text, answers: self.offer(text, *answers))
        work.changed_elsewhere.connect(self.shows.changed_elsewhere)
        work.ingest_ended.connect(self.shows.ingest_ended)
        self.rail.chosen.connect(self.open_place)
        self.strip.switch.flipped.connect(self.commands.flip_to)
        self.strip.jobs.clicked.connect(lambda: self.command("jobs"))
        self.measuring.measured.connect(self.shows.measured)
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

    def _has_time(self) -> bool:
        """Whether places that nobody opened yet may be built: never while it plays, while work goes on only once the
        hand rests."""
        return not self._is_playing() and (not self.work.desk.runs or self.late_bakes.rested() > _REST)

    def _came_late(self) -> tuple[LateStretch, ...]:
        return self.timeline.panel.player.lateness.stretches if self.places.is_built(TIMELINE) else ()

    def tie_player(self, panel: PlayerPanel) -> None:
        """A place's player tells the strip, and is told what is there."""
        panel.metered.connect(self.strip.show_meter)
        panel.heard.connect(self.strip.show_levels)
        panel.picture_came.connect(self.shows.counts)
        panel.hand_moved.connect(self.late_bakes.hand)
        panel.switch_asked.connect(lambda: self.command("switch"))
        panel.mend_asked.connect(self.commands.mend)
        panel.scrub.scrubbed.connect(lambda _frame: self.measuring.stand_still())
        panel.player.lanes.decode_by(self.measuring.decoders.device_for)
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

    # Showing

    def show_jobs(self) -> None:
        """Show the jobs of this moment."""
        text = self.jobs_text()
        self.strip.jobs.setText(self.strip.jobs.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 330))
        if self.drawer.isVisible():
            self.drawer.refresh(text)

    def jobs_text(self) -> str:
        """The chip: what runs, how much of it, how long still."""
        return jobs_text(self.work, self.sketches, self.measuring)

    def tell(self, text: str, calm: bool = False) -> None:
        """Show a sentence below the place for a while; ``calm``: it is no problem."""
        self.notice.tell(text, calm)
        self._notice_timer.start()

    def offer(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Show a sentence with buttons, until one is pressed or something else is to be told."""
        self.notice.tell(text, True, answers)
        self._notice_timer.stop()

    def open_place(self, number: int) -> None:
        """Go to a place by its number."""
        before = self.stack.currentIndex()
        self.rail.open(number)
        if before == number and number != INGEST:
            return
        self.places.open(number)
        self.keys.enable(number)
        self._first_widget(number).setFocus()
        self.shows.project()

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
        from .first_steps import ask_first_steps

        ask_first_steps(self, self._folders)

    def bring_preset(self, path: Path) -> None:
        """A preset file that was opened from the desktop: into the library, and shown."""
        self.open_place(PRESETS)
        self.presets.library.bring_in(path)

    def open_demo(self) -> None:
        """Close this project and open the demo."""
        from .starting import demo_folder

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
        self.late_bakes.end()
        self.sound.stop()
        self.work.at_the_end(self.sound.close)

    def dispose(self) -> None:
        """The window is closed, and another one opens: let go of everything, also of what the toolkit holds."""
        work = self.work
        work.is_playing = lambda: False
        for one in (self.presence, self.measuring, self.sketches, work.pairs, self.late_bakes, work, self):
            one.deleteLater()


def _mended(project: Project) -> Footage:
    """On a thread: the footage with its shelves where they are now."""
    from .places.storage import look_at_shelves, mended

    return mended(project.footage, look_at_shelves(project, ()))
