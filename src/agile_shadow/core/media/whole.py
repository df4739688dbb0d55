"""One plain pass over what the decoder gives: the witness that shares nothing with the index or the maker."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..errors import MediaError
from .oddities import frames_in_words
from .opening import ODD_FILE, open_media

_ONLY_LOGS = ("ffv1",)
SAYS_NOTHING = ("hevc", "mjpeg")  # their decoders say nothing of what they make up, unless they are to stop there


@dataclass(frozen=True, eq=False)
class Whole:
    """``times``: seconds of every frame that was decoded, in order, counted from the first; float64 array (frames,).

    ``damaged``: numbers of the frames that the decoder says are not whole, ``errors``: packets it gave up.
    """

    times: NDArray[np.float64]
    damaged: tuple[int, ...]
    errors: int

    def in_words(self) -> str:
        """What is wrong, "" where nothing is."""
        return damage_words(self.damaged, self.errors)


def damage_words(damaged: Sequence[int], errors: int, sound: int = 0) -> str:
    """From the numbers of frames that are not whole, and packets of picture and sound that were given up."""
    words = []
    if damaged:
        words.append(f"{frames_in_words(list(damaged))} cannot be decoded whole")
    elif errors:
        words.append(f"{errors} of its packets cannot be decoded" if errors > 1 else "one packet cannot be decoded")
    if sound:
        places = "one place" if sound == 1 else f"{sound} places"
        words.append(f"its sound cannot be decoded at {places}")
    return ", and ".join(words)


def look_through(
    path: Path, rate: Fraction | None = None, report: Callable[[float], None] = lambda done: None, expected: int = 0
) -> Whole:
    """Decode every frame of a file's picture once and keep nothing; ``expected`` frames, for the report.

    The decoder is asked to refuse what it would otherwise make up. Raises MediaError for a file that cannot be read.
    """
    found = _Found()
    try:
        with open_media(path, rate) as container:
            if not container.streams.video:
                raise MediaError("has no picture", path, "Choose a file with video.")
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            edited = "mov" in container.format.name
            if stream.codec_context.name in SAYS_NOTHING:
                stream.codec_context.options = {"err_detect": "explode"}
            with complaints(stream.codec_context.name) as complained:
                for packet in container.demux(stream):
                    found.take(packet)
                    report(min(1.0, len(found.times) / expected) if expected else 0.0)
                found.errors += len(complained)
    except (av.error.FFmpegError, OSError) as error:
        raise MediaError("breaks off while it is read", path, "Copy it again from the card if you can.") from error
    except ODD_FILE as error:
        raise MediaError("is damaged or not a supported media file", path, "Check the file.") from error
    return found.whole(edited)


@contextmanager
def complaints(codec: str) -> Iterator[list[Any]]:
    """What the library logs as errors meanwhile, for a decoder that says what is damaged in no other way."""
    if codec not in _ONLY_LOGS:
        yield []
        return
    before = av.logging.get_level()
    av.logging.set_level(av.logging.ERROR)
    try:
        with av.logging.Capture(local=False) as said:
            yield said
    finally:
        av.logging.set_level(before)


class _Found:
    """What has been decoded so far."""

    def __init__(self) -> None:
        self.times: list[Fraction] = []
        self._damaged: list[Fraction] = []
        self._key: Fraction | None = None  # when the first key frame is shown
        self.errors = 0

    def take(self, packet: av.Packet[Any]) -> None:
        """Decode a packet; one that cannot be is counted."""
        try:
            frames = packet.decode()
        except av.error.FFmpegError:
            self.errors += bool(self.times)  # what comes before the first frame lacks what it builds on
            return
        for frame in frames:
            assert isinstance(frame, VideoFrame)
            if frame.pts is None or frame.time_base is None:
                continue
            if self._key is None and frame.key_frame:
                self._key = frame.pts * Fraction(frame.time_base)
            self.times.append(frame.pts * Fraction(frame.time_base))
            if frame.is_corrupt:
                self._damaged.append(self.times[-1])

    def whole(self, edited: bool) -> Whole:
        """All of it, in the order it is shown; what leads the first key frame is not, unless an edit list says so."""
        if self._key is not None and not edited:
            self.times = [one for one in self.times if one >= self._key]
            self._damaged = [one for one in self._damaged if one >= self._key]
        ordered = sorted(self.times)
        first = ordered[0] if ordered else Fraction(0)
        numbers = tuple(bisect_left(ordered, one) for one in sorted(self._damaged))
        return Whole(np.array([float(one - first) for one in ordered]), numbers, self.errors)
