"""The scenes of The Tern Ferry: what moves where at which moment. Times in seconds, places in parts of the picture."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from .canvas import Canvas, Colour, Sprite, ellipse, from_rgb, polygon, sprite

BEAT = 1.0  # seconds between two clunks of the crank; the lamp is lit with each
LAMP = 0.08  # seconds the lamp is lit


@dataclass
class Scene:
    """A scene set up for one size: call :meth:`draw` for any moment."""

    canvas: Canvas
    moving: list[tuple[list[Sprite], Callable[[float], tuple[float, float]]]] = field(default_factory=list)

    def draw(self, seconds: float) -> None:
        """Draw the moment into the canvas, without grain and strip."""
        self.canvas.begin()
        for phases, place in self.moving:
            x, y = place(seconds)
            self.canvas.stamp(phases[int(seconds * 8) % len(phases)], x, y)
        if seconds % BEAT < LAMP:
            self.canvas.stamp(self.lamp, 0.93, 0.14)

    def __post_init__(self) -> None:
        size = max(4, self.canvas.height // 12)
        self.lamp = sprite(ellipse(size, size), from_rgb(255, 214, 120))
        dark = sprite(ellipse(size + size // 4 * 2, size + size // 4 * 2), from_rgb(46, 44, 52))
        self.canvas.stamp_background(dark, 0.93, 0.14)


def _water(canvas: Canvas, sky: tuple[Colour, Colour], sea: tuple[Colour, Colour], horizon: float) -> None:
    canvas.paint_background(*sky, 0, horizon)
    canvas.paint_background(*sea, horizon, 1)


def _ferry(canvas: Canvas, size: float) -> list[tuple[Sprite, float, float]]:
    """Parts of the ferry with their places from its middle, in parts of the picture."""
    width = max(8, int(canvas.width * size))
    height = max(6, width // 5)
    hull = sprite(polygon(width, height, [(0, 0), (1, 0), (0.9, 1), (0.1, 1)]), from_rgb(150, 58, 44))
    cabin = sprite(polygon(width // 3, height, [(0, 0), (1, 0), (1, 1), (0, 1)]), from_rgb(226, 218, 196))
    return [(cabin, 0.0, -height / canvas.height), (hull, 0.0, 0.0)]


def _tern(canvas: Canvas, size: float) -> list[Sprite]:
    width = max(8, int(canvas.width * size))
    height = max(6, width // 3)
    up = [(0, 0), (0.5, 0.7), (1, 0), (0.6, 1), (0.4, 1)]
    down = [(0, 1), (0.5, 0.3), (1, 1), (0.6, 0.1), (0.4, 0.1)]
    flat = [(0, 0.4), (0.5, 0.5), (1, 0.4), (0.5, 0.8)]
    white = from_rgb(244, 244, 240)
    return [sprite(polygon(width, height, shape), white) for shape in (up, flat, down, flat)]


def _add_ferry(scene: Scene, size: float, place: Callable[[float], tuple[float, float]]) -> None:
    for part, dx, dy in _ferry(scene.canvas, size):
        scene.moving.append(([part], lambda t, dx=dx, dy=dy: (place(t)[0] + dx, place(t)[1] + dy)))  # type: ignore[misc]


def _add_terns(scene: Scene, count: int, size: float, middle: float, speed: float) -> None:
    for i in range(count):
        phase = i * 2.4

        def place(t: float, phase: float = phase) -> tuple[float, float]:
            x = 0.5 + 0.45 * math.sin(speed * t + phase)
            return x, middle + 0.16 * math.sin(1.7 * speed * t + 2 * phase)

        scene.moving.append((_tern(scene.canvas, size), place))


def crossing(canvas: Canvas) -> Scene:
    """The ferry crosses; two terns follow."""
    _water(
        canvas, (from_rgb(120, 160, 196), from_rgb(222, 206, 180)), (from_rgb(70, 108, 118), from_rgb(26, 54, 66)), 0.5
    )
    shore = sprite(
        polygon(canvas.width // 2, canvas.height // 6, [(0, 1), (0.3, 0.2), (0.8, 0.5), (1, 1)]), from_rgb(86, 96, 70)
    )
    canvas.stamp_background(shore, 0.2, 0.44)
    scene = Scene(canvas)
    _add_ferry(scene, 0.32, lambda t: (0.1 + 0.11 * t, 0.6 + 0.01 * math.sin(3 * t)))
    _add_terns(scene, 2, 0.06, 0.28, 0.9)
    return scene


def colony(canvas: Canvas) -> Scene:
    """Many terns above their island."""
    _water(
        canvas, (from_rgb(176, 196, 206), from_rgb(230, 226, 212)), (from_rgb(108, 126, 92), from_rgb(60, 72, 48)), 0.62
    )
    scene = Scene(canvas)
    _add_terns(scene, 9, 0.055, 0.42, 1.1)
    return scene


def crank(canvas: Canvas) -> Scene:
    """The crank of the ferry, turning once a beat."""
    _water(canvas, (from_rgb(78, 66, 56), from_rgb(110, 92, 74)), (from_rgb(96, 78, 60), from_rgb(52, 42, 34)), 0.7)
    size = canvas.height // 2
    canvas.stamp_background(sprite(ellipse(size, size), from_rgb(40, 44, 50)), 0.45, 0.5)
    canvas.stamp_background(sprite(ellipse(size * 4 // 5, size * 4 // 5), from_rgb(120, 104, 84)), 0.45, 0.5)
    scene = Scene(canvas)
    ratio = canvas.height / canvas.width
    for i in range(6):
        turn = i * math.pi / 3

        def place(t: float, turn: float = turn) -> tuple[float, float]:
            angle = 2 * math.pi * t / BEAT + turn
            return 0.45 + 0.2 * ratio * math.cos(angle), 0.5 + 0.2 * math.sin(angle)

        knob = max(4, canvas.height // (10 if i == 0 else 20))
        colour = from_rgb(200, 60, 44) if i == 0 else from_rgb(60, 64, 70)
        scene.moving.append(([sprite(ellipse(knob, knob), colour)], place))
    return scene


def from_above(canvas: Canvas) -> Scene:
    """The strait from the air: island, chain, ferry."""
    _water(canvas, (from_rgb(30, 92, 104), from_rgb(40, 110, 116)), (from_rgb(40, 110, 116), from_rgb(24, 76, 92)), 0.5)
    island = sprite(ellipse(canvas.width // 3, canvas.height // 2), from_rgb(148, 142, 98))
    canvas.stamp_background(
        sprite(ellipse(canvas.width * 2 // 5, canvas.height * 3 // 5), from_rgb(196, 186, 150)), 0.78, 0.55
    )
    canvas.stamp_background(island, 0.78, 0.55)
    chain = sprite(
        polygon(canvas.width, max(2, canvas.height // 200), [(0, 0), (1, 0), (1, 1), (0, 1)]), from_rgb(18, 40, 48)
    )
    canvas.stamp_background(chain, 0.5, 0.55)
    scene = Scene(canvas)
    _add_ferry(scene, 0.08, lambda t: (0.1 + 0.07 * t, 0.55))
    _add_terns(scene, 5, 0.02, 0.4, 0.6)
    return scene


def jetty(canvas: Canvas) -> Scene:
    """Dusk at the jetty; the ferry comes home."""
    _water(canvas, (from_rgb(54, 46, 84), from_rgb(226, 138, 92)), (from_rgb(120, 82, 84), from_rgb(34, 30, 52)), 0.55)
    post = sprite(
        polygon(canvas.width // 40, canvas.height // 2, [(0, 0), (1, 0), (1, 1), (0, 1)]), from_rgb(34, 26, 26)
    )
    for i in range(5):
        canvas.stamp_background(post, 0.08 + 0.09 * i, 0.78)
    scene = Scene(canvas)
    _add_ferry(scene, 0.22, lambda t: (0.95 - 0.08 * t, 0.62))
    _add_terns(scene, 1, 0.05, 0.3, 1.3)
    return scene


def chick(canvas: Canvas) -> Scene:
    """A tern chick on shingle hops toward the camera."""
    _water(
        canvas,
        (from_rgb(200, 196, 186), from_rgb(176, 170, 158)),
        (from_rgb(158, 150, 138), from_rgb(120, 112, 102)),
        0.4,
    )
    stone = max(6, canvas.width // 14)
    for i in range(24):
        shade = 100 + i * 37 % 90
        canvas.stamp_background(
            sprite(ellipse(stone, stone * 2 // 3), from_rgb(shade, shade - 6, shade - 14)),
            i * 0.37 % 1,
            0.45 + i * 0.23 % 0.5,
        )
    scene = Scene(canvas)
    body = max(8, min(canvas.width, canvas.height) // 4)
    for colour, width, dy in ((from_rgb(214, 190, 150), body, 0.0), (from_rgb(188, 160, 120), body // 2, -0.09)):
        scene.moving.append(
            (
                [sprite(ellipse(width, width), colour)],
                lambda t, dy=dy: (0.3 + 0.08 * t, 0.66 + dy - 0.05 * abs(math.sin(math.pi * t / BEAT))),  # type: ignore[misc]
            )
        )
    return scene


SCENES: dict[str, Callable[[Canvas], Scene]] = {
    "crossing": crossing,
    "colony": colony,
    "crank": crank,
    "from_above": from_above,
    "jetty": jetty,
    "chick": chick,
}
