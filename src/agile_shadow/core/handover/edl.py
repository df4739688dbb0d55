"""Edit lists (CMX 3600), one for each track, through the adapter of OpenTimelineIO.

The adapter knows one rate and counts timecode by it alone, gives drop-frame to every rate that can have it, and
reckons the source of a changed speed the wrong way round. So the timecodes of its lines are put in here, from the
timeline and from each file's own counting.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from ..errors import ExportError
from ..late import opentimelineio as otio
from ..media import MediaInfo
from ..project import Project
from ..project.lines import start_frame
from ..time import is_drop_frame, nominal_rate, rate_label, timecode_at
from ..timeline import Block, Timeline, Track
from .plain import Half, address, dissolve, gap, items_of, sources_of, span, unsaid
from .reels import reels_for

_EVENT = re.compile(r"^(\d{3,}  \S+ +\S+ +(?:C|D \d+) +)(?:\S+ ){3}\S+$")
_TIMECODE = r"\d{2}:\d{2}:\d{2}[:;]\d{2}"
_SPEED = re.compile(rf"^(M2 +)(.*?)(\t\t)(\S+)(\t\t\t){_TIMECODE}$")
_BETWEEN = "some edges fall between two frames of the file, and the list names whole ones."
_FASTER = "more frames per second than the list can count: the timecodes are given in frames of the timeline."
_PLAIN = re.compile(r"[^\x20-\x7e]")


@dataclass(frozen=True)
class EditList:
    """One file's text; ``track`` is the name of its track; ``notes`` what it could not say, a sentence each."""

    track: str
    text: str
    notes: tuple[str, ...]


@dataclass(frozen=True)
class _Line:
    """The timecodes of one line: source in and out, record in and out; the clip it names, "" for the cut before a
    dissolve."""

    name: str
    source: tuple[str, str]
    record: tuple[str, str]

    @property
    def text(self) -> str:
        return f"{self.source[0]} {self.source[1]} {self.record[0]} {self.record[1]}"


def edit_lists(project: Project, line: Timeline, half: Half = "original") -> list[EditList]:
    """An edit list for each track that is on and has a clip. Raises ExportError where there is none."""
    clips = [clip for clip in project.clips if any(block.clip == clip.id for block in line.blocks)]
    reels = reels_for(clips)
    made = [
        _edit_list(project, line, track, reels, half)
        for track in line.tracks
        if not track.off and any(block.title is None for block in track.blocks)
    ]
    if not made:
        raise ExportError("the timeline has no clip that an edit list could name", None, "Add a clip first.")
    return made


def _edit_list(project: Project, line: Timeline, track: Track, reels: dict[str, str], half: Half) -> EditList:
    kind = otio.schema.TrackKind.Video if track.kind == "picture" else otio.schema.TrackKind.Audio
    row = otio.schema.Track(track.name, kind=kind)
    whole = otio.schema.Timeline(f"{_ascii(line.name)} {_ascii(track.name)}", tracks=[row])
    if track.kind == "sound":
        whole.tracks.append(otio.schema.Track("none", kind=otio.schema.TrackKind.Video))
    notes: dict[str, list[str]] = {}
    for item in items_of(track):
        if isinstance(item, int) or item.title is not None:
            row.append(gap(item if isinstance(item, int) else item.length, line.rate))
            continue
        if item.dissolve is not None and len(row) and isinstance(row[-1], otio.schema.Clip):
            row.append(dissolve(item.dissolve.before, item.dissolve.after, line.rate))
        row.append(_clip(project, line, item, reels, half))
    text = otio.adapters.write_to_string(whole, "cmx_3600", rate=float(nominal_rate(line.rate)))
    fcm = f"FCM: {'DROP FRAME' if line.drop else 'NON-DROP FRAME'}"
    title, _, events = text.partition("\n\n")
    lines = _timed(events.splitlines(), list(_lines(project, line, track, notes)))
    told = [f"{', '.join(dict.fromkeys(names))}: {why}" for why, names in notes.items()]
    told += unsaid(project, Timeline(line.name, line.rate, line.width, line.height, (track,)), ("titles",))
    return EditList(track.name, "\n".join([title, fcm, "", *lines]) + "\n", tuple(told))


def _ascii(text: str) -> str:
    return _PLAIN.sub("?", text)


def _clip(
    project: Project, line: Timeline, block: Block, reels: dict[str, str], half: Half
) -> Any:
    clip = project.clip(block.clip)
    assert clip is not None
    source = sources_of(clip, half)[0]
    anywhere = otio.opentime.RationalTime(3600 * nominal_rate(line.rate), float(nominal_rate(line.rate)))
    reference = otio.schema.ExternalReference(address(project, source.file))
    comments = [f"SOURCE FILE: {_ascii(source.file.path)}"]
    if source.info.frame_rate and source.info.frame_rate != line.rate:
        comments.append(f"SOURCE RATE: {rate_label(source.info.frame_rate)}")
    held = span(anywhere, block.length, Fraction(nominal_rate(line.rate)))
    item = otio.schema.Clip(_ascii(clip.name), reference, held)
    item.metadata["cmx_3600"] = {"reel": reels[clip.id], "comments": comments}
    if block.speed != 1:
        item.effects.append(otio.schema.LinearTimeWarp(time_scalar=float(block.speed)))
    return item


