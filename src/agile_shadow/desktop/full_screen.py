"""The viewer alone on the whole screen."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget


class FullScreen(QWidget):
    """Takes the viewer out of its place until it is closed. ``command`` does what a key means, if it means anything."""

    def __init__(
        self, viewer: QWidget, home: QStackedWidget, left: Callable[[], None], command: Callable[[str], bool]
    ) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.setWindowTitle("Picture - Agile Shadow")
        self._viewer, self._home, self._left, self._command = viewer, home, left, command
        self._window = home.window()
        self._number = home.indexOf(viewer)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        home.removeWidget(viewer)
        layout.addWidget(viewer)
        viewer.show()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.showFullScreen()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
            return
        if self._command(QKeySequence(event.keyCombination()).toString()):
            return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._home.insertWidget(self._number, self._viewer)
        self._home.setCurrentIndex(self._number)
        self._left()
        self._window.activateWindow()
        self.deleteLater()
        super().closeEvent(event)
