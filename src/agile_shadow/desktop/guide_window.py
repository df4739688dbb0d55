"""The guide inside the program: chapters on the left, a search, the text with its pictures."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices, QImage, QTextCursor, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

from ..core.guide import chapters_with, guide_text, headings, picture

_WIDE = 620  # pixels of a picture


class _Text(QTextBrowser):
    """Shows pictures that came with the program, and opens nothing else by itself."""

    def loadResource(self, kind: int, name: QUrl | str) -> Any:
        if kind != QTextDocument.ResourceType.ImageResource.value:
            return None
        path = picture(QUrl(name).path())
        image = QImage(str(path)) if path is not None else QImage()
        return image if image.isNull() else image.scaledToWidth(_WIDE)


class GuideWindow(QDialog):
    """Stays open beside the window."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide - Agile Shadow")
        self.resize(940, 700)
        self._source = guide_text()
        self._chapters = [one.title for one in headings(self._source) if one.level == 2]
        row = QHBoxLayout(self)
        left = QVBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the guide")
        self.search.setAccessibleName("Search the guide")
        self.search.setToolTip("Lists the chapters that contain all words; Enter goes to the next place")
        self.search.textChanged.connect(self._filter)
        self.search.returnPressed.connect(self._next)
        self.list = QListWidget()
        self.list.setAccessibleName("Chapters")
        self.list.setToolTip("Chapters of the guide")
        self.list.setFixedWidth(230)
        self.list.currentTextChanged.connect(self._go)
        self.search.setFixedWidth(230)
        left.addWidget(self.search)
        left.addWidget(self.list, 1)
        row.addLayout(left)
        self.text = _Text()
        self.text.setAccessibleName("Text of the guide")
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(_open)
        self.text.setMarkdown(self._source)
        row.addWidget(self.text, 1)
        self._filter("")

    def show_heading(self, title: str) -> None:
        """Go to a chapter by its name, or by a word that its name begins with; "" leaves it where it is."""
        if title:
            self.search.clear()
            found = next((one for one in self._chapters if one.casefold().startswith(title.casefold())), None)
            if found is not None:
                self.list.setCurrentRow(self._chapters.index(found))

    def _filter(self, words: str) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems(list(chapters_with(self._source, words)) if words.strip() else self._chapters)
        self.list.blockSignals(False)
        if words.strip() and self.list.count():
            self.list.setCurrentRow(0)
            self._next()

    def _next(self) -> None:
        """The next place of the first word; from the end it goes on at the beginning."""
        words = self.search.text().split()
        if words and not self.text.find(words[0]):
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(words[0])

    def _go(self, title: str) -> None:
        document = self.text.document()
        block = document.begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and block.text() == title:
                cursor = QTextCursor(block)
                self.text.moveCursor(QTextCursor.MoveOperation.End)  # so that the heading comes to the top
                self.text.setTextCursor(cursor)
                bar = self.text.verticalScrollBar()
                bar.setValue(bar.value() + self.text.cursorRect(cursor).top() - 8)
                return
            block = block.next()


def _open(url: QUrl) -> None:
    if url.scheme() in ("http", "https"):
        QDesktopServices.openUrl(url)
