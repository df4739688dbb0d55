"""The row above the ledger: what is shown and how, and what can be done."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QMenu, QPushButton, QToolButton, QWidget

from ...poster_switch import PosterSwitch
from .rows import CHOICES, GROUPINGS


class Tools(QWidget):
    """Search, filter, grouping, posters and their size; the menu of actions and the two searches of folders."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self._build_filters()
        self.posters = PosterSwitch("Show the pairs as posters instead of rows")
        self.find_pairs = self._button(
            "Find files to pair…",
            "Search a folder for proxies of these clips, or for originals of clips cut on proxies",
        )
        self.find_files = self._button("Find missing files…", "Search a folder for files that have moved")
        self.doing = QToolButton()
        self.doing.setText("Actions")
        self.doing.setToolTip("What can be done with the selected pairs; also with a right-click")
        self.doing.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.doing.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.menu = QMenu(self)
        self.doing.setMenu(self.menu)
        for filtering in (self.search, self.choice, self.grouping, self.posters):
            row.addWidget(filtering)
        row.addStretch(1)
        for button in (self.doing, self.find_pairs, self.find_files):
            row.addWidget(button)

    def _build_filters(self) -> None:
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search names, states, tags")
        self.search.setMinimumWidth(90)
        self.search.setMaximumWidth(228)
        self.search.setAccessibleName("Search pairs")
        self.search.setToolTip("Shows the rows that contain all words")
        self.choice = self._box([title for title, _rule in CHOICES], "Which pairs", "Show only pairs like this")
        self.grouping = self._box([title for title, _rule in GROUPINGS], "Grouped by", "Group the rows")

    @staticmethod
    def _box(texts: list[str], name: str, tip: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setToolTip(tip)
        box.addItems(texts)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(9)
        return box

    @staticmethod
    def _button(text: str, tip: str) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        return button
