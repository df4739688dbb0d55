"""One pass from an original to a proxy's file."""

from __future__ import annotations

import queue
import threading
from collections import deque
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.container import InputContainer, OutputContainer
from av.filter import Graph
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..errors import MediaError
from ..jobs import Report
from ..media import FrameIndex, MediaInfo, read_index, sound_length
from ..media.envelopes import EnvelopeTaker, taker_of
from ..media.opening import open_media
from ..media.origin import picture_origin, says_its_start, start_of
from ..media.pictures import say_matrix
from ..media.probe import MADE_BY
from ..media.signature import Signature, SignatureTaker
from ..media.whole import SAYS_NOTHING, complaints, damage_words
from ..time import frame_of, is_drop_frame, timecode_at
from .encoders import ENCODERS, Encoder
from .marks import MarkPainter
from .pace import Pace, PaceMeter
from .picture import LutFile, picture_graph, tags_for
from .request import ProxyRequest, made_as
from .sounds import Sound, StereoMix

_QUEUE = 6  # frames decoded ahead of the encoder
_LOOP_FILTERED = ("h264", "hevc")
_SMALL = 2  # times smaller than the original: from here on the filter of frames that nothing refers to is left out


class Transcode:
    """One pass over an original (or a part of it). Decoding runs on its own thread, a few frames ahead.

    Large: its attributes are the parts of one pass: what is opened, set up, counted and measured.
    """

    def __init__(
        self,
        request: ProxyRequest,
        original: MediaInfo,
        size: tuple[int, int],
        partial: Path,
        report: Report,
        strict: bool = True,
    ) -> None:
        """``strict``: have the decoder refuse what it would otherwise make up without a word."""
        self._request = request
        self._info = original
        self._size = size
        self._partial = partial
        self._report = report
        self._strict = strict
        self._latest: int | None = None
        self._encoder: Encoder = ENCODERS[request.settings.codec]
        self._times: deque[int] = deque()
        self._encoded = 0
        self.picture_bytes = 0
        self._taker: SignatureTaker | None = None
        self._heard: EnvelopeTaker | None = None
        self._not_whole: list[int] = []  # times of frames of which the decoder says so
        self._begun: set[int] = set()  # streams that have given a frame
        self._meter = PaceMeter()
        self._given_up = [0, 0]  # packets that cannot be decoded: of the picture, of the sound

    @property
    def damage(self) -> str:
        """What the decoder said of the original, in words; "" where it was whole."""
        numbers = np.searchsorted(self._index.times, np.sort(np.array(self._not_whole, np.int64)))
        return damage_words(numbers.tolist(), *self._given_up)

    @property
    def signature(self) -> Signature | None:
        """What all frames of the original look like, where it was asked for and each was there."""
        taken = self._taker.taken() if self._taker is not None and not self.damage else None
        return taken if taken is None or self._heard is None else replace(taken, heard=self._heard.taken())

    @property
    def pace(self) -> Pace | None:
        """How fast the original decoded, where nothing held that up and all of it was decoded."""
        return self._meter.pace if self._request.part is None else None

    def run(self) -> None:
        """Write the file. Raises ShadowError, OSError or FFmpegError."""
        with open_media(self._request.original, self._info.sequence_rate) as source:
            video = source.streams.video[0]
            video.thread_type = "AUTO"
            video.codec_context.options = self._decoder_options(video.codec_context.name)
            self._time_base = _time_base(video)
            self._index = read_index(self._request.original, video)
            self._first, self._count = self._stretch(self._index)
            self._origin = int(self._index.times[self._first])
            if self._request.sign and self._request.part is None:
                self._taker = SignatureTaker(self._info, self._index)
            if self._request.part is not None:
                key = self._index.key_before(self._first)
                source.seek(int(self._index.times[key]), stream=video, backward=True)
            with (
                complaints(video.codec_context.name) as complained,
                LutFile(self._request.settings) as self._lut,
                av.open(str(self._partial), "w", format="mov", options={"movflags": "write_colr"}) as target,
            ):
                target.metadata["comment"] = MADE_BY + made_as(self._request.settings)
                self._write(source, video, target)
                self._given_up[0] += len(complained)

    def _decoder_options(self, codec: str) -> dict[str, str]:
        options = {}
        if self._strict and codec in SAYS_NOTHING:
            options["err_detect"] = "explode"
        if codec in _LOOP_FILTERED and self._size[0] * _SMALL <= self._info.display_width:
            options["skip_loop_filter"] = "noref"
        return options

    def _stretch(self, index: FrameIndex) -> tuple[int, int]:
        if self._request.part is None:
            return 0, len(index)
        first = min(max(0, self._request.part[0]), len(index) - 1)
        return first, max(1, min(self._request.part[1], len(index) - first))

    @property
    def _end(self) -> Fraction | None:
        """The end of a part in seconds of the original's own time; None when all is wanted."""
        if self._request.part is None:
            return None
        return self._origin * self._time_base + self._seconds(self._count)

    def _seconds(self, frame: int) -> Fraction:
        """Time of a frame of the proxy."""
        return self._index.seconds(self._first + frame) - self._index.seconds(self._first)

    def _write(self, source: InputContainer, video: VideoStream, target: OutputContainer) -> None:
        decoded = self._decoded(source, [video, *self._kept_sounds(source)])
        first, ahead = _until_picture(decoded)
        if first is None:
            raise MediaError("has no frame that can be decoded", self._request.original, "Check the file.")
        picture = self._add_picture(first, target)
        origin = self._sound_origin(source, video)
        length = sound_length(source, origin)
        if self._taker is not None and self._kept_sounds(source):
            said = start_of(video) if says_its_start(source) else picture_origin(self._request.original)
            self._heard = taker_of(source, float(said))
        sounds = {
            stream.index: Sound(stream, target, origin, self._end, length)
            for stream in self._kept_sounds(source)
        }
        mix = self._stereo(source, target)
        try:
            graph = picture_graph(first, self._time_base, self._info, self._size, self._encoder, self._lut)
            self._encode_all(_chained(ahead, first, decoded), graph, picture, sounds, mix, target)
        finally:
            decoded.close()
            if mix is not None:
                mix.close()

    def _sound_origin(self, source: InputContainer, video: VideoStream) -> Fraction:
        """Seconds of the original's own time at which the sound of the first frame is."""
        if not says_its_start(source):
            return self._origin * self._time_base
        return start_of(video) + self._index.seconds(self._first)

    def _kept_sounds(self, source: InputContainer) -> list[Any]:
        return list(source.streams.audio) if self._request.settings.sound == "all" else []

    def _stereo(self, source: InputContainer, target: OutputContainer) -> StereoMix | None:
        if self._request.settings.sound != "stereo" or not source.streams.audio:
            return None
        first = self._index.seconds(self._first)
        return StereoMix(self._request.original, target, first, self._seconds(self._count))

    def _encode_all(
        self,
        decoded: Iterator[Any],
        graph: Graph,
        picture: VideoStream,
        sounds: dict[int, Sound],
        mix: StereoMix | None,
        target: OutputContainer,
    ) -> None:
        for item in decoded:
            if isinstance(item, VideoFrame):
                self._times.append(int(item.pts or 0))
                if self._taker is not None:
                    self._taker.add(item)
                graph.push(item)
                self._drain(graph, picture, target)
                if mix is not None:
                    mix.write_until(self._seconds(self._encoded), target)
            else:
                if self._heard is not None:
                    self._heard.add(*item)
                sounds[item[0]].encode(item[1], target)
        graph.push(None)
        self._drain(graph, picture, target)
        self._mux(picture, None, target)
        for sound in sounds.values():
            sound.finish(target)
        if mix is not None:
            mix.finish(target)

    def _mux(self, picture: VideoStream, frame: VideoFrame | None, target: OutputContainer) -> None:
        for packet in picture.encode(frame):
            self.picture_bytes += packet.size
            target.mux(packet)

    def _add_picture(self, first: VideoFrame, target: OutputContainer) -> VideoStream:
        info, settings = self._info, self._request.settings
        stream = target.add_stream(
            self._encoder.library, rate=info.frame_rate, options=self._encoder.options(info.frame_rate, settings)
        )
        assert isinstance(stream, VideoStream)
        stream.width, stream.height = self._size
        stream.pix_fmt = self._encoder.pixel_format
        stream.time_base = self._time_base
        context = stream.codec_context
        context.time_base = self._time_base
        context.thread_count = 2
        if settings.megabits is not None:
            context.bit_rate = round(settings.megabits * 1_000_000)
        primaries, transfer, matrix = tags_for(first, settings)
        context.color_primaries, context.color_trc, context.colorspace = primaries, transfer, matrix
        context.color_range = 2 if self._encoder.full_range else 1
        if info.start_timecode:
            stream.metadata["timecode"] = self._timecode(0)
        if info.reel:
            stream.metadata["reel_name"] = info.reel
        self._painter = self._marks()
        return stream

    def _marks(self) -> MarkPainter | None:
        marks = self._request.settings.marks
        if not marks:
            return None
        return MarkPainter(marks, self._request.values, self._timecode(0), self._size)

    def _timecode(self, number: int) -> str:
        """Timecode of a frame of the proxy; counted from zero where the original has none."""
        rate, start = self._info.frame_rate, self._info.start_timecode or "00:00:00:00"
        frame = self._first + number
        if self._info.variable_rate:
            frame = int(self._index.seconds(frame) * rate)
        try:
            return timecode_at(frame_of(start, rate) + frame, rate, is_drop_frame(start))
        except ValueError:
            return timecode_at(frame, rate)

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
            if self._painter is not None:
                self._painter.paint(frame, self._timecode(self._encoded))
            self._mux(picture, frame, target)
            self._encoded += 1
            self._report(self._encoded / self._count)

    def _decoded(self, source: InputContainer, streams: list[Any]) -> Any:
        """Frames of the picture, and (stream index, sound frame) pairs, decoded on a thread of their own."""
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
        wanted = _Wanted(self._origin, self._end, len(streams))
        try:
            for packet in source.demux(streams):
                for frame in self._frames_of(packet):
                    if stopped.is_set():
                        return
                    if isinstance(frame, VideoFrame):
                        say_matrix(frame, streams[0])
                        if not self._is_in_order(frame):
                            continue
                    if not wanted.takes(frame, packet.stream.index):
                        continue
                    is_picture = isinstance(frame, VideoFrame)
                    self._meter.put(ahead, frame if is_picture else (packet.stream.index, frame), is_picture)
                if wanted.all_ended:
                    break
            self._meter.end()
            ahead.put(None)
        except Exception as error:  # whatever it was, it is raised where the frames are waited for
            ahead.put(error)


    def _is_in_order(self, frame: VideoFrame) -> bool:
        """Note what the decoder says of a frame; one that comes after its successor is of no use, and counted."""
        if frame.pts is None:
            return True
        if self._latest is not None and frame.pts <= self._latest:
            self._given_up[0] += 1
            return False
        self._latest = frame.pts
        if frame.is_corrupt and frame.pts >= self._origin:
            self._not_whole.append(frame.pts)
        return True

    def _frames_of(self, packet: av.Packet[Any]) -> list[Any]:
        """What a packet gives; one that cannot be decoded gives nothing, and is counted."""
        try:
            frames = list(packet.decode())
        except av.error.FFmpegError:
            # what comes before the first whole frame lacks what it builds on: a stream may begin in the middle
            self._given_up[packet.stream.type != "video"] += packet.stream.index in self._begun
            return []
        if frames:
            self._begun.add(packet.stream.index)
        return frames


