"""Text as pictures: titles, and what stands in for a file that is not there."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from ..late import cv2
from ..timeline import ALIGNMENTS, SPOTS, Title

_FONTS = Path(__file__).parents[2] / "fonts"
_FILES = {"plain": "B612-Regular.otf", "bold": "B612-Bold.otf", "fixed width": "JetBrainsMono-Regular.ttf"}
_EDGE = (16, 18, 24, 200)
_OPAQUE = np.float32(1 / 255)
_MARGIN = 0.05  # of the frame's width and height
_LINES = (1080, 2160, 4320)  # heights at which text is drawn before it is brought to size, so that all sizes agree


Picture = tuple[NDArray[np.uint8], NDArray[np.float32]]


@lru_cache(maxsize=24)
def title_picture(title: Title, size: tuple[int, int]) -> Picture:
    """Colours, uint8 (height, width, 3) R G B, and opacity, float32 (height, width) from 0 to 1, of a frame of ``size``
    (width, height)."""
    drawn = _Lettering(title, _drawn_size(size)).painted(_drawn_size(size), SPOTS.index(title.spot) // 3)
    if _drawn_size(size) == size:
        return np.ascontiguousarray(drawn[..., :3]), drawn[..., 3] * _OPAQUE
    return _reduced(_weighted(drawn), size)


def rolled(title: Title, size: tuple[int, int], part: float) -> Picture:
    """The same of a title that rolls: at 0 it is just below the frame, at 1 just above it."""
    drawn_size = _drawn_size(size)
    if drawn_size != size:
        weighted = _weighted_roll(title, drawn_size)
        return _reduced(weighted[_window(len(weighted), drawn_size[1], part)], size)
    colours, opacity = _roll(title, size)
    window = _window(len(colours), size[1], part)
    return colours[window], opacity[window] * _OPAQUE


def _window(whole: int, high: int, part: float) -> slice:
    """The rows of a roll that are in the frame."""
    top = round(part * (whole - high))
    return slice(top, top + high)


@lru_cache(maxsize=2)
def _roll(title: Title, size: tuple[int, int]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Colours and opacity of the whole text with a frame of nothing above and below: made once, for each of its
    pictures is a part of it."""
    whole = _unrolled(title, size)
    return np.ascontiguousarray(whole[..., :3]), np.ascontiguousarray(whole[..., 3])


@lru_cache(maxsize=2)
def _weighted_roll(title: Title, size: tuple[int, int]) -> NDArray[np.uint8]:
    """The same as what may be reduced."""
    return _weighted(_unrolled(title, size))


def _unrolled(title: Title, size: tuple[int, int]) -> NDArray[np.uint8]:
    drawn = _Lettering(title, size)
    text = drawn.painted((size[0], drawn.high + 2 * drawn.edge), 1)
    empty = np.zeros((size[1], size[0], 4), np.uint8)
    return np.concatenate([empty, text, empty])


def _drawn_size(size: tuple[int, int]) -> tuple[int, int]:
    """The size at which text for a frame of a size is drawn before it is reduced."""
    wide, high = size
    drawn_high = next((lines for lines in _LINES if lines >= high), high)
    return max(1, round(wide * drawn_high / high)), drawn_high


