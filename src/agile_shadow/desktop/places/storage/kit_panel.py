"""Travel kits: made in a folder or on a drive, brought up to date, and brought home."""

from __future__ import annotations

from concurrent.futures import Future
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.errors import Cancelled, sentence
from ....core.jobs import Executor
from ....core.kit import KitPlan, KitRequest, is_kit, make_kit, plan_kit
from ....core.presets import Preset, list_presets
from ... import words
from ...choosing import ask_folder, typed_path
from ...flow import FlowLayout
from ...tables import Column, RowsModel, rows_table
from ...work import Work
from .home_dialog import KitHomeDialog

_WITHOUT = (Column("Nothing to show there for", lambda row: row[0], 260), Column("Because", lambda row: row[1], 360))


class KitPanel(QWidget):
    """``plan``: what the kit would hold, as it was looked at last.

    Large: its attributes are its controls.
    """

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.plan: KitPlan | None = None
        self.dialog: KitHomeDialog | None = None
        self._executor: Executor | None = None
        self._future: Future[Any] | None = None
        self._part = 0.0
        self._looks = 0
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        title = QLabel("Travel kit")
        title.setObjectName("heading")
        layout.addWidget(title)
        says = QLabel(
            "Project, proxies, sound and stills in one folder, to go on cutting on a machine that has never seen the "
            "originals. Bring it home later: what only one side changed is taken over."
        )
        says.setObjectName("quiet")
        says.setWordWrap(True)
        layout.addWidget(says)
        layout.addWidget(self._card())
        self.model = RowsModel(_WITHOUT)
        self.table = rows_table(self.model, 1, "Clips that would have nothing to show")
        self.table.hide()
        layout.addWidget(self.table, 1)
        layout.addStretch(1)
        self._timer = QTimer(self)
        self._timer.setInterval(150)
        self._timer.timeout.connect(lambda: self.bar.setValue(int(self._part * 100)))
        work.project_changed.connect(self._list_lines)
        self._list_lines()

    def _card(self) -> QWidget:
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(8)
        row = QHBoxLayout()
        row.addWidget(QLabel("Folder"))
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("an empty folder, or a kit")
        self.folder.setAccessibleName("Folder of the kit")
        self.folder.setToolTip("An empty folder, or the folder of a kit that exists")
        self.folder.editingFinished.connect(lambda: self.look())
        row.addWidget(self.folder, 1)
        self.choose = QPushButton("Browse…")
        self.choose.setToolTip("Choose the folder of the kit")
        self.choose.clicked.connect(lambda: self._choose())
        row.addWidget(self.choose)
        layout.addLayout(row)
        choices = FlowLayout(8, 6)
        self.line = QComboBox()
        self.line.setAccessibleName("Timelines that go along")
        self.line.setToolTip("Which timelines the kit holds")
        self.line.activated.connect(lambda _number: self.look())
        choices.addWidget(self.line)
        self.used = QCheckBox("only clips that they use")
        self.used.setToolTip("Leave out clips that no chosen timeline uses")
        self.used.clicked.connect(lambda _on: self.look())
        choices.addWidget(self.used)
        self.preset = QComboBox()
        self.preset.setAccessibleName("Proxies of the kit")
        self.preset.setToolTip("The proxies as they are, or made anew with a preset")
        for box in (self.line, self.preset):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(17)
        self.preset.activated.connect(lambda _number: self.look())
        choices.addWidget(self.preset)
        layout.addLayout(choices)
        self.says = QLabel("Choose a folder for the kit.")
        self.says.setObjectName("sentence")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        row = QHBoxLayout()
        self.make = QPushButton("Make the kit")
        self.make.setToolTip("Copy everything into the folder, and read it back")
        self.make.setObjectName("main")
        self.make.setEnabled(False)
        self.make.clicked.connect(lambda: self._make())
        row.addWidget(self.make)
        self.home = QPushButton("Bring home…")
        self.home.setToolTip("Merge the kit's cut with this one, and bring in what was shot on the road.")
        self.home.setEnabled(False)
        self.home.clicked.connect(lambda: self.open_home())
        row.addWidget(self.home)
        row.addStretch(1)
        self.bar = QProgressBar()
        self.bar.setMaximumWidth(240)
        self.bar.setAccessibleName("Progress of the kit")
        self.bar.hide()
        row.addWidget(self.bar)
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(lambda: self._stop())
        self.stop.hide()
        row.addWidget(self.stop)
        layout.addLayout(row)
        return card

    def _list_lines(self) -> None:
        chosen = self.line.currentData()
        lines = self._work.session.project.timelines
        if [self.line.itemData(n) for n in range(1, self.line.count())] == [one.id for one in lines]:
            return
        self.line.clear()
        self.line.addItem("all timelines", "")
        for one in lines:
            self.line.addItem(f"only {one.name}", one.id)
        self.line.setCurrentIndex(max(0, self.line.findData(chosen)))

    def entered(self) -> None:
        """It is shown."""
        self._work.in_background(list_presets, self._list_presets)
        self.look()

    def _list_presets(self, presets: list[Preset]) -> None:
        chosen = self.preset.currentText()
        self.preset.clear()
        self.preset.addItem("proxies as they are", None)
        for one in presets:
            if one.proxies is not None:
                self.preset.addItem(f"made with {one.name}", one)
        self.preset.setCurrentIndex(max(0, self.preset.findText(chosen)))

    def _choose(self) -> None:
        start = str(self._work.session.path.parent)
        chosen = ask_folder(self, "Folder of the kit", self.folder.text(), start)
        if chosen is not None:
            self.folder.setText(str(chosen))
            self.look()

    @property
    def request(self) -> KitRequest | None:
        """What is asked for."""
        folder = self._folder
        if folder is None:
            return None
        line = str(self.line.currentData() or "")
        chosen = frozenset({line}) if line else frozenset()
        preset: Preset | None = self.preset.currentData()
        return KitRequest(self._work.session.project, folder, chosen, self.used.isChecked(), preset)

    @property
    def _folder(self) -> Path | None:
        """The folder that is typed; None where it is no whole path."""
        text = self.folder.text().strip()
        folder = typed_path(text) if text else None
        return folder if folder is not None and folder.is_absolute() else None

    def look(self) -> None:
        """Say what the kit would hold, and whether it fits; on a thread. The newest look counts."""
        request = self.request
        self._looks += 1
        number = self._looks
        if request is None:
            typed = bool(self.folder.text().strip())
            self._cannot(number, "Name the whole path of a folder." if typed else "Choose a folder for the kit.")
            return
        if self._future is not None:
            return

        def work() -> tuple[KitPlan, bool]:
            return plan_kit(request), is_kit(request.folder)

        self._work.in_background(work, lambda found: self._looked(number, *found), partial(self._cannot, number))

    def _cannot(self, number: int, why: str) -> None:
        """Nothing can be said of that folder."""
        if self._future is None and number == self._looks:
            self.says.setText(why)
            self.make.setEnabled(False)
            self.home.setEnabled(False)
            self.table.hide()

    def _looked(self, number: int, plan: KitPlan, known: bool) -> None:
        if self._future is not None or number != self._looks:
            return
        self.plan = plan
        fits = "fits" if plan.fits else f"{words.gigabytes(plan.new - plan.free)} too much for the free space there"
        new = f", {words.gigabytes(plan.new)} of it new" if known else ""
        about = "About " if any(part.made for part in plan.parts) else ""
        self.says.setText(f"{about}{words.gigabytes(plan.size)} in {counted(len(plan.parts), 'file')}{new}: {fits}.")
        self.make.setText("Bring it up to date" if known else "Make the kit")
        self.make.setEnabled(plan.fits and bool(plan.parts))
        self.home.setEnabled(known)
        self.model.set_rows(list(plan.without))
        self.table.setVisible(bool(plan.without))

    def _make(self) -> None:
        request = self.request
        if request is None or self._future is not None:
            return
        self._executor = self._work.machine.hire("copy")
        self._part = 0.0
        self._future = self._executor.submit(make_kit, request, lambda done: setattr(self, "_part", done))
        self._future.add_done_callback(lambda future: self._work.call_here(lambda: self._made(request, future)))
        self._busy(True)
        self.says.setText("Copying, and reading every copy back…")

    def _made(self, request: KitRequest, future: Future[Any]) -> None:
        executor, self._executor, self._future = self._executor, None, None
        if executor is not None:
            self._work.machine.dismiss(executor)
            self._work.in_background(executor.close, lambda _done: None)
        self._busy(False)
        try:
            future.result()
        except Cancelled:
            self._work.told.emit("Stopped: the kit is unfinished. Make it again to continue.")
        except Exception as error:  # the boundary to the user
            self._work.problem.emit(sentence(error))
        else:
            self._work.told.emit(f"The kit is whole: {request.folder}.")
        self.look()

    def _busy(self, on: bool) -> None:
        for widget in (self.choose, self.folder, self.line, self.used, self.preset):
            widget.setEnabled(not on)
        for button in (self.make, self.home):  # whether they can be pressed is seen by the next look
            button.setEnabled(False)
        self.bar.setVisible(on)
        self.stop.setVisible(on)
        (self._timer.start if on else self._timer.stop)()

    def _stop(self) -> None:
        if self._executor is not None and self._future is not None:
            self._executor.cancel(self._future)

    def open_home(self) -> None:
        """Lay the kit's cut beside this one."""
        folder = self._folder
        if folder is None:
            return
        self.dialog = KitHomeDialog(self._work, folder, self)
        self.dialog.finished.connect(lambda _result: self.look())
        self.dialog.finished.connect(self.dialog.deleteLater)
        self.dialog.open()
