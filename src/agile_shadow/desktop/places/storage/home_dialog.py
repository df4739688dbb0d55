"""A kit comes home: what is taken over, what was shot on the road, and what both sides changed."""

from __future__ import annotations

from concurrent.futures import Future
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.errors import Cancelled, sentence
from ....core.jobs import Executor
from ....core.kit import Brought, Coming, KitHomeRequest, bring_home, look_home, with_brought
from ....core.kit.merging import merge_cuts
from ....core.project import Footage, Project
from ....core.shelves import Shelf
from ... import words
from ...flow import at_the_end
from ...work import Work

_KEY = Qt.ItemDataRole.UserRole


class KitHomeDialog(QDialog):
    """One step of undo takes the cut back; footage that came in stays."""

    def __init__(self, work: Work, folder: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bring a kit home")
        self.resize(760, 560)
        self._work, self._folder = work, folder
        self.coming: Coming | None = None
        self._closed = False
        self._executor: Executor | None = None
        self._future: Future[Any] | None = None
        layout = QVBoxLayout(self)
        layout.setSpacing(7)
        self.says = QLabel("Reading the kit…")
        self.says.setObjectName("sentence")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        layout.addWidget(self._head("Merged: only the kit changed it"))
        self.taken = QListWidget()
        self.taken.setAccessibleName("Merged")
        self.taken.setToolTip("What was changed on the road only; it is taken over")
        layout.addWidget(self.taken, 1)
        layout.addWidget(self._head("From the road"))
        self.clips = QListWidget()
        self.clips.setAccessibleName("From the road")
        self.clips.setToolTip("Clips that were ingested on the road; their files are copied to the shelves")
        layout.addWidget(self.clips, 1)
        self.asks = self._head("Changed on both sides. Tick what to take from the kit; the rest stays as it is here.")
        layout.addWidget(self.asks)
        self.conflicts = QListWidget()
        self.conflicts.setAccessibleName("What both sides changed")
        self.conflicts.setToolTip("Tick what to take from the kit")
        layout.addWidget(self.conflicts, 2)
        self.bar = QProgressBar()
        self.bar.setAccessibleName("How much came home")
        self.bar.hide()
        layout.addWidget(self.bar)
        self.close_ = QPushButton("Cancel")
        self.close_.setToolTip("Close; the cut stays as it is here")
        self.close_.clicked.connect(self.reject)
        self.bring = QPushButton("Bring home")
        self.bring.setObjectName("main")
        self.bring.setToolTip("Merges the cut and copies what was ingested on the road; Undo takes the cut back")
        self.bring.setEnabled(False)
        self.bring.clicked.connect(lambda: self._bring())
        layout.addLayout(at_the_end(self.close_, self.bring))
        self._look()

    @staticmethod
    def _head(text: str) -> QLabel:
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setWordWrap(True)
        return label

    def _look(self) -> None:
        project, folder = self._work.session.project, self._folder

        def look() -> Any:
            try:
                return look_home(project, folder)
            except Exception as error:  # told here
                return error

        self._work.in_background(look, self._looked)

    def _looked(self, found: Any) -> None:
        if self._closed:
            return
        if not isinstance(found, Coming):
            self.says.setText(sentence(found))
            return
        self.coming = found
        merged = found.merged
        self.taken.addItems(list(dict.fromkeys(merged.taken)) or ["nothing"])
        shot = [clip.name for clip in found.clips] + [f"{name}: its files are not on the kit" for name in found.lost]
        self.clips.addItems(shot or ["nothing"])
        for one in merged.conflicts:
            item = QListWidgetItem(one.what)
            item.setData(_KEY, one.key)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.conflicts.addItem(item)
        for widget in (self.asks, self.conflicts):
            widget.setVisible(bool(merged.conflicts))
        shot_there = f"{counted(len(found.clips), 'clip')} from the road, {words.gigabytes(found.size)}"
        parts = [shot_there] if found.clips else []
        number = len(merged.conflicts)
        parts += [f"{counted(number, 'thing was', 'things were')} changed on both sides"] if number else []
        if not (parts or merged.taken):
            self.says.setText("The kit brings nothing new.")
            return
        self.says.setText("; ".join(parts) + "." if parts else "Ready to bring home.")
        self.bring.setEnabled(True)

    @property
    def chosen(self) -> set[str]:
        """Keys of what is to be as on the kit."""
        items = (self.conflicts.item(number) for number in range(self.conflicts.count()))
        return {str(item.data(_KEY)) for item in items if item.checkState() == Qt.CheckState.Checked}

    def _bring(self) -> None:
        coming = self.coming
        if coming is None:
            return
        self.bring.setEnabled(False)
        if not coming.clips:
            self._take(Brought((), None), ())
            return
        footage = self._work.session.project.footage
        originals, proxies = footage.shelf_of_role("originals"), footage.shelf_of_role("proxies")
        if originals is None or proxies is None:
            self.says.setText("The project has no shelf for originals, or none for proxies. Add them in Storage.")
            return
        self._executor = self._work.machine.hire("copy")
        request = KitHomeRequest(coming, originals, proxies, self._folder)
        self.bar.show()
        self._future = self._executor.submit(bring_home, request, lambda done: self._work.call_here(
            lambda: None if self._closed else self.bar.setValue(int(done * 100))
        ))  # fmt: skip
        self._future.add_done_callback(
            lambda future: self._work.call_here(lambda: self._brought(future, (originals, proxies)))
        )

    def _brought(self, future: Future[Any], shelves: tuple[Shelf, ...]) -> None:
        executor, self._executor, self._future = self._executor, None, None
        if executor is not None:
            self._work.machine.dismiss(executor)
            self._work.in_background(executor.close, lambda _done: None)
        if self._closed:
            return
        try:
            brought = future.result()
        except Cancelled:
            return
        except Exception as error:  # the boundary to the user
            self.says.setText(sentence(error))
            self.bar.hide()
            self.bring.setEnabled(True)
            return
        self._take(brought, shelves)

    def _take(self, brought: Brought, shelves: tuple[Shelf, ...]) -> None:
        """Into the document: the footage is a fact, the cut a step that undo takes back."""
        coming, chosen, session = self.coming, self.chosen, self._work.session
        assert coming is not None

        def facts(footage: Footage) -> Footage:
            return with_brought(footage, brought, shelves)

        def cut(project: Project) -> Project:
            return Project(project.footage, merge_cuts(coming.base, project.cut, coming.road.cut, chosen).cut)

        session.absorb(facts)
        session.edit("Bring a kit home", cut)
        number = len(brought.clips)
        came = f"{counted(number, 'clip')} came home, read back and equal.  " if number else ""
        self._work.told.emit(f"{came}The cut is that of both sides.")
        self.accept()

    def done(self, result: int) -> None:
        """Closed: what is copied ends soon; what lies there is found again the next time."""
        self._closed = True
        if self._executor is not None and self._future is not None:
            self._executor.cancel(self._future)
        super().done(result)
