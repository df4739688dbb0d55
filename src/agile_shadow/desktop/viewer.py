"""The picture: in its rectangle, on neutral grey, with the text of what it is."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QImage, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ..core.media import fit_rectangle
from ..core.playback import Choice, Picture
from . import theme
from .marks import paint_block


class Viewer(QWidget):
    """Shows pictures of the player. The rectangle depends on the program's shape only, never on the file shown."""

    resized = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 150)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.picture: Picture | None = None
        self._image: QImage | None = None
        self._aspect = Fraction(16, 9)
        self._awaited: Choice | None = None
        self._empty_text = "Choose a clip"

    def set_aspect(self, aspect: Fraction) -> None:
        """Shape of the program."""
        self._aspect = aspect or Fraction(16, 9)
        self.update()

    def clear(self, text: str) -> None:
        """No picture: a sentence instead."""
        self.picture = self._image = self._awaited = None
        self._empty_text = text
        self.update()

    def show_picture(self, picture: Picture) -> None:
        """Put a picture on the screen."""
        self.picture = picture
        self._image = None
        if picture.pixels is not None:
            height, width, _four = picture.pixels.shape
            self._image = QImage(picture.pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)
        self._awaited = None
        self.update()

    def await_picture(self, choice: Choice | None) -> None:
        """Say that the picture on screen is not yet the asked one."""
        shown = self.picture.choice if self.picture is not None else None
        if choice is not None and (shown is None or choice.path != shown.path):
            self._awaited = choice
            self.update()

    @property
    def mark_text(self) -> str:
        """The text on the picture: what it is."""
        if self.picture is None or self.picture.choice is None:
            return ""
        text = self.picture.choice.mark
        if self._awaited is not None and self._awaited.path != self.picture.choice.path:
            return f"{text} (the {self._awaited.kind} is coming)"
        return text

    def picture_rect(self) -> QRectF:
        """Where the program's frame lies in the widget."""
        place = fit_rectangle(self._aspect, self.width(), self.height())
        return QRectF(place.x, place.y, place.width, place.height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        ratio = self.devicePixelRatioF()
        self.resized.emit(round(self.width() * ratio), round(self.height() * ratio))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self.picture is None:
            painter.setPen(theme.colour("text") if theme.theme().name == "ink" else "#ffffff")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._empty_text)
            return
        frame = self.picture_rect()
        painter.fillRect(frame, Qt.GlobalColor.black)
        if self._image is not None:
            self._paint_image(painter, frame)
        elif self.picture.choice is not None:
            self._paint_stand_in(painter, frame)
        if self.picture.choice is not None:
            self._paint_mark(painter, frame)

    def _paint_image(self, painter: QPainter, frame: QRectF) -> None:
        assert self._image is not None and self.picture is not None and self.picture.choice is not None
        aspect = self.picture.choice.clip.original.info.display_aspect
        inner = fit_rectangle(aspect, round(frame.width()), round(frame.height()))
        target = QRectF(frame.x() + inner.x, frame.y() + inner.y, inner.width, inner.height)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._image.width() != round(target.width()))
        painter.drawImage(target, self._image)

    def _paint_stand_in(self, painter: QPainter, frame: QRectF) -> None:
        assert self.picture is not None and self.picture.choice is not None
        choice = self.picture.choice
        box = frame.adjusted(frame.width() * 0.1, frame.height() * 0.2, -frame.width() * 0.1, -frame.height() * 0.2)
        paint_block(painter, box, "missing")
        painter.setPen("#f2eadb")
        text = f"{choice.clip.name}\n\n{self.picture.problem or choice.note}"
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        painter.drawText(box.adjusted(12, 12, -12, -12), flags, text)

    def _paint_mark(self, painter: QPainter, frame: QRectF) -> None:
        assert self.picture is not None and self.picture.choice is not None
        painter.setFont(theme.sans(9))
        text = self.mark_text
        metrics = QFontMetricsF(painter.font())
        height = metrics.height() + 8
        width = min(metrics.horizontalAdvance(text) + 34, frame.width() - 16)
        box = QRectF(frame.x() + 8, frame.bottom() - height - 8, width, height)
        painter.fillRect(box, "#e6101218")
        paint_block(painter, QRectF(box.x() + 6, box.y() + height / 2 - 6, 15, 12), self.picture.choice.kind)
        painter.setPen(QPen("#f2eadb"))
        painter.drawText(QPointF(box.x() + 27, box.y() + 4 + metrics.ascent()), text)
