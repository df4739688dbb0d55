"""Whether what came late is baked by itself, and how much room bakes may take."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QFormLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout, QWidget

from ....core.amounts import amount, counted
from ....core.playback import LateStretch, bakes_on_disk, worth_baking
from ....core.project import Project
from ...flow import at_the_end
from ...work import Work

_GB = 10**9
_USUAL = 20  # GB


class LateDialog(QDialog):
    """``taken`` gives the room in bytes, 0 for: not by itself."""

    taken = Signal(object)

    def __init__(self, work: Work, late: tuple[LateStretch, ...], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Baking by itself")
        self.setMinimumWidth(520)
        project = work.session.project
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        self.box = QCheckBox("Bake by itself what played late")
        self.box.setToolTip("While the hand rests, stretches of the open timeline that came late are baked, the worst "
                            "first. They stand still as soon as you work.")  # fmt: skip
        self.box.setChecked(bool(project.footage.bake_room))
        layout.addWidget(self.box)
        form = QFormLayout()
        self.room = QSpinBox()
        self.room.setRange(1, 100_000)
        self.room.setSuffix(" GB")
        self.room.setAccessibleName("Room for bakes")
        self.room.setToolTip("Beyond this nothing is baked by itself; what you bake yourself counts too")
        self.room.setValue(max(1, round(project.footage.bake_room / _GB)) if project.footage.bake_room else _USUAL)
        form.addRow("All bakes of this project may take", self.room)
        layout.addLayout(form)
        self.says = QLabel("")
        self.says.setWordWrap(True)
        self.says.setObjectName("quiet")
        self.says.setMinimumHeight(44)
        layout.addWidget(self.says)
        self.take = QPushButton("Use this")
        self.take.setObjectName("main")
        self.take.setToolTip("From now on, in this project")
        cancel = QPushButton("Cancel")
        cancel.setToolTip("Leave it as it is (Esc)")
        cancel.clicked.connect(lambda _checked=False: self.reject())
        self.take.clicked.connect(lambda _checked=False: self._take())
        self.box.toggled.connect(self.room.setEnabled)
        self.room.setEnabled(self.box.isChecked())
        layout.addLayout(at_the_end(cancel, self.take))
        work.in_background(lambda: _state(project, late), self.says.setText)

    def _take(self) -> None:
        self.taken.emit(self.room.value() * _GB if self.box.isChecked() else 0)
        self.accept()


def _state(project: Project, late: tuple[LateStretch, ...]) -> str:
    """On a thread: what came late and is not baked, and what bakes take now."""
    waiting = sum(1 for _one in worth_baking(project, late, 10**18))
    taken = bakes_on_disk(project)
    line = project.timeline.name
    text = f"No stretch of {line} that played late is left to be baked."
    if waiting:
        them = f"{counted(waiting, 'stretch', 'stretches')} of {line}"
        text = f"{them} played late since the program was started, and {'is' if waiting == 1 else 'are'} not baked."
    return f"{text} Bakes of this project take {amount(taken)} now."
