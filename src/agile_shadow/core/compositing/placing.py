"""Where the picture of a layer falls on the canvas, exact to parts of a pixel."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..timeline import Placement
from .window import Window

Mask = NDArray[np.float32]
_NEAR = 0.1  # pixels: an edge as near as that to whole pixels is put there
_NEAR_PLAIN = 0.51  # of a picture that was not placed by anybody: at any size the nearest whole pixels will do
_INSIDE = 0.5


@dataclass(frozen=True)
class Spot:
    """``size``: pixels to which the picture is brought first. ``box``: left, top, right, bottom on the canvas.

    ``matrix``: float64 (2, 3) from pixels of the picture to pixels of the box, None where the picture is the box cut
    out of it at ``offset``. ``mask``: float32 (height, width) of the box, how much of each pixel is covered; None: all.
    """

    size: tuple[int, int]
    box: tuple[int, int, int, int]
    offset: tuple[int, int] = (0, 0)
    matrix: NDArray[np.float64] | None = None
    mask: Mask | None = None


def laid_as(
    shape: str, placement: Placement, aspect: float, frame_aspect: float, width: int, frame_width: int
) -> Placement:
    """A placement of a picture ``width`` pixels wide over a frame of ``frame_width`` pixels, its scale as the shape
    ``fill`` or ``pixels`` has it (see SHAPES); ``fit`` leaves it."""
    if shape == "fill":
        return replace(placement, scale=placement.scale * max(aspect / frame_aspect, frame_aspect / aspect))
    if shape == "pixels" and frame_width and width:
        fitted = min(1.0, aspect / frame_aspect) * frame_width
        return replace(placement, scale=placement.scale * width / fitted)
    return placement


def outline(placement: Placement, aspect: float, frame_aspect: float) -> tuple[tuple[float, float], ...]:
    """The corners of what is seen of a picture of ``aspect``, clockwise from its upper left, in parts of the frame's
    width and height."""
    across = min(1.0, aspect / frame_aspect) * placement.scale * frame_aspect
    down = min(1.0, frame_aspect / aspect) * placement.scale
    angle = math.radians(placement.rotation)
    cos, sin = math.cos(angle), math.sin(angle)
    left, right = (placement.left - 0.5) * across, (0.5 - placement.right) * across
    top, bottom = (placement.top - 0.5) * down, (0.5 - placement.bottom) * down
    return tuple(
        (0.5 + placement.x + (cos * u - sin * v) / frame_aspect, 0.5 + placement.y + sin * u + cos * v)
        for u, v in ((left, top), (right, top), (right, bottom), (left, bottom))
    )


def spot_once(
    placement: Placement, aspect: float, frame_aspect: float, window: Window, native: tuple[int, int]
) -> Spot | None:
    """Where a picture of ``aspect`` (width to height) and ``native`` pixels falls in a window on a frame of
    ``frame_aspect``; None where it falls outside."""
    canvas = window.size
    wide, high = window.whole
    across = min(1.0, aspect / frame_aspect) * placement.scale * wide
    down = min(1.0, frame_aspect / aspect) * placement.scale * high
    middle = (wide * (0.5 + placement.x) - window.left, high * (0.5 + placement.y) - window.top)
    if placement.rotation % 360 == 0:
        straight = _straight(placement, across, down, middle, canvas)
        if straight is not None:
            return straight
    return _turned(placement, across, down, middle, canvas, native)


spot = lru_cache(maxsize=256)(spot_once)  # of what moves every frame is another: it is not kept


def _straight(
    placement: Placement, across: float, down: float, middle: tuple[float, float], canvas: tuple[int, int]
) -> Spot | None:
    """The spot of a picture whose edges fall on whole pixels."""
    left, top = middle[0] - across / 2, middle[1] - down / 2
    edges = (left, top, left + across, top + down)
    inner = (
        left + across * placement.left, top + down * placement.top,
        left + across * (1 - placement.right), top + down * (1 - placement.bottom),
    )  # fmt: skip
    near = _NEAR_PLAIN if placement.fills else _NEAR
    if any(abs(edge - round(edge)) > near for edge in (*edges, *inner)):
        return None
    size = (round(edges[2]) - round(edges[0]), round(edges[3]) - round(edges[1]))
    if min(size) < 1 or size[0] > 3 * canvas[0] or size[1] > 3 * canvas[1]:
        return None
    box = (
        max(0, round(inner[0])), max(0, round(inner[1])),
        min(canvas[0], round(inner[2])), min(canvas[1], round(inner[3])),
    )  # fmt: skip
    if box[0] >= box[2] or box[1] >= box[3]:
        return None
    return Spot(size, box, (box[0] - round(edges[0]), box[1] - round(edges[1])))


def _turned(
    placement: Placement, across: float, down: float, middle: tuple[float, float], canvas: tuple[int, int],
    native: tuple[int, int],
) -> Spot | None:  # fmt: skip
    size = (max(1, min(native[0], math.ceil(across))), max(1, min(native[1], math.ceil(down))))
    angle = math.radians(placement.rotation)
    cos, sin = math.cos(angle), math.sin(angle)
    left, right = (placement.left - 0.5) * across, (0.5 - placement.right) * across
    top, bottom = (placement.top - 0.5) * down, (0.5 - placement.bottom) * down
    corners = [
        (middle[0] + cos * u - sin * v, middle[1] + sin * u + cos * v)
        for u, v in ((left, top), (right, top), (right, bottom), (left, bottom))
    ]
    box = (
        max(0, math.floor(min(x for x, _y in corners))), max(0, math.floor(min(y for _x, y in corners))),
        min(canvas[0], math.ceil(max(x for x, _y in corners))), min(canvas[1], math.ceil(max(y for _x, y in corners))),
    )  # fmt: skip
    if box[0] >= box[2] or box[1] >= box[3]:
        return None
    sx, sy = across / size[0], down / size[1]
    # pixel i of the picture has its middle at i + 1/2
    u0, v0 = sx / 2 - across / 2, sy / 2 - down / 2
    matrix = np.array(
        [
            [cos * sx, -sin * sy, middle[0] + cos * u0 - sin * v0 - 0.5 - box[0]],
            [sin * sx, cos * sy, middle[1] + sin * u0 + cos * v0 - 0.5 - box[1]],
        ]
    )
    return Spot(size, box, (0, 0), matrix, _coverage(corners, box))


def _coverage(corners: list[tuple[float, float]], box: tuple[int, int, int, int]) -> Mask | None:
    """How much of each pixel of the box lies inside a rectangle that is given by its corners, clockwise."""
    xs = np.arange(box[0], box[2], dtype=np.float32)[None, :] + np.float32(0.5)
    ys = np.arange(box[1], box[3], dtype=np.float32)[:, None] + np.float32(0.5)
    inside = []
    for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], corners[0]), strict=True):
        length = math.hypot(x1 - x0, y1 - y0) or 1.0
        distance = (x1 - x0) / length * (ys - np.float32(y0)) - (y1 - y0) / length * (xs - np.float32(x0))
        inside.append(np.clip(distance + np.float32(_INSIDE), 0, 1).astype(np.float32))
    mask: Mask = inside[0] * inside[1] * inside[2] * inside[3]
    return None if bool((mask >= 0.999).all()) else np.ascontiguousarray(mask, np.float32)
