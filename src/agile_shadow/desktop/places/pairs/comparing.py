"""Two pictures of a pair against each other: under a divider, taking turns, or their difference, at any zoom."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ....core.errors import ShadowError, sentence
from ....core.media import FrameReader, ProgressiveReader, fit_rectangle, open_reader, to_bgra
from ....core.media.pictures import Bgra
from ....core.pairs.half import Half
from ... import theme
from ...marks import paint_block

log = logging.getLogger(__name__)
Way = Literal["divided", "turns", "difference"]
ZOOMS = (0, 100, 200, 400)  # per cent of the original's pixels; 0: the whole picture
_TURN = 450  # milliseconds
_ENLARGED = 4  # times the difference
_STEP = 0.05  # of the view, for keys


@dataclass(frozen=True)
class Pairing:
    """What is compared: both files, and the frames of the original before the proxy's first one."""

    original: Half
    proxy: Half
    offset: int


@dataclass(frozen=True)
class Both:
    """The pictures of one frame: uint8 (height, width, 4) each, B G R A; None where there is none. ``difference`` of
    both, enlarged. ``problem``: a sentence."""

    frame: int
    original: Bgra | None
    proxy: Bgra | None
    difference: Bgra | None
    problem: str = ""


class Twin:
    """Reads the same frame of both files on a thread of its own; the newest wish wins."""

    def __init__(self, came: Callable[[Both], None]) -> None:
        self._came = came
        self._mail = threading.Condition()
        self._wish: tuple[Pairing, int, bool] | None = None
        self._closed = False
        self._released = False
        self._pairing: Pairing | None = None
        self._readers: list[FrameReader | ProgressiveReader] = []
        self._thread: threading.Thread | None = None

    def ask(self, pairing: Pairing, frame: int, difference: bool) -> None:
        """Want a frame of the original and its counterpart."""
        with self._mail:
            self._wish = pairing, frame, difference
            if self._thread is None:
                self._thread = threading.Thread(target=self._loop, name="comparing", daemon=True)
                self._thread.start()
            self._mail.notify_all()

    def release(self) -> None:
        """Let go of the files."""
        with self._mail:
            self._wish, self._released = None, True
            self._mail.notify_all()

    def end(self) -> None:
        """Have the thread end soon, without waiting for it."""
        with self._mail:
            self._closed = True
            self._mail.notify_all()

    def wait(self, limit: float) -> bool:
        """Wait for its end, at most so many seconds; whether it had ended."""
        if self._thread is not None:
            self._thread.join(limit)
        return self._thread is None or not self._thread.is_alive()

    def _loop(self) -> None:
        while True:
            with self._mail:
                while self._wish is None and not self._closed and not self._released:
                    self._mail.wait()
                wish, self._wish = self._wish, None
                released, self._released = self._released, False
            if released or self._closed:
                self._close_files()
            if self._closed:
                return
            if wish is not None:
                self._came(self._read_or_tell(wish))

    def _read_or_tell(self, wish: tuple[Pairing, int, bool]) -> Both:
        """The pictures, or why there are none: whatever a file does to its reader, the thread goes on."""
        try:
            return self._read(*wish)
        except Exception as error:
            log.warning("comparing frame %s", wish[1], exc_info=True)
            return Both(wish[1], None, None, None, sentence(error))

    def _close_files(self) -> None:
        for reader in self._readers:
            reader.close()
        self._readers, self._pairing = [], None

    def _read(self, pairing: Pairing, frame: int, difference: bool) -> Both:
        try:
            if pairing != self._pairing:
                self._close_files()
                for half in (pairing.original, pairing.proxy):
                    info = half.info
                    self._readers.append(open_reader(half.path, info.interlaced, info.sequence_rate))
                self._pairing = pairing
            first = self._picture(0, frame, pairing.original)
            second = self._picture(1, frame - pairing.offset, pairing.proxy)
        except (ShadowError, OSError) as error:
            self._close_files()
            return Both(frame, None, None, None, sentence(error))
        between = None
        if difference and first is not None and second is not None:
            between = differing(self._picture(0, frame, pairing.original, second.shape[1::-1]), second)
        return Both(frame, first, second, between)

    def _picture(self, which: int, frame: int, half: Half, size: tuple[int, int] | None = None) -> Bgra | None:
        reader = self._readers[which]
        if not 0 <= frame < len(reader.index):
            return None
        width, height = size or (half.info.display_width, half.info.display_height)
        return to_bgra(reader.frame(frame), width, height)


