"""What is shown in a table that is empty: a drawing, a sentence, and the one next step."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractItemView, QLabel, QPushButton, QVBoxLayout, QWidget

from .marks import paint_block


class _Drawing(QWidget):
    """An original with its proxy, as large as a stamp."""

    def sizeHint(self) -> QSize:
        return QSize(96, 62)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setOpacity(0.55)
        middle = self.width() / 2
        paint_block(painter, QRectF(middle - 44, 10, 40, 34), "original")
        paint_block(painter, QRectF(middle + 6, 10, 40, 34), "proxy")


class Invitation(QWidget):
    """Lies over a view while its model has no row. ``wanted``: tells whether it is to be shown then."""

    def __init__(
        self,
        view: QAbstractItemView,
        text: str,
        step: tuple[str, Callable[[], object]] | None = None,
        wanted: Callable[[], bool] = lambda: True,
    ) -> None:
        super().__init__(view.viewport())
        self._view, self._wanted = view, wanted
        column = QVBoxLayout(self)
        column.addStretch(1)
        column.addWidget(_Drawing())
        self.label = QLabel(text)
        self.label.setObjectName("quiet")
        self.label.setWordWrap(True)
        self.label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self.label)
        self.button: QPushButton | None = None
        if step is not None:
            self.button = QPushButton(step[0])
            self.button.setToolTip(text)
            self.button.clicked.connect(lambda _checked=False: step[1]())
            column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(2)
        view.viewport().installEventFilter(self)
        model = view.model()
        for changed in (model.modelReset, model.rowsInserted, model.rowsRemoved, model.layoutChanged):
            changed.connect(lambda *_: self.refresh())
        self.refresh()

    def say(self, text: str) -> None:
        """Another sentence."""
        self.label.setText(text)

    def refresh(self) -> None:
        """Shown while there is nothing else to see."""
        self.setGeometry(self._view.viewport().rect())
        self.setVisible(self._view.model().rowCount() == 0 and self._wanted())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """As large as what it lies over."""
        if event.type() == QEvent.Type.Resize:
            self.setGeometry(self._view.viewport().rect())
        return super().eventFilter(watched, event)
