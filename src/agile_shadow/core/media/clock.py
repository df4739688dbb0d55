"""When a sound recording began: samples since midnight, as a Broadcast Wave file says.

EBU Tech 3285 (the ``bext`` chunk's time reference) and the iXML specification, chunk ``iXML`` of a RIFF file: its
``TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI`` and ``_LO`` with ``TIMESTAMP_SAMPLE_RATE``.
"""

from __future__ import annotations

import os
import re
from fractions import Fraction
from pathlib import Path

from av.container import InputContainer

from .riff import wave_chunks

_DAY = 24 * 3600
_MOST_TEXT = 1_000_000


def since_midnight(path: Path, container: InputContainer, sample_rate: int) -> Fraction | None:
    """Seconds since midnight at which a recording began; None where it does not say. Raises OSError."""
    said = str(container.metadata.get("time_reference", ""))
    if said.isdigit() and len(said) < 20 and int(said) and sample_rate > 0:
        return _within_a_day(Fraction(int(said), sample_rate))
    return _from_ixml(_ixml(path), sample_rate)


def _within_a_day(seconds: Fraction) -> Fraction | None:
    return seconds if 0 <= seconds < 2 * _DAY else None


def _from_ixml(text: str, sample_rate: int) -> Fraction | None:
    high, low = (_number(text, f"TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_{part}") for part in ("HI", "LO"))
    rate = _number(text, "TIMESTAMP_SAMPLE_RATE")
    if low is None:
        return None
    rate = rate or sample_rate
    return _within_a_day(Fraction(((high or 0) << 32) + low, rate)) if rate > 0 else None


def _number(text: str, tag: str) -> int | None:
    found = re.search(rf"<{tag}>\s*(\d{{1,19}})\s*</{tag}>", text)
    return int(found[1]) if found else None


def _ixml(path: Path) -> str:
    """The text of a wave file's iXML chunk, "" where it has none."""
    with wave_chunks(path) as (handle, chunks):
        found = next((one for one in chunks if one.name == b"iXML"), None)
        if found is None:
            return ""
        return os.pread(handle, min(found.size, _MOST_TEXT), found.begin).decode("utf-8", "replace")
