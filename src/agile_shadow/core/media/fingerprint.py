"""What a clip looks and sounds like in a few kilobytes: small grids of sampled frames, and the loudness over time."""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.stream import Discard
from av.video.frame import VideoFrame
from av.video.reformatter import VideoReformatter
from numpy.typing import NDArray

from ..errors import MediaError
from .frames import FrameReader
from .index import FrameIndex
from .info import MediaInfo
from .opening import ODD_FILE, open_media
from .origin import picture_origin
from .samples import samples_of
from .telling import FINE_HIGH, FINE_WIDE, Fine, fine_of

Grids = NDArray[np.float32]  # (frames, HIGH, WIDE): brightness 0 to 255
Envelope = NDArray[np.float32]

_CELL = 4  # points of a cell on each side before they are averaged
HIGH, WIDE = FINE_HIGH // _CELL, FINE_WIDE // _CELL
SAMPLES = 16  # frames of a fingerprint where the file has that many
ENVELOPE_RATE = 400  # values of loudness a second
_JITTER = 0.005  # seconds by which times may be rounded
HEARD = 40  # seconds of sound that are listened to


@dataclass(frozen=True)
class Fingerprint:
    """``numbers``: int64 (m,), the frames sampled, ascending; ``grids``: float32 (m, HIGH, WIDE), their brightness.

    ``loudness``: float32 (k,), the logarithm of the sound's energy, ENVELOPE_RATE values a second from the first frame;
    empty without sound.
    """

    frames: int
    numbers: NDArray[np.int64]
    grids: Grids
    loudness: Envelope

    def to_bytes(self) -> bytes:
        """For keeping."""
        out = io.BytesIO()
        np.savez_compressed(
            out, frames=self.frames, numbers=self.numbers, grids=self.grids.astype(np.float16),
            loudness=self.loudness.astype(np.float16),
        )  # fmt: skip
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> Fingerprint:
        """The inverse of :meth:`to_bytes`. Raises ValueError, KeyError, OSError."""
        with np.load(io.BytesIO(data)) as kept:
            return cls(
                int(kept["frames"]), kept["numbers"], kept["grids"].astype(np.float32),
                kept["loudness"].astype(np.float32),
            )  # fmt: skip


def fingerprint(path: Path, info: MediaInfo) -> Fingerprint:
    """The fingerprint of a probed file. Raises MediaError."""
    with FrameReader(path, info.sequence_rate) as reader:
        numbers = sample_numbers(reader.index)
        grids = grids_of(reader, numbers)
        frames = len(reader.index)
    return Fingerprint(frames, np.array(numbers, np.int64), grids, loudness(path) if info.audio else _silence())


def sample_numbers(index: FrameIndex, wanted: int = SAMPLES) -> list[int]:
    """Frames spread over a file that are cheap to decode: where decoding can start, and as few after it as needed."""
    keys = index.keys
    if len(keys) >= wanted:
        return [int(keys[at]) for at in np.linspace(0, len(keys) - 1, wanted).round().astype(int)]
    found = {int(key) for key in keys}
    ends = [*(int(key) for key in keys[1:]), len(index)]
    longest = max((end - int(key) for key, end in zip(keys, ends, strict=True)), default=1)
    for part in (2, 4, 8, 16):
        if len(found) >= wanted:
            break
        step = max(2, longest // part)
        for key, end in zip(keys, ends, strict=True):
            found.update(range(int(key), end, step))
    return sorted(found)


def grids_of(reader: FrameReader, numbers: Iterable[int]) -> Grids:
    """Grids of frames by ascending number: float32 (m, HIGH, WIDE). Raises MediaError."""
    reformatter = VideoReformatter()
    found = [grid_of(reader.frame(number), reformatter) for number in numbers]
    return np.stack(found) if found else np.zeros((0, HIGH, WIDE), np.float32)


def dense_grids(path: Path, info: MediaInfo, first: int, count: int) -> Grids:
    """Grids of every frame of a stretch: float32 (up to ``count``, HIGH, WIDE). Raises MediaError."""
    with FrameReader(path, info.sequence_rate) as reader:
        return grids_of(reader, range(first, min(first + count, len(reader.index))))


def grid_of(frame: VideoFrame, reformatter: VideoReformatter | None = None) -> Grids:
    """float32 (HIGH, WIDE): mean brightness of the cells of an upright picture."""
    return cells_of(fine_of(frame, reformatter))


def cells_of(fine: Fine) -> Grids:
    """float32 (HIGH, WIDE): the same of a picture that was made small already."""
    sums = fine.reshape(HIGH, _CELL, WIDE, _CELL).sum(axis=(1, 3), dtype=np.uint16)
    return np.asarray(sums / (_CELL * _CELL), np.float32)


def _silence() -> Envelope:
    return np.zeros(0, np.float32)


def loudness(path: Path, seconds: float = HEARD) -> Envelope:
    """float32 (k,): the logarithm of the energy of all channels, ENVELOPE_RATE values a second from the first frame.

    Empty for sound that cannot be decoded. Raises MediaError for a file that cannot be opened.
    """
    with open_media(path) as container:
        if not container.streams.audio:
            return _silence()
        for stream in container.streams:
            if stream.type != "audio":
                stream.discard = Discard.all  # its packets are not even read from the drive
        origin = picture_origin(path)
        try:
            return _envelope(container.decode(container.streams.audio[0]), float(origin), seconds)
        except (av.error.FFmpegError, *ODD_FILE):
            return _silence()


def _envelope(frames: Iterable[av.AudioFrame], origin: float, seconds: float) -> Envelope:
    """Energies of the samples, summed into the values of the envelope; gaps are silent."""
    pieces: list[NDArray[Any]] = []
    start, rate, count = None, 0, 0
    for frame in frames:
        at = (frame.time or 0.0) - origin
        if start is None:
            start, rate = at, frame.sample_rate
        if at > seconds:
            break
        samples = samples_of(frame)
        missing = round((at - start) * rate) - count
        count += samples.shape[1]
        if missing > _JITTER * rate and missing < seconds * rate:
            pieces.append(np.zeros((samples.shape[0], missing), samples.dtype))
            count += missing
        pieces.append(samples)
    if start is None:
        return _silence()
    samples = np.concatenate(pieces, axis=1)
    scale = float(np.iinfo(samples.dtype).max) if np.issubdtype(samples.dtype, np.integer) else 1.0
    energies = np.square(samples.astype(np.float32) / scale).sum(axis=0)
    edges = ((np.arange(int(seconds * ENVELOPE_RATE) + 1) / ENVELOPE_RATE - start) * rate).round().astype(np.int64)
    late = int(np.searchsorted(edges, 0))  # values before the sound begins
    edges = edges[late : int(np.searchsorted(edges, len(energies), side="right"))]
    if len(edges) < ENVELOPE_RATE // 4:
        return _silence()
    sums = np.add.reduceat(energies, edges[:-1])[: len(edges) - 1] / np.diff(edges)
    quiet = np.zeros(late, np.float32)
    return np.log10(np.concatenate([quiet, sums]) + 1e-7).astype(np.float32)


def need_picture(info: MediaInfo, path: Path) -> None:
    """Raises MediaError for what has no moving picture."""
    if info.kind != "video":
        raise MediaError("has no moving picture to compare", path, "Choose a video file.")
