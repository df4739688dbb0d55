"""What a hand does to a picture in the frame: moved, sized, turned, cropped. No interface code: points and numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ..timeline import Placement
from .placing import outline

Point = tuple[float, float]
_LEAST, _MOST = 0.02, 20.0  # of the size
_NEAR = 0.008  # parts of the frame within which the middle catches
_STEP = 15  # degrees in which a turn catches
_SLIVER = 0.02  # of the picture that cropping leaves
GRIPS = ("upper left", "upper right", "lower right", "lower left")
EDGES = ("top", "right", "bottom", "left")


@dataclass(frozen=True)
class Held:
    """A picture of ``aspect`` in a frame of ``frame_aspect``; ``enlarged``: how much its shape in the frame enlarges it
    beside its own scale. Points are parts of the frame's width and height."""

    placement: Placement
    aspect: float
    frame_aspect: float
    enlarged: float = 1.0

    def corners(self) -> tuple[Point, ...]:
        """Of what is seen of it, clockwise from its upper left."""
        laid = replace(self.placement, scale=self.placement.scale * self.enlarged)
        return outline(laid, self.aspect, self.frame_aspect)

    def middles(self) -> tuple[Point, ...]:
        """Of its edges: top, right, bottom, left."""
        corners = self.corners()
        return tuple(
            ((one[0] + other[0]) / 2, (one[1] + other[1]) / 2)
            for one, other in zip(corners, (*corners[1:], corners[0]), strict=True)
        )

    def knob(self, away: float) -> Point:
        """Where it is turned: ``away`` (parts of the frame's height) from the middle of its upper edge."""
        top = self.middles()[0]
        angle = math.radians(self.placement.rotation)
        return top[0] + math.sin(angle) * away / self.frame_aspect, top[1] - math.cos(angle) * away

    def contains(self, point: Point) -> bool:
        """Whether a point is on it."""
        corners = [(x * self.frame_aspect, y) for x, y in self.corners()]
        x, y = point[0] * self.frame_aspect, point[1]
        sides = [
            (x1 - x0) * (y - y0) - (y1 - y0) * (x - x0)
            for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], corners[0]), strict=True)
        ]
        return all(side >= 0 for side in sides)

    def moved(self, start: Point, end: Point, free: bool = False) -> Placement:
        """Dragged from one point to another; the middle of the frame catches it, unless it is to be ``free``."""
        x, y = self.placement.x + end[0] - start[0], self.placement.y + end[1] - start[1]
        if not free:
            x, y = (0.0 if abs(value) < _NEAR else value for value in (x, y))
        return replace(self.placement, x=_within(x, 50), y=_within(y, 50))

    def sized(self, start: Point, end: Point) -> Placement:
        """A corner dragged: as much larger as the pointer is further from the middle."""
        before, after = self._reach(start), self._reach(end)
        ratio = after / before if before > 1e-6 else 1.0
        return replace(self.placement, scale=min(_MOST, max(_LEAST, self.placement.scale * ratio)))

    def turned(self, start: Point, end: Point, stepped: bool = False) -> Placement:
        """Turned about its middle; ``stepped``: in steps of 15 degrees."""
        rotation = self.placement.rotation + math.degrees(self._angle(end) - self._angle(start))
        rotation = (rotation + 180) % 360 - 180
        return replace(self.placement, rotation=round(rotation / _STEP) * _STEP if stepped else rotation)

    def cropped(self, edge: str, point: Point) -> Placement:
        """An edge dragged to a point."""
        across, down = self._inside(point)
        placement = self.placement
        opposite = {"left": placement.right, "right": placement.left, "top": placement.bottom, "bottom": placement.top}
        part = {"left": across, "right": 1 - across, "top": down, "bottom": 1 - down}[edge]
        return replace(placement, **{edge: max(0.0, min(part, 1 - opposite[edge] - _SLIVER))})  # type: ignore[arg-type]

    def _from_middle(self, point: Point) -> Point:
        return (point[0] - 0.5 - self.placement.x) * self.frame_aspect, point[1] - 0.5 - self.placement.y

    def _reach(self, point: Point) -> float:
        return math.hypot(*self._from_middle(point))

    def _angle(self, point: Point) -> float:
        x, y = self._from_middle(point)
        return math.atan2(y, x)

    def _inside(self, point: Point) -> Point:
        """A point as parts of the whole picture's width and height."""
        x, y = self._from_middle(point)
        angle = math.radians(self.placement.rotation)
        u, v = math.cos(angle) * x + math.sin(angle) * y, -math.sin(angle) * x + math.cos(angle) * y
        scale = self.placement.scale * self.enlarged
        across = min(1.0, self.aspect / self.frame_aspect) * scale * self.frame_aspect
        return u / across + 0.5, v / (min(1.0, self.frame_aspect / self.aspect) * scale) + 0.5


def _within(value: float, most: float) -> float:
    return min(most, max(-most, value))
