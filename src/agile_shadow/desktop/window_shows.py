"""What the window shows around its places: the document, whether it is saved, counts, jobs that ended."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt

from ..core.amounts import counted
from ..core.switch import Presence
from .actions import keys_of, tip
from .late_places import EXPORT, PAIRS, PRESETS, TIMELINE
from .notices import send_notice, sound
from .showing import MANY, RULE, Counts

if TYPE_CHECKING:
    from .window import MainWindow


class WindowShows(QObject):
    """Owned by the window; its methods are called when something has changed."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._counts = Counts()
        self.presence = Presence()  # what is known to be there, until the timeline's player knows

    def came_or_went(self) -> None:
        """Files are there, or missing, that were not: every place, list, strip and block shows it."""
        window = self._window
        window.sketches.came_or_went()
        if window.places.is_built(PAIRS):
            window.pairs.presence_changed()
        if window.places.is_built(TIMELINE):
            window.timeline.presence_changed()
        self.project()

    def measured(self) -> None:
        """A headroom came, or what is measured has changed."""
        window = self._window
        if window.places.is_built(PAIRS):
            window.pairs.headroom_came()
        if window.stack.currentIndex() == PAIRS:
            window.pairs.refresh()
        window.show_jobs()

    def project(self) -> None:
        """The document, in the strip and in the open place."""
        window = self._window
        project = window.work.session.project
        window.setWindowTitle(f"{project.name} - Agile Shadow")
        name = window.strip.project.fontMetrics().elidedText(project.name, Qt.TextElideMode.ElideRight, 190)
        window.strip.project.setText(name)
        window.strip.project.setToolTip(str(window.work.session.path))
        window.strip.switch.set_side(project.showing)
        place = window.stack.currentIndex()
        if place == PRESETS:
            window.presets.refresh_table()
        elif place == PAIRS:
            window.pairs.refresh()
        elif place == TIMELINE:
            window.timeline.refresh()
        elif place == EXPORT:
            window.export.refresh()
        self.saved()
        if len(project.clips) < MANY:
            self.counts()
        else:
            window.work.turns.later("counts", self._say_counts)
            window.work.turns.later("waiting", self._say_what_waits)

    def saved(self) -> None:
        """Whether the project is saved."""
        window = self._window
        session = window.work.session
        if session.save_problem:
            window.strip.saved.setText("not saved")
            if not session.is_changed_elsewhere:
                window.tell(session.save_problem)
            elif not (window.notice.isVisible() and window.notice.buttons):
                self.changed_elsewhere()  # something else was told meanwhile: the question still stands
        else:
            window.strip.saved.setText("saved" if session.is_saved else "saving")

    def counts(self) -> None:
        """How many clips show what, and what wants a person."""
        self._say_counts()
        self._say_what_waits()

    def _say_counts(self) -> None:
        window = self._window
        project = window.work.session.project
        known = window.timeline.panel.player.presence if window.places.is_built(TIMELINE) else self.presence
        counts = self._counts.text(project, known)
        window.strip.counts.setText(counts)
        window.strip.counts.setToolTip(f"{counts}\n{RULE}" if counts else RULE)
        tip(window.strip.switch, lambda: f"{RULE} Switch: {keys_of('switch')}")

    def _say_what_waits(self) -> None:
        window = self._window
        if window.places.is_built(PAIRS):
            window.rail.buttons["Pairs"].set_waiting(window.pairs.waiting())
        report = window.work.last_report
        running = sum(run.progress().failed for run in window.work.desk.ingests)
        window.rail.buttons["Ingest"].set_waiting(running + (len(report.failed) if report is not None else 0))

    def sound(self) -> None:
        """Whether playing is silent."""
        window = self._window
        problem = window.sound.problem
        window.strip.sound.setText("no sound" if problem else "")
        window.strip.sound.setToolTip(problem or "")
        if problem and window.isVisible():
            window.tell(f"Playing is silent: {problem.removeprefix('no sound: ')}.", calm=True)

    def ingest_ended(self) -> None:
        """An ingest has ended: what the user asked to be told then."""
        window = self._window
        self.counts()
        report = window.work.last_report
        if report is not None and report.paired and window.work.session.project.showing == "originals":
            window.offer(
                f"{counted(report.paired, 'clip now has', 'clips now have')} a proxy. Show proxies? "
                f"{keys_of('switch')} switches back.",
                ("Show proxies", lambda: window.commands.flip_to("proxies")),
                ("Not now", lambda: None),
            )
        window.measuring.want_headrooms(window.work.session.project)
        at_end = window.work.last_at_end
        if report is not None and at_end == "notice":
            send_notice(window, "The ingest has ended", report.headline())
        elif report is not None and at_end == "sound":
            sound()

    def changed_elsewhere(self) -> None:
        """Another copy of the program, or a person, has changed the project file meanwhile."""
        window = self._window
        session = window.work.session
        window.offer(
            f"{session.path.name} was changed by another program while it was open here. Nothing is saved over it "
            "until you choose.",
            ("Keep mine (the other goes to earlier saves)", lambda: self._settle(session.keep_mine)),
            ("Use the other version", lambda: self._settle(session.take_theirs)),
        )

    def _settle(self, choice: Callable[[], None]) -> None:
        window = self._window
        window.work.in_background(choice, lambda _done: self.saved())
