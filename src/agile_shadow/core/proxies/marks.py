"""Marks laid on a proxy's frames: text, running timecode, pictures. Drawn once, then blended into the planes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..late import pil_draw, pil_font, pil_image
from ..presets import Mark, fill_text, open_picture

if TYPE_CHECKING:
    from PIL import ImageFont

FONT = Path(__file__).parents[2] / "fonts" / "JetBrainsMono-Regular.ttf"
_LEAST_HEIGHT = 16  # pixels of a line of text, box included: below it nobody can read it
_LEAST_FONT = 9
_BOX = (16, 18, 24)
_WHITE = (250, 247, 240)
Rgba = NDArray[np.float32]


@dataclass(frozen=True)
class Box:
    """Where a mark lies, in pixels; even, so that it covers whole samples of colour."""

    x: int
    y: int
    width: int
    height: int

    def meets(self, other: Box) -> bool:
        """Whether two boxes overlap."""
        across = self.x < other.x + other.width and other.x < self.x + self.width
        return across and self.y < other.y + other.height and other.y < self.y + self.height


def _even(value: float) -> int:
    return max(0, int(value) // 2 * 2)


class _Text:
    """A line of text of fixed width in a dark box; its letters come from a small store of drawn cells."""

    def __init__(self, text: str, mark: Mark, size: tuple[int, int]) -> None:
        height = max(_LEAST_HEIGHT, _even(size[1] * mark.size))
        room = size[0] - 4
        self._opacity = mark.opacity
        points = max(_LEAST_FONT, round(height * 0.66))
        while points > _LEAST_FONT and self._cell(points) * (len(text) + 1) > room:
            points -= 1
        self.cell = self._cell(points)
        self.letters = _shortened(text, max(3, room // self.cell - 1))
        self._font = _font(points)
        self.height = min(_even(max(_LEAST_HEIGHT, min(height, points / 0.66))), _even(size[1]))
        self.width = _even(self.cell * (len(self.letters) + 1))
        self._cells: dict[str, Rgba] = {}

    @staticmethod
    def _cell(points: int) -> int:
        return _even(_font(points).getlength("0") + 1.99)

    def picture(self, text: str) -> Rgba:
        """float32 (height, width, 4): R G B and opacity, 0 to 1. Text that finds no room is shortened in the middle."""
        letters = _shortened(text, len(self.letters))
        half = self._drawn(" ")[:, : self.cell // 2]
        cells = [self._drawn(letter) for letter in letters]
        whole: Rgba = np.concatenate(
            [half, *cells, self._drawn(" ")[:, : self.width - half.shape[1] - self.cell * len(cells)]], 1
        )
        return whole

    def _drawn(self, letter: str) -> Rgba:
        if letter not in self._cells:
            picture = pil_image.new("RGB", (self.cell, self.height), _BOX)
            draw = pil_draw.Draw(picture)
            draw.text((self.cell / 2, self.height / 2), letter, _WHITE, self._font, anchor="mm")
            pixels = np.asarray(picture, np.float32) / 255
            ink = (pixels[..., :1] - _BOX[0] / 255) / ((_WHITE[0] - _BOX[0]) / 255)
            opacity = self._opacity * (0.7 + 0.3 * np.clip(ink, 0, 1))
            self._cells[letter] = np.concatenate([pixels, opacity], axis=2).astype(np.float32)
        return self._cells[letter]


def _font(points: int) -> ImageFont.FreeTypeFont:
    font: ImageFont.FreeTypeFont = pil_font.truetype(str(FONT), points)
    return font


def _shortened(text: str, letters: int) -> str:
    """In the middle: beginning and end of a name tell most."""
    if len(text) <= letters:
        return text
    return f"{text[: letters // 2]}…{text[len(text) - (letters - letters // 2 - 1) :]}"


def _picture_of(mark: Mark, size: tuple[int, int]) -> Rgba:
    assert mark.picture is not None
    picture = open_picture(mark.picture)
    height = max(2, _even(size[1] * mark.size))
    width = max(2, _even(picture.width * height / picture.height + 1))
    if width > size[0]:
        width, height = _even(size[0]), max(2, _even(picture.height * size[0] / picture.width))
    scaled = picture.resize((width, height), pil_image.Resampling.LANCZOS)
    pixels = np.asarray(scaled).astype(np.float32) / np.float32(255)
    pixels[..., 3] *= np.float32(mark.opacity)
    return pixels


@dataclass(frozen=True)
class _Placed:
    box: Box
    still: Rgba | None
    running: _Text | None


def _place(marks: Sequence[Mark], values: Mapping[str, str], first: str, size: tuple[int, int]) -> list[_Placed]:
    placed: list[_Placed] = []
    for mark in marks:
        still: Rgba | None = None
        running: _Text | None = None
        if mark.kind == "picture":
            still = _picture_of(mark, size)
        else:
            text = _Text(first if mark.kind == "timecode" else fill_text(mark.text, values), mark, size)
            running = text if mark.kind == "timecode" else None
            still = text.picture(text.letters)
        high, wide = still.shape[:2]
        margin = _even(size[1] * 0.02)
        box = _spot(mark, (wide, high), size, margin)
        placed.append(_Placed(_clear(box, [other.box for other in placed], size), still, running))
    return placed


def _spot(mark: Mark, box: tuple[int, int], size: tuple[int, int], margin: int) -> Box:
    room = [max(0, size[n] - box[n] - 2 * margin) for n in (0, 1)]
    starts = [_even(min(margin + room[n] * part, size[n] - box[n])) for n, part in ((0, mark.x), (1, mark.y))]
    return Box(starts[0], starts[1], box[0], box[1])


def _clear(box: Box, others: list[Box], size: tuple[int, int]) -> Box:
    """The box, moved up or down off those that were placed before it, where there is room."""
    step = -2 if box.y * 2 + box.height > size[1] else 2
    moved = box
    while any(moved.meets(other) for other in others):
        moved = Box(moved.x, moved.y + step, moved.width, moved.height)
        if moved.y < 0 or moved.y + moved.height > size[1]:
            return box
    return moved


class MarkPainter:
    """Paints the marks of a preset on frames of one proxy.

    ``first`` is the timecode of the first frame, which gives the running one its length. ``size``: (width, height).
    """

    def __init__(self, marks: Sequence[Mark], values: Mapping[str, str], first: str, size: tuple[int, int]) -> None:
        self._placed = _place(marks, values, first, size)
        self._size = size
        self._patches: dict[tuple[int, str], list[_Patch]] = {}

    @cached_property
    def boxes(self) -> list[Box]:
        """Where each mark lies."""
        return [placed.box for placed in self._placed]

    def paint(self, frame: VideoFrame, timecode: str) -> None:
        """Blend the marks into a planar YUV frame of 8 or 10 bits that nobody else reads."""
        frame.make_writable()
        for number, placed in enumerate(self._placed):
            for patch in self._patches_for(number, placed, timecode, frame):
                patch.lay_on(frame)

    def paint_pixels(self, pixels: NDArray[np.uint8], timecode: str) -> None:
        """Blend the marks into a picture for the screen: uint8 (height, width, 4) in the order B G R A."""
        for placed in self._placed:
            picture, box = self._picture(placed, timecode), placed.box
            area = pixels[box.y : box.y + box.height, box.x : box.x + box.width, :3]
            opacity = picture[..., 3:]
            area[:] = np.rint(area * (1 - opacity) + picture[..., 2::-1] * 255 * opacity)

    @staticmethod
    def _picture(placed: _Placed, timecode: str) -> Rgba:
        if placed.running is not None:
            return placed.running.picture(timecode)
        assert placed.still is not None
        return placed.still

    def _patches_for(self, number: int, placed: _Placed, timecode: str, frame: VideoFrame) -> list[_Patch]:
        key = (number, timecode if placed.running is not None else "")
        known = self._patches.get(key)
        if known is None:
            if placed.running is not None:
                self._patches = {key: value for key, value in self._patches.items() if not key[1]}
            known = self._patches[key] = _patches(self._picture(placed, timecode), placed.box, frame)
        return known


class _Patch:
    """One plane's part of a mark, as whole numbers: new = (old * keep + add) / 65536."""

    def __init__(self, plane: int, box: Box, opacity: Rgba, value: Rgba) -> None:
        self._plane, self._box = plane, box
        self._keep = np.rint((1 - opacity) * 65536).astype(np.uint32)
        self._add = np.rint(value * opacity * 65536 + 32768).astype(np.uint32)

    def lay_on(self, frame: VideoFrame) -> None:
        plane = frame.planes[self._plane]
        kind = np.uint16 if frame.format.components[0].bits > 8 else np.uint8
        rows: Any = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)
        box = self._box
        area = rows[box.y : box.y + box.height, box.x : box.x + box.width]
        area[:] = (area * self._keep + self._add) >> 16


