"""The buttons above the tracks: what can be done to the cut, and what a button that cannot be pressed waits for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QWidget

from ...actions import BY_ID, tip, with_key
from ...flow import FlowLayout
from ...waits import enable

_BUTTONS = (
    ("append", "Append"), ("insert", "Insert"), ("overwrite", "Overwrite"), ("exchange", "Replace"), ("cut", "Split"),
    ("dissolve", "Dissolve"), ("title", "Title"), ("lift", "Lift"), ("remove", "Remove"), ("undo", "Undo"),
    ("redo", "Redo"),
)  # fmt: skip
_WAITS = {
    **dict.fromkeys(("append", "insert", "overwrite"), "Select a clip in the list on the left first."),
    "exchange": "Select a clip, and put the playhead over the block to replace.",
    "cut": "Put the playhead over a block first.", "dissolve": "Put clips on the timeline first.",
    "title": "Put a clip on the timeline first: it gives the frame rate.",
    **dict.fromkeys(("lift", "remove"), "Select a block, or mark a range first."),
    "undo": "There is nothing to undo.", "redo": "There is nothing to redo.",
}


class CutButtons(QWidget):
    """``command`` does one by its identity."""

    def __init__(self, command: Callable[[str], object]) -> None:
        super().__init__()
        self.buttons: dict[str, QPushButton] = {}
        self._labels: tuple[str | None, str | None] = ("", "")
        self._known: dict[str, tuple[bool, str]] = {}  # whether each can be pressed, and what it says of itself
        flow = FlowLayout(4, 4)
        for identity, title in _BUTTONS:
            button = QPushButton(title)
            button.setProperty("small", True)
            tip(button, partial(with_key, BY_ID[identity].title, identity))
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _checked=False, identity=identity: command(identity))
            self.buttons[identity] = button
            flow.addWidget(button)
        self.setLayout(flow)

    def enable(self, wanted: Mapping[str, bool]) -> None:
        """Which can be pressed. Asked at every frame while the hand moves: only what is another is touched."""
        for identity, enabled in wanted.items():
            button = self.buttons[identity]
            if self._known.get(identity) != (enabled, button.toolTip()):
                enable(button, enabled, _WAITS[identity])
                self._known[identity] = enabled, button.toolTip()

    def name_steps(self, undo: str | None, redo: str | None) -> None:
        """What undo would take back, and redo do again."""
        if (undo, redo) != self._labels:
            self._labels = undo, redo
            for identity, label in (("undo", undo), ("redo", redo)):
                what = f": {label}" if label else ""
                text = f"{identity.capitalize()}{what}"
                tip(self.buttons[identity], partial(with_key, text, identity))
