"""A small still picture of a file, for lists and reports."""

from __future__ import annotations

import io
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import av
from av.container import InputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..errors import MediaError
from .opening import ODD_FILE, open_media

if TYPE_CHECKING:
    from PIL import Image

WIDTH, HEIGHT = 192, 108  # pixels at the most
_INTO = 8  # the picture is taken an eighth into the file: the first frame is often black
_QUALITY = 72


def poster(path: Path, rate: Fraction | None = None) -> bytes:
    """A JPEG picture of at most WIDTH x HEIGHT pixels, upright and in the file's shape. Raises MediaError."""
    with open_media(path, rate) as container:
        if not container.streams.video:
            raise MediaError("has no picture", path, "Choose a file with video.")
        try:
            frame = _frame(container, container.streams.video[0])
            image = small_picture(frame, Fraction(container.streams.video[0].sample_aspect_ratio or 1))
        except (av.error.FFmpegError, *ODD_FILE) as error:
            raise MediaError("has no frame that can be decoded", path, "Check the file.") from error
    if image is None:
        raise MediaError("has no frame that can be decoded", path, "Check the file.")
    out = io.BytesIO()
    image.save(out, "JPEG", quality=_QUALITY)
    return out.getvalue()


def _frame(container: InputContainer, stream: VideoStream) -> VideoFrame | None:
    stream.thread_type = "AUTO"
    stream.codec_context.skip_frame = "NONKEY"
    length = container.duration or 0
    if length > av.time_base:
        try:
            container.seek((container.start_time or 0) + length // _INTO, backward=True)
            frame = next(container.decode(stream), None)
            if frame is not None:
                return frame
        except av.error.FFmpegError:
            pass
        container.seek(container.start_time or 0, backward=True)
    frame = next(container.decode(stream), None)
    if frame is None:  # an edit list may show no key frame at all
        stream.codec_context.skip_frame = "DEFAULT"
        container.seek(container.start_time or 0, backward=True)
        frame = next(container.decode(stream), None)
    return frame


def small_picture(
    frame: VideoFrame | None, aspect: Fraction, most: tuple[int, int] = (WIDTH, HEIGHT)
) -> Image.Image | None:
    """A frame, upright and in its shape, at most so many pixels wide and high; ``aspect``: of its pixels."""
    if frame is None or not frame.width or not frame.height:
        return None
    turned = frame.rotation % 180 == 90
    wide, high = float(frame.width * (aspect or 1)), float(frame.height)
    if turned:
        wide, high = high, wide
    scale = min(most[0] / wide, most[1] / high)
    size = (max(2, round(wide * scale)), max(2, round(high * scale)))
    stored = (size[1], size[0]) if turned else size
    image: Image.Image = frame.reformat(*stored, format="rgb24", interpolation="AREA").to_image()  # type: ignore[no-untyped-call]
    return image.rotate(frame.rotation % 360, expand=True) if frame.rotation % 360 else image