def differing(first: Bgra | None, second: Bgra | None) -> Bgra | None:
    """How far two pictures of one size differ, enlarged: uint8 (height, width, 4), black where they are equal."""
    if first is None or second is None:
        return None
    apart = np.abs(first.astype(np.int16) - second.astype(np.int16)) * _ENLARGED
    apart[..., 3] = 255
    return np.asarray(np.minimum(apart, 255), np.uint8)


def _image(pixels: Bgra | None) -> QImage | None:
    if pixels is None:
        return None
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)


class CompareView(QWidget):
    """Shows both pictures in the same rectangle. ``came`` tells that the asked frame is on screen."""

    came = Signal(int)
    _both = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 150)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Both pictures")
        self.setToolTip("Drag the divider; drag elsewhere to move a zoomed picture. Alt+Left and Alt+Right move the "
                        "divider, Alt+Shift and arrows the picture.")  # fmt: skip
        self._twin = Twin(self._both.emit)
        self._both.connect(self._take)
        self.pairing: Pairing | None = None
        self.way: Way = "divided"
        self.zoom = 0
        self.divider = 0.5
        self.centre = QPointF(0.5, 0.5)
        self.frame = 0
        self.shown: Both | None = None
        self._images: dict[str, QImage | None] = {}
        self._text = ""
        self._turn = False
        self._dragging: Literal["", "divider", "picture"] = ""
        self._last = QPointF()
        self._timer = QTimer(self)
        self._timer.setInterval(_TURN)
        self._timer.timeout.connect(self._take_turns)

    # What is shown

    def show_pair(self, pairing: Pairing | None, frame: int, text: str = "") -> None:
        """Compare two files from now on; without, a sentence."""
        if pairing != self.pairing:
            self.shown, self._images = None, {}
        self.pairing, self._text = pairing, text
        self.show_frame(frame)

    def show_frame(self, frame: int) -> None:
        """Another frame of the original."""
        self.frame = frame
        if self.pairing is not None and self.isVisible():
            self._twin.ask(self.pairing, frame, self.way == "difference")
        self.update()

    def look(self, way: Way) -> None:
        """Another way of looking."""
        self.way = way
        self._timer.start() if way == "turns" else self._timer.stop()
        self.show_frame(self.frame)

    def set_zoom(self, zoom: int) -> None:
        """One of ZOOMS."""
        self.zoom = zoom
        self.update()

    def rest(self) -> None:
        """Nobody looks: let go of the files."""
        self._timer.stop()
        self._twin.release()

    def close_view(self) -> Callable[[float], bool]:
        """Have its thread end; what waits for it."""
        self._timer.stop()
        self._twin.end()
        return self._twin.wait

    def _take(self, both: Both) -> None:
        if self.pairing is None:
            return
        self.shown = both
        self._images = {
            "original": _image(both.original), "proxy": _image(both.proxy), "difference": _image(both.difference),
        }  # fmt: skip
        self.update()
        self.came.emit(both.frame)

    def _take_turns(self) -> None:
        self._turn = not self._turn
        self.update()

    @property
    def visible_side(self) -> str:
        """Which picture is on screen while they take turns."""
        return "proxy" if self._turn else "original"

    # Moving about

    def move_divider(self, part: float) -> None:
        """To another place, 0 to 1 across the picture."""
        self.divider = min(1.0, max(0.0, part))
        self.update()

    def nudge(self, identity: str) -> None:
        """A command of the table: divider or picture a step to some side."""
        if identity in ("divider_left", "divider_right"):
            self.move_divider(self.divider + (_STEP if identity == "divider_right" else -_STEP))
            return
        x, y = {"pan_left": (-1, 0), "pan_right": (1, 0), "pan_up": (0, -1), "pan_down": (0, 1)}[identity]
        self._move_centre(QPointF(x, y) * _STEP)

    def _move_centre(self, by: QPointF) -> None:
        centre = self.centre + by
        self.centre = QPointF(min(1.0, max(0.0, centre.x())), min(1.0, max(0.0, centre.y())))
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = 1 if event.angleDelta().y() > 0 else -1
        at = ZOOMS.index(self.zoom) + step
        if 0 <= at < len(ZOOMS):
            self.set_zoom(ZOOMS[at])

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._last = event.position()
        near = abs(event.position().x() - self._divider_x()) < 12
        self._dragging = "divider" if self.way == "divided" and (near or not self.zoom) else "picture"
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons() & Qt.MouseButton.LeftButton:
            return
        frame = self._frame()
        if self._dragging == "divider":
            self.move_divider((event.position().x() - frame.x()) / max(1.0, frame.width()))
        elif self.zoom:
            moved = event.position() - self._last
            whole = self._whole()
            self._move_centre(QPointF(-moved.x() / max(1.0, whole.width()), -moved.y() / max(1.0, whole.height())))
        self._last = event.position()

    # Painting

    def _frame(self) -> QRectF:
        """The part of the view that pictures may fill."""
        if self.pairing is None:
            return QRectF(self.rect())
        if self.zoom:
            return QRectF(self.rect())
        place = fit_rectangle(self.pairing.original.info.display_aspect, self.width(), self.height())
        return QRectF(place.x, place.y, place.width, place.height)

    def _whole(self) -> QRectF:
        """Where the whole picture lies, of which a zoomed view shows a part."""
        if self.pairing is None or not self.zoom:
            return self._frame()
        info = self.pairing.original.info
        scale = self.zoom / 100 / self.devicePixelRatioF()
        wide, high = info.display_width * scale, info.display_height * scale
        return QRectF(self.width() / 2 - self.centre.x() * wide, self.height() / 2 - self.centre.y() * high, wide, high)

    def _divider_x(self) -> float:
        frame = self._frame()
        return frame.x() + frame.width() * self.divider

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("surround"))
        text = self._text or (self.shown.problem if self.shown is not None else "")
        if self.pairing is None or (self.shown is not None and self.shown.problem):
            painter.setPen("#ffffff")
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text)
            return
        frame = self._frame()
        painter.setClipRect(frame)
        painter.fillRect(frame, Qt.GlobalColor.black)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not self.zoom)
        if self.way == "divided":
            self._paint_divided(painter, frame)
        elif self.way == "difference":
            self._paint_side(painter, frame, "difference")
            self._paint_mark(painter, frame, None, f"DIFFERENCE, amplified {_ENLARGED}x", left=True)
        else:
            self._paint_side(painter, frame, self.visible_side)
            self._paint_mark(painter, frame, self.visible_side, self.visible_side.upper(), left=True)
        if self.shown is None or self.shown.frame != self.frame:
            self._paint_mark(painter, frame, None, "loading this frame", left=False, top=True)

    def _paint_side(self, painter: QPainter, frame: QRectF, side: str) -> None:
        image = self._images.get(side)
        if image is not None:
            painter.drawImage(self._whole(), image)
        elif self.shown is not None and side == "proxy":
            painter.setPen("#ffffff")
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, "The proxy has no frame here")

    def _paint_divided(self, painter: QPainter, frame: QRectF) -> None:
        x = self._divider_x()
        for side, part in (
            ("original", QRectF(frame.x(), frame.y(), x - frame.x(), frame.height())),
            ("proxy", QRectF(x, frame.y(), frame.right() - x, frame.height())),
        ):
            painter.save()
            painter.setClipRect(part)
            self._paint_side(painter, frame, side)
            painter.restore()
        painter.fillRect(QRectF(x - 1, frame.y(), 2, frame.height()), "#f2eadb")
        painter.fillRect(QRectF(x - 4, frame.center().y() - 16, 8, 32), "#f2eadb")
        self._paint_mark(painter, frame, "original", "ORIGINAL", left=True)
        self._paint_mark(painter, frame, "proxy", "PROXY", left=False)

    @staticmethod
    def _paint_mark(
        painter: QPainter, frame: QRectF, kind: str | None, text: str, left: bool, top: bool = False
    ) -> None:
        painter.setFont(theme.sans(9))
        width = painter.fontMetrics().horizontalAdvance(text) + (36 if kind else 16)
        x = frame.x() + 8 if left else frame.right() - 8 - width
        box = QRectF(x, frame.y() + 8 if top else frame.bottom() - 32, width, 24)
        painter.fillRect(box, "#e6101218")
        if kind is not None:
            paint_block(painter, QRectF(box.x() + 6, box.y() + 6, 15, 12), kind)
        painter.setPen("#f2eadb")
        painter.drawText(QPointF(box.x() + (28 if kind else 8), box.y() + 16), text)
