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
    """Lines of widgets, each as high as its highest; the height follows from the width.

    What its widgets want is asked once, until one of them says that it wants something else: it is looked at many
    times while a window is laid out.
    """

    def __init__(self, across: int = 6, down: int = 6) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._wants: list[tuple[QLayoutItem, QSize]] | None = None
        self._least: QSize | None = None
        self._heights: dict[int, int] = {}  # by width
        self._across, self._down = across, down
        self.setContentsMargins(0, 0, 0, 0)

    def invalidate(self) -> None:
        super().invalidate()
        self._wants = self._least = None
        self._heights.clear()

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)
        self.invalidate()

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        self._wants = self._least = None
        self._heights.clear()
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._arrange(QRect(0, 0, width, 0), False)
        return self._heights[width]

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        if self._least is None:
            size = QSize()
            for item in self._items:
                if not item.isEmpty():
                    size = size.expandedTo(item.minimumSize())
            self._least = QSize(min(size.width(), _LEAST), size.height())
        return self._least

    def _wanted(self) -> list[tuple[QLayoutItem, QSize]]:
        if self._wants is None:
            self._wants = [(item, item.sizeHint()) for item in self._items if not item.isEmpty()]
        return self._wants

    def _arrange(self, rect: QRect, place: bool) -> int:
        y = rect.y()
        line: list[tuple[QLayoutItem, QSize]] = []
        x, right, most = rect.x(), rect.right() + 1, rect.width()
        for item, hint in self._wanted():
            width = min(hint.width(), most)
            if line and x + width > right:
                y += self._close(line, rect.x(), y, place) + self._down
                line, x = [], rect.x()
            line.append((item, QSize(width, hint.height())))
            x += width + self._across
        return y + (self._close(line, rect.x(), y, place) if line else 0) - rect.y()

    def _close(self, line: list[tuple[QLayoutItem, QSize]], x: int, y: int, place: bool) -> int:
        height = max(size.height() for _item, size in line)
        for item, size in line:
            if place:
                item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
            x += size.width() + self._across
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
