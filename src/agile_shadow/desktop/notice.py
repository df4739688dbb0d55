"""The line below the place: a sentence for a while, or a sentence with answers to choose from; else a hint."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from .actions import keys_of
from .labels import set_look

Answer = tuple[str, Callable[[], None]]
_HIGH = 40  # pixels: two lines of text


class Notice(QWidget):
    """Hidden until there is something to tell."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
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
        set_look(self._label, "quiet" if calm else "warn")
        self._label.setText(text)
        self._label.setToolTip(text)
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = [self._button(*answer) for answer in answers]
        self.show()

    def _button(self, text: str, call: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("small", True)
        button.setToolTip(f"{text}: answers the question beside it")
        button.clicked.connect(self.hide)
        button.clicked.connect(lambda _checked=False: call())
        self._row.addWidget(button)
        return button


class NoticeLine(QWidget):
    """Where the notice is shown: always as high, so that nothing jumps when a notice comes or goes."""

    def __init__(self, notice: Notice) -> None:
        super().__init__()
        self.setObjectName("foot")
        self.setFixedHeight(_HIGH)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        self.hint = QLabel("")
        self.hint.setObjectName("quiet")
        self.hint.setAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)
        row.addWidget(notice, 1)
        row.addWidget(self.hint, 1)
        self._notice = notice
        notice.installEventFilter(self)
        self.show_hint()

    def show_hint(self) -> None:
        """The keys that lead to all others."""
        words = (("search", "search"), ("menu", "menu"), ("keys", "keys"), ("what", "what is this?"))
        self.hint.setText("     ".join(f"{keys_of(one)}  {word}" for one, word in words if keys_of(one)))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The hint makes room for the notice."""
        if watched is self._notice and event.type() in (QEvent.Type.Show, QEvent.Type.Hide):
            self.hint.setVisible(event.type() == QEvent.Type.Hide)
        return super().eventFilter(watched, event)
