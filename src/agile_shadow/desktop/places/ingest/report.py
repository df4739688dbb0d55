"""The report of an ingest: its one number, the sums, what needs a person with its one next step, each clip a row."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.errors import ShadowError
from ....core.ingest import (
    STEP_WORDS,
    IngestReport,
    Inspection,
    InspectRequest,
    PageRequest,
    Problem,
    ReportRow,
    inspect,
    poster_place,
    write_page,
)
from ....core.project import Project
from ....core.project.report import NEEDED
from ....core.time import clock_text
from ... import theme, words
from ...choosing import ask_new_file
from ...flow import Flow
from ...labels import set_warned
from ...tables import Column, RowsModel, rows_table
from ...work import Work

_PAGE = 600.0  # seconds without progress
_LIMIT = 20.0  # seconds that one poster may take
_OPTIONAL = (7, 2, 4, 3, 6, 5, 8)  # columns that a narrow table leaves out, the first of them first
_MOST_STEPS = 60  # problems with buttons; the rest is in the table
_COLUMNS = (
    Column("Clip", lambda row: row.name, 136),
    Column("State", lambda row: row.state, 92, tip=lambda row: row.note or row.state),
    Column("Picture or sound", lambda row: row.picture, 166),
    Column("Frames", lambda row: str(row.frames or ""), 64, right=True),
    Column("Timecode", lambda row: row.timecode, 112),
    Column("Size", lambda row: words.gigabytes(row.size), 76, right=True),
    Column("Proxy", lambda row: words.gigabytes(row.proxy_size) if row.proxy else "", 76, right=True,
           tip=lambda row: row.proxy),
    Column("Checksum", lambda row: row.checksum, 220),
    Column("Original", lambda row: row.original or row.path, 240),
)  # fmt: skip


class ReportView(QWidget):
    """``retry`` and ``read`` give the source of the report whose failed files are wanted again; ``show`` a path.

    Large: its attributes are its controls.
    """

    retry = Signal(str)
    read = Signal(str)
    shows_file = Signal(str, str)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.report: IngestReport | None = None
        self._posters: dict[str, bytes] = {}
        self._pictures: dict[str, QLabel] = {}
        self.steps: list[QPushButton] = []
        self._build()
        self.show_latest()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(8)
        row = QHBoxLayout()
        self.which = QComboBox()
        self.which.setAccessibleName("Which report")
        self.which.setToolTip("Reports of this project's ingests, the latest first")
        self.which.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.which.setMinimumContentsLength(12)
        self.which.currentIndexChanged.connect(self._chosen)
        self.clips = QPushButton("Posters")
        self.clips.setToolTip("Show the clips as pictures")
        self.clips.setCheckable(True)
        self.clips.toggled.connect(self._flip)
        self.page = QPushButton("Save as HTML…")
        self.page.setToolTip("Save the report as a page for a browser, with posters")
        self.page.clicked.connect(lambda: self._keep(".html", "Pages (*.html)"))
        self.sheet = QPushButton("Export CSV…")
        self.sheet.setToolTip("Save the report as a table")
        self.sheet.clicked.connect(lambda: self._keep(".csv", "Tables (*.csv)"))
        row.addWidget(self.clips)
        row.addStretch(1)
        for button in (self.page, self.sheet):
            row.addWidget(button)
        layout.addWidget(self.which)
        self.number = QLabel("")
        self.number.setObjectName("heading")
        self.number.setWordWrap(True)
        layout.addWidget(self.number)
        self.sums = QLabel("")
        self.sums.setWordWrap(True)
        layout.addWidget(self.sums)
        self.when = QLabel("")
        self.when.setObjectName("quiet")
        self.when.setWordWrap(True)
        layout.addWidget(self.when)
        layout.addLayout(row)
        self._needing = QScrollArea()
        self._needing.setWidgetResizable(True)
        self._needing.setFrameShape(QFrame.Shape.NoFrame)
        self._needing.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self._needing)
        self._model = RowsModel(_COLUMNS)
        self.table = rows_table(self._model, 0, "Clips of the report", optional=_OPTIONAL)
        self._wall = QScrollArea()
        self._wall.setAccessibleName("Posters of the report")
        self._wall.setWidgetResizable(True)
        self._pages = QStackedWidget()
        self._pages.addWidget(self.table)
        self._pages.addWidget(self._wall)
        layout.addWidget(self._pages, 1)

    # Which

    def show_latest(self) -> None:
        """List the project's reports and show the latest."""
        reports = self._work.session.project.reports
        self.which.blockSignals(True)
        self.which.clear()
        for number, values in enumerate(reversed(reports)):
            took = values.get("took") or {}
            name = Path(str(values.get("source", ""))).name
            ended = str(took.get("ended") or values.get("ended", ""))[:16]
            self.which.addItem(f"{ended}  {name}  with {values.get('preset', '')}", len(reports) - 1 - number)
        self.which.blockSignals(False)
        self._chosen()

    def _chosen(self) -> None:
        number = self.which.currentData()
        reports = self._work.session.project.reports
        known = number is not None and number < len(reports)
        self._show(IngestReport.from_json(dict(reports[number])) if known else None)

    def _show(self, report: IngestReport | None) -> None:
        self.report = report
        for widget in (self.which, self.clips, self.page, self.sheet, self._pages, self._needing):
            widget.setVisible(report is not None)
        if report is None:
            self.number.setText("No reports yet")
            self.sums.setText("Each ingest leaves its report here: what was found, copied, verified and paired.")
            self.when.setText("")
            return
        self.number.setText(report.one_number())
        set_warned(self.number, not report.all_well)
        self.sums.setText(f"{report.headline()}.")
        self.when.setText(_when(report))
        self._model.set_rows(report.rows)
        self._show_needing(report)
        if self.clips.isChecked():
            self._flip(True)

    def _show_needing(self, report: IngestReport) -> None:
        inner = QWidget()
        inner.setObjectName("place")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.steps = []
        for problem in report.failed[:_MOST_STEPS]:
            column.addLayout(self._needing_row(report, problem))
        column.addStretch(1)
        self._needing.setWidget(inner)
        shown = len(report.failed)
        self._needing.setFixedHeight(min(150, 44 * shown))
        self._needing.setVisible(bool(shown))

    def _needing_row(self, report: IngestReport, problem: Problem) -> QHBoxLayout:
        row = QHBoxLayout()
        text = QLabel(f"{Path(problem.path.partition(' + ')[0]).name}: {_reason(problem.reason)}")
        text.setWordWrap(True)
        text.setToolTip(problem.path)
        row.addWidget(text, 1)
        words_of = STEP_WORDS.get(problem.step)
        if words_of:
            button = QPushButton(words_of)
            button.setToolTip(f"{words_of}: {problem.path}")
            button.clicked.connect(lambda: self._step(report, problem))
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            self.steps.append(button)
        return row

    def _step(self, report: IngestReport, problem: Problem) -> None:
        if problem.step == "retry":
            self.retry.emit(report.source)
        elif problem.step == "read":
            self.read.emit(report.source)
        else:
            self.shows_file.emit(report.source, problem.path)

    # Posters

    def _flip(self, on: bool) -> None:
        self._pages.setCurrentIndex(1 if on else 0)
        if not on or self.report is None:
            return
        rows = [row for row in self.report.rows if row.poster and row.kind != "sound"][:200]
        project = self._work.session.project
        wanted = [row for row in rows if row.path not in self._posters]
        self._show_wall(rows)
        if wanted:
            self._work.in_background(lambda: self._make_posters(project, wanted), lambda _done: self._fill_wall())

    def _make_posters(self, project: Project, rows: list[ReportRow]) -> None:
        """On a thread: each picture shows as it comes."""
        pool = self._work.machine.shared("wanted")
        for row in rows:
            seen = Inspection()
            with suppress(ShadowError, OSError):
                place = poster_place(project, row)
                if place is not None:
                    seen = pool.submit(inspect, InspectRequest(*place)).result()
            self._posters[row.path] = seen.picture or b""
            self._work.call_here(self._fill_wall)

    def _fill_wall(self) -> None:
        for path, label in self._pictures.items():
            data, pixmap = self._posters.get(path), QPixmap()
            if data is not None and label.text():
                if pixmap.loadFromData(data):
                    label.setPixmap(pixmap)
                else:
                    label.setText("no picture")

    @property
    def posters_shown(self) -> int:
        """How many pictures are on the wall."""
        return sum(1 for label in self._pictures.values() if not label.text())

    def _show_wall(self, rows: list[ReportRow]) -> None:
        self._pictures.clear()
        wall = Flow(*(self._card(row) for row in rows))
        wall.setObjectName("place")
        self._wall.setWidget(wall)
        self._fill_wall()

    def _card(self, row: ReportRow) -> QWidget:
        card = QWidget()
        card.setObjectName("place")
        card.setFixedWidth(196)
        column = QVBoxLayout(card)
        column.setContentsMargins(2, 2, 2, 6)
        column.setSpacing(2)
        picture = QLabel("coming")
        picture.setFixedSize(192, 108)
        picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        picture.setStyleSheet(f"background: {theme.colour('surround').name()}; color: #d8d8d8;")
        self._pictures[row.path] = picture
        name = QLabel(row.name)
        name.setToolTip(row.original or row.path)
        state = QLabel(row.state)
        state.setObjectName("warn" if row.state in NEEDED else "quiet")
        for widget in (picture, name, state):
            column.addWidget(widget)
        return card

    # Keeping

    def _keep(self, ending: str, kinds: str) -> None:
        if self.report is None:
            return
        name = f"Report of {Path(self.report.source).name}{ending}"
        chosen = ask_new_file(self, "Save report", kinds, name, str(self._work.session.path.parent))
        if chosen is None:
            return
        out = chosen if chosen.name.lower().endswith(ending) else chosen.with_name(f"{chosen.name}{ending}")
        title = f"{self._work.session.project.name}: ingest of {Path(self.report.source).name}"
        request = PageRequest(self.report, out, title, self._work.session.project)

        def write() -> Path:
            path: Path = self._work.machine.shared("wanted").submit(write_page, request, stalled_after=_PAGE).result()
            return path

        self._work.in_background(write, lambda path: self.when.setText(f"Saved as {path}"))


def _when(report: IngestReport) -> str:
    took, size = report.took, sum(row.size for row in report.rows)
    proxies = sum(row.proxy_size for row in report.rows)
    text = f"{words.gigabytes(size)} of originals"
    if proxies:
        text += f", {words.gigabytes(proxies)} of proxies"
    if took.ended:
        text += f"; {took.began[:16]} to {took.ended[11:16]}, {clock_text(took.seconds)}"
    if report.checksum and report.checksum != "size":
        text += f"; checksums: {report.checksum}"
    if report.passed_over:
        text += f"; {counted(len(report.passed_over), 'file')} skipped"
    return f"{text}."


def _reason(text: str) -> str:
    """Without the long path in front: the file is named already."""
    head, separator, tail = text.partition(": ")
    return tail if separator and head.startswith("/") else text
