"""What speaks for and against two files being a pair: each thing in words, and weighed.

Weights are natural logarithms of how many times likelier the finding is for a pair than for two strangers, set by hand
from what the findings mean and held against drawn sets (benchmarks).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from ..amounts import counted
from ..media import MediaInfo
from ..time import frame_of, rate_label
from .alignment import NONE, PictureFit, SoundFit
from .names import NameMatch

_RATE_ROOM = Fraction(1, 2000)
_SHAPE_ROOM = 0.03
_ENDS_SHORT = 0.6  # of its original's length: a proxy that is shorter is hardly one
MOVES_ALIKE = 0.6  # correlation from which pictures are the same take's
_MOVES_OTHERWISE = 0.35
_SOUNDS_ALIKE = 0.6


@dataclass(frozen=True)
class Sign:
    """One thing: ``kind`` names it, ``says`` it in words, ``weight`` for (+) or against (-)."""

    kind: str
    weight: float
    says: str


@dataclass(frozen=True)
class Traits:
    """What is compared of a file: its path (``/`` between folders) and what probing said, the timecode in frames."""

    path: str
    info: MediaInfo
    start: int | None = None

    @classmethod
    def of(cls, path: str, info: MediaInfo) -> Traits:
        """Of a probed file."""
        start = None
        if info.start_timecode and info.frame_rate:
            try:
                start = frame_of(info.start_timecode, info.frame_rate)
            except ValueError:
                pass
        return cls(path, info, start)

    @property
    def frames(self) -> int:
        """Its length."""
        return self.info.frames

    @property
    def end(self) -> int:
        """The frame of timecode after its last one; it must have timecode."""
        return (self.start or 0) + self.info.frames


def same_rate(first: Traits, second: Traits) -> bool:
    """Whether frames of both last equally long; files of variable rate are compared by their nominal one."""
    a, b = first.info.frame_rate, second.info.frame_rate
    return bool(a and b) and abs(a / b - 1) <= _RATE_ROOM


def about_name(match: NameMatch) -> Sign:
    """Names that are alike."""
    base = {"taught": 10.0, "same": 6.5, "systematic": 6.0, "within": 3.0}[match.kind]
    weight = base - 1.2 * math.log(match.shared) + (1.5 * min(match.folders, 2) if match.shared > 1 else 0.3)
    words = {
        "same": "the same name",
        "systematic": f"the same name without {match.addition.words}, as in others",
        "taught": f"the same name without {match.addition.words}, as in one confirmed by hand",
        "within": f"the same name without {match.addition.words}",
    }[match.kind]
    if match.shared > 1:
        words += f", which {match.shared} originals have"
        words += ", in a folder of the same name" if match.folders else ""
    return Sign("names", max(weight, 0.5), words)


def about_timecode(original: Traits, file: Traits, alike: int, trusted: bool) -> Sign | None:
    """``alike``: how many originals have that start, or contain it; ``trusted``: not the same one on many files."""
    if original.start is None or file.start is None or not trusted or not same_rate(original, file):
        return None
    rarity = 1.5 * math.log(max(1, alike))
    delta = file.start - original.start
    if delta == 0:
        return Sign("timecode", max(5.0 - rarity, 0.3), f"the same start timecode {file.info.start_timecode}")
    if delta > 0 and file.end <= original.end + 2:
        after = f"its timecode is {counted(delta, 'frame')} after the original's"
        return Sign("timecode", max(4.0 - rarity, 0.2), after)
    return Sign("timecode", -6.0, f"its timecode {file.info.start_timecode} is not within the original's")


def about_length(original: Traits, file: Traits) -> Sign:
    """Numbers of frames."""
    more = file.frames - original.frames
    if more == 0:
        return Sign("length", 2.0, f"the same length, {counted(file.frames, 'frame')}")
    if more > 2:
        return Sign("length", -5.0, f"it is {counted(more, 'frame')} longer than the original")
    if file.frames < _ENDS_SHORT * original.frames and -more > 60:
        return Sign("length", -2.0, f"it has only {file.frames} of {counted(original.frames, 'frame')}")
    return Sign("length", 0.3, f"it has {file.frames} of {counted(original.frames, 'frame')}")


def about_rate(original: Traits, file: Traits) -> Sign:
    """Frame rates."""
    mine, theirs = original.info.frame_rate, file.info.frame_rate
    if same_rate(original, file):
        return Sign("rate", 0.5, f"the same rate, {rate_label(mine)} frames per second")
    return Sign("rate", -8.0, f"it runs at {rate_label(theirs)} fps, the original at {rate_label(mine)}")


def about_shape(original: Traits, file: Traits) -> Sign | None:
    """Width to height as shown."""
    mine, theirs = float(original.info.display_aspect), float(file.info.display_aspect)
    if not mine or not theirs:
        return None
    if abs(theirs / mine - 1) <= _SHAPE_ROOM:
        return Sign("shape", 0.3, "the same shape")
    return Sign("shape", -3.0, f"its aspect ratio is {theirs:.2f}, the original's {mine:.2f}")


def about_channels(original: Traits, file: Traits) -> Sign | None:
    """Numbers of sound channels."""
    mine, theirs = original.info.audio_channels, file.info.audio_channels
    if mine == theirs:
        return Sign("channels", 0.2, f"the same number of sound channels, {mine}") if mine else None
    weight = -0.3 if theirs < mine else -1.5
    return Sign("channels", weight, f"{theirs} sound channels where the original has {mine}")


def about_reel(original: Traits, file: Traits) -> Sign | None:
    """Reels, where both say one."""
    if not original.info.reel or not file.info.reel:
        return None
    if original.info.reel.casefold() == file.info.reel.casefold():
        return Sign("reel", 1.0, f"the same reel, {file.info.reel}")
    return Sign("reel", -2.0, f"reel {file.info.reel}, the original's is {original.info.reel}")


def about_date(original: Traits, file: Traits) -> Sign | None:
    """When both were recorded; a different date says nothing, since tools write their own."""
    if original.info.recorded and original.info.recorded == file.info.recorded:
        return Sign("date", 2.0, f"recorded at the same time, {file.info.recorded}")
    return None


def about_sound(fit: SoundFit | None, rate: Fraction) -> Sign | None:
    """Likeness of the sound."""
    if fit is None:
        return None
    if fit.likeness >= _SOUNDS_ALIKE and fit.likeness - fit.others >= 0.15:
        weight = 8.0 * min(1.0, (fit.likeness - 0.4) / 0.5)
        at = fit.offset(rate)
        place = f", {counted(at, 'frame')} into it" if at else ""
        return Sign("sound", weight, f"the same sound{place} (likeness {fit.likeness:.2f})")
    if fit.likeness < 0.45:
        return Sign("sound", -3.0, f"another sound (likeness {fit.likeness:.2f})")
    return None


def about_picture(fit: PictureFit | None) -> Sign | None:
    """Likeness of the picture."""
    if fit is None:
        return None
    if fit.moving <= NONE:
        if fit.standing < 0.5:
            return Sign("picture", -8.0, f"another picture (likeness {fit.standing:.2f})")
        says = f"the picture looks the same but moves too little to tell (likeness {fit.standing:.2f})"
        return Sign("picture", 3.0 * max(0.0, fit.standing - 0.8) / 0.2, says)
    if fit.moving < _MOVES_OTHERWISE or fit.standing < 0.3:
        return Sign("picture", -10.0, f"another picture (what moves: likeness {fit.moving:.2f})")
    place = f" from its frame {fit.offset} on" if fit.offset else ""
    weight = 13.0 * (fit.moving - 0.42) / 0.58 * max(0.3, min(1.0, fit.standing / 0.8))
    return Sign("picture", weight, f"the same picture{place} (what moves: likeness {fit.moving:.2f})")
