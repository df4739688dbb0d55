"""What a film would use, and what is odd about the timeline."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.film import FinalCheck, SourceCheck
from ....core.time import rate_label
from ....core.timeline import Timeline
from ...invitation import Invitation
from ...labels import set_warned
from ...tables import Column, RowsModel, rows_table

_TIPS = {
    "Check again": "Look at every original again",
    "Find missing files…": "Search a folder for originals that have moved",
    "Use the originals' size": "Give the timeline the size of the originals; blocks stay as they are framed",
}
_MOST_FINDINGS = 6


def _state(check: SourceCheck) -> str:
    return check.problem or check.note or "present, unchanged"


_COLUMNS = (
    Column("Clip", lambda check: check.clip, 150, mark=lambda check: "missing" if check.problem else "original",
           tip=lambda check: check.path),
    Column("Shelf", lambda check: check.shelf, 96),
    Column("Used", lambda check: f"{check.blocks} x", 56, right=True),
    Column("Final check", _state, 190),
    Column("File", lambda check: check.path, 300),
)  # fmt: skip


class CheckPanel(QWidget):
    """``again``: look once more; ``look``: look for what is missing; ``enlarge``: take the originals' size."""

    again = Signal()
    look = Signal()
    enlarge = Signal()
    goes_to = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        row = QHBoxLayout()
        self.summary = QLabel("")
        self.summary.setWordWrap(True)
        row.addWidget(self.summary, 1)
        self.look_again = self._button("Check again", self.again)
        self.look_for = self._button("Find missing files…", self.look)
        self.take_size = self._button("Use the originals' size", self.enlarge)
        for button in (self.take_size, self.look_for, self.look_again):
            row.addWidget(button)
        layout.addLayout(row)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 3, "Final check", optional=(4, 2))
        self.invitation = Invitation(
            self.table, "Nothing to export yet. Put clips on the timeline first; here each original that the film uses "
            "is listed and checked.", ("Go to Timeline", lambda: self.goes_to.emit("place_4")),
        )  # fmt: skip
        layout.addWidget(self.table, 1)
        self.findings = QLabel("")
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName("Warnings about the timeline")
        layout.addWidget(self.findings)
        self.look_for.hide()
        self.take_size.hide()
        self.findings.hide()

    def _button(self, title: str, signal: object) -> QPushButton:
        button = QPushButton(title)
        button.setToolTip(_TIPS[title])
        button.clicked.connect(lambda _checked=False: signal.emit())  # type: ignore[attr-defined]
        return button

    def show_check(self, check: FinalCheck, line: Timeline) -> None:
        """What was found."""
        self.model.set_rows(check.sources)
        problems = sum(1 for source in check.sources if source.problem)
        self.look_for.setVisible(problems > 0)
        self.take_size.setVisible(any(one.kind == "smaller" for one in check.findings))
        self.summary.setText(_summary(check, line, problems))
        texts = [one.text for one in check.findings]
        more = f"\n{len(texts) - _MOST_FINDINGS} more like these." if len(texts) > _MOST_FINDINGS else ""
        self.findings.setText("\n".join(texts[:_MOST_FINDINGS]) + more)
        set_warned(self.findings, any(one.stands_against for one in check.findings))
        self.findings.setVisible(bool(texts))


def _summary(check: FinalCheck, line: Timeline, problems: int) -> str:
    if check.empty:
        return "The timeline is empty: there is nothing to export yet."
    found = "every original is there and unchanged" if not problems else f"{problems} of them cannot be used"
    length = line.timecode(line.length)
    return (
        f"{line.name}: {line.timecode(0)} to {length}, {line.width} x {line.height} at {rate_label(line.rate)}. "
        f"It uses {len(check.sources)} originals; {found}."
    )