def _lines(project: Project, line: Timeline, track: Track, notes: dict[str, list[str]]) -> Iterator[_Line]:
    """The timecodes of each line that the adapter writes, in its order; ``notes`` get the names of clips by what is to
    be told of them."""
    blocks = [block for block in track.blocks if block.title is None]
    before: Block | None = None
    for number, block in enumerate(blocks):
        touching = before is not None and before.end == block.start
        taken = block.dissolve if touching else None
        coming = blocks[number + 1] if number + 1 < len(blocks) else None
        given = coming.dissolve if coming is not None and coming.start == block.end else None
        start = block.start - (taken.before if taken is not None else 0)
        end = block.end - (given.before if given is not None else 0)
        clip = project.clip(block.clip)
        assert clip is not None
        info = clip.original.info
        if taken is not None and before is not None:
            left = project.clip(before.clip)
            assert left is not None
            at = source_timecode(left.original.info, before.moment(start, line.rate), line)
            yield _Line("", (at, at), (line.timecode(start),) * 2)
        if not _exact(info, block.moment(start, line.rate)) or not _exact(info, block.moment(end, line.rate)):
            notes.setdefault(_BETWEEN, []).append(clip.name)
        if _is_faster(info, line):
            notes.setdefault(_FASTER, []).append(clip.name)
        yield _Line(_ascii(clip.name), _source(info, block, start, end, line), (line.timecode(start),
                                                                               line.timecode(end)))  # fmt: skip
        before = block


def _source(info: MediaInfo, block: Block, start: int, end: int, line: Timeline) -> tuple[str, str]:
    """The first frame of the file that shows from ``start`` to before ``end``, and the frame after the last."""
    own = _counted(info, line)
    count = math.ceil((end - start) * abs(block.speed) * own / line.rate)
    first = math.floor(block.moment(start, line.rate) * own)
    if block.speed < 0:
        first = max(0, first + 1 - count)
    return source_timecode(info, first / own, line), source_timecode(info, (first + count) / own, line)


def _exact(info: MediaInfo, seconds: Fraction) -> bool:
    return not info.frame_rate or (seconds * info.frame_rate).denominator == 1


def _is_faster(info: MediaInfo, line: Timeline) -> bool:
    """Whether a file counts more frames in a second of timecode than the timeline."""
    return nominal_rate(info.frame_rate or line.rate) > nominal_rate(line.rate)


def _counted(info: MediaInfo, line: Timeline) -> Fraction:
    """The rate at which the list counts a file's frames."""
    return line.rate if _is_faster(info, line) or not info.frame_rate else info.frame_rate


def source_timecode(info: MediaInfo, seconds: Fraction, line: Timeline) -> str:
    """A moment of a file in its own timecode, as it would be read off the file."""
    own = info.frame_rate or line.rate
    if _is_faster(info, line):
        start = Fraction(start_frame(info)) / nominal_rate(own) * nominal_rate(line.rate)
        return timecode_at(math.floor(start + seconds * line.rate), line.rate)
    return timecode_at(start_frame(info) + math.floor(seconds * own), own, is_drop_frame(info.start_timecode or ""))


def _timed(events: list[str], timed: list[_Line]) -> list[str]:
    """The adapter's lines with our timecodes in them. Raises ExportError where their numbers differ."""
    out: list[str] = []
    used = 0
    begins: dict[str, str] = {}  # of each clip's last event: what a changed speed is counted from
    for place, text in enumerate(events):
        event = _EVENT.match(text)
        if event is not None:
            if used == len(timed):
                break
            if timed[used].name:
                begins[timed[used].name] = timed[used].source[0].replace(";", ":")  # readers know no other there
            out.append(event[1] + timed[used].text)
            used += 1
            continue
        speed = _SPEED.match(text)
        following = events[place + 1] if place + 1 < len(events) else ""
        if speed is not None and used and not timed[used - 2].name and following.startswith("* FROM"):
            continue  # of the clip that is left: its own event says it, and readers would give it to the one that comes
        if speed is not None and speed[2] in begins:
            text = f"{speed[1]}{speed[2]}{speed[3]}{speed[4]}{speed[5]}{begins[speed[2]]}"
        out.append(text)
    if used != len(timed) or sum(1 for text in events if _EVENT.match(text)) != used:
        raise ExportError("the edit list could not be written", None, "Report this, and take another format.")
    return out
