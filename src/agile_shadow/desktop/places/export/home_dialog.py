"""A timeline that came home: its events beside the clips they stand for, its differences from the one that is open."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import sentence
from ....core.handover import (
    ENDINGS,
    Arrived,
    Difference,
    EventMatch,
    HomeRequest,
    ReadRequest,
    as_timeline,
    block_names,
    compare_timelines,
    read_and_match,
    with_differences,
)
from ....core.project import Project
from ....core.time import rate_label
from ....core.timeline import Timeline, new_id
from ...tables import Column, RowsModel, rows_table
from ...work import Work
from .both_lines import BothLines

_READING = 120.0  # seconds without a sign of life
_MARKS = {"certain": "original", "likely": "proxy", "not found": "missing", "title": None}
_WORDS = {"certain": "certain", "likely": "likely", "not found": "not found", "title": "drawn here"}


@dataclass(frozen=True)
class _Row:
    """One event with its track and clip by name."""

    match: EventMatch
    track: str
    clip: str
    begin: str


_COLUMNS = (
    Column("Track", lambda row: row.track, 84),
    Column("At", lambda row: row.begin, 100),
    Column("Event", lambda row: row.match.event.name.replace("\n", " / "), 170),
    Column("Your clip", lambda row: row.clip, 150, mark=lambda row: _MARKS[row.match.state]),
    Column("Found", lambda row: row.match.state, 80),
    Column("Why", lambda row: "; ".join(row.match.reasons), 260),
)


class HomeDialog(QDialog):
    """Everything is read and matched in the background; nothing of the project changes before something is taken.

    Large: its attributes are its controls.
    """

    def __init__(self, work: Work, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bring a timeline home")
        self.resize(min(1080, max(760, parent.window().width() - 40)), 680)
        self._work, self._folder = work, folder
        self.arrived: Arrived | None = None
        self.matches: tuple[EventMatch, ...] = ()
        self._asked = 0
        self.chosen: dict[tuple[int, int], str] = {}
        self.line: Timeline | None = None
        self.differences: tuple[Difference, ...] = ()
        self._build()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        row = QHBoxLayout()
        self.says = QLabel("Choose a timeline from another tool: OpenTimelineIO, AAF, or edit lists, one a track.")
        self.says.setWordWrap(True)
        choose = QPushButton("Browse…")
        choose.setToolTip("Choose the timeline that came, or edit lists, one for each track")
        choose.clicked.connect(lambda _checked=False: self._choose())
        row.addWidget(self.says, 1)
        row.addWidget(choose)
        layout.addLayout(row)
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.addWidget(self._events())
        halves.addWidget(self._compared())
        halves.setStretchFactor(0, 1)
        halves.setStretchFactor(1, 1)
        layout.addWidget(halves, 1)
        row = QHBoxLayout()
        self.told = QLabel("")
        self.told.setWordWrap(True)
        row.addWidget(self.told, 1)
        close = QPushButton("Close")
        close.setToolTip("Close this window (Esc)")
        close.clicked.connect(self.reject)
        self.take_some = QPushButton("Apply ticked differences")
        self.take_some.setToolTip("Change the open timeline by the differences that are ticked")
        self.take_some.clicked.connect(self._take_some)
        self.take_all = QPushButton("Add as a new timeline")
        self.take_all.setToolTip("Keep it as a timeline of its own in this project")
        self.take_all.setObjectName("main")
        self.take_all.clicked.connect(self._take_all)
        for button in (close, self.take_some, self.take_all):
            row.addWidget(button)
        layout.addLayout(row)
        self._allow()

    def _events(self) -> QWidget:
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 5, "Events and their clips")
        self.table.selectionModel().selectionChanged.connect(lambda _new, _old: self._show_choice())
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        label = QLabel("The selected event shows")
        label.setObjectName("quiet")
        self.clip = QComboBox()
        self.clip.setAccessibleName("Clip of the selected event")
        self.clip.setToolTip("Choose another clip of this project for the event")
        self.clip.setMinimumWidth(220)
        self.clip.setEnabled(False)  # until an event is selected
        self.clip.activated.connect(lambda _index: self._by_hand())
        row.addWidget(label)
        row.addWidget(self.clip)
        row.addStretch(1)
        column.addLayout(row)
        return holder

    def _compared(self) -> QWidget:
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        self.compared = QLabel("")
        self.compared.setObjectName("quiet")
        column.addWidget(self.compared)
        self.lines = BothLines()
        column.addWidget(self.lines)
        self.list = QListWidget()
        self.list.setAccessibleName("Differences")
        self.list.setToolTip("What differs between the two timelines; tick what to apply")
        self.list.itemChanged.connect(lambda _item: self._allow())
        self.list.currentRowChanged.connect(self.lines.point_at)
        column.addWidget(self.list, 1)
        return holder

    # Reading

    def _choose(self) -> None:
        kinds = " ".join(f"*{ending}" for ending in ENDINGS)
        chosen, _filter = QFileDialog.getOpenFileNames(self, "Bring a timeline home", str(self._folder),
                                                       f"Timelines ({kinds})")  # fmt: skip
        if chosen:
            self.read([Path(path) for path in chosen])

    def read(self, paths: list[Path]) -> None:
        """Read files of one timeline, and match what is in them."""
        project = self._work.session.project
        request = ReadRequest(tuple(paths), project.timeline.rate or Fraction(25))
        pool = self._work.machine.shared("wanted")
        self.says.setText(f"Reading {', '.join(path.name for path in paths)}…")

        def work() -> tuple[Arrived, tuple[EventMatch, ...]] | str:
            try:
                found: tuple[Arrived, tuple[EventMatch, ...]] = pool.submit(
                    read_and_match, HomeRequest(project, request), stalled_after=_READING
                ).result()
                return found
            except Exception as error:  # told here
                return sentence(error)

        self._work.in_background(work, self._came)

    def _came(self, found: tuple[Arrived, tuple[EventMatch, ...]] | str) -> None:
        if isinstance(found, str):
            self.says.setText(found)
            return
        self.arrived, self.matches = found
        self.chosen = {}
        self._show()

    def _show(self, then: Callable[[], None] = lambda: None) -> None:
        """Build the timeline and its differences in the background: both may have thousands of blocks."""
        assert self.arrived is not None
        self._asked += 1
        asked, project, arrived = self._asked, self._work.session.project, self.arrived
        matches, chosen = self.matches, dict(self.chosen)

        def came(found: tuple[Timeline | None, tuple[str, ...], tuple[Difference, ...]]) -> None:
            if asked == self._asked:
                self._show_found(project, *found)
                then()

        self._work.in_background(lambda: _compared(project, arrived, matches, chosen), came, self.says.setText)

    def _show_found(
        self, project: Project, line: Timeline | None, left_out: tuple[str, ...], differences: tuple[Difference, ...]
    ) -> None:
        assert self.arrived is not None
        arrived, self.line, self.differences = self.arrived, line, differences
        self.model.set_rows([self._row(project, match) for match in self.matches])
        counts = {state: sum(1 for one in self.matches if one.state == state) for state in _MARKS}
        words = ", ".join(f"{count} {_WORDS[state]}" for state, count in counts.items() if count)
        self.says.setText(f"{arrived.name}, {rate_label(arrived.rate)} frames per second: {words or 'no events'}.")
        self.told.setText("\n".join([*arrived.notes, *left_out][:4]))
        mine = project.timeline
        self.compared.setText(f"{len(self.differences)} differences from {mine.name}, which is open. "
                              "Above: yours; below: what came.")  # fmt: skip
        self.lines.show_lines(mine, self.line, self.differences)
        self.list.blockSignals(True)
        self.list.clear()
        name_of = block_names(project)
        for one in self.differences:
            where = f"{one.kind.capitalize()} {one.track + 1}"
            item = QListWidgetItem(f"{mine.timecode(one.start)}  {where}: {one.words(name_of)}")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self._show_choice()
        self._allow()

    def _row(self, project: Project, match: EventMatch) -> _Row:
        assert self.arrived is not None
        hand = self.chosen.get((match.track, match.number))
        if hand is not None:
            match = replace(match, clip=hand, state="certain", reasons=("chosen by hand",))
        clip = project.clip(match.clip)
        name = clip.name if clip is not None else "drawn here" if match.state == "title" else "none"
        begin = replace(project.timeline, rate=self.arrived.rate, start=self.arrived.start).timecode(match.event.start)
        return _Row(match, self.arrived.tracks[match.track].name, name, begin)

    # Choosing by hand

    def _current(self) -> EventMatch | None:
        rows = self.table.selectionModel().selectedRows()
        return self.matches[rows[0].row()] if rows and rows[0].row() < len(self.matches) else None

    def _show_choice(self) -> None:
        match = self._current()
        self.clip.setEnabled(match is not None and match.event.title is None)
        self.clip.clear()
        if match is None:
            return
        self.clip.addItem("no clip of this project", "")
        for clip in sorted(self._work.session.project.clips, key=lambda one: one.name.casefold()):
            self.clip.addItem(clip.name, clip.id)
        chosen = self.chosen.get((match.track, match.number), match.clip)
        self.clip.setCurrentIndex(max(0, self.clip.findData(chosen)))

    def _by_hand(self) -> None:
        match = self._current()
        if match is not None:
            self.chosen[match.track, match.number] = self.clip.currentData()
            row = self.table.currentIndex().row()
            self._show(lambda: self.table.selectRow(row))

    # Taking

    def ticked(self) -> list[Difference]:
        """The differences that are to be taken."""
        on = Qt.CheckState.Checked
        return [one for number, one in enumerate(self.differences) if self.list.item(number).checkState() == on]

    def _allow(self) -> None:
        self.take_all.setEnabled(self.line is not None and self.line.length > 0)
        self.take_some.setEnabled(bool(self.ticked()))

    def _take_all(self) -> None:
        assert self.line is not None
        line = replace(self.line, id=new_id())

        def taken(project: Project) -> Project:
            names = {one.name for one in project.timelines}
            name = line.name if line.name not in names else f"{line.name}, home"
            return project.but(timeline=replace(line, name=name), others=(*project.others, project.timeline))

        self._work.session.edit("Bring a timeline home", taken)
        self.accept()

    def _take_some(self) -> None:
        wanted = self.ticked()

        def taken(project: Project) -> Project:
            return project.but(timeline=with_differences(project.timeline, wanted))

        try:
            self._work.session.edit("Apply differences", taken)
        except ValueError as error:
            self.told.setText(f"They cannot be applied together: {error}.")
            return
        self._show()


def _compared(
    project: Project, arrived: Arrived, matches: tuple[EventMatch, ...], chosen: dict[tuple[int, int], str]
) -> tuple[Timeline | None, tuple[str, ...], tuple[Difference, ...]]:
    """The timeline that can be taken, what was left out of it, and how it differs from the open one."""
    try:
        line, left_out = as_timeline(project, arrived, matches, chosen)
    except ValueError as error:
        return None, (f"It cannot be added: {error}.",), ()
    mine = project.timeline
    return line, left_out, compare_timelines(mine, line) if mine.rate else ()
