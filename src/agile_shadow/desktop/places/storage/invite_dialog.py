"""A line for one more helper."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import sentence
from ....core.helpers.confined import import_engine
from ....core.helpers.scheduler import start_scheduler
from ....core.helpers.suite import Suite, own_addresses
from ...work import Work

_HOW = "On the other machine, in a terminal:  agile-shadow helpers join  and this line"


class InviteDialog(QDialog):
    """Closed by Escape. ``invited``: a line was made."""

    invited = Signal()

    def __init__(self, work: Work, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Invite a helper")
        self._work = work
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        says = QLabel(
            "Makes a line with which another machine joins this one. Whoever has the line can join: give it only to "
            "that machine. Send the helper away, and the line is worth nothing."
        )
        says.setObjectName("quiet")
        says.setWordWrap(True)
        says.setMinimumWidth(520)
        layout.addWidget(says)
        form = QFormLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the helper")
        self.name.setToolTip("What the helper is called in the list")
        self.name.setPlaceholderText("for example Edit 2")
        form.addRow("Name", self.name)
        self.address = QComboBox()
        self.address.setAccessibleName("Address of this machine")
        self.address.setToolTip("The address at which the helper reaches this machine")
        self.address.addItem("any of this machine's", "")
        for address in own_addresses():
            self.address.addItem(address, address)
        form.addRow("It reaches this machine at", self.address)
        layout.addLayout(form)
        self.how = QLabel(_HOW)
        self.how.hide()
        layout.addWidget(self.how)
        self.line = QPlainTextEdit()
        self.line.setReadOnly(True)
        self.line.setAccessibleName("The join line")
        self.line.setToolTip("The line, to be copied whole")
        self.line.setFixedHeight(132)
        self.line.hide()
        layout.addWidget(self.line)
        self.problem = QLabel("")
        self.problem.setObjectName("warn")
        self.problem.setWordWrap(True)
        self.problem.hide()
        layout.addWidget(self.problem)
        layout.addLayout(self._buttons())

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addStretch(1)
        self.make = QPushButton("Make line")
        self.make.setToolTip("Make the line and begin to listen for the helper (Enter)")
        self.make.setDefault(True)
        self.make.clicked.connect(lambda _checked=False: self._make())
        self.copy = QPushButton("Copy line")
        self.copy.setToolTip("Put the command with the line on the clipboard")
        self.copy.clicked.connect(
            lambda _checked=False: QApplication.clipboard().setText(
                f"agile-shadow helpers join {self.line.toPlainText()}"
            )
        )
        self.copy.hide()
        close = QPushButton("Close")
        close.setToolTip("Close this window (Esc)")
        close.clicked.connect(lambda _checked=False: self.accept())
        for button in (self.make, self.copy, close):
            row.addWidget(button)
        return row

    def _make(self) -> None:
        self.make.setEnabled(False)
        name, address = self.name.text(), self.address.currentData()

        def make() -> tuple[str, str]:
            try:
                import_engine()
                line = Suite.of_this_user().invite(name, (address,) if address else ())
                start_scheduler()
            except Exception as error:
                return "", sentence(error)
            return str(line), ""

        self._work.in_background(make, self._made)

    def _made(self, found: tuple[str, str]) -> None:
        line, problem = found
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        self.make.setEnabled(bool(problem))
        for widget in (self.how, self.line, self.copy):
            widget.setVisible(bool(line))
        if line:
            self.make.hide()
            self.line.setPlainText(line)
            self.adjustSize()
            self.invited.emit()
