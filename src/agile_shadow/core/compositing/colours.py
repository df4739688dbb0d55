"""Changes of colour, on pictures of 8 bits (B G R A) or 16 bits (R G B)."""

from __future__ import annotations

import tempfile
import threading
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from av.filter import Graph
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..late import cv2
from ..media import filter_chain
from ..presets import Attached
from ..timeline import NO_COLOUR, Colour

Pixels = NDArray[Any]  # uint8 (height, width, 4) B G R A, or uint16 (height, width, 3) R G B
_GAMMA = 2.2  # exposure and temperature multiply light, not code values
_WARMER = 0.35  # stops that red gains and blue loses at the end of the scale
_LUMA = (0.2126, 0.7152, 0.0722)  # ITU-R BT.709


class Grade:
    """One :class:`Colour`, ready for pictures of one size after another."""

    def __init__(self, colour: Colour) -> None:
        self._colour = colour
        self._graphs: dict[tuple[int, ...], Graph] = {}
        self._lock = threading.Lock()

    def apply(self, pixels: Pixels) -> Pixels:
        """The picture with its colours changed, of the same shape and type."""
        colour, deep = self._colour, pixels.dtype == np.uint16
        if colour.lut is None:
            pixels = _through(pixels, _curves(colour.exposure, colour.temperature, colour.contrast, deep))
        else:
            pixels = _through(pixels, _curves(colour.exposure, colour.temperature, 1.0, deep))
            with self._lock:  # a graph gives back what it was fed
                pixels = self._through_table(pixels, colour.lut)
            pixels = _through(pixels, _curves(0.0, 0.0, colour.contrast, deep))
        return _saturated(pixels, colour.saturation) if colour.saturation != 1 else pixels

    def _through_table(self, pixels: Pixels, table: Attached) -> Pixels:
        form = "rgb48le" if pixels.dtype == np.uint16 else "bgra"
        frame = VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format=form)
        graph = self._graphs.get(pixels.shape)
        if graph is None:
            steps: list[Any] = [("lut3d", {"file": str(_table_file(table)), "interp": "tetrahedral"}), f"format={form}"]
            graph = self._graphs[pixels.shape] = filter_chain(frame, Fraction(1, 25), steps)
        graph.push(frame)
        changed = graph.pull()
        assert isinstance(changed, VideoFrame)
        return changed.to_ndarray()


@lru_cache(maxsize=32)
def grade_of(colour: Colour) -> Grade | None:
    """What changes colours as asked; None where nothing is to be changed."""
    return None if colour == NO_COLOUR else Grade(colour)


@lru_cache(maxsize=64)
def _curves(exposure: float, temperature: float, contrast: float, deep: bool) -> NDArray[Any] | None:
    """Tables (256 or 65536, channels) of the new value of each value, None for no change."""
    if not exposure and not temperature and contrast == 1:
        return None
    top = 65535 if deep else 255
    values = np.arange(top + 1, dtype=np.float64) / top
    stops = {"red": exposure + _WARMER * temperature, "green": exposure, "blue": exposure - _WARMER * temperature}
    names = ("red", "green", "blue") if deep else ("blue", "green", "red")
    columns = [(values * 2 ** (stops[name] / _GAMMA) - 0.5) * contrast + 0.5 for name in names]
    if not deep:
        columns.append(values)
    whole = np.clip(np.stack(columns, axis=1), 0, 1) * top
    return np.ascontiguousarray(np.round(whole).astype(np.uint16 if deep else np.uint8))


def _through(pixels: Pixels, curves: NDArray[Any] | None) -> Pixels:
    if curves is None:
        return pixels
    if pixels.dtype == np.uint8:
        mapped: Pixels = cv2.LUT(pixels, curves.reshape(1, 256, 4))
        return mapped
    return np.stack([curves[:, n][pixels[..., n]] for n in range(3)], axis=2)


def _saturated(pixels: Pixels, saturation: float) -> Pixels:
    weights = np.array(_LUMA if pixels.dtype == np.uint16 else _LUMA[::-1])
    matrix = saturation * np.eye(3) + (1 - saturation) * np.tile(weights, (3, 1))
    if pixels.dtype == np.uint8:
        whole = np.eye(4)
        whole[:3, :3] = matrix
        matrix = whole
    mixed: Pixels = cv2.transform(pixels, matrix.astype(np.float32))
    return mixed


@lru_cache(maxsize=16)
def _table_file(table: Attached) -> Path:
    """The table as a file for the media library, for as long as the program runs."""
    path = Path(_folder().name) / f"{abs(hash(table.data)):x}.cube"
    path.write_bytes(table.content())
    return path


@lru_cache(maxsize=1)
def _folder() -> tempfile.TemporaryDirectory[str]:
    return tempfile.TemporaryDirectory(prefix="agile-shadow-tables-")
