"""What is odd about a file, and whether it is whole, as far as its header, its index and its packets tell.

Odd is what is right but unusual, and worth knowing. Damaged is what is not all there: its header counts more than its
packets, or they say of themselves that they are not whole. What only decoding shows is not seen here.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..amounts import counted
from .index import FrameIndex
from .packets import Gap, Packets, packets_of
from .recording import form_of
from .riff import missing_from_wave

_UNSPECIFIED = 2  # ITU-T H.273
_LATE = Fraction(1, 50)  # seconds
_SHOWN = 3  # gaps and frames that are named singly
_SAYS_ITS_LENGTH = ("matroska", "mxf", "avi", "wav", "w64", "aiff", "caf", "flac")
_LIGHT = 200_000_000  # bytes of a sound file that is read through
_SHORT = Fraction(1, 10)  # seconds by which a header may be off


def picture_oddities(
    path: Path, container: InputContainer, stream: VideoStream, index: FrameIndex, first: VideoFrame
) -> tuple[str, ...]:
    """Sentences about a file with a picture; ``first``: its first frame. Raises MediaError, OSError."""
    found = list(_of_picture(container, stream, index, first))
    if form_of(path) != "file":
        return tuple(found)
    for sound in container.streams.audio:
        late = _begins(sound) - _begins(stream)
        if abs(late) > _LATE and sound.start_time is not None:
            found.append(f"its sound begins {_seconds(abs(late))} {'after' if late > 0 else 'before'} its picture")
            break
    found += gap_words(_gaps(path, container, stream), _begins(stream))
    return tuple(found)


def _of_picture(
    container: InputContainer, stream: VideoStream, index: FrameIndex, first: VideoFrame
) -> Iterator[str]:
    if _is_table(container) and any(entry.is_discard for entry in stream.index_entries):
        yield "an edit list shows a part of what was recorded"
    if len(index) > 1 and index.constant_rate() is None:
        yield "its frame rate is variable"
    if stream.codec_context.name == "exr":
        yield "its colours are scene-linear: shown through the curve of sRGB, brighter than white is white"
    elif int(first.colorspace) == _UNSPECIFIED and not first.format.is_rgb:
        yield f"its colours are not tagged: {'BT.709' if first.height >= 720 else 'BT.601'} is assumed"


def _is_table(container: InputContainer) -> bool:
    return "mov" in container.format.name.split(",")


def _begins(stream: object) -> Fraction:
    start, base = getattr(stream, "start_time", None), getattr(stream, "time_base", None)
    return Fraction(start * base) if start is not None and base is not None else Fraction(0)


def _seconds(value: Fraction) -> str:
    return f"{float(value):.2f} s"


def gap_words(gaps: list[Gap], origin: Fraction) -> list[str]:
    """Sentences about gaps in the sound, counted from ``origin`` in seconds of the file's own time, and after it."""
    gaps = [gap for gap in gaps if gap.at + gap.length > origin + _LATE]
    words = [f"its sound has a gap of {_seconds(gap.length)} at {_seconds(gap.at - origin)}" for gap in gaps[:_SHOWN]]
    if len(gaps) > _SHOWN:
        more = len(gaps) - _SHOWN
        words.append(f"its sound has {more} more gap{'s' if more > 1 else ''}")
    return words


def _gaps(path: Path, container: InputContainer, stream: VideoStream) -> list[Gap]:
    if not container.streams.audio:
        return []
    if not _is_table(container):
        return list(packets_of(path, stream.index).gaps)
    return [gap for sound in container.streams.audio for gap in _table_gaps(sound)]


def _table_gaps(sound: object) -> list[Gap]:
    """Gaps between packets of equal length, from a container's table."""
    base = getattr(sound, "time_base", None)
    entries = list(getattr(sound, "index_entries", ()))
    times = np.array([entry.timestamp for entry in entries], np.int64)
    if base is None or len(times) < 3 or sound.codec_context.name.startswith("pcm"):  # type: ignore[attr-defined]
        return []
    steps = np.diff(times)
    usual = int(np.median(steps))
    wide = np.flatnonzero((steps - usual) * float(base) > float(_LATE))
    return [Gap((int(times[at]) + usual) * Fraction(base), int(steps[at] - usual) * Fraction(base)) for at in wide]


# Damage


def damage_of(path: Path, container: InputContainer, picture: VideoStream | None, index: FrameIndex | None) -> str:
    """What is missing or not whole, in a few words; "" where all that the header counts is there. Raises MediaError."""
    if _is_table(container):
        return ""  # its table was compared with the file's length when it was read
    if picture is None and "wav" in container.format.name.split(","):
        return "cut off: a part of its sound is not there" if missing_from_wave(path) else ""
    if picture is None and path.stat().st_size > _LIGHT:
        return ""  # not worth reading all of it
    if not any(name in container.format.name.split(",") for name in (*_SAYS_ITS_LENGTH, "mpegts", "mpeg")):
        return ""
    packets = packets_of(path, picture.index if picture is not None else -1)
    return _missing(container, picture, index, packets) or _marked(packets)


def _missing(
    container: InputContainer, picture: VideoStream | None, index: FrameIndex | None, packets: Packets
) -> str:
    frames = len(packets.times)
    if picture is not None and picture.frames > frames > 0:
        return f"cut off: {frames} of {counted(picture.frames, 'frame is', 'frames are')} there"
    if not any(name in container.format.name.split(",") for name in _SAYS_ITS_LENGTH) or not container.duration:
        return ""
    said = Fraction(container.duration, 1_000_000)  # counted from the file's start, or from 0: programs differ
    room = max(_SHORT, 2 / index.rate()) if index is not None else _SHORT
    if said - packets.end <= room or said - (packets.end - Fraction(container.start_time or 0, 1_000_000)) <= room:
        return ""
    if index is not None and picture is not None:
        whole = round(said * index.rate())
        return f"cut off: {frames} of some {counted(whole, 'frame is', 'frames are')} there"
    return f"cut off: {_seconds(packets.end)} of {_seconds(said)} are there"


def _marked(packets: Packets) -> str:
    if not packets.damaged:
        return ""
    return "one packet is not whole" if packets.damaged == 1 else f"{packets.damaged} packets are not whole"


def frames_in_words(frames: list[int]) -> str:
    """``frame 12``, ``frames 12, 13 and 40``, ``37 frames, the first of them 12``; numbers from 0 on."""
    if len(frames) == 1:
        return f"frame {frames[0]}"
    if len(frames) <= _SHOWN:
        return f"frames {', '.join(map(str, frames[:-1]))} and {frames[-1]}"
    return f"{counted(len(frames), 'frame')}, the first of them {frames[0]}"
