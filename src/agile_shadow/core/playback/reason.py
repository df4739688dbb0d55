"""Why playing falls behind, in plain words, and what mends it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

from ..project import Project
from ..switch import Choice
from .meter import MeterReading

Mend = Literal["show proxies", "unpin", "make a proxy", "bake", "less detail", ""]
_ENOUGH = 1.3  # times its rate at which a file decodes while other work goes on


@dataclass(frozen=True)
class Reason:
    """A sentence, what mends it, and the clip it is about ("" for none); ``what`` is wrong, in a word."""

    text: str
    mend: Mend
    clip: str = ""
    what: str = "Late"


def why_late(
    reading: MeterReading,
    project: Project,
    shown: Sequence[Choice],
    detail: Fraction,
    pace: Callable[[Path], float | None],
) -> Reason | None:
    """The reason when the meter is short, else None. ``pace``: how many times its own rate a file decodes, if known."""
    if not reading.short or reading.frames < reading.wanted:
        return None
    paces = [
        (value, choice) for choice in shown if choice.path is not None and (value := pace(choice.path)) is not None
    ]
    slow = min(paces, key=lambda one: one[0], default=None)
    if slow is not None and slow[0] < _ENOUGH and slow[1].kind == "original":
        return _heavy(project, slow[1], slow[0], pace)
    if len(shown) > 1:
        return Reason(f"{len(shown)} layers are drawn at once, more than this machine keeps up with", "bake")
    if slow is not None and slow[0] < _ENOUGH:
        return Reason(f"this proxy decodes at {_times(slow[0])} of its rate here; a lighter preset would play", "")
    if detail > Fraction(1, 4):
        return Reason("decoding is quick enough, but drawing the picture at this size is not", "less detail")
    return Reason("other work on this machine takes the time", "")


def _heavy(project: Project, choice: Choice, ratio: float, pace: Callable[[Path], float | None]) -> Reason:
    clip = choice.clip
    text = f"the original of {clip.name} decodes at {_times(ratio)} of its rate"
    if not clip.proxies:
        return Reason(f"{text}, and it has no proxy", "make a proxy", clip.id)
    place = project.place_or_none(clip.proxies[-1].file)
    light = pace(place) if place is not None else None
    text += f"; its proxy at {_times(light)}" if light is not None else "; its proxy is lighter"
    return Reason(text, "show proxies" if project.showing == "originals" else "unpin", clip.id)


def _times(ratio: float) -> str:
    return f"{ratio:.1f}" if ratio < 2 else f"{ratio:.0f}"
