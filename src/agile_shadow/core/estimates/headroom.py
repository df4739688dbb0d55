"""Headroom: how many times faster than its own frame rate a file decodes on this machine. Measured, time-boxed."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.container import InputContainer
from av.video.stream import VideoStream

from ..errors import MediaError, from_os_error
from ..jobs import Report
from ..media import FrameIndex, MediaInfo, probe, read_index
from ..media.opening import open_media
from ..proxies.pace import Pace
from .measurements import Measurements, file_key

KIND = "headroom"
_PLACES = (Fraction(1, 12), Fraction(1, 2), Fraction(5, 6))  # of the length
_BUDGET = 2.4  # seconds of decoding in all
_SHORT = 100  # frames
_PASSES = 60
_ENOUGH = 0.5  # seconds of decoding that tell enough of a short file


@dataclass(frozen=True)
class Headroom:
    """``ratio``: decoding speed over the file's own frame rate; from ``frames`` decoded in ``seconds``."""

    ratio: float
    frames: int
    seconds: float

    def to_json(self) -> dict[str, Any]:
        """Plain values."""
        return asdict(self)


@dataclass(frozen=True)
class HeadroomRequest:
    """Measure a file for at most about ``budget`` seconds. ``info`` where it was probed already."""

    path: Path
    info: MediaInfo | None = None
    budget: float = _BUDGET


def measure_headroom(request: HeadroomRequest, report: Report) -> Headroom:
    """Decode at a few places, as fast as it goes: a task for a worker. Raises MediaError."""
    info = request.info or probe(request.path)
    if info.kind != "video":
        raise MediaError("is not video, so it has no headroom", request.path, "Leave it out.")
    try:
        with open_media(request.path, info.sequence_rate) as container:
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            index = read_index(request.path, stream)
            frames, seconds = _decode_at_places(container, stream, index, request.budget, report)
    except av.error.FFmpegError as error:
        raise MediaError(f"cannot be decoded ({error.strerror})", request.path, "Check the file.") from error
    return Headroom(frames / seconds / float(info.frame_rate), frames, seconds)


def _decode_at_places(
    container: InputContainer, stream: VideoStream, index: FrameIndex, budget: float, report: Report
) -> tuple[int, float]:
    """(frames, seconds): a long file at three places, a short one from its beginning as often as there is time."""
    frames, seconds = 0, 0.0
    short = len(index) <= _SHORT
    places = (Fraction(0),) * _PASSES if short else _PLACES
    for number, place in enumerate(places):
        key = index.key_before(int(place * len(index)))
        container.seek(int(index.times[key]), stream=stream, backward=True)
        allowed = budget - seconds if short else budget / len(places)
        done = number / len(places)
        count, took = _decode_for(container, stream, allowed, lambda done=done: report(done))  # type: ignore[misc]
        frames, seconds = frames + count, seconds + took
        report((number + 1) / len(places))
        if short and seconds >= min(budget, _ENOUGH):
            break
    return frames, max(seconds, 1e-6)


def _decode_for(
    container: InputContainer, stream: VideoStream, budget: float, each: Callable[[], None]
) -> tuple[int, float]:
    """Frames after the first one, and the seconds they took: what opening and filling the decoder costs is left out."""
    frames = -1
    begun = first = time.perf_counter()
    for _frame in container.decode(stream):
        each()
        now = time.perf_counter()
        frames += 1
        if frames == 0:
            first = now
        if now - begun > budget and frames > 0:
            break
    now = time.perf_counter()
    return (frames, now - first) if frames > 0 else (1, now - begun)


def headroom_of(path: Path, kept: Measurements, info: MediaInfo | None = None) -> Headroom:
    """The headroom kept for the file as it is, else measured now and kept. Raises MediaError or ShadowError."""
    known = kept_headroom(path, kept)
    if known is not None:
        return known
    measured = measure_headroom(HeadroomRequest(path, info), lambda done: None)
    keep_headroom(path, measured, kept)
    return measured


def keep_headroom(path: Path, measured: Headroom, kept: Measurements) -> None:
    """Remember a file's headroom. Raises MediaError when the file is gone."""
    try:
        kept.keep(KIND, file_key(path), measured.to_json())
    except OSError as error:
        raise from_os_error(error, path, MediaError) from error


def keep_pace(path: Path, info: MediaInfo, pace: Pace | None, kept: Measurements) -> None:
    """Remember the headroom that the making of its proxy told of an original, unless it is known already, as measured
    by itself. A file that is gone is passed over."""
    if pace is None or not info.frame_rate or kept_headroom(path, kept) is not None:
        return
    ratio = pace.frames / pace.seconds / float(info.frame_rate)
    with suppress(MediaError):
        keep_headroom(path, Headroom(ratio, pace.frames, pace.seconds), kept)


def kept_headroom(path: Path, kept: Measurements) -> Headroom | None:
    """The headroom measured earlier for the file as it is, if any; None as well when the file is not there."""
    try:
        key = file_key(path)
    except OSError:
        return None
    return headroom_under(key, kept)


def headroom_under(key: str, kept: Measurements) -> Headroom | None:
    """The headroom kept under a file's key, if any: touches no drive of the file."""
    found = kept.kept(KIND, key)
    return Headroom(**found.value) if found is not None else None