class _Wanted:
    """Which decoded frames lie in the stretch; ``end`` in seconds of the original's own time, None without one."""

    def __init__(self, origin: int, end: Fraction | None, streams: int) -> None:
        self._origin, self._end, self._streams = origin, end, streams
        self._ended: set[int] = set()

    @property
    def all_ended(self) -> bool:
        return len(self._ended) == self._streams

    def takes(self, frame: Any, stream: int) -> bool:
        if self._end is not None and frame.pts is not None and frame.pts * Fraction(frame.time_base) >= self._end:
            self._ended.add(stream)
            return False
        if isinstance(frame, VideoFrame):
            return frame.pts is not None and frame.pts >= self._origin
        return True


def _until_picture(decoded: Iterator[Any]) -> tuple[VideoFrame | None, list[Any]]:
    """The first frame of the picture, and what sounded before it came."""
    before: list[Any] = []
    for item in decoded:
        if isinstance(item, VideoFrame):
            return item, before
        before.append(item)
    return None, before


def _chained(before: list[Any], first: VideoFrame, rest: Iterator[Any]) -> Iterator[Any]:
    yield from before
    yield first
    yield from rest


def _empty(ahead: queue.Queue[Any]) -> None:
    try:
        while True:
            ahead.get_nowait()
    except queue.Empty:
        return


def _time_base(stream: VideoStream) -> Fraction:
    assert stream.time_base is not None
    return stream.time_base
