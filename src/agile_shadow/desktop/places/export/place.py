"""Export: what a film would use, the film, the films of this session, the cut handed over and taken home."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from ....core.errors import ShadowError, sentence
from ....core.film import (
    FilmEstimate,
    FilmRequest,
    FilmSettings,
    FinalCheck,
    estimate_film,
    final_check,
    findings_of,
    larger_original,
    what_is_used,
)
from ....core.project import Project
from ....core.timeline import Settings, Timeline, with_settings
from ...waits import enable
from ...work import Work
from ..place import PlacePage
from .check_panel import CheckPanel
from .film_card import FilmCard
from .film_list import FilmList
from .handover_dialog import HandOverDialog
from .home_dialog import HomeDialog
from .settings_dialog import FilmSettingsDialog

_CARD = 372  # pixels
_ESTIMATING = 300.0  # seconds without a sign of life


class ExportPlace(PlacePage):
    """The place. The check reads drives, so it runs in the background whenever the place is opened."""

    def __init__(self, work: Work, folder: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self._work = work
        self._folder = folder
        self._number = 0
        self.check: FinalCheck | None = None
        self._checked: object = None
        self._line: Timeline | None = None
        self.dialog: HandOverDialog | HomeDialog | FilmSettingsDialog | None = None
        self._build()
        work.jobs_changed.connect(self._allow)

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        halves = QSplitter(Qt.Orientation.Vertical, self)
        layout.addWidget(halves)
        upper = QWidget(halves)
        row = QHBoxLayout(upper)
        row.setContentsMargins(0, 0, 0, 6)
        row.setSpacing(12)
        self.check_panel = CheckPanel()
        self.check_panel.again.connect(self.run_check)
        self.check_panel.enlarge.connect(self._take_size)
        self.card = FilmCard(self._folder)
        self.card.asked.connect(self._start)
        self.card.estimating.connect(self._estimate)
        self.card.edit.connect(self._edit_settings)
        self.card.draft.toggled.connect(lambda _on: self._allow())
        self.card.chosen.currentIndexChanged.connect(lambda _index: self._allow())
        row.addWidget(self.check_panel, 1)
        holder = QWidget()
        row.addWidget(holder)
        holder.setFixedWidth(_CARD)
        side = QVBoxLayout(holder)
        side.setSpacing(12)
        side.setContentsMargins(0, 0, 0, 0)
        side.addWidget(self.card)
        side.addWidget(self._cut_card())
        side.addStretch(1)
        self.films = FilmList(self._work)
        halves.addWidget(self.films)
        halves.setCollapsible(0, False)
        halves.setStretchFactor(0, 1)
        halves.setSizes([520, 150])

    def _cut_card(self) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(14, 12, 14, 14)
        layout.setSpacing(8)
        heading = QLabel("The cut")
        heading.setObjectName("part")
        layout.addWidget(heading)
        row = QHBoxLayout()
        self.hand_over = QPushButton("Hand over…")
        self.hand_over.setToolTip("As OpenTimelineIO, edit lists, AAF, a table or a page, for other tools and people")
        enable(self.hand_over, False, "Put clips on the timeline first.")
        self.hand_over.clicked.connect(lambda _checked=False: self.open_hand_over())
        self.bring_home = QPushButton("Bring home…")
        self.bring_home.setToolTip("A timeline from another tool, matched to your clips and compared with yours")
        self.bring_home.clicked.connect(lambda _checked=False: self.open_home())
        row.addWidget(self.hand_over)
        row.addWidget(self.bring_home)
        layout.addLayout(row)
        return card

    # Entering and leaving

    def entered(self) -> None:
        """The place was opened."""
        self.card.reload()
        self.card.offer_helpers(self._work.desk.helpers.invited)
        self.card.show_project(self._work.session.project)
        self.run_check()

    def colours_changed(self) -> None:
        """What was drawn in the other colours is forgotten."""
        for model in (self.check_panel.model, self.films.model):
            model.forget_icons()

    def refresh(self) -> None:
        """The document changed: originals are looked at again only where what the film uses of them did."""
        if not self.isVisible():
            return
        self.card.show_project(self._work.session.project)
        if what_is_used(self._work.session.project) != self._checked:
            self.run_check()
        elif self._work.session.project.timeline is not self._line:
            self._look_at_timeline()

    # The check

    def run_check(self) -> None:
        """Look at all originals again, in the background."""
        self._number += 1
        number = self._number
        project = self._work.session.project
        self._checked, self._line = what_is_used(project), project.timeline
        self._work.in_background(lambda: final_check(project), lambda check: self._take(number, check))

    def _look_at_timeline(self) -> None:
        """The same originals, used otherwise: what is odd about the timeline is found without touching a drive."""
        number, check, project = self._number, self.check, self._work.session.project
        self._line = project.timeline
        if check is not None:
            self._work.in_background(
                lambda: replace(check, findings=findings_of(project)), lambda found: self._take(number, found)
            )

    def _take(self, number: int, check: FinalCheck) -> None:
        if number != self._number:
            return
        self.check = check
        self.check_panel.show_check(check, self._work.session.project.timeline)
        self._allow()

    def _allow(self) -> None:
        self.card.allow(self.check is not None and self.check.ready)
        something = self._work.session.project.timeline.length > 0
        enable(self.hand_over, something, "Put clips on the timeline first.")

    def _take_size(self) -> None:
        """Give the timeline the size of the originals."""

        def enlarged(project: Project) -> Project:
            line = project.timeline
            used = {block.clip for block in line.blocks}
            size = larger_original(line, [clip for clip in project.clips if clip.id in used])
            if size is None:
                return project
            now = Settings.of(line)
            return project.but(timeline=with_settings(line, replace(now, width=size[0], height=size[1]))[0])

        self._work.session.edit("Use the originals' size", enlarged)

    # Films

    def _start(self, requests: list[FilmRequest]) -> None:
        try:
            for request in requests:
                request.checked()
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            return
        self._work.asked.start_films(requests)

    def _estimate(self, request: FilmRequest) -> None:
        pool = self._work.machine.shared("wanted")

        def work() -> tuple[FilmEstimate | None, str]:
            try:
                return pool.submit(estimate_film, request, stalled_after=_ESTIMATING).result(), ""
            except Exception as error:  # told beside the button that asked
                return None, sentence(error)

        self._work.in_background(work, lambda found: self.card.show_estimate(*found))

    def _edit_settings(self, settings: FilmSettings) -> None:
        self.dialog = FilmSettingsDialog(settings, self)
        self.dialog.saved.connect(self.card.reload)
        self.dialog.failed.connect(self._work.problem.emit)
        self.dialog.open()

    # The cut

    def open_hand_over(self) -> None:
        """Ask how the cut is to be handed over."""
        self.dialog = HandOverDialog(self._work, self._folder, self)
        self.dialog.open()

    def open_home(self) -> None:
        """Ask for a timeline from elsewhere."""
        self.dialog = HomeDialog(self._work, self._folder, self)
        self.dialog.open()
