"""A cut in which everything is used, for tests and benchmarks."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from agile_shadow.core import timeline as edits
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.project import Clip, Project
from agile_shadow.core.timeline import Colour, Effects, Move, Placement, Title

Picture = NDArray[np.float32]


def named(project: Project, name: str) -> Clip:
    """A clip by its name."""
    return next(clip for clip in project.clips if clip.name == name)


def with_everything(project: Project, frames: int = 16) -> Project:
    """A timeline with zooms, crops, rotation, speeds from 0.25x to 4x, reverse, dissolves, fades, titles, colour and
    two layers, at its end footage with all levels and sound that begins late where the project has them; ``frames`` of
    the clips' own to a block."""
    first = named(project, "A001C002")
    project = project.with_timeline_settings_of(first)
    line = project.timeline
    speeds = ("1", "1/4", "1/2", "-1", "2", "-1/2", "4", "3/4")
    names = ("A001C002", "A001C001", "PCK_0007", "00004", "PCK_0008", "A001C002", "VID_20261012_093142", "AIR_0012")
    for speed, name in zip(speeds, names, strict=True):
        clip = named(project, name)
        rate = clip.original.info.frame_rate
        step = Fraction(speed)
        count = min(frames * (2 if abs(step) > 1 else 1), clip.original.info.frames - 3)
        line = edits.append(line, clip.piece(2 / rate, count / rate))
        if step != 1:
            line = edits.with_speed(line, line.pictures[0].blocks[-1].id, step)
    blocks = line.pictures[0].blocks
    for number, effects in enumerate(
        (
            Effects(Placement(scale=1.2, x=0.05)),
            Effects(Placement(left=0.1, bottom=0.15), colour=Colour(exposure=0.5, saturation=1.3)),
            Effects(Placement(rotation=7, scale=1.15), move=Move(-0.04, 0.03, 1.5, 0.9)),
            Effects(colour=Colour(contrast=1.2, temperature=0.4), fade_in=4),
            Effects(Placement(scale=0.8, x=-0.08, y=0.06)),
        )
    ):
        line = edits.with_effects(line, [blocks[number].id], lambda _old, effects=effects: effects)
    for number in (1, 2, 4, 6):
        line = edits.with_dissolve(line, blocks[number].id, 8)
    line = edits.add_track(line, "picture")
    above = line.pictures[1].id
    second = edits.Targets(above, "")
    line = edits.overwrite(line, named(project, "PCK_0008").piece(Fraction(1, 5), Fraction(3, 5)), 20, second)
    top = line.pictures[1].blocks[0].id
    line = edits.with_effects(
        line, [top], lambda e: replace(e, placement=Placement(scale=0.4, x=0.24, y=-0.2, opacity=0.85), fade_out=5)
    )
    line = edits.add_title(line, above, 50, 30, Title("The Tern Ferry", "bold", 0.12, "lower left"))
    roll = Title("A chain, a crank\nand volunteers", "plain", 0.09, "centre", "#ffd080", "shadow", "right", roll=True)
    line = edits.add_title(line, above, 100, 30, roll)
    for clip in project.clips:
        if clip.name in ("FULL_0001", "LATE_0001"):
            line = edits.append(line, clip.piece(2 / line.rate, max(frames, 8) / line.rate))
    return project.but(timeline=line.checked())


def luma(pixels: NDArray[np.uint8]) -> Picture:
    """Brightness of a picture B G R A."""
    return pixels[..., :3].astype(np.float32) @ np.array([0.0722, 0.7152, 0.2126], np.float32)


def reduced(pixels: NDArray[np.uint8], size: tuple[int, int]) -> Picture:
    """Brightness of a picture brought to a smaller size (width, height)."""
    return cv2.resize(luma(pixels), size, interpolation=cv2.INTER_AREA)


def best_shift(one: Picture, other: Picture) -> tuple[int, int]:
    """The shift of at most a pixel at which two pictures are most alike; none where that is as good."""

    def at(x: int, y: int) -> float:
        high, wide = one.shape
        a = one[1 + y : high - 1 + y, 1 + x : wide - 1 + x]
        return ssim(a, other[1 : high - 1, 1 : wide - 1])

    still = at(0, 0)
    values = {(x, y): at(x, y) for x in (-1, 0, 1) for y in (-1, 0, 1)}
    best = max(values, key=lambda key: values[key])
    return best if values[best] > still + 1e-6 else (0, 0)
