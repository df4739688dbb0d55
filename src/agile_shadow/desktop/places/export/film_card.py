"""The film to be made: its settings, stretch and file, what it will take, and whether it is only a draft."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from ....core.amounts import amount
from ....core.film import (
    FILM_SETTINGS,
    FilmEstimate,
    FilmRequest,
    FilmSettings,
    cannot_be_made,
    describes_film,
    why_only_here,
)
from ....core.project import Project
from ....core.time import clock_text
from ...choosing import typed_path
from ...waits import enable

_ALL, _MARKED, _PIECES = "whole timeline", "marked range", "each part between notes"


class FilmCard(QFrame):
    """``asked`` gives the films to be made, ``estimating`` the one to be estimated, ``edit`` settings to be changed."""

    asked = Signal(list)
    estimating = Signal(object)
    edit = Signal(object)

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self.setObjectName("card")
        self._folder = folder
        self._project: Project | None = None
        self._named = ""
        self.settings: dict[str, FilmSettings] = {}
        self._build()
        self.reload()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 14)
        layout.setSpacing(8)
        heading = QLabel("New film")
        heading.setObjectName("part")
        layout.addWidget(heading)
        row = QHBoxLayout()
        self.chosen = QComboBox()
        self.chosen.setAccessibleName("Film settings")
        self.chosen.setToolTip("Format, size and sound of the film")
        self.chosen.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.chosen.currentIndexChanged.connect(self._settings_changed)
        self.change = QPushButton("Settings…")
        self.change.setToolTip("See and change the fields of these settings")
        self.change.clicked.connect(lambda _checked=False: self.edit.emit(self.current()))
        row.addWidget(self.chosen, 1)
        row.addWidget(self.change)
        layout.addLayout(row)
        self.description = QLabel("")
        self.description.setObjectName("quiet")
        self.description.setWordWrap(True)
        layout.addWidget(self.description)
        self.stretch = QComboBox()
        self.stretch.setAccessibleName("Range")
        self.stretch.setToolTip("How much of the timeline becomes a film")
        self.stretch.currentIndexChanged.connect(lambda _index: self._stretch_changed())
        layout.addWidget(self.stretch)
        row = QHBoxLayout()
        self.out = QLineEdit()
        self.out.setAccessibleName("File of the film")
        self.out.textChanged.connect(self._named_anew)
        choose = QPushButton("Browse…")
        choose.setToolTip("Choose folder and name of the film")
        choose.clicked.connect(self._choose)
        row.addWidget(self.out, 1)
        row.addWidget(choose)
        layout.addLayout(row)
        self.draft = QCheckBox("Draft from proxies, marked as a draft")
        self.draft.setToolTip("Quick and small; every picture, the file and its name say that it is a draft")
        self.draft.toggled.connect(self._draft_changed)
        layout.addWidget(self.draft)
        self.helpers = QCheckBox("Let a helper make it")
        self.helpers.setToolTip("Made on the fastest helper that is free and sees the shelves, else on this machine")
        self.helpers.toggled.connect(lambda _on: self._tell_where())
        layout.addWidget(self.helpers)
        self.where = QLabel("")
        self.where.setObjectName("quiet")
        self.where.setWordWrap(True)
        self.where.hide()
        layout.addWidget(self.where)
        self.offer_helpers(False)
        row = QHBoxLayout()
        self.estimate = QPushButton("Estimate")
        self.estimate.setToolTip("Renders some pictures to estimate time and size on this machine")
        self.estimate.clicked.connect(self._ask_estimate)
        self.estimated = QLabel("")
        self.estimated.setObjectName("quiet")
        self.estimated.setWordWrap(True)
        row.addWidget(self.estimate)
        row.addWidget(self.estimated, 1)
        layout.addLayout(row)
        self.start = QPushButton("Make the film")
        self.start.setToolTip("Render it in the background and verify it, after the films before it")
        self.start.setObjectName("main")
        self.start.setEnabled(False)  # until the originals have been looked at
        self.start.clicked.connect(self._start)
        layout.addWidget(self.start)

    # Settings

    def reload(self, name: str = "") -> None:
        """Read the library again; ``name``: what is to be chosen then."""
        wanted = name or self.chosen.currentText() or "Viewing copy"
        self.settings = {entry.value.name: entry.value for entry in FILM_SETTINGS.read().entries}
        with QSignalBlocker(self.chosen):
            self.chosen.clear()
            self.chosen.addItems(sorted(self.settings, key=str.casefold))
            self.chosen.setCurrentIndex(max(0, self.chosen.findText(wanted)))
        self._settings_changed()

    def current(self) -> FilmSettings:
        """The chosen settings."""
        return self.settings[self.chosen.currentText()]

    def _settings_changed(self) -> None:
        settings = self.current()
        self.description.setText(cannot_be_made(settings) or describes_film(settings))
        self._forget_estimate()
        self._suggest()
        self._tell_where()

    # The timeline

    def show_project(self, project: Project) -> None:
        """Offer what can be made of the open timeline."""
        self._project = project
        line = project.timeline
        kinds = [_ALL]
        if line.mark_in is not None or line.mark_out is not None:
            kinds.append(_MARKED)
        if line.markers:
            kinds.append(_PIECES)
        shown = [self.stretch.itemText(number) for number in range(self.stretch.count())]
        if shown != [f"Of the timeline: {kind}" for kind in kinds]:
            before = self.stretch.currentData()
            with QSignalBlocker(self.stretch):
                self.stretch.clear()
                for kind in kinds:
                    self.stretch.addItem(f"Of the timeline: {kind}", kind)
                self.stretch.setCurrentIndex(max(0, self.stretch.findData(before)))
        self._suggest()

    def _suggest(self) -> None:
        """The name that was not typed by a person follows the timeline, the settings and whether it is a draft."""
        if self._project is None:
            return
        typed = self.out.text().strip()
        ending = self.current().ending
        if typed and typed != self._named:
            path = Path(typed)
            old = path.suffix if len(path.suffix) in (4, 5) else ""
            self.out.setText(str(path.with_name(path.name.removesuffix(old) + ending)))
            return
        stem = self._project.timeline.name if self._project.others else self._project.name
        stem = stem.replace("/", "-") + (" draft" if self.draft.isChecked() else "")
        self._named = str(self._folder / f"{stem}{ending}")
        self.out.setText(self._named)

    def _draft_changed(self) -> None:
        self.start.setText("Make the draft" if self.draft.isChecked() else "Make the film")
        self._forget_estimate()
        self._suggest()
        self._tell_where()

    def _named_anew(self, text: str) -> None:
        self.out.setToolTip(text)
        self._tell_where()

    def _stretch_changed(self) -> None:
        self._forget_estimate()
        self._tell_where()

    def offer_helpers(self, invited: bool) -> None:
        """Whether helpers may be asked for."""
        enable(self.helpers, invited, "Invite a helper first: Storage, Helpers.")
        if not invited:
            self.helpers.setChecked(False)

    def _tell_where(self) -> None:
        """Say why a film that a helper is to make will be made here."""
        requests = self.requests() if self.helpers.isChecked() else []
        why = why_only_here(requests[0], requests[0].project.shelves) if requests else ""
        self.where.setText(why)
        self.where.setVisible(bool(why))

    def _choose(self) -> None:
        chosen, _filter = QFileDialog.getSaveFileName(self, "Film", self.out.text())
        if chosen:
            ending = self.current().ending
            self.out.setText(chosen if chosen.lower().endswith(ending) else f"{chosen}{ending}")

    def stretches(self) -> list[tuple[int, int | None]]:
        """First frame and frame after the last (None: the end) of each film that is asked for."""
        assert self._project is not None
        line, kind = self._project.timeline, self.stretch.currentData()
        if kind == _MARKED:
            return [(line.mark_in or 0, None if line.mark_out is None else min(line.length, line.mark_out + 1))]
        if kind == _PIECES:
            edges = sorted({0, line.length, *(one.frame for one in line.markers if one.frame < line.length)})
            return list(pairwise(edges))
        return [(0, None)]

    def requests(self) -> list[FilmRequest]:
        """The films that are asked for."""
        if self._project is None:
            return []
        out = typed_path(self.out.text()).absolute()
        if self.draft.isChecked() and "draft" not in out.stem.casefold():
            out = out.with_name(f"{out.stem} draft{out.suffix}")
        stretches = self.stretches()
        paths = [out] if len(stretches) == 1 else [
            out.with_name(f"{out.stem} {number}{out.suffix}") for number in range(1, len(stretches) + 1)
        ]  # fmt: skip
        return [
            FilmRequest(
                self._project, path, self.current(), first, end, self.draft.isChecked(), self.helpers.isChecked()
            )
            for path, (first, end) in zip(paths, stretches, strict=True)
        ]

    def allow(self, ready: bool) -> None:
        """Whether films from originals may be made; a draft may always be, of a timeline that has something on it."""
        something = self._project is not None and self._project.timeline.length > 0
        can = not cannot_be_made(self.current())
        self.start.setEnabled(something and can and (ready or self.draft.isChecked()))
        self.estimate.setEnabled(something and can and not self.estimated.text().startswith("Making"))

    # Asking

    def _start(self) -> None:
        self.asked.emit(self.requests())

    def _ask_estimate(self) -> None:
        requests = self.requests()
        if requests:
            self.estimated.setText("Rendering some pictures…")
            self.estimate.setEnabled(False)
            self.estimating.emit(requests[0])

    def show_estimate(self, estimate: FilmEstimate | None, problem: str = "") -> None:
        """What was found out."""
        self.estimate.setEnabled(True)
        if estimate is None:
            self.estimated.setText(problem)
            return
        room = "" if estimate.fits else f" Not enough free space: {amount(estimate.free)} free."
        self.estimated.setText(
            f"About {clock_text(estimate.seconds)} and {amount(estimate.size)}, by {estimate.pictures} pictures.{room}"
        )

    def _forget_estimate(self) -> None:
        self.estimated.setText("")
