"""The field for the size of proxies: a fraction, or a number of lines."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QSpinBox

from ....core.presets import SCALES, scale_words
from ...fields import Field, _Combo

_LINES = "lines"


class SizeField(Field):
    """Two fields of the file in one: ``proxies.scale`` and ``proxies.height``, of which one is None."""

    def __init__(self) -> None:
        super().__init__("proxies.scale", "Size of proxies")
        self.box = _Combo()
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        for scale in SCALES:
            self.box.addItem(scale_words(scale), str(scale))
        self.box.addItem("so many lines high:", _LINES)
        self.lines = QSpinBox()
        self.lines.setRange(32, 8640)
        self.lines.setValue(540)
        self._hold(self.box, "Size of proxies")
        self._hold(self.lines, "Lines of proxies")
        self.box.currentIndexChanged.connect(self._chosen)
        self.lines.valueChanged.connect(self.changed)
        self.lines.hide()

    def _chosen(self) -> None:
        self.lines.setVisible(self.box.currentData() == _LINES)
        self.changed.emit()

    def read(self) -> dict[str, Any]:
        """Both fields."""
        if self.box.currentData() == _LINES:
            return {"scale": None, "height": self.lines.value()}
        return {"scale": self.box.currentData(), "height": None}

    def write(self, value: Any) -> None:
        """Both fields."""
        with QSignalBlocker(self.box), QSignalBlocker(self.lines):
            if value["height"] is not None:
                self.lines.setValue(value["height"])
                data = _LINES
            else:
                scale = Fraction(value["scale"])
                data = str(scale)
                if self.box.findData(data) < 0:
                    self.box.insertItem(0, scale_words(scale), data)
            self.box.setCurrentIndex(self.box.findData(data))
        self.lines.setVisible(data == _LINES)
