"""Drawing into the planes of a picture: backgrounds, shapes made once, grain from a seed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .code_strip import CELLS, cells_for, strip_height

Colour = tuple[float, float, float]  # Y, Cb, Cr; Y from 0 to 1, Cb and Cr from -0.5 to 0.5
Plane = NDArray[np.uint16]
Mask = NDArray[np.bool_]


def from_rgb(red: int, green: int, blue: int) -> Colour:
    """BT.709 luma and chroma of a colour given by 0 to 255."""
    r, g, b = red / 255, green / 255, blue / 255
    y = 0.2126 * r + 0.7152 * g + 0.0722 * b
    return y, (b - y) / 1.8556, (r - y) / 1.5748


@dataclass(frozen=True)
class Sprite:
    """A shape in one colour: masks for luma (height, width) and for chroma (half of both)."""

    luma: Mask
    chroma: Mask
    colour: Colour


def sprite(mask: Mask, colour: Colour) -> Sprite:
    """A sprite from a mask; its sides are cut to even numbers."""
    even = mask[: mask.shape[0] // 2 * 2, : mask.shape[1] // 2 * 2]
    return Sprite(even, even[::2, ::2], colour)


def ellipse(width: int, height: int) -> Mask:
    """A filled ellipse as a mask of shape (height, width)."""
    y, x = np.ogrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    return np.asarray(x * x + y * y <= 1, np.bool_)


def polygon(width: int, height: int, corners: list[tuple[float, float]]) -> Mask:
    """A filled polygon by the even-odd rule; corners in parts of width and height."""
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j]
    inside = np.zeros((height, width), np.bool_)
    for (x1, y1), (x2, y2) in zip(corners, corners[1:] + corners[:1], strict=True):
        if y1 != y2:
            inside ^= ((y1 > y) != (y2 > y)) & (x < (x2 - x1) * (y - y1) / (y2 - y1) + x1)
    return inside


class Canvas:
    """Three planes of 4:2:0 picture at 8 or 10 bits, limited range, BT.709; drawn upright."""

    def __init__(self, width: int, height: int, bits: int, seed: int, grain: float) -> None:
        self.width, self.height = width, height
        self._unit = 1 << (bits - 8)
        self._background = self._blank()
        self.planes = self._blank()
        generator = np.random.default_rng(seed)
        self._random = generator
        span = round(grain * self._unit)
        shape = (height + 64, width + 64)
        self._grain = generator.integers(0, 2 * span + 1, shape, dtype=np.uint16) if span else None

    def _blank(self) -> list[Plane]:
        half = (self.height // 2, self.width // 2)
        return [np.zeros((self.height, self.width), np.uint16), np.zeros(half, np.uint16), np.zeros(half, np.uint16)]

    def _values(self, colour: Colour) -> tuple[int, int, int]:
        y, cb, cr = colour
        unit = self._unit
        return round((16 + 200 * y) * unit), round((128 + 224 * cb) * unit), round((128 + 224 * cr) * unit)

    def paint_background(self, top: Colour, bottom: Colour, first_row: float = 0, last_row: float = 1) -> None:
        """A vertical blend between two rows, given in parts of the height."""
        low, high = self._values(top), self._values(bottom)
        for plane, a, b in zip(self._background, low, high, strict=True):
            rows = plane.shape[0]
            start, stop = int(first_row * rows), int(last_row * rows)
            plane[start:stop] = np.linspace(a, b, stop - start)[:, None].round().astype(np.uint16)

    def stamp_background(self, shape: Sprite, x: float, y: float) -> None:
        """Lay a shape into the background; the middle is given in parts of width and height."""
        self._stamp(self._background, shape, x, y)

    def begin(self) -> None:
        """Start a picture from the background."""
        for plane, background in zip(self.planes, self._background, strict=True):
            np.copyto(plane, background)

    def stamp(self, shape: Sprite, x: float, y: float) -> None:
        """Lay a shape into the picture; the middle is given in parts of width and height."""
        self._stamp(self.planes, shape, x, y)

    def _stamp(self, planes: list[Plane], shape: Sprite, x: float, y: float) -> None:
        values = self._values(shape.colour)
        left = (round(x * self.width) - shape.luma.shape[1] // 2) // 2 * 2
        top = (round(y * self.height) - shape.luma.shape[0] // 2) // 2 * 2
        for number, (plane, value) in enumerate(zip(planes, values, strict=True)):
            mask = shape.luma if number == 0 else shape.chroma
            shift = 1 if number == 0 else 2
            _stamp_plane(plane, mask, left // shift, top // shift, value)

    def finish(self, clip: int, frame: int) -> None:
        """Add grain and the code strip."""
        if self._grain is not None:
            dx, dy = self._random.integers(0, 64, 2)
            self.planes[0] += self._grain[dy : dy + self.height, dx : dx + self.width]
        rows = strip_height(self.height)
        light, dark = self._values((0.92, 0, 0)), self._values((0.03, 0, 0))
        edges = np.linspace(0, self.width, CELLS + 1).round().astype(int)
        for cell, (a, b) in zip(cells_for(clip, frame), itertools.pairwise(edges), strict=True):
            self.planes[0][:rows, a:b] = (light if cell else dark)[0]
        for plane in self.planes[1:]:
            plane[: rows // 2] = light[1]


def _stamp_plane(plane: Plane, mask: Mask, left: int, top: int, value: int) -> None:
    height, width = mask.shape
    x0, y0 = max(0, left), max(0, top)
    x1, y1 = min(plane.shape[1], left + width), min(plane.shape[0], top + height)
    if x1 > x0 and y1 > y0:
        plane[y0:y1, x0:x1][mask[y0 - top : y1 - top, x0 - left : x1 - left]] = value
