"""The settings of a timeline: frame size, rate, first timecode, how footage of another shape lies in the frame."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from fractions import Fraction

from ..time import frame_of, is_drop_frame, nominal_rate, timecode_at
from .effects import SHAPES
from .model import Block, Dissolve, Timeline, Track

SOUND_RATES = (44_100, 48_000, 96_000)  # samples a second


@dataclass(frozen=True)
class Settings:
    """``start``: timecode of the first frame, with ``;`` where it is drop-frame. Width and height in pixels;
    ``sound_rate`` in samples a second."""

    width: int
    height: int
    rate: Fraction
    start: str = "00:00:00:00"
    shape: str = "fit"
    sound_rate: int = 48_000

    @classmethod
    def of(cls, line: Timeline) -> Settings:
        """Those of a timeline."""
        return cls(line.width, line.height, line.rate, line.timecode(0), line.shape, line.sound_rate)

    def checked(self) -> Settings:
        """Itself; raises ValueError with what is wrong, for a person."""
        if min(self.width, self.height) < 32 or max(self.width, self.height) > 16_384 or self.width % 2 or (
            self.height % 2
        ):  # fmt: skip
            raise ValueError("a frame has from 32 to 16,384 pixels, in even numbers")
        if not 1 <= self.rate <= 240:
            raise ValueError("a timeline has from 1 to 240 frames per second")
        if self.shape not in SHAPES:
            raise ValueError(f"footage is not laid {self.shape!r}")
        if self.sound_rate not in SOUND_RATES:
            raise ValueError(f"sound has {', '.join(f'{one:,}' for one in SOUND_RATES)} samples a second")
        if is_drop_frame(self.start) and not can_drop(self.rate):
            raise ValueError("only timecode at 29.97 and 59.94 frames per second leaves numbers out (drop-frame)")
        frame_of(self.start, self.rate)
        return self


def can_drop(rate: Fraction) -> bool:
    """Whether drop-frame timecode exists for a rate (SMPTE ST 12-1)."""
    return rate.denominator == 1001 and nominal_rate(rate) % 30 == 0


def first_timecode(line: Timeline, rate: Fraction) -> str:
    """The first timecode of a timeline as it is counted at another rate: the same second, the frame in proportion."""
    text = timecode_at(line.start, line.rate or rate, line.drop)
    if rate == line.rate:
        return text
    frames = int(text[9:]) * nominal_rate(rate) // nominal_rate(line.rate or rate)
    mark = ";" if line.drop and can_drop(rate) else ":"
    written = f"{text[:8]}{mark}{frames:02d}"
    try:
        frame_of(written, rate)
    except ValueError:  # one of the numbers that drop-frame leaves out
        written = f"{text[:8]}:{frames:02d}"
    return written


def with_settings(line: Timeline, settings: Settings) -> tuple[Timeline, tuple[str, ...]]:
    """A timeline with other settings, and what could not stay exactly as it was, a sentence each.

    Blocks keep their moments in time; where these fall between two frames of a new rate, they begin or end at the
    nearer one. Raises ValueError for settings without a meaning.
    """
    settings = settings.checked()
    told: list[str] = []
    now = _retimed(line, settings.rate, told) if line.rate and settings.rate != line.rate else line
    return replace(
        now,
        width=settings.width,
        height=settings.height,
        rate=settings.rate,
        start=frame_of(settings.start, settings.rate),
        drop=is_drop_frame(settings.start),
        shape=settings.shape,
        sound_rate=settings.sound_rate,
    ).checked(), tuple(told)


def _retimed(line: Timeline, rate: Fraction, told: list[str]) -> Timeline:
    ratio = rate / line.rate
    moved = 0
    tracks = []
    for track in line.tracks:
        blocks, inexact = _retimed_blocks(track, ratio, rate)
        moved += inexact
        tracks.append(replace(track, blocks=blocks))
    if moved:
        told.append(f"{moved} {'block begins or ends' if moved == 1 else 'blocks begin or end'} between two frames of "
                    "the new rate, and now at the nearer one.")  # fmt: skip

    def at(frame: int | None) -> int | None:
        return None if frame is None else math.floor(frame * ratio)

    markers = tuple(replace(one, frame=math.floor(one.frame * ratio)) for one in line.markers)
    return replace(line, rate=rate, tracks=tuple(tracks), markers=markers, mark_in=at(line.mark_in),
                   mark_out=at(line.mark_out))  # fmt: skip


def _retimed_blocks(track: Track, ratio: Fraction, rate: Fraction) -> tuple[tuple[Block, ...], int]:
    done: list[Block] = []
    inexact = end = 0
    for block in track.blocks:
        first, last = block.start * ratio, block.end * ratio
        start = max(end, math.floor(first + Fraction(1, 2)))
        new = replace(block, start=start, length=max(1, math.floor(last + Fraction(1, 2)) - start))
        while new.length > 1 and min(new.handles(rate)) < 0:
            new = replace(new, length=new.length - 1)
        inexact += first != new.start or last != new.end
        effects = replace(new.effects, fade_in=_scaled(new.effects.fade_in, ratio, new.length),
                          fade_out=_scaled(new.effects.fade_out, ratio, new.length))  # fmt: skip
        new = replace(new, effects=effects if effects != new.effects else new.effects)
        done.append(replace(new, dissolve=_dissolve(done[-1] if done else None, new, ratio, rate)))
        end = new.end
    return tuple(done), inexact


def _scaled(frames: int, ratio: Fraction, most: int) -> int:
    return min(most, max(1, round(frames * ratio))) if frames else 0


def _dissolve(earlier: Block | None, block: Block, ratio: Fraction, rate: Fraction) -> Dissolve | None:
    """The dissolve at the new rate, as far as there is footage for it."""
    old = block.dissolve
    if old is None or earlier is None or earlier.end != block.start:
        return None
    before = min(math.floor(old.before * ratio), block.handles(rate)[0], earlier.length)
    after = min(math.floor(old.after * ratio), earlier.handles(rate)[1], block.length)
    return Dissolve(max(0, before), max(0, after)) if before + after > 0 else None
