"""The presentation times of all frames of a file, so that frame k means the same in every file of a clip."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import numpy as np
from av.video.stream import VideoStream
from numpy.typing import NDArray

from ..amounts import counted
from ..errors import MediaError, from_os_error
from ..time import STANDARD_RATES, nearest_standard_rate
from .joined import joint_ticks, parts_of
from .opening import open_media, part_lengths
from .packets import packets_of
from .recording import is_joined, is_sequence
from .sequence import members

Times = NDArray[np.int64]
_Table = tuple[Times, NDArray[np.bool_], NDArray[np.bool_]]  # of all frames in the file: time, key frame, shown


@dataclass(frozen=True)
class FrameIndex:
    """``times``: int64 array of shape (frames,), ascending, in ticks of ``time_base`` seconds as stored in the file.

    ``keys``: int64 array of the frame numbers at which decoding can start (for files with an open group of pictures
    it may be a few frames early: whoever seeks checks where it landed).
    """

    times: Times
    keys: Times
    time_base: Fraction

    def __len__(self) -> int:
        return len(self.times)

    def seconds(self, frame: int) -> Fraction:
        """Time of a frame after the first one, in seconds; extrapolated one frame past the end."""
        last = len(self.times) - 1
        if frame <= last:
            return int(self.times[frame] - self.times[0]) * self.time_base
        step = int(self.times[last] - self.times[last - 1]) if last > 0 else 1
        return (int(self.times[last] - self.times[0]) + step * (frame - last)) * self.time_base

    def frame_at(self, seconds: Fraction) -> int:
        """Number of the frame that is on screen at that time after the first one, kept within the file.

        Times that a container rounds to its ticks may lie late by one: where frames last several ticks, so much is
        granted.
        """
        ticks = (seconds / self.time_base + self._grace).__floor__() + int(self.times[0])
        position = int(np.searchsorted(self.times, ticks, side="right")) - 1
        return min(max(position, 0), len(self.times) - 1)

    @cached_property
    def _grace(self) -> Fraction:
        """Ticks: one, or a quarter of the shortest frame."""
        if len(self.times) < 2:
            return Fraction(0)
        return min(Fraction(1), Fraction(max(0, int(np.diff(self.times).min())), 4))

    def key_before(self, frame: int) -> int:
        """The last frame at or before ``frame`` at which decoding can start."""
        position = int(np.searchsorted(self.keys, frame, side="right")) - 1
        return int(self.keys[position]) if position >= 0 else 0

    @property
    def intra(self) -> bool:
        """True when decoding can start at every frame."""
        return len(self.keys) == len(self.times)

    def same_times(self, other: FrameIndex) -> bool:
        """True when both have the same number of frames at the same times, each counted from its first frame."""
        if len(self) != len(other):
            return False
        mine, theirs = self.times - self.times[0], other.times - other.times[0]
        ratio = self.time_base / other.time_base
        return bool(np.all(mine * ratio.numerator == theirs * ratio.denominator))

    def constant_rate(self) -> Fraction | None:
        """The exact rate when every frame lies within one tick (or a millisecond) of an even grid, else None."""
        count = len(self.times) - 1
        if count < 1:
            return None
        relative = self.times - self.times[0]
        step = int(relative[-1])
        if bool(np.all(np.diff(relative) * count == step)):
            return 1 / (Fraction(step, count) * self.time_base)
        measured = count / (step * self.time_base)
        rate = min(STANDARD_RATES, key=lambda r: abs(r - measured))
        grid = np.arange(count + 1) * float(1 / (rate * self.time_base))
        room = max(1.01, 0.00101 / float(self.time_base))
        return rate if bool(np.all(np.abs(relative - grid) <= room)) else None

    def rate(self) -> Fraction:
        """:meth:`constant_rate`, or for variable-rate files the usual rate nearest to the mean."""
        constant = self.constant_rate()
        if constant is not None:
            return constant
        count = len(self.times) - 1
        span = int(self.times[-1] - self.times[0]) * self.time_base if count > 0 else Fraction(0)
        return nearest_standard_rate(count / span) if span > 0 else Fraction(25)


def read_index(path: Path, stream: VideoStream) -> FrameIndex:
    """The frame index of an open file, from its table where it has a whole one, else by reading all packets.

    The packets are read through an opening of their own: the caller's container stays where it is.
    Raises MediaError for a file that is cut off, or went meanwhile.
    """
    try:
        return _read_index(path, stream)
    except (FileNotFoundError, PermissionError) as error:
        raise from_os_error(error, path, MediaError) from error


def _read_index(path: Path, stream: VideoStream) -> FrameIndex:
    assert stream.time_base is not None
    if is_joined(path):
        return _of_parts(path, stream.time_base)
    table = _from_sequence(path, stream) if is_sequence(path) else _from_table(path, stream)
    if table is None:
        table = _from_packets(path, stream.index)
    return FrameIndex(*_shown(table, path), stream.time_base)


def _shown(table: _Table, path: Path) -> tuple[Times, NDArray[np.int64]]:
    """Times of the frames that are shown, in order, and the numbers of those at which decoding can start.

    An edit list may begin inside a group of frames: what lies before it is decoded and not shown, and its key frame
    is where decoding the first frame that is shown starts.
    """
    times, keys, shown = table
    if not shown.any() or not keys.any():
        raise MediaError("there is not one whole frame in it", path, "It may be cut off or still being written.")
    first_key = int(times[int(np.argmax(keys))])
    shown = shown & (times >= first_key)  # what leads the first key frame cannot be decoded
    if not shown.any():
        raise MediaError("there is not one whole frame in it", path, "It may be cut off or still being written.")
    order = np.argsort(times[shown], kind="stable")
    times, starts = times[shown][order], keys[shown][order]
    starts[0] |= first_key < times[0]
    return times, np.flatnonzero(starts).astype(np.int64)


def _of_parts(path: Path, time_base: Fraction) -> FrameIndex:
    """The indexes of a recording's files, one after the other."""
    indexes, starts = [], []
    for part in parts_of(path):
        with open_media(part) as container:
            index = read_index(part, container.streams.video[0])
            starts.append(container.start_time or 0)
        if index.time_base != time_base:
            raise MediaError("counts its time otherwise than the recording's first file", part, "Take it alone.")
        indexes.append(index)
    shifts = joint_ticks(part_lengths(path), starts, time_base)
    firsts = np.cumsum([0, *(len(index) for index in indexes)])
    times = np.concatenate([index.times + shift for index, shift in zip(indexes, shifts, strict=True)])
    keys = np.concatenate([index.keys + first for index, first in zip(indexes, firsts, strict=False)])
    return FrameIndex(times, keys, time_base)