def _patches(picture: Rgba, box: Box, frame: VideoFrame) -> list[_Patch]:
    bits = frame.format.components[0].bits
    full = frame.format.name.startswith("yuvj")
    luma, blue, red = _yuv(picture[..., :3], 601 if int(frame.colorspace) in (5, 6) else 709)
    opacity = picture[..., 3]
    top = (1 << bits) - 1
    unit = top / 255
    bright = luma * top if full else (16 + luma * 219) * unit
    patches = [_Patch(0, box, opacity, bright)]
    across = frame.width // frame.planes[1].width
    down = frame.height // frame.planes[1].height
    small = Box(box.x // across, box.y // down, box.width // across, box.height // down)
    thin = _averaged(opacity, down, across)
    for plane, colour in ((1, blue), (2, red)):
        weighted: Any = _averaged(colour * opacity, down, across) / np.maximum(thin, 1e-6)
        middle = (top + 1) / 2
        patches.append(_Patch(plane, small, thin, middle + weighted * (top if full else 224 * unit)))
    return patches


def _averaged(values: Rgba, down: int, across: int) -> Rgba:
    high, wide = values.shape[0] // down, values.shape[1] // across
    means: Rgba = values[: high * down, : wide * across].reshape(high, down, wide, across).mean(axis=(1, 3))
    return means


def _yuv(colours: Rgba, matrix: int) -> tuple[Rgba, Rgba, Rgba]:
    """Brightness 0 to 1 and the two colour differences -0.5 to 0.5 (ITU-R BT.601 or BT.709)."""
    red_part, blue_part = (0.299, 0.114) if matrix == 601 else (0.2126, 0.0722)
    red, green, blue = (colours[..., n] for n in range(3))
    luma = red_part * red + (1 - red_part - blue_part) * green + blue_part * blue
    return luma, (blue - luma) / (2 * (1 - blue_part)), (red - luma) / (2 * (1 - red_part))
