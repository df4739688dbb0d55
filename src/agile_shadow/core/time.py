"""Frame rates as exact fractions, whole frame numbers, and timecode (SMPTE ST 12-1)."""

from __future__ import annotations

import re
from fractions import Fraction

STANDARD_RATES = tuple(
    Fraction(n, d)
    for n, d in (
        (24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1), (60000, 1001), (60, 1),
        (12, 1), (15, 1), (15000, 1001), (48000, 1001), (100, 1), (120000, 1001), (120, 1), (240, 1),
    )
)  # fmt: skip

_TIMECODE = re.compile(r"^(\d{1,2}):(\d{2}):(\d{2})([:;.])(\d{2,3})$")


def parse_rate(text: str) -> Fraction:
    """Frames per second from ``"24000/1001"`` or ``"25"``; raises ValueError for anything not positive."""
    rate = Fraction(text)
    if rate <= 0:
        raise ValueError(f"a frame rate is positive, not {text}")
    return rate


def rate_text(rate: Fraction) -> str:
    """The exact rate for files and scripts: ``"25/1"``."""
    return f"{rate.numerator}/{rate.denominator}"


def rate_label(rate: Fraction) -> str:
    """The rate for a person: ``"25"``, ``"23.976"``."""
    return str(rate.numerator) if rate.denominator == 1 else f"{float(rate):.3f}".rstrip("0")


def nearest_standard_rate(rate: Fraction) -> Fraction:
    """The usual frame rate nearest to a measured one."""
    return min(STANDARD_RATES, key=lambda standard: abs(standard - rate))


def nominal_rate(rate: Fraction) -> int:
    """Frames that timecode counts per second: 30 for 30000/1001."""
    return max(1, round(rate))


def _dropped_per_minute(rate: Fraction) -> int:
    return nominal_rate(rate) // 15


def timecode_at(frame: int, rate: Fraction, drop_frame: bool = False) -> str:
    """Timecode of frame number ``frame`` (0 is 00:00:00:00); wraps after 24 hours. Drop-frame is written with ``;``."""
    nominal = nominal_rate(rate)
    if drop_frame:
        dropped = _dropped_per_minute(rate)
        ten_minutes = nominal * 600 - dropped * 9
        minute = nominal * 60 - dropped
        tens, rest = divmod(frame % (ten_minutes * 144), ten_minutes)
        frame = tens * 10 * nominal * 60 + rest
        if rest >= nominal * 60:
            minutes, within = divmod(rest - nominal * 60, minute)
            frame = (tens * 10 + 1 + minutes) * nominal * 60 + within + dropped
    frame %= nominal * 86400
    seconds, frames = divmod(frame, nominal)
    mark = ";" if drop_frame else ":"
    width = 3 if nominal > 100 else 2
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{frames:0{width}d}"


def frame_of(timecode: str, rate: Fraction) -> int:
    """Frame number of a timecode; ``;`` or ``.`` before the frames means drop-frame. Raises ValueError."""
    match = _TIMECODE.match(timecode.strip())
    if match is None:
        raise ValueError(f"not a timecode: {timecode!r}")
    hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
    nominal = nominal_rate(rate)
    if minutes > 59 or seconds > 59 or frames >= nominal:
        raise ValueError(f"not a timecode at {rate_label(rate)} frames per second: {timecode!r}")
    number = ((hours * 60 + minutes) * 60 + seconds) * nominal + frames
    if is_drop_frame(timecode):
        total_minutes = hours * 60 + minutes
        if minutes % 10 and seconds == 0 and frames < _dropped_per_minute(rate):
            raise ValueError(f"{timecode!r} is one of the numbers that drop-frame timecode leaves out")
        number -= _dropped_per_minute(rate) * (total_minutes - total_minutes // 10)
    return number


def is_drop_frame(timecode: str) -> bool:
    """True when the timecode is written as drop-frame."""
    return len(timecode) > 3 and (";" in timecode or "." in timecode)


def clock_text(seconds: float) -> str:
    """A rough length for a person: ``"6 min"``, ``"40 s"``, ``"2 h 05 min"``."""
    whole = max(0, round(seconds))
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{(whole + 30) // 60} min"
    return f"{whole // 3600} h {whole % 3600 // 60:02d} min"
