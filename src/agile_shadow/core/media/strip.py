"""Small pictures along a file, for looking through it without opening it."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from ..errors import MediaError
from .opening import ODD_FILE, open_media
from .poster import small_picture

_QUALITY = 66


@dataclass(frozen=True)
class StripRequest:
    """A file, how many pictures of it, and of a sequence its rate."""

    path: Path
    count: int = 16
    rate: Fraction | None = None


def strip(request: StripRequest, report: Callable[[float], None]) -> list[tuple[float, bytes]]:
    """JPEG pictures at equal distances, each of the last key frame before its place; fewer where a file has fewer. With
    each its place, from 0 to 1. Raises MediaError."""
    found: list[tuple[float, bytes]] = []
    with open_media(request.path, request.rate) as container:
        if not container.streams.video:
            raise MediaError("has no picture", request.path, "Choose a file with video.")
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        stream.codec_context.skip_frame = "NONKEY"
        aspect = Fraction(stream.sample_aspect_ratio or 1)
        begin, length = container.start_time or 0, container.duration or 0
        last = None
        for number in range(request.count):
            try:
                container.seek(begin + length * number // request.count, backward=True)
                frame = next(container.decode(stream), None)
                if frame is None or (frame.pts is not None and frame.pts == last):
                    continue
                image = small_picture(frame, aspect)
            except (av.error.FFmpegError, *ODD_FILE):
                continue  # one place that cannot be shown leaves the others
            last = frame.pts
            if image is not None:
                out = io.BytesIO()
                image.save(out, "JPEG", quality=_QUALITY)
                found.append((number / request.count, out.getvalue()))
    if not found:
        raise MediaError("has no frame that can be decoded", request.path, "Check the file.")
    return found
