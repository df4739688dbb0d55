"""When a file's picture begins, in its own time: where its sound is counted from."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer
from av.video.stream import VideoStream

from .opening import open_media

_TABLES = ("mov", "avi")  # the head says when they begin; AVI says no times of frames, and what is guessed is late
_MOST = 500  # packets that are looked at for the first key frame


def says_its_start(container: InputContainer) -> bool:
    """Whether the head of a file says when the first frame that is shown begins."""
    return any(name in container.format.name.split(",") for name in _TABLES)


def picture_origin(path: Path) -> Fraction:
    """Seconds of the file's own time at which its first frame is shown; 0 without a picture. Raises MediaError.

    What comes before the first key frame, in a stream that begins in the middle, is not shown.
    """
    with open_media(path) as container:
        if not container.streams.video:
            return Fraction(0)
        stream = container.streams.video[0]
        start = start_of(stream)
        if says_its_start(container) or stream.time_base is None:
            return start
        try:
            for number, packet in enumerate(container.demux(stream)):
                if packet.is_keyframe and packet.pts is not None:
                    return packet.pts * Fraction(stream.time_base)
                if number > _MOST:
                    break
        except av.error.FFmpegError:
            pass
        return start


def start_of(stream: VideoStream) -> Fraction:
    """The start that a stream's head says, in seconds."""
    if stream.start_time is None or stream.time_base is None:
        return Fraction(0)
    return stream.start_time * Fraction(stream.time_base)
