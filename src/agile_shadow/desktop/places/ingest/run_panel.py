"""The run of the chosen source: how far it is, and what can be asked of it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from ....core.ingest import IngestReport, IngestRun
from ....core.time import clock_text
from ...work import Work

_NOT_OURS = ("during playback", "for the card", "for the drive")  # waits that pressing the button would not end


class RunPanel(QWidget):
    """Shows nothing while nothing runs, but the last report in short."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._run: IngestRun | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        layout.addWidget(self.bar)
        row = QHBoxLayout()
        self.still = self._button("Pause", "Pause this ingest; click again to resume")
        self.still.clicked.connect(self._stand_still)
        self.cancel = self._button("Cancel", "Cancel this ingest; verified copies are kept")
        self.cancel.clicked.connect(self._cancel)
        row.addWidget(self.still)
        row.addWidget(self.cancel)
        layout.addLayout(row)
        self.now = self._button("Make the proxies now", "Make proxies now; do not wait for night or mains power")
        self.now.clicked.connect(work.asked.proxies_now)
        layout.addWidget(self.now)
        self.report = QLabel("")
        self.report.setWordWrap(True)
        self.report.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.report)
        self.show_run(None)

    @staticmethod
    def _button(text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        return button

    def show_run(self, run: IngestRun | None) -> None:
        """Show a run as it is at this moment."""
        self._run = run
        for widget in (self.bar, self.cancel, self.still):
            widget.setVisible(run is not None)
        self.now.hide()
        if run is None:
            return
        progress = run.progress()
        self.now.setVisible(bool(progress.waits) and not progress.waits.startswith(_NOT_OURS))
        self.still.setText("Resume" if run.standing_still else "Pause")
        self._show_part(round(progress.fraction * 1000))
        remaining = f", about {clock_text(progress.remaining)}" if progress.remaining is not None else ""
        waiting = f", waiting {progress.waits}" if progress.waits else ""
        self.bar.setFormat(f"{progress.of_work()}{remaining}{waiting}")

    def _show_part(self, value: int) -> None:
        """The bar would be painted at once, after all that is still to be laid out: it is painted when its turn comes.
        """
        self.bar.setUpdatesEnabled(False)
        self.bar.setValue(value)
        self.bar.setUpdatesEnabled(True)

    def show_report(self, report: IngestReport | None) -> None:
        """The report in short; None: nothing is to be said."""
        lines = [] if report is None else [f"{report.one_number()}.", f"{report.headline()}."]
        if report is not None and report.failed:
            lines.append("The report says what needs attention.")
        self.report.setText("\n".join(lines))

    def _stand_still(self) -> None:
        if self._run is not None:
            self._run.stand_still(not self._run.standing_still)
            self.show_run(self._run)

    def _cancel(self) -> None:
        if self._run is not None:
            self._run.stop(for_good=True)
