"""The live picture: a frame as the proxy will show it, with its marks, which can be dragged."""

from __future__ import annotations

from fractions import Fraction

import av
import numpy as np
from av.video.frame import VideoFrame
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QHideEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....core.estimates import Kind, Sample
from ....core.media import MediaInfo, fit_rectangle, open_reader, to_bgra
from ....core.media.pictures import Bgra
from ....core.presets import EXAMPLES, Preset, Proxies
from ....core.proxies import MarkPainter, proxy_pixels
from ....core.proxies.encoders import ENCODERS
from ....core.proxies.marks import Box
from ....core.proxies.picture import LutFile, picture_graph
from ....core.time import frame_of, is_drop_frame, timecode_at
from ... import theme
from ...work import Work


def _decode(sample: Sample) -> VideoFrame:
    info = sample.info
    reader = open_reader(sample.path, info.interlaced, info.sequence_rate)
    try:
        return reader.frame(reader.index.key_before(len(reader.index) // 2))
    finally:
        reader.close()


def _as_proxy(frame: VideoFrame, info: MediaInfo, settings: Proxies, size: tuple[int, int]) -> Bgra:
    shown = MediaInfo(**{**vars(info), "interlaced": False})
    with LutFile(settings) as lut:
        graph = picture_graph(frame, 1 / info.frame_rate, shown, size, ENCODERS[settings.codec], lut)
        graph.push(frame)
        small = graph.pull()
    assert isinstance(small, VideoFrame)
    return to_bgra(small, *size)


class MarkPicture(QWidget):
    """Shows it. ``moved`` gives the place (0 to 1) of a mark that is dragged; ``chosen`` which was pressed."""

    moved = Signal(float, float)
    chosen = Signal(int)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(130)
        self.setAccessibleName("The picture of the proxy with its burn-ins")
        self._work = work
        self._sample: Sample | None = None
        self._frame: VideoFrame | None = None
        self._settings: Proxies | None = None
        self._size = (0, 0)
        self._base: Bgra | None = None
        self._base_of: tuple[object, ...] = ()
        self._asked = 0
        self._painter: MarkPainter | None = None
        self._image: QImage | None = None
        self._pixels: Bgra | None = None
        self._says = ""
        self._grip: tuple[int, QPointF] | None = None
        self._in_hand = -1

    @property
    def boxes(self) -> list[Box]:
        """Where the marks lie, in pixels of the proxy."""
        return self._painter.boxes if self._painter is not None else []

    def show_preset(self, preset: Preset | None, kinds: list[Kind], in_hand: int) -> None:
        """Show a preset on the first kind of original; without footage on a plain grey."""
        self._in_hand = in_hand
        kind = kinds[0] if kinds else None
        settings = preset.proxies if preset is not None else None
        size = proxy_pixels(kind.info, settings) if kind is not None and settings is not None else None
        if settings is None or kind is None or size is None:
            self._say("No proxy, no picture." if preset is not None else "")
            return
        sample = kind.samples[0] if kind.samples else None
        self._settings, self._size = settings, size
        name = sample.path.stem if sample is not None else EXAMPLES["name"]
        values = {**EXAMPLES, "name": name, "reel": kind.info.reel or "", "project": self._work.session.project.name}
        self._timecode: str = _middle_timecode(kind.info)
        self._painter = MarkPainter(settings.marks, values, self._timecode, size) if settings.marks else None
        if sample is None:
            self._base = np.full((size[1], size[0], 4), 96, np.uint8)
            self._compose()
            return
        self._ask(sample, settings, size)

    def _say(self, text: str) -> None:
        self._image, self._painter, self._says = None, None, text
        self.update()

    def _ask(self, sample: Sample, settings: Proxies, size: tuple[int, int]) -> None:
        wanted = (sample.key, size, settings.codec, settings.lut)
        if wanted == self._base_of:
            self._compose()
            return
        self._base_of = wanted
        self._asked += 1
        number, known = self._asked, self._frame if self._sample == sample else None

        def work() -> tuple[VideoFrame, Bgra]:
            frame = known or _decode(sample)
            try:
                return frame, _as_proxy(frame, sample.info, settings, size)
            except av.error.FFmpegError as error:
                raise OSError(error.errno, error.strerror, str(sample.path)) from error

        self._work.in_background(work, lambda answer: self._take(number, sample, answer))

    def _take(self, number: int, sample: Sample, answer: tuple[VideoFrame, Bgra]) -> None:
        self._sample, self._frame = sample, answer[0]
        if number == self._asked:
            self._base = answer[1]
            self._compose()

    def _compose(self) -> None:
        """Marks on the picture: quick, so on the interface thread."""
        if self._base is None or self._base.shape[:2] != (self._size[1], self._size[0]):
            return
        pixels = self._base.copy()
        if self._painter is not None:
            self._painter.paint_pixels(pixels, self._timecode)
        self._pixels = pixels
        height, width = pixels.shape[:2]
        self._image = QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)
        self.update()

    def hideEvent(self, event: QHideEvent) -> None:
        """The large frame is let go of; it is read again when the picture is seen again."""
        super().hideEvent(event)
        self._frame, self._sample, self._base_of = None, None, ()

    # Painting and dragging

    def picture_rect(self) -> QRectF:
        """Where the picture lies in the widget."""
        if not self._size[1]:
            return QRectF()
        place = fit_rectangle(Fraction(*self._size), self.width(), self.height())
        return QRectF(place.x, place.y, place.width, place.height)

    def box_rect(self, box: Box) -> QRectF:
        """Where a mark lies in the widget."""
        area = self.picture_rect()
        scale = area.width() / self._size[0]
        return QRectF(area.x() + box.x * scale, area.y() + box.y * scale, box.width * scale, box.height * scale)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self._image is None:
            painter.setPen("#ffffff")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._says)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.picture_rect(), self._image)
        if 0 <= self._in_hand < len(self.boxes):
            painter.setPen(QPen(theme.colour("focus"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.box_rect(self.boxes[self._in_hand]).adjusted(-2, -2, 1, 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for number, box in reversed(list(enumerate(self.boxes))):
            rect = self.box_rect(box)
            if rect.contains(event.position()):
                self._grip = (number, event.position() - rect.topLeft())
                self.chosen.emit(number)
                return

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grip is None or self._grip[0] >= len(self.boxes):
            return
        number, grip = self._grip
        area, rect = self.picture_rect(), self.box_rect(self.boxes[number])
        corner = event.position() - grip
        self.moved.emit(
            _part(corner.x() - area.x(), area.width() - rect.width()),
            _part(corner.y() - area.y(), area.height() - rect.height()),
        )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grip = None


def _part(offset: float, room: float) -> float:
    return min(1.0, max(0.0, offset / room)) if room > 0 else 0.0


def _middle_timecode(info: MediaInfo) -> str:
    start = info.start_timecode or "00:00:00:00"
    try:
        return timecode_at(frame_of(start, info.frame_rate) + info.frames // 2, info.frame_rate, is_drop_frame(start))
    except ValueError:
        return start
