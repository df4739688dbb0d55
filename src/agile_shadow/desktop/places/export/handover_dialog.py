"""The cut handed over: the format, which files it names, where it goes, and what it cannot say, said before."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
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
from ....core.handover import KINDS, HandedOver, HandOver, hand_over, what_is_left_out
from ...choosing import typed_path
from ...flow import at_the_end
from ...labels import set_warned
from ...work import Work

_HALVES = (("both", "originals and proxies"), ("original", "originals"), ("proxy", "proxies"))
_WRITING = 600.0  # seconds without a sign of life
_ONE_HALF = ("edl", "aaf")


class HandOverDialog(QDialog):
    """Writes in a worker; says what was written, and stays open for the next format."""

    def __init__(self, work: Work, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Hand over the cut")
        self.resize(640, 420)
        self._work = work
        self._folder = folder
        self._asked = 0
        self._named = ""
        layout = QVBoxLayout(self)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        self.kind = QComboBox()
        self.kind.setAccessibleName("Format")
        self.kind.setToolTip("Format of the file")
        for kind, (words, _ending) in KINDS.items():
            self.kind.addItem(words, kind)
        self.half = QComboBox()
        self.half.setAccessibleName("Files named in it")
        self.half.setToolTip("Whether the file names originals, proxies, or both")
        row = QHBoxLayout()
        row.setSpacing(6)
        self.out = QLineEdit()
        self.out.setAccessibleName("File")
        self.out.setToolTip("File that is written; of edit lists the first part of their names")
        choose = QPushButton("Browse…")
        choose.setToolTip("Choose folder and name")
        choose.clicked.connect(self._choose)
        row.addWidget(self.out, 1)
        row.addWidget(choose)
        form.addRow("As", self.kind)
        form.addRow("Names files", self.half)
        form.addRow("To", row)
        layout.addLayout(form)
        heading = QLabel("What this format cannot say")
        heading.setObjectName("quiet")
        layout.addWidget(heading)
        self.notes = QPlainTextEdit()
        self.notes.setReadOnly(True)
        self.notes.setAccessibleName("What this format cannot say")
        self.notes.setToolTip("What is lost in this format")
        layout.addWidget(self.notes, 1)
        self.said = QLabel("")
        self.said.setWordWrap(True)
        layout.addWidget(self.said)
        self.close_button = QPushButton("Close")
        self.close_button.setToolTip("Close this window (Esc)")
        self.write = QPushButton("Write")
        self.write.setToolTip("Write the cut in this format")
        self.write.setObjectName("main")
        self.close_button.clicked.connect(lambda _checked=False: self.reject())
        self.write.clicked.connect(self._write)
        layout.addLayout(at_the_end(self.close_button, self.write))
        self.kind.currentIndexChanged.connect(lambda _index: self._kind_changed())
        self.half.currentIndexChanged.connect(lambda _index: self._look())
        self._kind_changed()

    def request(self) -> HandOver:
        """What is asked for."""
        out = typed_path(self.out.text()).absolute()
        return HandOver(self._work.session.project, self.kind.currentData(), out, self.half.currentData() or "both")

    def _kind_changed(self) -> None:
        kind = self.kind.currentData()
        before = self.half.currentData()
        self.half.blockSignals(True)
        self.half.clear()
        for value, words in _HALVES if kind == "otio" else _HALVES[1:]:
            self.half.addItem(words, value)
        self.half.setCurrentIndex(max(0, self.half.findData(before)))
        self.half.setEnabled(kind in ("otio", *_ONE_HALF))
        self.half.blockSignals(False)
        self._suggest()
        self._look()

    def _suggest(self) -> None:
        ending = KINDS[self.kind.currentData()][1]
        typed = self.out.text().strip()
        if typed and typed != self._named:
            path = Path(typed)
            known = {one for _words, one in KINDS.values()}
            stem = path.stem if path.suffix.lower() in known else path.name
            self.out.setText(str(path.with_name(stem + ending)))
            return
        name = self._work.session.project.timeline.name.replace("/", "-")
        self._named = str(self._folder / f"{name}{ending}")
        self.out.setText(self._named)

    def _choose(self) -> None:
        ending = KINDS[self.kind.currentData()][1]
        chosen, _filter = QFileDialog.getSaveFileName(self, "Hand over the cut", self.out.text(), f"*{ending}")
        if chosen:
            self.out.setText(chosen if chosen.lower().endswith(ending) else chosen + ending)

    def _look(self) -> None:
        """What is left out is found in the background: timelines may have thousands of blocks."""
        self._asked += 1
        asked, request = self._asked, self.request()
        self.said.setText("")
        self.notes.setPlainText("Looking…")

        def work() -> tuple[str, ...]:
            try:
                return what_is_left_out(request)
            except Exception as error:  # told where the list would be
                return (sentence(error),)

        def then(notes: tuple[str, ...]) -> None:
            if asked == self._asked:
                self.notes.setPlainText("\n".join(notes) or "Nothing is left out.")

        self._work.in_background(work, then)

    def _write(self) -> None:
        request = self.request()
        pool = self._work.machine.shared("wanted")
        self.write.setEnabled(False)
        self.said.setText("Writing…")

        def work() -> tuple[HandedOver | None, str]:
            try:
                return pool.submit(hand_over, request, stalled_after=_WRITING).result(), ""
            except Exception as error:  # told here
                return None, sentence(error)

        def then(found: tuple[HandedOver | None, str]) -> None:
            done, problem = found
            self.write.setEnabled(True)
            set_warned(self.said, done is None)
            names = ", ".join(path.name for path in done.paths) if done is not None else ""
            self.said.setText(problem or f"Written to {request.out.parent}: {names}.")

        self._work.in_background(work, then)
