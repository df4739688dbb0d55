"""The row below the picture: timecode, buttons, and how the picture is looked at."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QMenu, QToolButton, QWidget

from . import theme
from .actions import BY_ID, keys_of, tip, with_key
from .labels import ElidedLabel
from .timecode_field import TimecodeField
from .viewer import ZOOMS, Viewer

_ROOMY = 660  # pixels of width from which there is room for more than the buttons
DETAILS = (
    (Fraction(1), "full", ""), (Fraction(1, 2), "half", "half detail"), (Fraction(1, 4), "a quarter", "quarter detail"),
    (Fraction(1, 8), "an eighth", "eighth detail"),
)  # fmt: skip
_BUTTONS = (
    ("backward", "Back"), ("back_1", "−1"), ("play", "Play"), ("on_1", "+1"), ("mark_in", "In"), ("mark_out", "Out"),
)  # fmt: skip


def next_detail(detail: Fraction) -> Fraction:
    """The next lower detail; from the lowest the full one again."""
    number = [part for part, _word, _text in DETAILS].index(detail)
    return DETAILS[(number + 1) % len(DETAILS)][0]


def detail_text(detail: Fraction) -> str:
    """What a detail is called on the picture; "" for the full one."""
    return next(text for part, _word, text in DETAILS if part == detail)


class Transport(QWidget):
    """``asked`` gives the identity of a command, ``went_to`` what was typed as a position, ``detailed`` a detail."""

    asked = Signal(str)
    went_to = Signal(str)
    detailed = Signal(object)

    def __init__(self, viewer: Viewer) -> None:
        super().__init__()
        self._viewer = viewer
        self._detail, self._looping = Fraction(1), False
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.timecode = TimecodeField()
        tip(self.timecode, lambda: with_key("Type a timecode, a frame number, or +12 and -12 to jump", "position"))
        self.timecode.entered.connect(self.went_to)
        self.length, self.marked, self.source = ElidedLabel(), ElidedLabel(), ElidedLabel()
        for label in (self.length, self.marked, self.source):
            label.setObjectName("quiet")
            label.setFont(theme.mono(9))
        row.addWidget(self.timecode)
        row.addWidget(self.length, 1)
        self.buttons = {identity: self._button(identity, text) for identity, text in _BUTTONS}
        for button in self.buttons.values():
            row.addWidget(button)
        self.view_button = self._view_button()
        row.addWidget(self.view_button)
        row.addWidget(self.source, 1)
        row.addWidget(self.marked)

    def _button(self, identity: str, text: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setObjectName(identity)
        button.setAccessibleName(BY_ID[identity].title)
        button.setProperty("small", True)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        tip(button, lambda: with_key(BY_ID[identity].title, identity))
        button.clicked.connect(lambda: self.asked.emit(identity))
        return button

    def _view_button(self) -> QToolButton:
        button = QToolButton()
        button.setText("View")
        button.setProperty("small", True)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.setToolTip("Zoom, detail while playing, loop, safe areas, full screen")
        menu = QMenu(button)
        menu.aboutToShow.connect(lambda: self._fill(menu))
        button.setMenu(menu)
        return button

    def show_width(self, width: int) -> None:
        """Leave out what there is no room for."""
        for label in (self.length, self.source):
            label.setVisible(width > _ROOMY)

    def clear(self) -> None:
        """Nothing is loaded."""
        self.timecode.show_text("--:--:--:--")
        for label in (self.length, self.marked, self.source):
            label.setText("")

    def show_view(self, detail: Fraction, looping: bool) -> None:
        """What differs from the usual, in words on the button."""
        self._detail, self._looping = detail, looping
        zoom = self._viewer.zoom
        words = [f"{int(zoom * 100)}%"] if zoom else []
        words += ["loop"] if looping else []
        words += [detail_text(detail)] if detail_text(detail) else []
        self.view_button.setText(f"View: {', '.join(words)}" if words else "View")

    def show_playing(self, playing: bool) -> None:
        """What the middle button does."""
        self.buttons["play"].setText("Stop" if playing else "Play")

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        for zoom in ZOOMS:
            text = f"{int(zoom * 100)} % of the frame's pixels" if zoom else "The whole frame"
            _line(menu, text, self._viewer.zoom == zoom, partial(self._viewer.set_zoom, zoom))
        menu.addSeparator()
        for part, word, _text in DETAILS:
            text = f"Play at {word} detail" if part == 1 else f"Play at {word} of the detail"
            _line(menu, text, self._detail == part, partial(self.detailed.emit, part))
        menu.addSeparator()
        for text, on, identity in (
            ("Loop", self._looping, "loop"), ("Safe areas", self._viewer.safe, "safe"),
            ("Full screen", False, "full"),
        ):  # fmt: skip
            _line(menu, f"{text}\t{keys_of(identity)}", on, partial(self.asked.emit, identity))


def _line(menu: QMenu, text: str, on: bool, call: Callable[[], None]) -> None:
    action = QAction(text, menu)
    action.setCheckable(True)
    action.setChecked(on)
    action.triggered.connect(lambda _checked=False: call())
    menu.addAction(action)
