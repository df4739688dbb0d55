"""A layout that runs on like text: widgets stand in lines and wrap where the width ends."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QHBoxLayout, QLayout, QLayoutItem, QWidget

_LEAST = 160  # pixels of width below which a line asks for no more room


def at_the_end(*widgets: QWidget) -> QHBoxLayout:
    """A row of buttons at the right; the one that does it comes last."""
    row = QHBoxLayout()
    row.addStretch(1)
    for widget in widgets:
        row.addWidget(widget)
    return row


class FlowLayout(QLayout):
    """Lines of widgets, each as high as its highest; the height follows from the width."""

    def __init__(self, across: int = 6, down: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._across, self._down = across, down
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(QRect(0, 0, width, 0), False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            if not item.isEmpty():
                size = size.expandedTo(item.minimumSize())
        return QSize(min(size.width(), _LEAST), size.height())

    def _arrange(self, rect: QRect, place: bool) -> int:
        y = rect.y()
        line: list[tuple[QLayoutItem, int]] = []
        x = rect.x()
        for item in self._items:
            if item.isEmpty():
                continue
            hint = item.sizeHint()
            width = min(hint.width(), rect.width())
            if line and x + width > rect.right() + 1:
                y += self._close(line, rect.x(), y, place) + self._down
                line, x = [], rect.x()
            line.append((item, width))
            x += width + self._across
        return y + (self._close(line, rect.x(), y, place) if line else 0) - rect.y()

    def _close(self, line: list[tuple[QLayoutItem, int]], x: int, y: int, place: bool) -> int:
        height = max(item.sizeHint().height() for item, _width in line)
        for item, width in line:
            if place:
                high = item.sizeHint().height()
                item.setGeometry(QRect(QPoint(x, y + (height - high) // 2), QSize(width, high)))
            x += width + self._across
        return height


class Flow(QWidget):
    """A widget that holds others in running lines."""

    def __init__(self, *widgets: QWidget) -> None:
        super().__init__()
        layout = FlowLayout()
        self.setLayout(layout)
        for widget in widgets:
            layout.addWidget(widget)
        policy = self.sizePolicy()
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
