"""Timeline settings: frame size, rates, first timecode, and how footage of another shape lies in the frame."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from ....core.film import larger_original
from ....core.project import Project
from ....core.time import rate_label, rate_text
from ....core.timeline import SOUND_RATES, Settings, first_timecode, with_settings
from ...flow import at_the_end
from ...labels import set_warned

RATES = tuple(Fraction(n, d) for n, d in (
    (24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1), (60000, 1001), (60, 1)
))  # fmt: skip
SHAPE_WORDS = (("fit", "whole in the frame, with bars"), ("fill", "over the whole frame, cropped"),
               ("pixels", "at its own size, a pixel for a pixel"))  # fmt: skip


class TimelineSettingsDialog(QDialog):
    """``taken`` gives the settings that were chosen. What could not stay exactly as it is, is said before."""

    taken = Signal(object)

    def __init__(self, project: Project, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Settings of {project.timeline.name}")
        self.setMinimumWidth(520)
        self._project, self._line = project, project.timeline
        self._typed_start = False
        layout = QVBoxLayout(self)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        self.width_field, self.height_field = self._pixels("Width", self._line.width), self._pixels(
            "Height", self._line.height
        )
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.width_field)
        row.addWidget(QLabel("x"))
        row.addWidget(self.height_field)
        self.original = QPushButton("As the originals")
        row.addWidget(self.original)
        row.addStretch(1)
        form.addRow("Frame size", row)
        self.rate = QComboBox()
        self.rate.setAccessibleName("Frame rate")
        self.rate.setToolTip("Frames per second of the timeline; blocks keep their moments in time")
        for rate in sorted({*RATES, self._line.rate}):
            self.rate.addItem(rate_label(rate), rate_text(rate))
        self.rate.setCurrentIndex(self.rate.findData(rate_text(self._line.rate)))
        form.addRow("Frame rate", self.rate)
        self.start = QLineEdit(self._line.timecode(0))
        self.start.setAccessibleName("First timecode")
        self.start.setToolTip("With ; before the frames it is counted as drop-frame, at 29.97 and 59.94")
        form.addRow("First timecode", self.start)
        self.shape = QComboBox()
        self.shape.setAccessibleName("Footage of another shape")
        self.shape.setToolTip("How footage of another shape fits the frame")
        for value, words in SHAPE_WORDS:
            self.shape.addItem(words, value)
        self.shape.setCurrentIndex(self.shape.findData(self._line.shape))
        form.addRow("Footage of another shape", self.shape)
        self.sound_rate = QComboBox()
        self.sound_rate.setAccessibleName("Sound rate")
        self.sound_rate.setToolTip("Samples a second of the sound of films; playing is always at 48 kHz")
        for hertz in SOUND_RATES:
            self.sound_rate.addItem(f"{hertz / 1000:g} kHz", hertz)
        self.sound_rate.setCurrentIndex(self.sound_rate.findData(self._line.sound_rate))
        form.addRow("Sound rate of films", self.sound_rate)
        layout.addLayout(form)
        self.says = QLabel("")
        self.says.setWordWrap(True)
        self.says.setMinimumHeight(44)
        layout.addWidget(self.says)
        self.take = QPushButton("Use these")
        self.take.setToolTip("Give the timeline these settings; undo takes it back")
        self.take.setObjectName("main")
        cancel = QPushButton("Cancel")
        cancel.setToolTip("Leave the timeline as it is (Esc)")
        cancel.clicked.connect(lambda _checked=False: self.reject())
        self.take.clicked.connect(lambda _checked=False: self._take())
        layout.addLayout(at_the_end(cancel, self.take))
        self._connect()
        self._check()

    def _pixels(self, name: str, value: int) -> QSpinBox:
        field = QSpinBox()
        field.setRange(32, 16_384)
        field.setSingleStep(2)
        field.setValue(value)
        field.setAccessibleName(name)
        field.setToolTip(f"{name} of the frame, in pixels")
        field.setMinimumWidth(90)
        return field

    def _connect(self) -> None:
        used = {block.clip for block in self._line.blocks}
        clips = [clip for clip in self._project.clips if clip.id in used]
        size = larger_original(self._line, clips)
        self.original.setVisible(size is not None)
        if size is not None:
            self.original.clicked.connect(lambda _checked=False: self._set_size(*size))
        for field in (self.width_field, self.height_field):
            field.valueChanged.connect(lambda _value: self._check())
        self.rate.currentIndexChanged.connect(lambda _index: self._rate_changed())
        self.start.textEdited.connect(lambda _text: self._start_typed())
        self.shape.currentIndexChanged.connect(lambda _index: self._check())

    def _set_size(self, width: int, height: int) -> None:
        self.width_field.setValue(width)
        self.height_field.setValue(height)

    def _start_typed(self) -> None:
        self._typed_start = True
        self._check()

    def _rate_changed(self) -> None:
        """A first timecode that nobody typed is counted at the new rate."""
        if not self._typed_start:
            self.start.setText(first_timecode(self._line, Fraction(self.rate.currentData())))
        self._check()

    def settings(self) -> Settings:
        """What is chosen."""
        return Settings(self.width_field.value(), self.height_field.value(), Fraction(self.rate.currentData()),
                        self.start.text().strip(), self.shape.currentData(), self.sound_rate.currentData())  # fmt: skip

    def _check(self) -> None:
        try:
            told = with_settings(self._line, self.settings())[1]
            problem = ""
        except ValueError as error:
            told, problem = (), str(error)
        set_warned(self.says, bool(problem))
        text = problem[:1].upper() + problem[1:] if problem else " ".join(told)
        self.says.setText(text or "Blocks keep their moments in time.")
        self.take.setEnabled(not problem)

    def _take(self) -> None:
        self.taken.emit(self.settings())
        self.accept()
