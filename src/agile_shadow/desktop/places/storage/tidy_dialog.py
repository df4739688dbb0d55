"""What may go: chosen by reasons, with what it wins, what it costs to make again, and what would show afterwards."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QLabel,
    QMessageBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.errors import sentence
from ....core.project import Project, other_projects
from ....core.storage import (
    REASONS,
    Item,
    Plan,
    Tidied,
    after,
    before,
    find_items,
    pace_of_making,
    plan,
    tidy,
    undo,
)
from ....core.time import clock_text
from ... import words
from ...flow import at_the_end
from ...labels import set_look
from ...tables import Column, RowsModel, rows_table
from ...work import Work

Found = tuple[tuple[Item, ...], tuple[str, ...]]
_COLUMNS = (
    Column("File", lambda item: item.path.name, 220, tip=lambda item: str(item.path),
           mark=lambda item: "proxy" if item.proxy is not None else None),
    Column("Clip", lambda item: item.clip.name if item.clip is not None else "", 170),
    Column("Size", lambda item: words.gigabytes(item.size), 80, right=True, key=lambda item: item.size),
    Column("Original", lambda item: "here" if item.original else "away", 70),
    Column("Folder", lambda item: str(item.path.parent), 260),
)  # fmt: skip


class TidyDialog(QDialog):
    """``done`` once files went.

    Large: its attributes are its controls.
    """

    def __init__(self, work: Work, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Free up space")
        self.resize(860, 600)
        self._work = work
        self._project: Project = work.session.project
        self._found: Found = ((), ())
        self._pace: Any = lambda clip: None
        self.plan: Plan | None = None
        self.done_: Tidied | None = None
        self._closed = self._removing = False
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        says = QLabel("Only files that this program made and that no other project uses. Originals, what belongs to "
                      "them, and second copies stay.")  # fmt: skip
        says.setObjectName("quiet")
        says.setWordWrap(True)
        layout.addWidget(says)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        self.boxes: dict[str, QCheckBox] = {}
        self._sizes: dict[str, QLabel] = {}
        for number, (reason, text) in enumerate(REASONS.items()):
            box = QCheckBox(text)
            box.setEnabled(False)
            box.setToolTip(f"{box.text()}: tick to list these files")
            box.toggled.connect(lambda _on: self._choose())
            size = QLabel("")
            size.setObjectName("quiet")
            grid.addWidget(box, number, 0)
            grid.addWidget(size, number, 1)
            self.boxes[reason], self._sizes[reason] = box, size
        grid.setColumnStretch(0, 1)
        layout.addLayout(grid)
        self.of = QComboBox()
        self.of.setAccessibleName("Of which shoot")
        self.of.setToolTip("Only files of one day of shooting")
        self.of.currentIndexChanged.connect(lambda _number: self._choose())
        layout.addWidget(self.of)
        self.model = RowsModel(_COLUMNS)
        self.table = rows_table(self.model, 4, "Files to be removed")
        layout.addWidget(self.table, 1)
        self.wins = QLabel("Looking…")
        self.wins.setObjectName("sentence")
        self.wins.setWordWrap(True)
        layout.addWidget(self.wins)
        self.shows = QLabel("")
        self.shows.setWordWrap(True)
        layout.addWidget(self.shows)
        self.close_ = QPushButton("Close")
        self.close_.setToolTip("Close this window (Esc)")
        self.close_.clicked.connect(self.reject)
        self.remove = QPushButton("Move to trash")
        self.remove.setToolTip("Move the files listed to the trash; Bring back returns them")
        self.remove.setObjectName("main")
        self.remove.setEnabled(False)
        self.remove.clicked.connect(lambda: self._remove())
        layout.addLayout(at_the_end(self.close_, self.remove))
        self._look()

    def _look(self) -> None:
        session, store = self._work.session, self._work.store

        def look() -> tuple[Project, Found, Any]:
            project = session.project
            pace = pace_of_making(project, store.pieces(project=session.path))
            return project, find_items(project, other_projects(session.path)), pace

        self._work.in_background(look, self._looked, self._cannot)

    def _cannot(self, why: str) -> None:
        if not self._closed:
            self.wins.setText(why)

    def reject(self) -> None:
        """Not while files are on their way."""
        if not self._removing:
            super().reject()

    def done(self, result: int) -> None:
        """Closed: answers that come later are not shown."""
        self._closed = True
        super().done(result)

    def _looked(self, answer: tuple[Project, Found, Any]) -> None:
        if self._closed:
            return
        self._project, self._found, self._pace = answer
        for reason, label in self._sizes.items():
            own = [item for item in self._found[0] if reason in item.reasons]
            size = words.gigabytes(sum(item.size for item in own))
            label.setText(f"{counted(len(own), 'file')}, {size}" if own else "none")
            self.boxes[reason].setEnabled(bool(own))
        days = sorted({_shoot(item) for item in self._found[0] if item.clip is not None} - {""})
        self.of.blockSignals(True)
        self.of.clear()
        self.of.addItem("of all shoots", "")
        for day in days:
            self.of.addItem(f"only of what was shot on {day}", day)
        self.of.setEnabled(len(days) > 1)
        self.of.blockSignals(False)
        self._choose()

    def _choose(self) -> None:
        reasons = {reason for reason, box in self.boxes.items() if box.isChecked()}
        day = str(self.of.currentData() or "")
        clips = None if not day else {item.clip.id for item in self._found[0] if item.clip and _shoot(item) == day}
        self.plan = plan(self._project, self._found, reasons, clips, self._pace)
        self.model.set_rows(list(self.plan.items))
        number = len(self.plan.items)
        self.remove.setEnabled(number > 0)
        if not number:
            nothing = not self._found[0]
            self.wins.setText("Nothing to remove: there are no such files." if nothing else "Tick what to remove.")
            self.shows.setText(" ".join(self.plan.kept[:3]))
            return
        again = "not measured on this machine yet"
        if self.plan.seconds is not None:
            again = f"about {clock_text(self.plan.seconds)} here" if self.plan.seconds else "nothing"
        size = words.gigabytes(self.plan.size)
        self.wins.setText(f"{counted(number, 'file')}, {size}. To make them again: {again}.")
        parts = []
        if self.plan.on_originals:
            parts.append(counted(self.plan.on_originals, "clip in timelines would show its original.",
                                 "clips in timelines would show their originals."))
        if self.plan.on_nothing:
            names = ", ".join(self.plan.on_nothing[:4])
            more = f" and {len(self.plan.on_nothing) - 4} more" if len(self.plan.on_nothing) > 4 else ""
            parts.append(f"Could not be shown, for their originals are away: {names}{more}.")
        parts += self.plan.kept[:2]
        self.shows.setText(" ".join(parts) or "What the timelines show stays as it is.")
        set_look(self.shows, "warn" if self.plan.on_nothing else "quiet")

    def _remove(self, for_good: bool = False) -> None:
        if self.plan is None:
            return
        session, items, project = self._work.session, self.plan.items, self._project
        self.remove.setEnabled(False)
        self.close_.setEnabled(False)
        self._removing = True
        self.wins.setText("Each file is read once more before it goes…")
        self._work.asked.keep_edit_lists()

        def work() -> Tidied:
            return tidy(project, items, other_projects(session.path), for_good=for_good)

        def guarded() -> Tidied | Exception:
            try:
                return work()
            except Exception as error:  # the boundary to the user
                return error

        self._work.in_background(guarded, self._removed)

    def _removed(self, done: Tidied | Exception) -> None:
        self._removing = False
        self.close_.setEnabled(True)
        if isinstance(done, Exception):
            self.wins.setText(sentence(done))
            return
        self.done_ = done
        self._work.session.absorb(lambda footage: after(footage, done))
        if done.no_trash and self._asks_for_good(done.no_trash):
            self._remove(for_good=True)
            return
        if done.kept:
            more = f" ({len(done.kept) - 1} more stay)" if len(done.kept) > 1 else ""
            self._work.problem.emit(done.kept[0] + more)
        number = len(done.pairs.paths) + len(done.bakes) + len(done.strays)
        if number:
            said = f"{counted(number, 'file is', 'files are')} in the trash, {words.gigabytes(done.size)}."
            self._work.offered.emit(said, (("Bring back", lambda: bring_all_back(self._work, done)),))
        self.accept()

    def _asks_for_good(self, number: int) -> bool:
        box = QMessageBox(self)
        box.setWindowTitle("No trash")
        box.setText(f"{counted(number, 'file is', 'files are')} on a drive without a trash. Delete them permanently?")
        box.setInformativeText("They cannot be brought back; they can be made again from their originals.")
        yes = box.addButton("Delete permanently", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is yes


def bring_all_back(work: Work, done: Tidied) -> None:
    """Take what went out of the trash again."""

    def then(back: Any) -> None:
        work.session.absorb(lambda footage: before(footage, back))
        if back.problems:
            work.problem.emit(back.problems[0])
        else:
            work.told.emit(f"{counted(back.files, 'file is', 'files are')} back in their places.")

    work.in_background(lambda: undo(done), then)


def _shoot(item: Item) -> str:
    """The day a clip was shot, as its file says."""
    return (item.clip.original.info.recorded or "")[:10] if item.clip is not None else ""
