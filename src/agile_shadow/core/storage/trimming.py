"""A stretch of an original as a file of its own: its packets are copied, nothing is encoded anew.

Only where that can be shown to be right: the new file is opened as any footage is, must say of itself what the original
says, and every frame of it is decoded and must be the original's, bit for bit; its sound must lie where it lay.
Whatever does not pass is carried whole.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import zip_longest
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.container import InputContainer, OutputContainer
from numpy.typing import NDArray

from ..below import Anchor, folder_below
from ..errors import MediaError, from_os_error
from ..files import flush, partial_path
from ..hashing import hash_file
from ..jobs import Report
from ..media import SAMPLE_RATE, FrameIndex, FrameReader, MediaInfo, SoundReader, probe, read_index
from ..media.opening import open_media
from ..time import frame_of, is_drop_frame, timecode_at
from ..timeline import Block, Timeline

CHECKSUM = "xxh128"
_CONTAINERS = (".mov", ".mp4", ".m4v")  # what the library writes as it read it
_WORTH_IT = Fraction(9, 10)  # of the frames: a stretch longer than that is not worth a new file
_EDGE = SAMPLE_RATE // 5  # samples at both ends in which a coded sound may differ
_SAME = ("kind", "codec", "width", "height", "display_width", "display_height", "rotation", "interlaced", "bit_depth",
         "pixel_format", "pixel_aspect", "audio", "reel", "odd")  # fmt: skip


@dataclass(frozen=True)
class Stretch:
    """Frames ``first`` to before ``end`` of a file, both where a file can be cut without encoding."""

    first: int
    end: int

    def __len__(self) -> int:
        return self.end - self.first


@dataclass(frozen=True)
class Trimmed:
    """The new file: where, its data, xxh128, and the stretch that it is, which ``begins`` so many seconds after the
    first frame of the whole."""

    path: Path
    info: MediaInfo
    value: str
    modified: int
    stretch: Stretch
    begins: Fraction


def used_seconds(lines: Iterable[Timeline]) -> dict[str, tuple[Fraction, Fraction]]:
    """For each clip (first moment, moment after the last) that any block of these timelines shows or plays, in seconds
    of the clip, dissolves with it."""
    found: dict[str, tuple[Fraction, Fraction]] = {}
    for line in lines:
        for track in line.tracks:
            for block, following in zip_longest(track.blocks, track.blocks[1:]):
                if block.title is None and block.room:
                    first, last = _shown(block, following, line.rate)
                    low, high = found.get(block.clip, (first, last))
                    found[block.clip] = min(low, first), max(high, last)
    return found


def _shown(block: Block, following: Block | None, rate: Fraction) -> tuple[Fraction, Fraction]:
    """(first moment, moment after the last) of the clip; a dissolve shows both blocks for its whole length."""
    before = block.dissolve.before if block.dissolve is not None else 0
    dissolve = following.dissolve if following is not None and following.start == block.end else None
    after = dissolve.after if dissolve is not None else 0
    ends = block.moment(block.start - before, rate), block.moment(block.end + after, rate)
    step = abs(block.speed) / rate
    return (ends[0], ends[1]) if block.speed > 0 else (ends[1] + step, ends[0] + step)


def stretch_of(index: FrameIndex, used: tuple[Fraction, Fraction], handles: int) -> Stretch | None:
    """The stretch that holds what is used and ``handles`` frames before and after it; None where that is nearly all."""
    first = max(0, index.frame_at(max(Fraction(0), used[0])) - handles)
    last = min(len(index) - 1, index.frame_at(max(Fraction(0), used[1])) + handles)
    first = index.key_before(first)
    later = index.keys[np.searchsorted(index.keys, last, side="right") :]
    end = int(later[0]) if len(later) else len(index)
    return Stretch(first, end) if end - first <= len(index) * _WORTH_IT else None


def can_be_cut_at(path: Path, stretch: Stretch) -> bool:
    """Whether a file can be cut at exactly these places without encoding it anew. Raises MediaError."""
    with FrameReader(path) as reader:
        keys = {int(key) for key in reader.index.keys} | {len(reader.index)}
    return stretch.first in keys and stretch.end in keys


def may_be_trimmed(source: Path, info: MediaInfo) -> bool:
    """Whether a file is of a kind that is cut here: one ordinary MOV or MP4, pictures at an even rate, undamaged."""
    return (
        info.kind == "video" and info.form == "file" and source.suffix.lower() in _CONTAINERS
        and not info.variable_rate and not info.damage
    )  # fmt: skip


def trim(
    source: Path, info: MediaInfo, stretch: Stretch, target: Path, anchor: Anchor, report: Report
) -> Trimmed:
    """Write the stretch to ``target`` below the root of ``anchor``. Raises MediaError where the new file does not hold
    what the original holds (nothing is left then), CopyError, ShelfGone, Cancelled."""
    partial = partial_path(target)
    with folder_below(anchor, target.parent, make=True) as folder:
        try:
            _write(source, info, stretch, partial)
            made, begins = _checked(source, info, stretch, partial, report)
            flush(partial)
            value = hash_file(partial, CHECKSUM, fresh=True)
            folder.name_finally(partial.name, target.name)
            modified = target.stat().st_mtime_ns
        except OSError as error:
            raise from_os_error(error, target, MediaError) from error
        finally:
            folder.remove(partial.name)
    return Trimmed(target, made, value, modified, stretch, begins)


def _write(source: Path, info: MediaInfo, stretch: Stretch, partial: Path) -> None:
    kind = "mp4" if source.suffix.lower() != ".mov" else "mov"
    try:
        with open_media(source) as original, av.open(str(partial), "w", format=kind) as made:
            _copy_packets(original, made, source, info, stretch)
    except av.error.FFmpegError as error:
        raise MediaError("cannot be cut without encoding it anew", source, "It is carried whole.") from error


def _copy_packets(
    original: InputContainer, made: OutputContainer, source: Path, info: MediaInfo, stretch: Stretch
) -> None:
    picture = original.streams.video[0]
    index = read_index(source, picture)
    begin = index.seconds(stretch.first) + int(index.times[0]) * index.time_base
    end = begin + index.seconds(stretch.end) - index.seconds(stretch.first)
    streams: dict[int, Any] = {}
    for stream in (picture, *original.streams.audio):
        streams[stream.index] = made.add_stream_from_template(stream)
        streams[stream.index].time_base = stream.time_base
    made.metadata.update({key: value for key, value in original.metadata.items() if key != "timecode"})
    streams[picture.index].codec_context.framerate = info.frame_rate  # its timecode track counts in these
    if info.reel is not None:
        streams[picture.index].metadata["reel_name"] = info.reel
    if info.start_timecode is not None:
        streams[picture.index].metadata["timecode"] = _timecode(info, stretch.first)
    for packet in original.demux([picture, *original.streams.audio]):
        if packet.pts is None or packet.dts is None or packet.time_base is None:
            continue
        at = packet.pts * packet.time_base
        if not begin <= at < end:
            continue
        shift = round(begin / packet.time_base)
        packet.pts, packet.dts = packet.pts - shift, packet.dts - shift
        packet.stream = streams[packet.stream.index]
        made.mux(packet)


def _timecode(info: MediaInfo, first: int) -> str:
    assert info.start_timecode is not None
    start = frame_of(info.start_timecode, info.frame_rate)
    return timecode_at(start + first, info.frame_rate, is_drop_frame(info.start_timecode))


def _checked(
    source: Path, info: MediaInfo, stretch: Stretch, partial: Path, report: Report
) -> tuple[MediaInfo, Fraction]:
    """What the new file is, and where it begins in seconds; MediaError where anything of it is not the original's."""
    made = probe(partial)
    wanted = {name: getattr(info, name) for name in _SAME} | {
        "frames": len(stretch), "frame_rate": info.frame_rate,
        "start_timecode": _timecode(info, stretch.first) if info.start_timecode is not None else made.start_timecode,
    }  # fmt: skip
    found = {name: getattr(made, name) for name in wanted}
    if found != wanted:
        apart = ", ".join(name.replace("_", " ") for name in wanted if found[name] != wanted[name])
        raise MediaError(f"would not be the same when cut: {apart}", source, "It is carried whole.")
    with FrameReader(source) as original, FrameReader(partial) as new:
        for number in range(len(stretch)):
            report(number / len(stretch))
            if not _alike(original.frame(stretch.first + number), new.frame(number)):
                what = f"would not be the same when cut: frame {stretch.first + number}"
                raise MediaError(what, source, "It is carried whole.")
        begin = original.index.seconds(stretch.first)
    if info.audio:
        _sound_alike(source, partial, begin, len(stretch) / info.frame_rate)
    return made, begin


