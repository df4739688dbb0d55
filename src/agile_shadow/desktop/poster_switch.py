"""The button that shows things as posters, with their size beside it while they are."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSlider, QToolButton, QWidget

from .poster_grid import LEAST, MOST, USUAL


class PosterSwitch(QWidget):
    """``button`` is checked while posters are shown; ``size_slider`` gives their width in pixels."""

    def __init__(self, tip: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.button = QToolButton()
        self.button.setText("Posters")
        self.button.setObjectName("way")
        self.button.setCheckable(True)
        self.button.setProperty("small", True)
        self.button.setToolTip(tip)
        self.button.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.size_slider = QSlider(Qt.Orientation.Horizontal)
        self.size_slider.setRange(LEAST, MOST)
        self.size_slider.setValue(USUAL)
        self.size_slider.setMinimumWidth(48)
        self.size_slider.setMaximumWidth(90)
        self.size_slider.setAccessibleName("Size of the posters")
        self.size_slider.setToolTip("Size of the posters")
        self.size_slider.hide()
        self.button.toggled.connect(self.size_slider.setVisible)
        row.addWidget(self.button)
        row.addWidget(self.size_slider)
