"""Several machines: the helpers that were invited, what each sees and does, and a line for one more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.helpers.orders import PROXY
from ....core.helpers.presence import Helper
from ....core.helpers.suite import Suite
from ....core.shelves import Shelf
from ...invitation import Invitation
from ...tables import Column, RowsModel, rows_table
from ...waits import enable
from ...work import Work
from .invite_dialog import InviteDialog

_EVERY = 1000  # milliseconds between two looks
_NONE = "No helpers yet. A helper makes proxies on the shelves that both machines see."


@dataclass(frozen=True)
class HelperRow:
    """A helper as it is shown. ``speed``: its pace against this machine's, 0 before both are known."""

    helper: Helper
    shelves: tuple[str, ...]
    speed: float


def _heard(row: HelperRow) -> str:
    heard = row.helper.heard
    if heard is None:
        return "not yet"
    return "just now" if heard < 3 else f"{heard:.0f} s ago" if heard < 120 else f"{heard / 60:.0f} min ago"


def _doing(row: HelperRow) -> str:
    jobs = _jobs(row)
    if not jobs:
        return "waits for work" if row.helper.state == "ready" else ""
    return jobs[0] + (f", {len(jobs) - 1} more" if len(jobs) > 1 else "")


def _jobs(row: HelperRow) -> list[str]:
    return [f"{name} {part:.0%}" for name, part in row.helper.doing]


def _state(row: HelperRow) -> str:
    return row.helper.state


_COLUMNS = (
    Column("Helper", lambda row: row.helper.name, 130, tip=lambda row: f"Number {row.helper.id}"),
    Column("State", _state, 110, tip=lambda row: f"Its version: {row.helper.version}" if row.helper.version else ""),
    Column("Cores", lambda row: str(row.helper.cores or ""), 52, right=True, key=lambda row: row.helper.cores,
           tip=lambda row: f"{counted(row.helper.slots, 'job')} at a time"),
    Column("Shelves", lambda row: ", ".join(row.shelves), 200,
           tip=lambda row: "\n".join(("Seen there:", *row.helper.shelves.values()))),
    Column("Does now", _doing, 210, tip=lambda row: "\n".join(_jobs(row))),
    Column("Speed", lambda row: f"{row.speed:.1f} x" if row.speed else "", 60, right=True,
           key=lambda row: row.speed, tip=lambda row: "Of one job there, against one job on this machine"),
    Column("Last heard", _heard, 92, right=True, key=lambda row: row.helper.heard or 0.0),
)  # fmt: skip


class HelpersPanel(QWidget):
    """Looked at every second while it is shown."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._looking = False
        self.dialog: InviteDialog | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        title = QLabel("Helpers")
        title.setObjectName("heading")
        layout.addWidget(title)
        says = QLabel(
            "Other machines that see the same shelves make proxies too, when the preset says so. Cards are copied by "
            "this machine alone, and it reads and names whatever a helper made."
        )
        says.setObjectName("quiet")
        says.setWordWrap(True)
        layout.addWidget(says)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 4, "Helpers", optional=(6, 2, 1))
        layout.addWidget(self.table, 1)
        self.invitation = Invitation(self.table, _NONE, ("Invite a helper…", lambda: self.invite.click()))
        layout.addLayout(self._buttons())
        self.table.selectionModel().selectionChanged.connect(lambda _new, _old: self._enable())
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY)
        self._timer.timeout.connect(lambda: self._look() if self.isVisible() else self._timer.stop())
        self._enable()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.invite = self._button(row, "Invite…", "Make a line with which another machine joins", self._invite)
        self.pause = self._button(row, "Pause", "Give this helper no new jobs, or give it jobs again", self._pause)
        self.away = self._button(
            row, "Send away", "Its line and its certificate count no more; what it does is done elsewhere", self._away
        )
        row.addStretch(1)
        self.problem = QLabel("")
        self.problem.setObjectName("warn")
        row.addWidget(self.problem)
        return row

    def _button(self, row: QHBoxLayout, title: str, tip: str, call: Any) -> QPushButton:
        button = QPushButton(title)
        button.setToolTip(tip)
        button.clicked.connect(lambda _checked=False: call())
        row.addWidget(button)
        return button

    def entered(self) -> None:
        """It is shown: look now, and go on looking."""
        self._look()
        self._timer.start()

    # Looking

    def _look(self) -> None:
        if self._looking:
            return
        self._looking = True
        project = self._work.session.project

        def look() -> tuple[list[HelperRow], str]:
            if not Suite.of_this_user().exists:
                return [], ""
            link = self._work.desk.helpers.link
            return rows_of(link.helpers(), project.shelves, link.pace(PROXY)), link.problem

        self._work.in_background(_never_raises(look), self._show)

    def show_only(self, rows: list[HelperRow]) -> None:
        """Show these, and look no more until it is entered again: for pictures."""
        self._timer.stop()
        self._show((rows, ""))

    def _show(self, found: tuple[list[HelperRow], str]) -> None:
        self._looking = False
        rows, problem = found
        chosen = self.current()
        if rows != self.model.rows:
            self.model.set_rows(rows)
            if chosen is not None:
                numbers = [number for number, row in enumerate(self.model.rows) if row.helper.id == chosen.helper.id]
                self.table.selectRow(numbers[0]) if numbers else None
        self.problem.setText(problem)
        self._enable()

    def current(self) -> HelperRow | None:
        """The chosen helper."""
        rows = self.table.selectionModel().selectedRows()
        found: HelperRow | None = self.model.rows[rows[0].row()] if rows else None
        return found

    def _enable(self) -> None:
        row = self.current()
        for button in (self.pause, self.away):
            enable(button, row is not None, "Select a helper first.")
        self.pause.setText("Resume" if row is not None and row.helper.state == "paused" else "Pause")

    # What can be done

    def _invite(self) -> None:
        self.dialog = InviteDialog(self._work, self.window())
        self.dialog.invited.connect(self.entered)
        self.dialog.open()

    def _pause(self) -> None:
        row = self.current()
        if row is not None:
            on = row.helper.state != "paused"
            self._change(lambda: Suite.of_this_user().pause(row.helper.id, on))

    def _away(self) -> None:
        row = self.current()
        if row is not None:
            self._change(lambda: Suite.of_this_user().send_away(row.helper.id))

    def _change(self, work: Any) -> None:
        self._work.in_background(work, lambda _done: self._look())


def rows_of(helpers: Sequence[Helper], shelves: Sequence[Shelf], local_pace: float) -> list[HelperRow]:
    """What is shown of helpers; of their shelves those of this project by name."""
    names = {shelf.id: shelf.name for shelf in shelves}
    return [
        HelperRow(
            one, tuple(names[identity] for identity in one.shelves if identity in names),
            one.pace / local_pace if local_pace and one.pace else 0.0,
        )
        for one in helpers
    ]  # fmt: skip


def _never_raises(look: Any) -> Any:
    def safe() -> tuple[list[HelperRow], str]:
        try:
            found: tuple[list[HelperRow], str] = look()
        except Exception as error:  # the next look may do better, and this one must be known to be over
            return [], str(error)
        return found

    return safe