def _alike(one: Any, other: Any) -> bool:
    return one.format.name == other.format.name and bool(np.array_equal(_pixels(one), _pixels(other)))


def _pixels(frame: Any) -> NDArray[Any]:
    """The pixels as they are; of formats that the library does not hand out, as deep R G B."""
    try:
        return frame.to_ndarray()  # type: ignore[no-any-return]
    except ValueError:
        return frame.reformat(format="rgb48le").to_ndarray()  # type: ignore[no-any-return]


def _sound_alike(source: Path, partial: Path, begin: Fraction, seconds: Fraction) -> None:
    original, new = SoundReader(source), SoundReader(partial)
    try:
        count = round(seconds * SAMPLE_RATE) - 2 * _EDGE
        if count <= 0:
            return
        theirs = original.read(round(begin * SAMPLE_RATE) + _EDGE, count)
        mine = new.read(_EDGE, count)
    finally:
        original.close()
        new.close()
    if np.abs(theirs - mine).max(initial=0.0) > 1e-3:
        raise MediaError("would not sound the same when cut", source, "It is carried whole.")


def within(line: Timeline, shifts: dict[str, tuple[Fraction, Fraction]]) -> Timeline:
    """A timeline whose blocks show the same moments of files that begin later. ``shifts``: by clip, seconds by which
    its file begins later, and its length now."""
    tracks = []
    for track in line.tracks:
        blocks = tuple(
            replace(block, source_start=block.source_start - shifts[block.clip][0], room=shifts[block.clip][1])
            if block.title is None and block.clip in shifts and block.room else block
            for block in track.blocks
        )  # fmt: skip
        tracks.append(replace(track, blocks=blocks))
    return replace(line, tracks=tuple(tracks))