def _from_sequence(path: Path, stream: VideoStream) -> _Table:
    """Every file is a frame and a key."""
    assert stream.time_base is not None
    count = len(members(path))
    step = round(1 / (Fraction(stream.average_rate or 25) * stream.time_base))
    every = np.ones(count, np.bool_)
    return np.arange(count, dtype=np.int64) * step, every, every


def _from_table(path: Path, stream: VideoStream) -> _Table | None:
    if not {"mov", "mp4"} & set(stream.container.format.name.split(",")):
        return None
    entries = list(stream.index_entries)
    if not entries or (stream.frames and stream.frames > len(entries)):
        return None
    size = path.stat().st_size
    whole = sum(1 for entry in entries if entry.pos + entry.size <= size)
    if whole < len(entries):
        raise MediaError(
            f"is cut off: {whole} of {counted(len(entries), 'frame is', 'frames are')} there", path,
            "Copy it again from the card if you can."
        )
    if any(entry.is_discard for entry in entries):
        return None  # an edit list: only the packets tell what is shown when
    decode_times = np.array([entry.timestamp for entry in entries], np.int64)
    keys = np.array([entry.is_keyframe for entry in entries], np.bool_)
    steps = np.diff(decode_times)
    if stream.codec_context.has_b_frames and not (len(steps) and bool(np.all(steps == steps[0]))):
        return None  # variable rate and reordered: only the packets tell the times
    first = stream.start_time if stream.start_time is not None else int(decode_times[0])
    return decode_times - decode_times[0] + first, keys, np.ones(len(keys), np.bool_)


def _from_packets(path: Path, stream_index: int) -> _Table:
    found = packets_of(path, stream_index)
    return found.times, found.keys, found.shown
