"""The line above the place: a sentence for a while, or a sentence with answers to choose from."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

Answer = tuple[str, Callable[[], None]]


class Notice(QWidget):
    """Hidden until there is something to tell."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 16, 6)
        self._label = QLabel("")
        self._label.setWordWrap(True)
        row.addWidget(self._label, 1)
        self._row = row
        self.buttons: list[QPushButton] = []
        self.hide()

    def text(self) -> str:
        """What is told."""
        return self._label.text()

    def tell(self, text: str, calm: bool, answers: Sequence[Answer] = ()) -> None:
        """Show a sentence, and a button for each answer; each of them puts it away."""
        self._label.setObjectName("quiet" if calm else "warn")
        self._label.style().polish(self._label)
        self._label.setText(text)
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = [self._button(*answer) for answer in answers]
        self.show()

    def _button(self, text: str, call: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.clicked.connect(self.hide)
        button.clicked.connect(lambda _checked=False: call())
        self._row.addWidget(button)
        return button
