"""The menu: every command by area with its key, made from the table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from .actions import COMMANDS, Command, keys_of

if TYPE_CHECKING:
    from .window import MainWindow

_ORDER = (
    "Project", "The switch", "", "Presets", "Ingest", "Pairs", "Export", "Storage", "", "Clip", "Playing", "Marking",
    "Footage", "Selection", "Timeline", "Moving and trimming", "Tracks", "Timeline view", "", "Window", "Help",
)  # fmt: skip


def areas() -> dict[str, list[Command]]:
    """The commands by area, in the order of the menu; areas that the order does not name come last."""
    found: dict[str, list[Command]] = {area: [] for area in _ORDER if area}
    for command in COMMANDS:
        found.setdefault(command.area, []).append(command)
    return found


class MainMenu(QMenu):
    """Owned by the window. A line that has no meaning now is grey, and its tooltip says what it waits for."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.lines: dict[str, QAction] = {}
        self.areas: dict[str, QMenu] = {}  # held here: their wrappers would go with the last look at them
        self.setToolTipsVisible(True)
        known = areas()
        for area in (*_ORDER, *(one for one in known if one not in _ORDER)):
            if area:
                self._add_area(area, known[area])
            else:
                self.addSeparator()

    def _add_area(self, area: str, commands: list[Command]) -> None:
        menu = self.addMenu(area)
        self.areas[area] = menu
        menu.setToolTipsVisible(True)
        menu.aboutToShow.connect(lambda: self.show_state(commands))
        for command in commands:
            action = QAction(command.title, menu)
            action.triggered.connect(lambda _checked=False, identity=command.id: self._window.command(identity))
            menu.addAction(action)
            self.lines[command.id] = action

    def show_state(self, commands: list[Command]) -> None:
        """Write keys and states of lines as they are now."""
        for command in commands:
            why = self._window.commands.why_not(command)
            key = keys_of(command.id)
            line = self.lines[command.id]
            line.setText(f"{command.title}\t{key}" if key else command.title)
            line.setEnabled(not why)
            line.setToolTip(why or command.title)
