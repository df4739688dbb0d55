"""From an original to its proxy, in one pass, into a temporary file that is checked before it gets its name."""

from __future__ import annotations

import queue
import threading
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.stream import AudioStream
from av.container import InputContainer, OutputContainer
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..errors import MediaError, ProxyError, ShadowError, from_os_error
from ..files import flush, partial_path, rename_new
from ..jobs import Report
from ..media import MediaInfo, filter_chain, probe, proxy_size_for, read_index
from ..media.probe import open_media
from ..presets import codec_named
from .encoders import ENCODERS, Encoder

_QUEUE = 6  # frames decoded ahead of the encoder
_QUARTER_TURNS = {90: "transpose=clock", 180: "hflip,vflip", 270: "transpose=cclock"}


@dataclass(frozen=True)
class ProxyRequest:
    """Make ``target`` from ``original`` with a size fraction and a codec of the presets.

    ``info`` is what the original is, where it was probed just now; else it is probed again.
    """

    original: Path
    target: Path
    scale: Fraction
    codec: str
    info: MediaInfo | None = None


@dataclass(frozen=True)
class ProxyResult:
    """The finished proxy: where, what it is, and its original as it was probed for it."""

    path: Path
    info: MediaInfo
    original: MediaInfo


def make_proxy(request: ProxyRequest, report: Report) -> ProxyResult:
    """Make one proxy: a task for a worker. Same frames, times, timecode, reel and sound channels as the original.

    Never replaces a file: raises ProxyError when the target's name is taken, when no room is left, when the picture
    would be too small for the codec or the result is not frame for frame the original; MediaError for a bad original.
    """
    if request.target.exists():
        raise ProxyError(
            "a file of that name is there already", request.target, "Move it away or choose another place."
        )
    original = request.info or probe(request.original)
    size = _size_for(request, original)
    partial = partial_path(request.target)
    try:
        request.target.parent.mkdir(parents=True, exist_ok=True)
        _Transcode(request, original, size, partial, report).run()
        flush(partial)
        info = check_proxy(partial, request.original, original)
        rename_new(partial, request.target)
    except av.error.FFmpegError as error:
        raise ProxyError(
            f"no proxy could be made of it ({error.strerror})", request.original, "Try it again."
        ) from error
    except OSError as error:
        raise from_os_error(error, request.target, ProxyError) from error
    finally:
        partial.unlink(missing_ok=True)
    return ProxyResult(request.target, info, original)


def make_or_take_proxy(request: ProxyRequest, report: Report) -> ProxyResult:
    """Like :func:`make_proxy`, but a finished proxy of that kind that lies there already is checked and taken.

    A different file of that name is left alone and the new one gets a number: a task for a worker.
    """
    original = request.info or probe(request.original)
    request = replace(request, info=original)
    for number in range(1, 1000):
        stem = request.target.stem if number == 1 else f"{request.target.stem}_{number}"
        target = request.target.with_name(f"{stem}{request.target.suffix}")
        if not target.exists():
            return make_proxy(replace(request, target=target), report)
        try:
            info = check_proxy(target, request.original, original)
        except ShadowError:
            continue
        if is_such_proxy(info, original, request.scale, request.codec):
            return ProxyResult(target, info, original)
    raise ProxyError("no free name was found for it", request.target, "Choose another place.")


def is_such_proxy(info: MediaInfo, original: MediaInfo, scale: Fraction, codec: str) -> bool:
    """Whether a file has the size and codec that a preset asks for."""
    if info.codec != ENCODERS[codec].decoded_as:
        return False
    return (info.width, info.height) == size_for_codec(original, scale, codec)


def size_for_codec(original: MediaInfo, scale: Fraction, codec: str) -> tuple[int, int] | None:
    """Pixels of a proxy at ``scale``, or the least size above it that the codec can hold.

    None when even the original's own size is too small for the codec.
    """
    least_width, least_height = codec_named(codec).smallest
    fraction = scale
    while True:
        size = proxy_size_for(original, fraction)
        if size[0] >= least_width and size[1] >= least_height:
            return size
        if fraction >= 1:
            return None
        fraction = min(Fraction(1), fraction * Fraction(21, 20))


