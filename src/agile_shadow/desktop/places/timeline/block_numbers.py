"""The numbers that can be set on a block, as they are shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ....core.timeline import Effects, Move, Placement


@dataclass(frozen=True)
class Figure:
    """A number of :class:`Effects` as it is shown: ``times`` the value that is kept."""

    name: str
    label: str
    suffix: str
    low: float
    high: float
    step: float
    decimals: int
    times: float
    get: Callable[[Effects], float]
    put: Callable[[Effects, float], Effects]
    tip: str = ""


def _placed(name: str) -> tuple[Callable[[Effects], float], Callable[[Effects, float], Effects]]:
    return (
        lambda effects: getattr(effects.placement, name),
        lambda effects, value: replace(effects, placement=replace(effects.placement, **{name: value})),
    )


def _coloured(name: str) -> tuple[Callable[[Effects], float], Callable[[Effects, float], Effects]]:
    return (
        lambda effects: getattr(effects.colour, name),
        lambda effects, value: replace(effects, colour=replace(effects.colour, **{name: value})),
    )


def _own(name: str, whole: bool) -> tuple[Callable[[Effects], float], Callable[[Effects, float], Effects]]:
    return (
        lambda effects: getattr(effects, name),
        lambda effects, value: replace(effects, **{name: int(value) if whole else value}),
    )


def _moved(name: str) -> tuple[Callable[[Effects], float], Callable[[Effects, float], Effects]]:
    """A value at the end of a slow movement; without one, that of the placement."""

    def put(effects: Effects, value: float) -> Effects:
        return replace(effects, move=replace(effects.move or at_rest(effects.placement), **{name: value}))  # type: ignore[arg-type]

    return lambda effects: getattr(effects.move or effects.placement, name), put


def at_rest(placement: Placement) -> Move:
    """A movement that ends where it begins."""
    return Move(placement.x, placement.y, placement.scale, placement.opacity)


SOUND = (Figure("gain", "Gain", " dB", -60, 24, 0.5, 1, 1, *_own("gain", False)),)
FADES = (
    Figure("fade_in", "Fade in", " frames", 0, 9999, 1, 0, 1, *_own("fade_in", True)),
    Figure("fade_out", "Fade out", " frames", 0, 9999, 1, 0, 1, *_own("fade_out", True)),
)
PLACE = (
    Figure("x", "Horizontal", " %", -300, 300, 0.5, 1, 100, *_placed("x"), "Of the frame's width"),
    Figure("y", "Vertical", " %", -300, 300, 0.5, 1, 100, *_placed("y"), "Of the frame's height"),
    Figure("scale", "Size", " %", 1, 5000, 1, 1, 100, *_placed("scale"), "100 % fits it into the frame"),
    Figure("rotation", "Rotation", "°", -360, 360, 1, 1, 1, *_placed("rotation"), "Clockwise"),
    Figure("left", "Crop left", " %", 0, 99, 0.5, 1, 100, *_placed("left")),
    Figure("right", "Crop right", " %", 0, 99, 0.5, 1, 100, *_placed("right")),
    Figure("top", "Crop top", " %", 0, 99, 0.5, 1, 100, *_placed("top")),
    Figure("bottom", "Crop bottom", " %", 0, 99, 0.5, 1, 100, *_placed("bottom")),
    Figure("opacity", "Opacity", " %", 0, 100, 1, 0, 100, *_placed("opacity")),
)
END = (
    Figure("end_x", "Ends horizontal", " %", -300, 300, 0.5, 1, 100, *_moved("x"), "Of the frame's width"),
    Figure("end_y", "Ends vertical", " %", -300, 300, 0.5, 1, 100, *_moved("y"), "Of the frame's height"),
    Figure("end_scale", "Ends at size", " %", 1, 5000, 1, 1, 100, *_moved("scale"), "Size at the last frame"),
    Figure("end_opacity", "Ends at opacity", " %", 0, 100, 1, 0, 100, *_moved("opacity"), "Opacity at the last frame"),
)
COLOUR = (
    Figure("exposure", "Exposure", " stops", -8, 8, 0.1, 2, 1, *_coloured("exposure")),
    Figure("temperature", "Temperature", " %", -100, 100, 1, 0, 100, *_coloured("temperature"), "Colder below 0"),
    Figure("contrast", "Contrast", " %", 0, 400, 1, 0, 100, *_coloured("contrast")),
    Figure("saturation", "Saturation", " %", 0, 400, 1, 0, 100, *_coloured("saturation")),
)
