"""What this program is, its version, and where it keeps its files."""

from __future__ import annotations

import platform

from PySide6 import __version__ as toolkit
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from .. import __version__
from ..core.log import cache_folder, config_folder, state_folder
from .icon import app_icon
from .show_file import show_folder


class AboutDialog(QDialog):
    """Closed by Escape."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Agile Shadow")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.setContentsMargins(20, 18, 20, 16)
        row = QHBoxLayout()
        picture = QLabel()
        picture.setPixmap(app_icon().pixmap(64, 64))
        row.addWidget(picture)
        title = QLabel("Agile Shadow")
        title.setObjectName("heading")
        row.addWidget(title, 1)
        layout.addLayout(row)
        self.text = QLabel(
            "Proxies for video editors: made in the background, kept paired with their originals, one key between "
            f"the two.\n\nVersion {__version__}, under the MIT license.\nPython {platform.python_version()}, "
            f"Qt through PySide6 {toolkit}.\n\nPresets and keys: {config_folder()}\nLog and jobs: {state_folder()}\n"
            f"Posters and demo: {cache_folder()}"
        )
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.text.setMinimumWidth(460)
        layout.addWidget(self.text)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        for name, tip, call in (
            ("Copy", "Copy this text, for a report", self._copy),
            ("Show log", "Show the folder of the log in the file manager", lambda: show_folder(state_folder())),
            ("Close", "Close this window (Esc)", self.accept),
        ):
            button = QPushButton(name)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, call=call: call())
            buttons.addWidget(button)
        layout.addLayout(buttons)

    def _copy(self) -> None:
        QApplication.clipboard().setText(self.text.text())