def _size_for(request: ProxyRequest, original: MediaInfo) -> tuple[int, int]:
    if original.kind != "video":
        raise ProxyError("is not video, so it gets no proxy", request.original, "Leave it as it is.")
    size = size_for_codec(original, request.scale, request.codec)
    if size is None:
        codec = codec_named(request.codec)
        raise ProxyError(
            f"its {original.display_width} x {original.display_height} pixels are too few for {codec.label} "
            f"(from {codec.smallest[0]} x {codec.smallest[1]})",
            request.original,
            "Choose another codec for it, or cut on the original.",
        )
    return size


def check_proxy(proxy: Path, original: Path, info: MediaInfo) -> MediaInfo:
    """Compare a proxy with its original by their data; returns what it is, raises ProxyError with the difference.

    ``info`` is what the original is. Compared: number and times of frames, start timecode, reel, sound channels.
    """
    with open_media(original) as source, open_media(proxy) as made:
        first = read_index(original, source.streams.video[0])
        second = read_index(proxy, made.streams.video[0])
        if len(first) != len(second):
            raise ProxyError(f"has {len(second)} frames where its original has {len(first)}", proxy, "Make it again.")
        if not first.same_times(second):
            raise ProxyError("its frames are not at the times of its original's", proxy, "Make it again.")
    mine, theirs = probe(proxy), info
    for what, here, there in (
        ("start timecode", mine.start_timecode, theirs.start_timecode),
        ("reel", mine.reel, theirs.reel),
        ("sound channels", mine.audio_channels, theirs.audio_channels),
    ):
        if here != there:
            raise ProxyError(f"has {what} {here} where its original has {there}", proxy, "Make it again.")
    return mine


class _Transcode:
    """One pass over an original. Decoding runs on its own thread, a few frames ahead."""

    def __init__(
        self, request: ProxyRequest, original: MediaInfo, size: tuple[int, int], partial: Path, report: Report
    ) -> None:
        self._request = request
        self._info = original
        self._size = size
        self._partial = partial
        self._report = report
        self._encoder: Encoder = ENCODERS[request.codec]
        self._times: deque[int] = deque()
        self._origin = 0
        self._encoded = 0

    def run(self) -> None:
        with open_media(self._request.original) as source:
            video = source.streams.video[0]
            video.thread_type = "AUTO"
            self._origin = int(read_index(self._request.original, video).times[0])
            with av.open(str(self._partial), "w", format="mov") as target:
                self._write(source, video, target)

    def _write(self, source: InputContainer, video: VideoStream, target: OutputContainer) -> None:
        picture = self._add_picture(video, target)
        sounds = {
            stream.index: _Sound(stream, target, self._origin * _time_base(video)) for stream in source.streams.audio
        }
        graph: Graph | None = None
        for item in self._decoded(source, [video, *source.streams.audio]):
            if isinstance(item, VideoFrame):
                graph = graph or self._graph(item, _time_base(video))
                self._times.append(int(item.pts or 0))
                graph.push(item)
                self._drain(graph, picture, target)
            else:
                sounds[item[0]].encode(item[1], target)
        if graph is None:
            raise MediaError("has no frame that can be decoded", self._request.original, "Check the file.")
        graph.push(None)
        self._drain(graph, picture, target)
        for packet in picture.encode(None):
            target.mux(packet)
        for sound in sounds.values():
            sound.finish(target)

    def _add_picture(self, video: VideoStream, target: OutputContainer) -> VideoStream:
        info = self._info
        stream = target.add_stream(
            self._encoder.library, rate=info.frame_rate, options=self._encoder.options(info.frame_rate)
        )
        assert isinstance(stream, VideoStream)
        stream.width, stream.height = self._size
        stream.pix_fmt = self._encoder.pixel_format
        stream.time_base = _time_base(video)
        context = stream.codec_context
        context.time_base = _time_base(video)
        context.thread_count = 2
        source = video.codec_context
        context.color_primaries, context.color_trc = source.color_primaries, source.color_trc
        context.colorspace = source.colorspace
        context.color_range = 2 if self._encoder.full_range else 1
        if info.start_timecode:
            stream.metadata["timecode"] = info.start_timecode
        if info.reel:
            stream.metadata["reel_name"] = info.reel
        return stream

    def _graph(self, frame: VideoFrame, time_base: Fraction) -> Graph:
        """Stored picture to proxy picture: progressive, small, upright, in the encoder's pixel format."""
        turn = self._info.rotation
        width, height = self._size[::-1] if turn % 180 else self._size
        out_range = "full" if self._encoder.full_range else "limited"
        steps = [f"scale={width}:{height}:flags=area:out_range={out_range}", "setsar=1"]
        if self._info.interlaced:
            steps.insert(0, "bwdif=mode=send_frame:deint=interlaced")
        if turn in _QUARTER_TURNS:
            steps.append(_QUARTER_TURNS[turn])
        steps.append(f"format={self._encoder.pixel_format}")
        return filter_chain(frame, time_base, ",".join(steps).split(","))

    def _drain(self, graph: Graph, picture: VideoStream, target: OutputContainer) -> None:
        while True:
            try:
                frame = graph.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            assert isinstance(frame, VideoFrame)
            frame.pts = self._times.popleft() - self._origin
            frame.time_base = self._time_base
            frame.pict_type = 0
            for packet in picture.encode(frame):
                target.mux(packet)
            self._encoded += 1
            self._report(self._encoded / max(1, self._info.frames))

    def _decoded(self, source: InputContainer, streams: list[Any]) -> Iterator[Any]:
        """Frames of the picture, and (stream index, sound frame) pairs, decoded on a thread of their own."""
        self._time_base = _time_base(streams[0])
        ahead: queue.Queue[Any] = queue.Queue(_QUEUE)
        stopped = threading.Event()
        thread = threading.Thread(target=self._decode, args=(source, streams, ahead, stopped), daemon=True)
        thread.start()
        try:
            while (item := ahead.get()) is not None:
                if isinstance(item, BaseException):
                    raise item
                yield item
        finally:
            stopped.set()
            while thread.is_alive():
                _empty(ahead)
                thread.join(0.02)

    def _decode(
        self, source: InputContainer, streams: list[Any], ahead: queue.Queue[Any], stopped: threading.Event
    ) -> None:
        try:
            for packet in source.demux(streams):
                for frame in packet.decode():
                    if stopped.is_set():
                        return
                    if isinstance(frame, VideoFrame):
                        if frame.pts is not None and frame.pts >= self._origin:
                            ahead.put(frame)
                    else:
                        ahead.put((packet.stream.index, frame))
            ahead.put(None)
        except (av.error.FFmpegError, ShadowError) as error:
            ahead.put(error)


