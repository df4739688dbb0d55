"""The file of a film: pictures and samples encoded into its streams, or pictures one by one into a folder."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Protocol

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import OutputContainer
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..compositing.mixer import Samples
from .formats import Format, format_named, muxer, sound_codec
from .request import FilmRequest
from .settings import FilmPicture

_BT709, _LIMITED = 1, 1  # ITU-T H.273; MPEG range

_FEW = 16  # frames; well above what that encoder holds back to put frames in another order


class Writer(Protocol):
    """Takes the pictures and samples of a film in their order."""

    def picture(self, frame: VideoFrame, number: int) -> None: ...
    def sound(self, first: int, streams: Iterable[Samples]) -> None: ...
    def finish(self) -> None: ...
    def __enter__(self) -> Writer: ...
    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...


class FileWriter:
    """Into one file. Raises FFmpegError, OSError."""

    def __init__(self, request: FilmRequest, path: Path, sounds: int) -> None:
        settings = request.settings
        self._container: OutputContainer = av.open(str(path), "w", format=muxer(settings.file))
        self._video: VideoStream | None = None
        self._rate, self._sound_rate = request.rate, request.sound_rate
        if request.draft:
            self._container.metadata["comment"] = "DRAFT: made from proxies, not from the originals"
            self._container.metadata["title"] = f"DRAFT {request.line.name}"
        if settings.picture is not None:
            self._video = _video(self._container, settings.picture, request)
        self._audio: list[AudioStream] = []
        self._together = settings.file == "wav"
        if settings.sound is not None and sounds:
            codec = sound_codec(settings.file, settings.sound.bits)
            mono = settings.sound.channels == "channels"
            each = 1 if mono else 2
            layouts = [_layout(each * sounds)] if self._together else [_layout(each)] * sounds
            for layout in layouts:
                stream = self._container.add_stream(codec, rate=self._sound_rate, layout=layout)
                assert isinstance(stream, AudioStream)
                self._audio.append(stream)

    def __enter__(self) -> FileWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._container.close()

    def picture(self, frame: VideoFrame, number: int) -> None:
        """The next picture."""
        assert self._video is not None
        frame.pts = number
        frame.time_base = 1 / self._rate
        frame.pict_type = 0
        self._container.mux(self._video.encode(frame))

    def sound(self, first: int, streams: Iterable[Samples]) -> None:
        """The next samples of each stream, from sample ``first`` on."""
        pieces = list(streams)
        if self._together:
            pieces = [np.concatenate(pieces, axis=1)]
        for stream, samples in zip(self._audio, pieces, strict=True):
            if not len(samples):
                continue
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(samples.T, np.float32), format="fltp", layout=_layout(samples.shape[1])
            )
            frame.sample_rate, frame.pts, frame.time_base = self._sound_rate, first, Fraction(1, self._sound_rate)
            self._container.mux(stream.encode(frame))

    def finish(self) -> None:
        """All is written."""
        if self._video is not None:
            self._container.mux(self._video.encode(None))
        for stream in self._audio:
            self._container.mux(stream.encode(None))


def _layout(channels: int) -> str:
    return {1: "mono", 2: "stereo"}.get(channels, f"{channels}c")


def _video(container: OutputContainer, picture: FilmPicture, request: FilmRequest) -> VideoStream:
    chosen = format_named(picture.format)
    stream = container.add_stream(chosen.library, rate=request.rate, options=_options(chosen, picture, request.count))
    assert isinstance(stream, VideoStream)
    stream.width, stream.height = request.size
    stream.pix_fmt = chosen.pixel_format
    context = stream.codec_context
    context.time_base = 1 / request.rate
    context.color_primaries = context.color_trc = context.colorspace = _BT709
    context.color_range = _LIMITED
    if picture.megabits is not None:
        stream.bit_rate = round(picture.megabits * 1_000_000)
    if chosen.tag and request.settings.file in ("mp4", "mov"):
        context.codec_tag = chosen.tag
    if request.can_hold_timecode:
        holder = container.metadata if request.settings.file == "mxf" else stream.metadata
        holder["timecode"] = request.timecode(0)
        if request.settings.reel:
            holder["reel_name"] = request.settings.reel
    return stream


def _options(chosen: Format, picture: FilmPicture, frames: int) -> dict[str, str]:
    level = {"light": 0, "usual": 1, "fine": 2}[picture.quality]
    options = dict(chosen.qualities[min(level, len(chosen.qualities) - 1)])
    if chosen.library == "libx265" and frames < _FEW:  # its decoding times of so few are whatever lies in memory
        options["x265-params"] += ":bframes=0"
    if picture.megabits is not None:
        options.pop("crf", None)
        kilobits = round(picture.megabits * 1000)
        options |= {"maxrate": f"{kilobits * 3 // 2}k", "bufsize": f"{kilobits * 2}k"}
    return options


class PictureWriter:
    """Numbered pictures into a folder that is there, or one picture into a file. Raises FFmpegError, OSError."""

    def __init__(self, request: FilmRequest, folder: Path, one: Path | None = None) -> None:
        assert request.settings.picture is not None
        self._format = format_named(request.settings.picture.format)
        self._request = request
        self._folder = folder
        self._one = one

    def __enter__(self) -> PictureWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Every picture was closed when it was written."""

    def picture(self, frame: VideoFrame, number: int) -> None:
        """The next picture: a file of its own."""
        name = picture_name(self._request.out.name, number, self._format.ending)
        encoder = av.CodecContext.create(self._format.library, "w")
        assert isinstance(encoder, av.VideoCodecContext)
        encoder.width, encoder.height, encoder.pix_fmt = frame.width, frame.height, self._format.pixel_format
        encoder.time_base = 1 / self._request.rate
        encoder.options = dict(self._format.qualities[0])
        frame.pts, frame.time_base = 0, encoder.time_base
        packets = [*encoder.encode(frame), *encoder.encode(None)]
        (self._one or self._folder / name).write_bytes(b"".join(bytes(packet) for packet in packets))

    def sound(self, first: int, streams: Iterable[Samples]) -> None:
        """Pictures have none."""

    def finish(self) -> None:
        """Nothing is left to be done."""


def picture_name(stem: str, number: int, ending: str) -> str:
    """The name of a numbered picture; the first is 1."""
    return f"{stem}.{number + 1:07d}{ending}"
