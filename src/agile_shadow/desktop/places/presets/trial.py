"""A trial: a few seconds made for real with up to four presets, side by side with the original under one pointer."""

from __future__ import annotations

import shutil
import tempfile
import threading
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QCloseEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import ShadowError, sentence
from ....core.estimates import Sample, TrialResult, run_trial, trial_requests
from ....core.log import cache_folder
from ....core.media import open_reader, to_bgra
from ....core.media.pictures import Bgra
from ....core.presets import Preset
from ... import theme, words
from ...marks import paint_block
from ...measuring import samples_in
from ...work import Work
from .library_list import LibraryList

_ZOOMS = (100, 200, 400)
_NONE = "(none)"


class Pane(QWidget):
    """One picture of the row, drawn as large as the original would be; ``looked`` gives the point under the pointer."""

    looked = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(150, 120)
        self.setMouseTracking(True)
        self.kind = "original"
        self.title = ""
        self._pixels: Bgra | None = None
        self._image: QImage | None = None
        self.whole = (1, 1)
        self.zoom = 1.0
        self.centre = QPointF(0.5, 0.5)

    @property
    def shows(self) -> bool:
        """Whether there is a picture."""
        return self._image is not None

    def show_picture(self, pixels: Bgra | None, whole: tuple[int, int]) -> None:
        """A picture, and the original's (width, height) at which it is drawn."""
        self._pixels, self.whole = pixels, whole
        self._image = None
        if pixels is not None:
            height, width = pixels.shape[:2]
            self._image = QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self._image is not None:
            painter.setClipRect(self.rect())
            wide, high = self.whole[0] * self.zoom, self.whole[1] * self.zoom
            left = self.width() / 2 - self.centre.x() * wide
            top = self.height() / 2 - self.centre.y() * high
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.kind == "proxy")
            painter.drawImage(QRectF(left, top, wide, high), self._image)
        painter.fillRect(QRectF(0, 0, self.width(), 22), "#e6101218")
        paint_block(painter, QRectF(6, 5, 15, 12), self.kind)
        painter.setPen("#f2eadb")
        painter.setFont(theme.sans(9))
        text = painter.fontMetrics().elidedText(self.title, Qt.TextElideMode.ElideRight, self.width() - 34)
        painter.drawText(QPointF(27, 15), text)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Where the pointer stands in the pane tells which part of the picture all panes show."""
        self.looked.emit(event.position().x() / max(1, self.width()), event.position().y() / max(1, self.height()))


class TrialDialog(QDialog):
    """``taken`` gives the preset that was chosen.

    Large: its attributes are its controls.
    """

    taken = Signal(object)

    def __init__(self, work: Work, edited: Preset, library: LibraryList, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Trial")
        self.resize(1180, 700)
        self._work, self._edited, self._library = work, edited, library
        self.samples: list[Sample] = samples_in(work.session.project)
        self._folder = Path(tempfile.mkdtemp(prefix="trial-", dir=cache_folder()))
        self._pool = work.machine.hire("wanted")
        self._reading = threading.Lock()
        self._asked = 0
        self._pending: list[Future[Any]] = []
        self.results: list[TrialResult] = []
        self._presets: list[Preset] = []
        self._sample: Sample | None = None
        self._first = 0
        self._centre = QPointF(0.5, 0.5)
        self._build()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        row = QHBoxLayout()
        self.clip = QComboBox()
        self.clip.setAccessibleName("Clip of the trial")
        self.clip.setToolTip("The clip that is tried")
        for sample in self.samples:
            self.clip.addItem(f"{sample.path.stem}  {words.frame_size(sample.info)}")
        self.seconds = QDoubleSpinBox()
        self.seconds.setRange(0.2, 20)
        self.seconds.setValue(2)
        self.seconds.setSuffix(" s")
        self.seconds.setAccessibleName("Length of the trial")
        self.seconds.setToolTip("How many seconds are made with each preset")
        self.start = QPushButton("Run trial")
        self.start.setToolTip("Make these seconds with each preset that is selected")
        self.start.setObjectName("main")
        self.start.clicked.connect(self._start)
        self.zoom = QComboBox()
        self.zoom.setAccessibleName("Zoom")
        self.zoom.setToolTip("Size of the picture")
        for zoom in _ZOOMS:
            self.zoom.addItem(f"{zoom} %", zoom / 100)
        self.zoom.currentIndexChanged.connect(self._look)
        for widget in (QLabel("Clip"), self.clip, QLabel("for"), self.seconds, self.start):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(QLabel("Zoom"))
        row.addWidget(self.zoom)
        layout.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("With"))
        self.choices = []
        for number in range(4):
            box = QComboBox()
            box.setAccessibleName(f"Preset {number + 1} of the trial")
            box.setToolTip(f"Preset {number + 1} of the trial")
            if number == 0:
                box.addItem(f"{self._edited.name} (as edited)", None)
            else:
                box.addItem(_NONE, _NONE)
            for name in self._library.names:
                known = self._library.named(name)
                if known is not None and known.proxies is not None:
                    box.addItem(name, name)
            self.choices.append(box)
            row.addWidget(box, 1)
        layout.addLayout(row)
        self._panes = QGridLayout()
        self._panes.setSpacing(6)
        layout.addLayout(self._panes, 1)
        self.panes: list[Pane] = []
        self.buttons: list[QPushButton] = []
        self.facts: list[QLabel] = []
        self.says = QLabel("Choose up to four presets. The trial uses the middle of the clip.")
        self.says.setObjectName("quiet")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        row = QHBoxLayout()
        self.time = QSlider(Qt.Orientation.Horizontal)
        self.time.setAccessibleName("Frame of the trial")
        self.time.setToolTip("Frame that is shown")
        self.time.setEnabled(False)
        self.time.valueChanged.connect(self._show_frame)
        self.at = QLabel("")
        self.at.setFont(theme.mono(10))
        row.addWidget(self.time, 1)
        row.addWidget(self.at)
        close = QPushButton("Close")
        close.setToolTip("Close this window (Esc)")
        close.clicked.connect(self.reject)
        row.addWidget(close)
        layout.addLayout(row)

    # Making

    def presets(self) -> list[Preset]:
        """The chosen ones, each once."""
        found = [self._edited]
        for box in self.choices:
            known = self._library.named(box.currentData()) if box.currentData() not in (None, _NONE) else None
            if box is self.choices[0] and known is not None:
                found = [known]
            elif known is not None and known not in found:
                found.append(known)
        return found

    def _start(self) -> None:
        self._presets = self.presets()
        self._sample = self.samples[self.clip.currentIndex()]
        try:
            requests = trial_requests(
                self._sample.path, self._presets, self._folder, self.seconds.value(), None, self._sample.info
            )
        except ShadowError as error:
            self.says.setText(sentence(error))
            return
        self._first = requests[0].first
        self.results = []
        self.start.setEnabled(False)
        self._lay_out([preset.name for preset in self._presets])
        self.time.setRange(0, requests[0].count - 1)
        self._pending = [
            self._pool.submit(run_trial, request, self._reporter(request.preset.name)) for request in requests
        ]
        for future in self._pending:
            future.add_done_callback(lambda done: self._work.call_here(lambda: self._made(done)))

    def _reporter(self, name: str) -> Any:
        return lambda done: self._work.call_here(lambda: self._progress(name, done))

    def _progress(self, name: str, done: float) -> None:
        if self.isVisible():
            self.says.setText(f"Making {name}: {done:.0%}")

    def _made(self, done: Future[Any]) -> None:
        if not self.isVisible():
            return
        if done in self._pending:
            self._pending.remove(done)
        try:
            result: TrialResult = done.result()
        except Exception as error:  # the boundary to the user
            self.says.setText(sentence(error))
        else:
            self.results.append(result)
            number = [preset.name for preset in self._presets].index(result.preset)
            self.facts[number + 1].setText(
                f"{result.info.width} x {result.info.height}, {words.gigabytes(result.bytes)}\n"
                f"{result.bytes_per_hour / 1e9:.1f} GB per hour\n"
                f"headroom {result.headroom:.1f}x, likeness {result.likeness:.3f}"
            )
            self.buttons[number].setEnabled(True)
        if not self._pending:
            self.start.setEnabled(True)
            if self.results:
                self.says.setText(
                    "Move the pointer over a picture: all follow. Likeness (SSIM) is 1 for the same picture."
                )
            self.time.setEnabled(bool(self.results))
            self._show_frame()

    def _lay_out(self, names: list[str]) -> None:
        while (item := self._panes.takeAt(0)) is not None:
            if (pane := item.widget()) is not None:
                pane.deleteLater()
        self.panes, self.buttons, self.facts = [], [], []
        assert self._sample is not None
        info = self._sample.info
        rate = self._sample.size / float(info.duration) * 3600 / 1e9 if info.duration else 0
        for column, name in enumerate(["Original", *names]):
            pane = Pane()
            pane.kind = "original" if column == 0 else "proxy"
            pane.title = f"ORIGINAL {words.frame_size(info)}" if column == 0 else f"PROXY {name}"
            pane.setAccessibleName(name)
            pane.looked.connect(self.look_at)
            facts = QLabel(f"{words.frame_size(info)}\n{rate:.1f} GB per hour" if column == 0 else "not made yet")
            self._panes.addWidget(pane, 0, column)
            self._panes.addWidget(facts, 1, column)
            self.panes.append(pane)
            self.facts.append(facts)
            if column:
                button = QPushButton("Use this preset")
                button.setToolTip("Opens this preset in the Presets place")
                button.setEnabled(False)
                button.clicked.connect(lambda _checked=False, number=column - 1: self._take(number))
                self._panes.addWidget(button, 2, column)
                self.buttons.append(button)
            self._panes.setColumnStretch(column, 1)
        self._look()

    def _take(self, number: int) -> None:
        self.taken.emit(self._presets[number])
        self.accept()

    # Looking

    def _show_frame(self) -> None:
        """Fetch the same frame of all files on a thread; a newer wish overtakes."""
        sample = self._sample
        if sample is None or not self.results:
            return
        number = self.time.value()
        self.at.setText(f"frame {self._first + number}")
        self._asked += 1
        asked = self._asked
        files = {[p.name for p in self._presets].index(result.preset) + 1: result for result in self.results}

        def work() -> dict[int, Bgra] | None:
            with self._reading:
                if asked != self._asked:
                    return None
                pictures = {column: _frame(result.path, number) for column, result in files.items()}
                pictures[0] = _original(sample, self._first + number)
                return pictures

        self._work.in_background(work, lambda pictures: self._show_pictures(asked, pictures))

    def _show_pictures(self, asked: int, pictures: dict[int, Bgra] | None) -> None:
        if pictures is None or asked != self._asked or self._sample is None:
            return
        whole = (self._sample.info.display_width, self._sample.info.display_height)
        for column, pixels in pictures.items():
            self.panes[column].show_picture(pixels, whole)

    def look_at(self, x: float, y: float) -> None:
        """Show another part of the picture in all panes; 0 to 1 across and down."""
        self._centre = QPointF(min(1.0, max(0.0, x)), min(1.0, max(0.0, y)))
        self._look()

    def _look(self) -> None:
        for pane in self.panes:
            pane.zoom, pane.centre = self.zoom.currentData(), self._centre
            pane.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {
            Qt.Key.Key_A: (-0.05, 0), Qt.Key.Key_D: (0.05, 0), Qt.Key.Key_W: (0, -0.05), Qt.Key.Key_S: (0, 0.05),
        }  # fmt: skip
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        self.look_at(self._centre.x() + step[0], self._centre.y() + step[1])

    def done(self, result: int) -> None:
        """Closed one way or another: nothing of it stays."""
        self._asked += 1
        self._pool.cancel_all()
        threading.Thread(target=self._clear, name="trial ends", daemon=True).start()
        super().done(result)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.done(0)
        super().closeEvent(event)

    def _clear(self) -> None:
        self._work.machine.dismiss(self._pool)
        self._pool.close()
        with self._reading:
            shutil.rmtree(self._folder, ignore_errors=True)


def _frame(path: Path, number: int) -> Bgra:
    reader = open_reader(path, False)
    try:
        frame = reader.frame(min(number, len(reader.index) - 1))
        return np.ascontiguousarray(to_bgra(frame, frame.width, frame.height))
    finally:
        reader.close()


def _original(sample: Sample, number: int) -> Bgra:
    info = sample.info
    reader = open_reader(sample.path, info.interlaced, info.sequence_rate)
    try:
        return to_bgra(reader.frame(min(number, len(reader.index) - 1)), info.display_width, info.display_height)
    finally:
        reader.close()
