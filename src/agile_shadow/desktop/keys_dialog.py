"""The list of all keys."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QFormLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from . import theme
from .actions import COMMANDS


class KeysDialog(QDialog):
    """Every command with its keys, by area."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("All keys")
        self.resize(620, 640)
        inner = QWidget()
        inner.setObjectName("place")
        form = QFormLayout(inner)
        area = ""
        for command in COMMANDS:
            if command.area != area:
                area = command.area
                heading = QLabel(area)
                heading.setObjectName("heading")
                form.addRow(heading)
            keys = QLabel("  or  ".join(command.keys))
            keys.setFont(theme.mono(10))
            title = QLabel(command.title)
            title.setWordWrap(True)
            form.addRow(keys, title)
        scroll = QScrollArea()
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        QVBoxLayout(self).addWidget(scroll)
