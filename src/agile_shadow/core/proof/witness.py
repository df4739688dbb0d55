"""The independent witness of a pair: what the decoder, the packets and the streams say, past everything the maker uses.

The maker and the player share an index, a way of placing sound, and rules for colours. Were one of them wrong, a proof
that reads through them would find both files alike. What is looked at here is read another way.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import numpy as np

from ..amounts import counted
from ..media.opening import open_media
from ..media.whole import Whole, look_through
from ..pairs.half import Half

_OFF = 0.0025  # seconds by which a frame's time may be off: containers round to a millisecond
_NO_INDEX = ("mpegts", "mpeg", "mpegvideo", "h264", "hevc", "mjpeg", "dv")  # formats without one
_CHEAP = 40e6  # pixels of an original that are decoded without a doubt as well


def is_doubtful(half: Half) -> bool:
    """Whether the container leaves open what the decoder gives: an edit list, no index, a variable rate, damage.

    Raises MediaError.
    """
    info = half.info
    if info.form != "file":
        return False
    if info.variable_rate or info.damage or info.width * info.height * info.frames <= _CHEAP:
        return True
    with open_media(half.path) as container:
        if any(name in _NO_INDEX for name in container.format.name.split(",")):
            return True
        if "mov" not in container.format.name:
            return False
        stream = container.streams.video[0]
        entries = stream.index_entries
        counted = len(entries) or info.frames
        return any(entry.is_discard for entry in entries) or counted != info.frames or stream.frames != info.frames


def frames_wrong(
    original: Half, proxy: Half, offset: int, report: Callable[[float], None] = lambda done: None
) -> list[str]:
    """What plain decoding of both says against the pair; decoded only where the original leaves a doubt.

    ``offset``: frames of the original before the proxy's first. Raises MediaError.
    """
    if not is_doubtful(original):
        return []
    info = original.info
    mine = look_through(original.path, info.sequence_rate, lambda part: report(part * 0.8), info.frames)
    theirs = look_through(proxy.path, proxy.info.sequence_rate)
    wrong = []
    if mine.in_words() or original.info.damage:
        wrong.append(f"its original is damaged: {mine.in_words() or original.info.damage}")
    if theirs.in_words():
        wrong.append(f"it is damaged itself: {theirs.in_words()}")
    if len(mine.times) != original.info.frames:
        text = f"decoding its original gives {counted(len(mine.times), 'frame')}, and {original.info.frames} were taken"
        return [*wrong, text]
    return [*wrong, *_times_wrong(mine, theirs, offset)]


def _times_wrong(mine: Whole, theirs: Whole, offset: int) -> list[str]:
    first, last = max(0, offset), min(len(mine.times), offset + len(theirs.times))
    if last <= first or (offset == 0 and len(mine.times) != len(theirs.times)):
        return []  # told by the data of both
    here = mine.times[first:last] - mine.times[first]
    there = theirs.times[first - offset : last - offset]
    off = np.abs(there - there[0] - here)
    if off.max(initial=0.0) <= _OFF:
        return []
    at = int(np.argmax(off > _OFF))
    return [f"from frame {first + at} on its frames are up to {off.max():.3f} s from their times in the original"]


def gap_ends(half: Half) -> list[float]:
    """Seconds after the first frame where the sound begins again after a gap, by the packets. Raises MediaError."""
    if half.info.form != "file" or not half.info.audio:
        return []
    if not any("gap" in text for text in half.info.odd):
        return []
    ends: list[float] = []
    with open_media(half.path) as container:
        streams = list(container.streams.audio)
        video = container.streams.video[0] if container.streams.video else None
        origin = Fraction(0)
        if video is not None and video.start_time is not None and video.time_base is not None:
            origin = Fraction(video.start_time * video.time_base)
        after: dict[int, Fraction] = {}
        for packet in container.demux(streams):
            if packet.pts is None or packet.time_base is None or not packet.size:
                continue
            begin = packet.pts * Fraction(packet.time_base)
            expected = after.get(packet.stream.index)
            if expected is not None and begin - expected > Fraction(1, 50):
                ends.append(float(begin - origin))
            after[packet.stream.index] = begin + (packet.duration or 0) * Fraction(packet.time_base)
    return ends
