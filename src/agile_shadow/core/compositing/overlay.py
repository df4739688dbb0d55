"""A layer's picture where it lies in the frame, and how pictures are laid over one another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..late import cv2
from .colours import Pixels
from .placing import Mask, Spot

_STRIP = 128  # rows of a deep picture that are worked on at a time


@dataclass
class Drawn:
    """A layer's picture in its box."""

    box: tuple[int, int, int, int]
    pixels: Pixels
    mask: Mask | None
    weight: float


def black(size: tuple[int, int], deep: bool) -> Pixels:
    """An empty frame of (width, height) pixels."""
    if deep:
        return np.zeros((size[1], size[0], 3), np.uint16)
    canvas = np.zeros((size[1], size[0], 4), np.uint8)
    canvas[..., 3] = 255
    return canvas


def in_place(pixels: Pixels, place: Spot, opacity: Mask | None, weight: float) -> Drawn:
    """A picture, of ``place.size``, brought to where it lies; ``opacity``: of each of its pixels."""
    left, top, right, bottom = place.box
    wide, high = right - left, bottom - top
    if place.matrix is None:
        x, y = place.offset
        pixels = pixels[y : y + high, x : x + wide]
        mask = opacity[y : y + high, x : x + wide] if opacity is not None else None
        return Drawn(place.box, pixels, mask, weight)
    enlarging = abs(place.matrix[0, 0]) + abs(place.matrix[0, 1]) > 1.02
    how = cv2.INTER_CUBIC if enlarging or pixels.dtype == np.uint16 else cv2.INTER_LINEAR
    pixels = cv2.warpAffine(pixels, place.matrix, (wide, high), flags=how, borderMode=cv2.BORDER_REPLICATE)
    mask = place.mask
    if opacity is not None:
        own = cv2.warpAffine(opacity, place.matrix, (wide, high), flags=cv2.INTER_LINEAR)
        mask = own if mask is None else own * mask
    return Drawn(place.box, pixels, mask, weight)


def seen_part(drawn: Drawn) -> Drawn | None:
    """Of a picture that is clear in places, only the part in which there is anything: most of a title's is empty."""
    assert drawn.mask is not None
    x, y, wide, high = cv2.boundingRect((drawn.mask > 0).view(np.uint8))
    if not wide:
        return None
    left, top, _right, _bottom = drawn.box
    rows, columns = slice(y, y + high), slice(x, x + wide)
    box = (left + x, top + y, left + x + wide, top + y + high)
    return Drawn(box, drawn.pixels[rows, columns], drawn.mask[rows, columns], drawn.weight)


def laid(canvas: Pixels | None, drawn: list[Drawn], size: tuple[int, int], deep: bool) -> Pixels | None:
    """The canvas with one layer, or the two of a dissolve, laid over it."""
    whole = [one for one in drawn if one.mask is None and one.box == (0, 0, *size)]
    if len(drawn) == 1 and whole and drawn[0].weight >= 1:
        return np.ascontiguousarray(drawn[0].pixels)
    if not drawn:
        return canvas
    below = canvas if canvas is not None else black(size, deep)
    if len(whole) == len(drawn):
        return _mixed(below, canvas is None, drawn)
    if len(drawn) == 2:
        return _dissolved(below, drawn)
    one = drawn[0]
    left, top, right, bottom = one.box
    out = below.copy() if canvas is not None else below
    if one.mask is None and one.weight >= 1:
        out[top:bottom, left:right] = one.pixels
    else:
        _blend(out[top:bottom, left:right], one.pixels, _part(one))
    return out


def _mixed(below: Pixels, nothing_below: bool, drawn: list[Drawn]) -> Pixels:
    """Layers that fill the frame, by their weights."""
    rest = max(0.0, 1 - sum(one.weight for one in drawn))
    mixed: Pixels
    if len(drawn) == 2 and (rest < 1e-6 or nothing_below):
        mixed = cv2.addWeighted(drawn[0].pixels, drawn[0].weight, drawn[1].pixels, drawn[1].weight, 0)
        return mixed
    mixed = cv2.addWeighted(below, rest, drawn[0].pixels, drawn[0].weight, 0)
    return mixed if len(drawn) == 1 else cv2.addWeighted(mixed, 1, drawn[1].pixels, drawn[1].weight, 0)


def _dissolved(below: Pixels, drawn: list[Drawn]) -> Pixels:
    """Two layers of which one at least does not fill the frame: each takes its part of what is below.

    ``below * (1 - a - b) + first * a + second * b``, laid down one after the other: the first with ``a / (1 - b)``.
    """
    out = below.copy()
    first, second = drawn
    later = np.zeros(below.shape[:2], np.float32)
    left, top, right, bottom = second.box
    later[top:bottom, left:right] = _part(second)
    left, top, right, bottom = first.box
    share = _part(first) / np.maximum(1 - later[top:bottom, left:right], np.float32(1e-3))
    _blend(out[top:bottom, left:right], first.pixels, np.minimum(share, 1, dtype=np.float32))
    left, top, right, bottom = second.box
    _blend(out[top:bottom, left:right], second.pixels, later[top:bottom, left:right])
    return out


def _part(one: Drawn) -> Mask:
    """How much of each pixel of its box a layer takes."""
    left, top, right, bottom = one.box
    if one.mask is None:
        return np.full((bottom - top, right - left), one.weight, np.float32)
    return one.mask * np.float32(one.weight)


def _blend(out: Pixels, pixels: Pixels, part: Mask) -> None:
    """In place: ``part`` of each pixel comes from ``pixels`` instead of what is there."""
    part = np.ascontiguousarray(part)
    if out.dtype == np.uint8:
        out[:] = cv2.blendLinear(np.ascontiguousarray(pixels), np.ascontiguousarray(out), part, 1 - part)
        return
    for row in range(0, len(out), _STRIP):
        rows = slice(row, row + _STRIP)
        base = out[rows].astype(np.float32)
        mixed = base + (pixels[rows].astype(np.float32) - base) * part[rows, :, None]
        out[rows] = np.clip(mixed + np.float32(0.5), 0, 65535).astype(np.uint16)
