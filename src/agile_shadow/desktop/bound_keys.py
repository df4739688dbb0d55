"""The keys of commands, as the user has them, bound to the window."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt
from PySide6.QtGui import QKeySequence, QShortcut

from .actions import COMMANDS, EVERYWHERE, Command, all_keys

if TYPE_CHECKING:
    from .window import MainWindow


class BoundKeys(QObject):
    """Owned by the window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._shortcuts: list[tuple[QShortcut, Command]] = []

    def bind(self) -> None:
        """Give every command its keys, as the user has them now."""
        for shortcut, _command in self._shortcuts:
            shortcut.setParent(None)
            shortcut.deleteLater()
        self._shortcuts = []
        for command in COMMANDS:
            for keys in all_keys(command.id):
                shortcut = QShortcut(QKeySequence(keys), self._window)
                shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
                shortcut.activated.connect(lambda identity=command.id: self._window.commands.by_key(identity))
                self._shortcuts.append((shortcut, command))
        self.enable(self._window.stack.currentIndex())
        self._window.foot.show_hint()

    def enable(self, place: int) -> None:
        """Keys that have no meaning in a place are free there: elsewhere Space presses the button that has the focus.

        Those of commands whose places are all but a few stay as they are: what cannot be done says so.
        """
        for shortcut, command in self._shortcuts:
            if command.places != EVERYWHERE:
                shortcut.setEnabled(place in command.places)