def _empty(ahead: queue.Queue[Any]) -> None:
    try:
        while True:
            ahead.get_nowait()
    except queue.Empty:
        return


def _time_base(stream: VideoStream) -> Fraction:
    assert stream.time_base is not None
    return stream.time_base


class _Sound:
    """One sound stream, decoded and kept as PCM with all its channels, at the time it has beside the picture."""

    def __init__(self, source: AudioStream, target: OutputContainer, origin: Fraction) -> None:
        context = source.codec_context
        deep = context.name.startswith(("pcm_s24", "pcm_s32", "flac")) or (context.format and context.format.bits > 16)
        stream = target.add_stream(
            "pcm_s24le" if deep and context.name != "aac" else "pcm_s16le", rate=context.sample_rate
        )
        assert isinstance(stream, AudioStream)
        stream.codec_context.layout = context.layout
        self._stream = stream
        self._rate = context.sample_rate
        self._origin = origin
        self._resampler = av.AudioResampler(format="s32" if stream.codec_context.name == "pcm_s24le" else "s16")
        self._next: int | None = None

    def encode(self, frame: av.AudioFrame, target: OutputContainer) -> None:
        if self._next is None:
            time = Fraction(frame.pts or 0) * Fraction(frame.time_base or 1) - self._origin
            self._next = round(time * self._rate)
        frame.pts = None
        for whole in self._resampler.resample(frame):
            piece = self._from_zero(whole)
            if piece is None:
                continue
            piece.pts = self._next
            piece.time_base = Fraction(1, self._rate)
            self._next += piece.samples
            for packet in self._stream.encode(piece):
                target.mux(packet)

    def _from_zero(self, piece: av.AudioFrame) -> av.AudioFrame | None:
        """Without what sounds before the first frame of the picture."""
        assert self._next is not None
        early = min(piece.samples, max(0, -self._next))
        if not early:
            return piece
        self._next += early
        if early == piece.samples:
            return None
        channels = piece.layout.nb_channels
        rest: Any = np.ascontiguousarray(piece.to_ndarray()[:, early * channels :])
        trimmed = av.AudioFrame.from_ndarray(rest, format=piece.format.name, layout=piece.layout.name)
        trimmed.sample_rate = piece.sample_rate
        return trimmed

    def finish(self, target: OutputContainer) -> None:
        for packet in self._stream.encode(None):
            target.mux(packet)
