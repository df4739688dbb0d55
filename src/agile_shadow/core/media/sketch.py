"""A sketch of a file: its key frames, small, for looking through it before there is a proxy.

Key frames are decoded alone, each after a leap to it: of long groups that is a tenth of decoding the whole, or less. A
sketch is only for the eye: no proxy, film or proof is made of it.
"""

from __future__ import annotations

import io
from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..errors import MediaError
from .cached import Cached
from .opening import ODD_FILE, open_media
from .origin import picture_origin
from .poster import small_picture
from .sequence import status

FOLDER = "sketches"  # of the cache
SIZE = (480, 270)  # pixels of a picture at the most
MOST = 240  # pictures of one file
_APART, _FEW = 1.0, 8  # seconds between two pictures at the least, but this many are looked for in short files
_QUALITY = 68
_PATIENCE = 200  # packets looked at for a key frame after a leap


@dataclass(frozen=True)
class SketchRequest:
    """A file, and of a sequence its rate."""

    path: Path
    rate: Fraction | None = None


@dataclass(frozen=True)
class Sketch:
    """``times``: seconds of each picture after the file's first frame, ascending; ``pictures``: JPEG, upright and in
    the file's shape, at most SIZE large; ``length``: seconds of the file."""

    times: tuple[float, ...]
    pictures: tuple[bytes, ...]
    length: float

    def number_at(self, seconds: float) -> int:
        """The picture of the last key frame at or before a moment, or the first one."""
        return max(0, bisect_right(self.times, seconds + 1e-3) - 1)

    def spread(self, count: int) -> list[tuple[float, bytes]]:
        """At most ``count`` pictures at equal distances, each with its place from 0 to 1."""
        wanted = dict.fromkeys(self.number_at(self.length * at / count) for at in range(count))
        return [(self.times[one] / max(self.length, 1e-6), self.pictures[one]) for one in wanted]

    def to_bytes(self) -> bytes:
        """For keeping."""
        lengths = np.array([len(one) for one in self.pictures], np.int64)
        whole = np.frombuffer(b"".join(self.pictures), np.uint8)
        out = io.BytesIO()
        np.savez(out, times=np.array(self.times), length=np.float64(self.length), lengths=lengths, pictures=whole)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Sketch:
        """The inverse of :meth:`to_bytes`. Raises ValueError, KeyError, OSError, zipfile.BadZipFile."""
        with np.load(io.BytesIO(data)) as kept:
            whole, lengths = kept["pictures"].tobytes(), kept["lengths"]
            ends = np.cumsum(lengths)
            pictures = tuple(whole[end - size : end] for end, size in zip(ends, lengths, strict=True))
            found = cls(tuple(float(one) for one in kept["times"]), pictures, float(kept["length"]))
        if len(found.times) != len(pictures) or not pictures or sum(lengths) != len(whole) or (lengths <= 0).any():
            raise ValueError("a sketch that is not whole")
        return found


def make_sketch(request: SketchRequest, report: Callable[[float], None]) -> Sketch:
    """Take a sketch of a file and keep it: a task for a worker. Raises MediaError, OSError."""
    size, modified = status(request.path)
    sketch = _taken(request, report)
    keep_sketch(request.path, sketch, size, modified)
    return sketch


def _taken(request: SketchRequest, report: Callable[[float], None]) -> Sketch:
    origin = picture_origin(request.path) if request.rate is None else Fraction(0)
    with open_media(request.path, request.rate) as container:
        if not container.streams.video:
            raise MediaError("has no picture", request.path, "Choose a file with video.")
        stream = container.streams.video[0]
        stream.codec_context.skip_frame = "NONKEY"
        stream.thread_type = "SLICE"  # threads that decode frames side by side would want the next key frames first
        length = (container.duration or 0) / av.time_base
        step = max(length / MOST, min(_APART, length / _FEW), 0.001)
        found: dict[float, bytes] = {}
        last: int | None = None
        number = 0
        while number == 0 or number * step < length:
            packet = _key_packet(container, stream, float(origin) + number * step if number else None)
            if packet is not None and packet.pts != last:
                last = packet.pts
                seen = _shown(stream, packet)
                if seen is not None:
                    seconds = max(0.0, float(seen[0] - origin))
                    found.setdefault(seconds, seen[1])
                    number = max(number, int(seconds / step))
            number += 1
            report(min(1.0, number * step / max(length, step)))
    if not found:
        raise MediaError("has no frame that can be decoded", request.path, "Check the file.")
    times = sorted(found)
    return Sketch(tuple(times), tuple(found[one] for one in times), max(length, times[-1]))


def _key_packet(container: InputContainer, stream: VideoStream, seconds: float | None) -> av.Packet[VideoStream] | None:
    """The last key frame at or before a moment in the file's own time, packed; the first one of all for None."""
    try:
        if seconds is not None:  # a leap to the start of a stream lands after its first key frame
            container.seek(int(seconds * av.time_base), backward=True)
        for number, packet in enumerate(container.demux(stream)):
            if packet.size == 0 or number > _PATIENCE:
                return None
            if packet.is_keyframe:
                return packet
    except (av.error.FFmpegError, *ODD_FILE):
        pass  # one place that cannot be reached leaves the others
    return None


def _shown(stream: VideoStream, packet: av.Packet[VideoStream]) -> tuple[Fraction, bytes] | None:
    """A packed key frame's time in the file's own seconds, and its small picture; None where it cannot be shown."""
    context = stream.codec_context
    try:
        context.flush_buffers()
        frames = [*packet.decode(), *context.decode(None)]
        picture = next((one for one in frames if isinstance(one, VideoFrame) and one.pts is not None), None)
        if picture is None or picture.pts is None or stream.time_base is None:
            return None
        image = small_picture(picture, Fraction(stream.sample_aspect_ratio or 1), SIZE)
        if image is None:
            return None
        out = io.BytesIO()
        image.save(out, "JPEG", quality=_QUALITY)
        return picture.pts * Fraction(stream.time_base), out.getvalue()
    except (av.error.FFmpegError, *ODD_FILE):
        return None  # one frame that cannot be shown leaves the others


# Kept on this machine

_CACHED = Cached("sketch", FOLDER)


def kept_sketch(path: Path) -> Sketch | None:
    """The sketch of a file as it is now; None where there is none that can be read."""
    return _CACHED.read(path, Sketch.from_bytes)


def has_sketch(path: Path) -> bool:
    """Whether one is kept of the file as it is now."""
    return _CACHED.has(path)


def keep_sketch(path: Path, sketch: Sketch, size: int, modified: int) -> None:
    """Keep it under what the file was when it was opened. What cannot be kept is only taken again: no error."""
    _CACHED.keep(path, sketch.to_bytes(), size, modified)
