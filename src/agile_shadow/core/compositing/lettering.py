"""Text as pictures: titles, and what stands in for a file that is not there."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from ..late import cv2
from ..timeline import SPOTS, Title

_FONTS = Path(__file__).parents[2] / "fonts"
_FILES = {"plain": "B612-Regular.otf", "bold": "B612-Bold.otf", "fixed width": "JetBrainsMono-Regular.ttf"}
_INK, _EDGE = (250, 246, 236, 255), (16, 18, 24, 200)
_MARGIN = 0.05  # of the frame's width and height
_LINES = (1080, 2160, 4320)  # heights at which text is drawn before it is brought to size, so that all sizes agree


@lru_cache(maxsize=24)
def title_picture(title: Title, size: tuple[int, int]) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    """Colours, uint8 (height, width, 3) R G B, and opacity, float32 (height, width) from 0 to 1, of a frame of ``size``
    (width, height)."""
    wide, high = size
    drawn_high = next((lines for lines in _LINES if lines >= high), high)
    drawn = _drawn(title, (max(1, round(wide * drawn_high / high)), drawn_high))
    opacity = drawn[..., 3:].astype(np.float32) / 255
    layers = np.concatenate([drawn[..., :3] * opacity, opacity * 255], axis=2).astype(np.float32)
    if drawn_high != high:
        layers = cv2.resize(layers, (wide, high), interpolation=cv2.INTER_AREA)
    alpha = layers[..., 3] / 255
    colours = layers[..., :3] / np.maximum(alpha, 1e-4)[..., None]
    return np.clip(colours, 0, 255).round().astype(np.uint8), np.clip(alpha, 0, 1).astype(np.float32)


def _drawn(title: Title, size: tuple[int, int]) -> NDArray[np.uint8]:
    picture = Image.new("RGBA", size, (0, 0, 0, 0))
    draw = ImageDraw.Draw(picture)
    points = max(6, round(title.size * size[1] * 0.74))
    font = ImageFont.truetype(str(_FONTS / _FILES[title.face]), points)
    column, row = SPOTS.index(title.spot) % 3, SPOTS.index(title.spot) // 3
    text = "\n".join(_wrapped(title.text, font, size[0] * (1 - 2 * _MARGIN)))
    stroke = max(1, points // 18)
    spacing = points * 0.3
    left, top, right, bottom = draw.multiline_textbbox((0, 0), text, font, spacing=spacing, stroke_width=stroke)
    x = (_MARGIN * size[0], (size[0] - (right - left)) / 2, size[0] * (1 - _MARGIN) - (right - left))[column] - left
    y = (_MARGIN * size[1], (size[1] - (bottom - top)) / 2, size[1] * (1 - _MARGIN) - (bottom - top))[row] - top
    align = ("left", "center", "right")[column]
    draw.multiline_text((x, y), text, _INK, font, None, spacing, align, stroke_width=stroke, stroke_fill=_EDGE)
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
