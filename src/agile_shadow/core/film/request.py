"""What is asked for when a film is to be made, and the row of frames that this gives."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

from ..amounts import counted
from ..errors import ExportError
from ..media import SAMPLE_RATE, fit_rectangle, proxy_size
from ..media.geometry import Rectangle
from ..presets import Mark
from ..project import Project
from ..time import frame_of, is_drop_frame, nominal_rate, timecode_at
from ..timeline import Timeline, first_timecode
from .formats import format_named
from .settings import FilmSettings, cannot_be_made

DRAFT_WIDTH = 1280  # pixels
_DRAFT_MARKS = (
    Mark(kind="text", text="DRAFT {name}", x=0.0, y=0.0, size=0.06),
    Mark(kind="timecode", x=1.0, y=0.0, size=0.06),
)


@dataclass(frozen=True)
class FilmRequest:
    """Frames ``first`` to before ``end`` (None: its end) of the project's open timeline, made into ``out``.

    ``draft``: from whatever is quickest, small, and marked as that on every picture. ``helpers``: another machine
    makes it, where one that can is free.
    """

    project: Project
    out: Path
    settings: FilmSettings
    first: int = 0
    end: int | None = None
    draft: bool = False
    helpers: bool = False

    def checked(self) -> FilmRequest:
        """Itself; raises ExportError for what cannot be made."""
        line, out = self.project.timeline, self.out
        why = cannot_be_made(self.settings)
        if why:
            raise ExportError(why, out, "Choose other film settings.")
        if not line.length or not line.rate:
            raise ExportError("the timeline is empty", None, "Add a clip first.")
        if not 0 <= self.first < self.last <= line.length:
            has = f"It has {counted(line.length, 'frame')}, from 0."
            raise ExportError("the range has no frame of the timeline", out, has)
        if out.suffix.lower() != self.settings.ending:
            wanted = self.settings.ending or "no extension: it is a folder"
            raise ExportError(f'its extension does not fit the settings "{self.settings.name}"', out, f"Use {wanted}.")
        if self.settings.picture is not None:
            chosen = format_named(self.settings.picture.format)
            if self.size[0] < chosen.smallest[0] or self.size[1] < chosen.smallest[1]:
                least = f"{chosen.smallest[0]} x {chosen.smallest[1]}"
                raise ExportError(f"{chosen.label} holds no picture smaller than {least}", out, "Choose another size.")
        return self

    @property
    def line(self) -> Timeline:
        """The timeline."""
        return self.project.timeline

    @property
    def last(self) -> int:
        """The frame of the timeline after the last one."""
        return self.line.length if self.end is None else self.end

    @cached_property
    def rate(self) -> Fraction:
        """Frames per second of the film."""
        picture = self.settings.picture
        return (picture.rate if picture is not None else None) or self.line.rate

    @property
    def seconds(self) -> Fraction:
        """Its length."""
        return (self.last - self.first) / self.line.rate

    @cached_property
    def count(self) -> int:
        """Frames of the film."""
        return 1 if self.settings.file == "still" else max(1, round(self.seconds * self.rate))

    @property
    def sound_rate(self) -> int:
        """Samples a second of its sound: the timeline's, but MXF holds 48 kHz only."""
        return SAMPLE_RATE if self.settings.file == "mxf" else self.line.sound_rate

    @property
    def samples(self) -> tuple[int, int]:
        """The samples of the timeline's sound, from the first to before the last."""
        begin = round(self.first / self.line.rate * self.sound_rate)
        return begin, begin + round(self.seconds * self.sound_rate)

    @cached_property
    def size(self) -> tuple[int, int]:
        """Width and height of its picture; a draft has at most 1280 pixels across unless the settings say a size."""
        picture = self.settings.picture
        if picture is not None and picture.width and picture.height:
            return picture.width, picture.height
        wide, high = self.line.width // 2 * 2, self.line.height // 2 * 2
        if self.draft and wide > DRAFT_WIDTH:
            return proxy_size(wide, high, Fraction(DRAFT_WIDTH, wide))
        return wide, high

    @cached_property
    def inner(self) -> Rectangle:
        """Where the timeline's frame lies in the film's, in even pixels."""
        wide, high = self.size
        fitted = fit_rectangle(Fraction(self.line.width, self.line.height), wide, high)
        width, height = fitted.width // 2 * 2, fitted.height // 2 * 2
        return Rectangle((wide - width) // 4 * 2, (high - height) // 4 * 2, width, height)

    @property
    def marks(self) -> tuple[Mark, ...]:
        """What is laid on every picture; a draft always says that it is one."""
        return (*_DRAFT_MARKS, *self.settings.marks[:6]) if self.draft else self.settings.marks

    def frame_at(self, number: int) -> int:
        """The frame of the timeline that frame ``number`` of the film shows."""
        return min(self.last - 1, self.first + int(number / self.rate * self.line.rate))

    def timecode(self, number: int) -> str:
        """The timecode of a frame of the film, counted at the film's rate."""
        if self.rate == self.line.rate:
            return self.line.timecode(self.first + number)
        text = first_timecode(replace(self.line, start=self.line.start + self.first), self.rate)
        drop = is_drop_frame(text)
        return timecode_at(frame_of(text, self.rate) + number, self.rate, drop)

    @property
    def can_hold_timecode(self) -> bool:
        """Whether its kind of file holds timecode, at a rate that has one."""
        return self.settings.file in ("mov", "mp4", "mxf") and nominal_rate(self.rate) <= 60


@dataclass(frozen=True)
class FilmResult:
    """The finished film, proven: ``seconds`` its length, ``sources`` the files it was made from, ``pace`` frames made
    per second. ``original_pace``: for a draft, the frames per second that the film from originals was measured at."""

    path: Path
    frames: int
    seconds: Fraction
    sources: tuple[Path, ...]
    settings: str
    draft: bool
    pace: float
    certificate: Path | None
    loudness: dict[str, float] | None = None
    original_pace: float = 0.0
    notes: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Plain values, as the command line prints them."""
        kind = "any" if self.draft else "original"
        return {
            "path": str(self.path),
            "frames": self.frames,
            "seconds": float(self.seconds),
            "settings": self.settings,
            "draft": self.draft,
            "sources": [{"path": str(path), "kind": kind} for path in self.sources],
            "certificate": str(self.certificate) if self.certificate else None,
            "frames_per_second": round(self.pace, 2),
            "loudness": self.loudness,
            "notes": list(self.notes),
        }
