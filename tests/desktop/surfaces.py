"""What can be found wrong with any widget by looking at it: contrast as painted, text cut off, names and tooltips."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QScrollBar,
    QTabBar,
    QTableView,
    QTextBrowser,
    QToolButton,
    QWidget,
)

from agile_shadow.desktop import theme
from agile_shadow.desktop.column_room import ColumnRoom

LEAST = 4.5  # contrast of text
_NARROW = 50  # pixels in which no text can be read
_CODE = re.compile(r"\b[A-Z][a-z]+[A-Z][a-z]+\b")
_NAMES = frozenset(("ProRes", "CineForm", "JetBrains", "PgUp", "PgDown"))  # that are written so
_CONTROLS = (
    QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox, QAbstractItemView, QPlainTextEdit, QAbstractSlider,
    QTextBrowser,
)  # fmt: skip


def pixels(image: QImage) -> npt.NDArray[np.float64]:
    """Linear RGB, shape (height, width, 3), 0 to 1."""
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    values = rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3) / 255
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)


def contrast(whole: npt.NDArray[np.float64], area: QRect) -> float:
    """Contrast of what is painted in a part of a picture (WCAG 2): its most usual shade against the lightest or
    the darkest that covers a dozen pixels, whichever stands out more. 21 where nothing but the ground is painted."""
    part = whole[max(0, area.top()) : area.bottom() + 1, max(0, area.left()) : area.right() + 1]
    if part.shape[0] < 8 or part.shape[1] < 8:
        return 21.0
    shades = (part @ np.array([0.2126, 0.7152, 0.0722])).ravel()
    counts, edges = np.histogram(shades, bins=400, range=(0, 1))
    ground = float(edges[int(counts.argmax())])
    dozen = min(12, shades.size)
    extremes = float(np.sort(shades)[dozen - 1]), float(np.sort(shades)[-dozen])
    rated = [(max(ground, ink) + 0.05) / (min(ground, ink) + 0.05) for ink in extremes if abs(ink - ground) > 0.004]
    return max(rated, default=21.0)


def said(widget: QWidget) -> str:
    """What is written on it."""
    if isinstance(widget, QLabel | QAbstractButton | QLineEdit):
        return str(widget.text())
    return str(widget.currentText()) if isinstance(widget, QComboBox) else ""


def shown(root: QWidget) -> Iterator[QWidget]:
    """The widgets in sight, but for the toolkit's own inner ones."""
    for widget in (root, *root.findChildren(QWidget)):
        inner = widget.objectName().startswith("qt_") or isinstance(widget, QScrollBar | QHeaderView | QTabBar | QMenu)
        parts = isinstance(widget.parent(), QComboBox | QAbstractSpinBox | QTabBar | QAbstractItemView)
        if widget.isVisibleTo(root) and not inner and not parts and not widget.visibleRegion().isEmpty():
            yield widget


def where(widget: QWidget) -> str:
    """A widget for a person: its class, name and text, and whose it is."""
    parent = widget.parent()
    return f"{type(widget).__name__}({widget.accessibleName() or said(widget)[:40]!r}) in {type(parent).__name__}"


def unreadable(root: QWidget) -> list[str]:
    """Texts whose contrast is too low."""
    texts = [one for one in shown(root) if said(one).strip() or isinstance(one, QTextBrowser | QAbstractItemView)]
    whole = pixels(root.grab().toImage())
    rated = [(contrast(whole, _area(root, one)), one) for one in texts]
    return [f"{value:.1f}: {where(one)}" for value, one in rated if value < LEAST]


def _area(root: QWidget, one: QWidget) -> QRect:
    seen = one.visibleRegion().boundingRect().intersected(one.contentsRect().adjusted(2, 2, -2, -2))
    return QRect(one.mapTo(root, seen.topLeft()), seen.size())


def cut_off(root: QWidget) -> list[str]:
    """Labels and buttons whose text has no room; those that shorten it by themselves say it whole in a tooltip."""
    found = []
    for one in shown(root):
        if type(one).__name__ == "ElidedLabel" or not isinstance(one, QLabel | QAbstractButton) or not said(one):
            continue
        if isinstance(one, QLabel) and one.wordWrap():
            short = one.heightForWidth(one.width()) > one.height() + 2 and not one.visibleRegion().isEmpty()
        else:
            wide = max(one.fontMetrics().horizontalAdvance(line) for line in said(one).split("\t")[0].split("\n"))
            short = wide > one.width()
        if short:
            found.append(where(one))
    return found


def crowded(root: QWidget) -> list[str]:
    """Columns of tables in sight whose title is cut off, or so narrow that nothing in them can be read."""
    for room in root.findChildren(ColumnRoom):
        room.share()
    found = []
    for table in (one for one in shown(root) if isinstance(one, QTableView) and one.model() is not None):
        header, model = table.horizontalHeader(), table.model()
        if not header.isVisible():
            continue
        for number in range(model.columnCount()):
            title = str(model.headerData(number, Qt.Orientation.Horizontal) or "")
            width = header.sectionSize(number)
            short = header.fontMetrics().horizontalAdvance(title) > width - 6
            hidden = table.isColumnHidden(number)
            if not hidden and (short or (table.sizeHintForColumn(number) > width + 8 and width < _NARROW)):
                found.append(f"column {title!r}, {width} pixels: {where(table)}")
    return found


def nameless(root: QWidget) -> list[str]:
    """Controls that a screen reader has no name for."""
    buddies = {label.buddy() for label in root.findChildren(QLabel) if label.buddy() is not None}
    controls = [one for one in shown(root) if isinstance(one, _CONTROLS) and not isinstance(one, QDialog)]
    return [
        where(one) for one in controls
        if not one.accessibleName() and one not in buddies
        and not (isinstance(one, QAbstractButton) and len(one.text().strip("…−+<>. ")) > 1)
    ]  # fmt: skip


def without_tip(root: QWidget) -> list[str]:
    """Controls without a tooltip."""
    controls = [one for one in shown(root) if isinstance(one, _CONTROLS) and not isinstance(one, QTextBrowser)]
    return [where(one) for one in controls if (not one.toolTip() and not isinstance(one, QToolButton)) or
            (isinstance(one, QToolButton) and not one.toolTip() and one.text())]  # fmt: skip


def like_code(root: QWidget) -> list[str]:
    """Texts with a word that only a program would write, as a name that was changed in too many places."""
    return [
        where(one) for one in shown(root) for word in _CODE.findall(f"{said(one)} {one.toolTip()}")
        if isinstance(one, QLabel | QAbstractButton) and word not in _NAMES
    ]  # fmt: skip


def faults(root: QWidget) -> list[str]:
    """All that the walk finds wrong with a window, dialog or question, after its layouts have settled."""
    for _turn in range(4):  # in turns
        QApplication.sendPostedEvents()
        QApplication.processEvents()
    return [
        *crowded(root), *unreadable(root), *cut_off(root), *(f"no name: {one}" for one in nameless(root)),
        *(f"no tooltip: {one}" for one in without_tip(root)), *(f"like code: {one}" for one in like_code(root)),
    ]  # fmt: skip


def faults_in_both_looks(root: QWidget) -> list[str]:
    """The same in ink and in paper; the look of before is back afterwards."""
    app, before = QApplication.instance(), theme.theme()
    assert isinstance(app, QApplication)
    found = []
    for look in (theme.INK, theme.PAPER):
        theme.apply_theme(app, look)
        found += [f"{look.name}: {one}" for one in faults(root)]
    theme.apply_theme(app, before)
    return found
