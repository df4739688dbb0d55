"""The picture: in its rectangle, on neutral grey, with the text of what it is; at any zoom."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ..core.compositing import Window
from ..core.media import fit_rectangle
from ..core.playback import Picture
from ..core.switch import Choice
from . import theme
from .marks import paint_block

ZOOMS = (Fraction(0), Fraction(1), Fraction(2), Fraction(4))
_SAFE = ((0.035, "action"), (0.05, "text"))  # margins at each side, EBU R 95


class Overlay(Protocol):
    """What can lie over the picture and be dragged there; ``frame`` is the picture's rectangle."""

    def press(self, point: QPointF, frame: QRectF) -> bool: ...
    def drag(self, point: QPointF, frame: QRectF, keys: Qt.KeyboardModifier) -> bool: ...
    def release(self) -> bool: ...
    def cursor(self, point: QPointF, frame: QRectF) -> Qt.CursorShape: ...
    def paint(self, painter: QPainter, frame: QRectF) -> None: ...


class Viewer(QWidget):
    """Shows pictures of the player. The rectangle depends on the program's shape only, never on the file shown."""

    resized = Signal(int, int)
    zoomed = Signal(object, float, float)  # zoom, and the point of the frame in the middle
    opened = Signal()

    def __init__(self, window: Callable[[], Window] | None = None) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 150)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Picture")
        self.picture: Picture | None = None
        self.zoom = Fraction(0)
        self.safe = False
        self.detail_text = ""
        self.caption = ""  # what is said where there is no picture
        self._window = window
        self._image: QImage | None = None
        self._aspect = Fraction(16, 9)
        self._centre = (0.5, 0.5)
        self._grabbed: tuple[QPointF, tuple[float, float]] | None = None
        self._awaited: tuple[Choice, ...] = ()
        self._empty_text = "Select a clip"
        self.overlay: Overlay | None = None
        self.setMouseTracking(True)

    def set_aspect(self, aspect: Fraction) -> None:
        """Shape of the program."""
        self._aspect = aspect or Fraction(16, 9)
        self.update()

    def clear(self, text: str) -> None:
        """No picture: a sentence instead."""
        self.picture = self._image = None
        self._awaited = ()
        self._empty_text = text
        self.update()

    def show_picture(self, picture: Picture) -> None:
        """Put a picture on the screen."""
        self.picture = picture
        self._image = None
        if picture.pixels is not None:
            height, width, _four = picture.pixels.shape
            self._image = QImage(picture.pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)
        self._awaited = ()
        self.update()

    def await_picture(self, choices: Sequence[Choice]) -> None:
        """Say that the picture on screen is not yet the asked one."""
        shown = [one.choice.path for one in self.picture.shown] if self.picture is not None else []
        awaited = tuple(choices) if [choice.path for choice in choices] != shown else ()
        if awaited != self._awaited:
            self._awaited = awaited
            self.update()

    @property
    def mark_text(self) -> str:
        """The text on the picture: what it is."""
        if self.picture is None:
            return ""
        text = self.picture.mark
        if not text:
            return ""
        if self._awaited:
            coming = self._awaited[-1].kind
            return f"{text} (the {coming} is coming)"
        return f"{text}, {self.detail_text}" if self.detail_text else text

    def picture_rect(self) -> QRectF:
        """Where the part of the program's frame that is in sight lies in the widget."""
        if self.zoom and self._window is not None:
            ratio = self.devicePixelRatioF()
            wide, high = (size / ratio for size in self._window().size)
            return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)
        place = fit_rectangle(self._aspect, self.width(), self.height())
        return QRectF(place.x, place.y, place.width, place.height)

    # Zoom

    def set_zoom(self, zoom: Fraction) -> None:
        """Screen pixels to one of the frame's; 0 fits the frame."""
        self.zoom = zoom
        self.zoomed.emit(zoom, *self._centre)
        self.update()

    def next_zoom(self, step: int = 1) -> None:
        """The next larger (or smaller) of ZOOMS; from the largest the whole frame again."""
        number = ZOOMS.index(self.zoom) + step
        self.set_zoom(ZOOMS[number % len(ZOOMS)])

    def _pan(self, centre: tuple[float, float]) -> None:
        self._centre = (min(1.0, max(0.0, centre[0])), min(1.0, max(0.0, centre[1])))
        self.zoomed.emit(self.zoom, *self._centre)

    def pan(self, right: float, down: float) -> None:
        """Look further right and down, in parts of what is in sight."""
        if self.zoom and self._window is not None:
            window = self._window()
            x = self._centre[0] + right * window.size[0] / window.whole[0]
            self._pan((x, self._centre[1] + down * window.size[1] / window.whole[1]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        left = event.button() == Qt.MouseButton.LeftButton
        if left and not self.zoom and self.overlay is not None and self.overlay.press(
            event.position(), self.picture_rect()
        ):  # fmt: skip
            return
        if self.zoom and event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = (event.position(), self._centre)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self.zoom and self.overlay is not None:
            frame = self.picture_rect()
            if not self.overlay.drag(event.position(), frame, event.modifiers()):
                self.setCursor(self.overlay.cursor(event.position(), frame))
            return
        if self._grabbed is not None and self._window is not None:
            start, centre = self._grabbed
            by, whole = event.position() - start, self._window().whole
            ratio = self.devicePixelRatioF()
            self._pan((centre[0] - by.x() * ratio / whole[0], centre[1] - by.y() * ratio / whole[1]))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.overlay is not None and self.overlay.release():
            return
        self._grabbed = None
        self.unsetCursor()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.opened.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = 1 if event.angleDelta().y() > 0 else -1
        number = ZOOMS.index(self.zoom) + step
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and 0 <= number < len(ZOOMS):
            self.set_zoom(ZOOMS[number])

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        ratio = self.devicePixelRatioF()
        self.resized.emit(round(self.width() * ratio), round(self.height() * ratio))

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self.picture is None:
            painter.setPen(theme.colour("text") if theme.theme().name == "ink" else "#ffffff")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._empty_text)
            return
        frame = self.picture_rect()
        if self._image is not None:
            smooth = self._image.width() != round(frame.width() * self.devicePixelRatioF())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
            painter.drawImage(frame, self._image)
        else:
            painter.fillRect(frame, Qt.GlobalColor.black)
            painter.setPen("#f2eadb")
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, self.caption)
        if self.safe and not self.zoom:
            self._paint_safe(painter, frame)
        if self.overlay is not None and not self.zoom:
            self.overlay.paint(painter, frame)
        if self.picture.shown:
            self._paint_mark(painter, frame)

    def _paint_safe(self, painter: QPainter, frame: QRectF) -> None:
        painter.setFont(theme.sans(8))
        for margin, name in _SAFE:
            x, y = frame.width() * margin, frame.height() * margin
            inner = frame.adjusted(x, y, -x, -y)
            for colour, width in (("#90101218", 3), ("#d0f2eadb", 1)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawRect(inner)
            painter.drawText(inner.topRight() + QPointF(-44 if name == "action" else -30, 12), name)

    def _paint_mark(self, painter: QPainter, frame: QRectF) -> None:
        assert self.picture is not None
        painter.setFont(theme.sans(9))
        text = self.mark_text
        metrics = QFontMetricsF(painter.font())
        kinds = list(dict.fromkeys(one.choice.kind for one in self.picture.shown))
        height = metrics.height() + 8
        left = 12 + 20 * len(kinds)
        width = min(metrics.horizontalAdvance(text) + left + 8, frame.width() - 16)
        box = QRectF(frame.x() + 8, frame.bottom() - height - 8, width, height)
        painter.fillRect(box, "#e6101218")
        for number, kind in enumerate(kinds):
            paint_block(painter, QRectF(box.x() + 6 + 20 * number, box.y() + height / 2 - 6, 15, 12), kind)
        painter.setPen(QPen("#f2eadb"))
        painter.drawText(QPointF(box.x() + left - 5, box.y() + 4 + metrics.ascent()), text)
