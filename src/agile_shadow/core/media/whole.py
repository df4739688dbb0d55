"""One plain pass over what the decoder gives: the witness that shares nothing with the index or the maker."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from ..errors import MediaError
from .oddities import frames_in_words
from .opening import ODD_FILE, open_media

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
    times: list[Fraction] = []
    damaged: list[Fraction] = []
    errors = 0
    try:
        with open_media(path, rate) as container:
            if not container.streams.video:
                raise MediaError("has no picture", path, "Choose a file with video.")
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            if stream.codec_context.name in SAYS_NOTHING:
                stream.codec_context.options = {"err_detect": "explode"}
            for packet in container.demux(stream):
                try:
                    frames = packet.decode()
                except av.error.FFmpegError:
                    errors += 1
                    continue
                for frame in frames:
                    assert isinstance(frame, VideoFrame)
                    if frame.pts is None or frame.time_base is None:
                        continue
                    times.append(frame.pts * Fraction(frame.time_base))
                    if frame.is_corrupt:
                        damaged.append(times[-1])
                    report(min(1.0, len(times) / expected) if expected else 0.0)
    except (av.error.FFmpegError, OSError) as error:
        raise MediaError("breaks off while it is read", path, "Copy it again from the card if you can.") from error
    except ODD_FILE as error:
        raise MediaError("cannot be understood: it is damaged or of another kind", path, "Check the file.") from error
    times.sort()
    first = times[0] if times else Fraction(0)
    numbers = tuple(int(np.searchsorted(np.array([float(t) for t in times]), float(one))) for one in sorted(damaged))
    return Whole(np.array([float(one - first) for one in times]), numbers, errors)