def _weighted(drawn: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """R G B A with its colours times their opacity: what may be reduced."""
    opacity = np.ascontiguousarray(drawn[..., 3])
    colours = cv2.multiply(np.ascontiguousarray(drawn[..., :3]), cv2.merge([opacity] * 3), scale=1 / 255)
    return np.dstack([colours, opacity])


def _reduced(weighted: NDArray[np.uint8], size: tuple[int, int]) -> Picture:
    """Brought to a smaller size; only where there is anything, for most of a frame has no text on it."""
    layers = cv2.resize(weighted, size, interpolation=cv2.INTER_AREA)
    opacity = np.ascontiguousarray(layers[..., 3])
    x, y, wide, high = cv2.boundingRect(opacity)
    box = (slice(y, y + high), slice(x, x + wide))
    colours = np.zeros((*opacity.shape, 3), np.uint8)
    alpha = opacity[box] * _OPAQUE
    colours[box] = np.clip(layers[box][..., :3] / np.maximum(alpha, np.float32(1e-4))[..., None], 0, 255).round()
    return colours, opacity * _OPAQUE


class _Lettering:
    """A title's text for a frame of ``size`` (width, height): wrapped, measured, painted. ``high``: its height;
    ``edge``: how far its outline or shadow reaches; both in pixels."""

    def __init__(self, title: Title, size: tuple[int, int]) -> None:
        self._title, self._size = title, size
        points = max(6, round(title.size * size[1] * 0.74))
        self._font = ImageFont.truetype(str(_FONTS / _FILES[title.face]), points)
        self._column = SPOTS.index(title.spot) % 3
        self._text = "\n".join(_wrapped(title.text, self._font, size[0] * (1 - 2 * _MARGIN)))
        self.edge = max(1, points // 18) if title.edge != "none" else 0
        self._spacing = points * 0.3
        measure = ImageDraw.Draw(Image.new("RGBA", (1, 1)))
        self._box = measure.multiline_textbbox(
            (0, 0), self._text, self._font, spacing=self._spacing, stroke_width=self.edge
        )
        self.high = round(self._box[3] - self._box[1])

    def painted(self, size: tuple[int, int], row: int) -> NDArray[np.uint8]:
        """The text on a picture of ``size``, uint8 (height, width, 4) R G B A; ``row``: 0 at its top, 2 at its foot."""
        picture = Image.new("RGBA", size, (0, 0, 0, 0))
        draw = ImageDraw.Draw(picture)
        left, top, right, bottom = self._box
        wide, high, margin = right - left, bottom - top, _MARGIN if size == self._size else 0
        x = (_MARGIN * size[0], (size[0] - wide) / 2, size[0] * (1 - _MARGIN) - wide)[self._column] - left
        y = (margin * size[1], (size[1] - high) / 2, size[1] * (1 - margin) - high)[row] - top
        align = ("left", "center", "right")[self._column]
        if self._title.align != ALIGNMENTS[0]:
            align = {"left": "left", "centre": "center", "right": "right"}[self._title.align]
        ink = (*bytes.fromhex(self._title.colour[1:]), 255)
        stroke = self.edge if self._title.edge == "outline" else 0
        if self._title.edge == "shadow":
            away = self.edge * 1.5
            draw.multiline_text((x + away, y + away), self._text, _EDGE, self._font, None, self._spacing, align)
        draw.multiline_text(
            (x, y), self._text, ink, self._font, None, self._spacing, align, stroke_width=stroke, stroke_fill=_EDGE
        )
        return np.asarray(picture)


def _wrapped(text: str, font: ImageFont.FreeTypeFont, room: float) -> list[str]:
    lines = []
    for paragraph in text.split("\n"):
        line = ""
        for word in paragraph.split(" "):
            longer = f"{line} {word}" if line else word
            if line and font.getlength(longer) > room:
                lines.append(line)
                line = word
            else:
                line = longer
        lines.append(line)
    return lines


@lru_cache(maxsize=16)
def stand_in(heading: str, text: str, size: tuple[int, int]) -> NDArray[np.uint8]:
    """What is drawn instead of a picture that cannot be shown: uint8 (height, width, 4) B G R A, its edge dashed."""
    wide, high = size
    picture = Image.new("RGBA", size, (38, 38, 40, 255))
    draw = ImageDraw.Draw(picture)
    y: float
    dash, stroke = max(4, high // 30), max(1, high // 200)
    for start in range(0, max(wide, high), 2 * dash):
        for y in (stroke, high - 1 - stroke):
            draw.line((start, y, start + dash, y), (240, 147, 124, 255), stroke)
        for x in (stroke, wide - 1 - stroke):
            draw.line((x, start, x, start + dash), (240, 147, 124, 255), stroke)
    room = wide * 0.86
    big = ImageFont.truetype(str(_FONTS / _FILES["bold"]), max(9, high // 16))
    small = ImageFont.truetype(str(_FONTS / _FILES["plain"]), max(8, high // 24))
    y = high * 0.28
    for words, font in ((heading, big), (text, small)):
        for line in _wrapped(words, font, room):
            draw.text((wide / 2, y), line, (242, 234, 219, 255), font, anchor="ma")
            y += font.size * 1.5
    return np.ascontiguousarray(np.asarray(picture)[..., [2, 1, 0, 3]])
