"""Size against headroom: the usual sizes and codecs, each tried on the same few frames of one original."""

from __future__ import annotations

import io
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import av
from av.video.frame import VideoFrame
from av.video.stream import VideoStream

from ..errors import MediaError
from ..jobs import Report
from ..media import MediaInfo, open_reader, probe
from ..presets import CODECS, SCALES, Proxies
from ..proxies import proxy_pixels
from ..proxies.encoders import ENCODERS
from ..proxies.picture import picture_graph, tags_for
from .measurements import Measurements
from .weights import sound_bytes_per_second

KIND = "candidates"
_FRAMES = 12
_BUDGET = 0.12  # seconds of decoding for each
_Stream = tuple[list[bytes], bytes | None]  # packets, and what a decoder must know before them
_TRIED = tuple(scale for scale in SCALES if scale < 1)


@dataclass(frozen=True)
class ProxyCandidate:
    """One size and codec: its pixels, bytes for an hour, and headroom."""

    codec: str
    scale: str
    width: int
    height: int
    bytes_per_hour: float
    headroom: float

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return asdict(self)


@dataclass(frozen=True)
class CandidatesRequest:
    """The original to try them on; ``info`` where it was probed already."""

    original: Path
    info: MediaInfo | None = None


def measure_candidates(request: CandidatesRequest, report: Report) -> list[ProxyCandidate]:
    """Try all: a task for a worker. The frames come from the middle, decoded once. Raises MediaError."""
    info = request.info or probe(request.original)
    frames = _frames(request.original, info)
    found: list[ProxyCandidate] = []
    wanted = [(codec.name, scale) for scale in _TRIED for codec in CODECS]
    for number, (codec, scale) in enumerate(wanted):
        settings = Proxies(codec=codec, scale=scale)
        size = proxy_pixels(info, settings)
        if size is not None:
            found.append(_tried(frames, info, settings, size))
        report((number + 1) / len(wanted))
    return found


def _frames(path: Path, info: MediaInfo) -> list[VideoFrame]:
    reader = open_reader(path, info.interlaced, info.sequence_rate)
    try:
        first = reader.index.key_before(max(0, len(reader.index) // 2 - 1))
        last = min(len(reader.index), first + _FRAMES)
        return [reader.frame(number) for number in range(first, last)]
    finally:
        reader.close()


def _tried(frames: list[VideoFrame], info: MediaInfo, settings: Proxies, size: tuple[int, int]) -> ProxyCandidate:
    packets, header = _encoded(frames, info, settings, size)
    hour = sum(len(packet) for packet in packets) / len(frames) * float(info.frame_rate)
    hour = (hour + sound_bytes_per_second(info, settings)) * 3600
    headroom = _decoding(packets, header, settings, size) / float(info.frame_rate)
    assert settings.scale is not None
    return ProxyCandidate(settings.codec, str(settings.scale), *size, hour, headroom)


def _encoded(frames: list[VideoFrame], info: MediaInfo, settings: Proxies, size: tuple[int, int]) -> _Stream:
    encoder = ENCODERS[settings.codec]
    rate = info.frame_rate
    shown = info if not info.interlaced else MediaInfo(**{**vars(info), "interlaced": False})
    graph = picture_graph(frames[0], 1 / rate, shown, size, encoder)
    with av.open(io.BytesIO(), "w", format="mov") as container:
        stream = container.add_stream(encoder.library, rate=rate, options=encoder.options(rate, settings))
        assert isinstance(stream, VideoStream)
        stream.width, stream.height, stream.pix_fmt = *size, encoder.pixel_format
        context = stream.codec_context
        context.color_primaries, context.color_trc, context.colorspace = tags_for(frames[0], settings)
        context.color_range = 2 if encoder.full_range else 1
        packets = []
        for number, frame in enumerate(frames):
            graph.push(frame)
            small = graph.pull()
            assert isinstance(small, VideoFrame)
            small.pts, small.time_base, small.pict_type = number, 1 / rate, 0
            packets += [bytes(packet) for packet in stream.encode(small) if packet.size]
        packets += [bytes(packet) for packet in stream.encode(None) if packet.size]
        return packets, context.extradata


def _decoding(packets: list[bytes], header: bytes | None, settings: Proxies, size: tuple[int, int]) -> float:
    """Frames a second, decoded over and over until it is known well enough."""
    codec = ENCODERS[settings.codec].decoded_as
    count, begun = 0, time.perf_counter()
    while True:
        context = av.CodecContext.create(codec, "r")
        assert isinstance(context, av.VideoCodecContext)
        context.width, context.height = size
        context.extradata = header
        context.thread_type = "AUTO"
        for packet in packets:
            count += len(context.decode(av.Packet(packet)))
        count += len(context.decode(None))
        spent = time.perf_counter() - begun
        if spent > _BUDGET:
            break
    if not count:
        raise MediaError("the frames tried cannot be decoded again", None, "Try another clip.")
    return count / spent


def kept_candidates(file: str, kept: Measurements) -> list[ProxyCandidate]:
    """What was measured earlier on the original of that key; empty when nothing was."""
    found = kept.kept(KIND, file)
    return [ProxyCandidate(**item) for item in found.value["candidates"]] if found is not None else []


def keep_candidates(file: str, candidates: list[ProxyCandidate], kept: Measurements) -> None:
    """Remember them for the original of that key."""
    kept.keep(KIND, file, {"candidates": [candidate.to_json() for candidate in candidates]})
