"""AAF, through the adapter of OpenTimelineIO: tracks, clips, dissolves.

The adapter wants one rate for everything and an identity for every file; it has no words for speeds, gain and notes.
What is left out is told before.
"""

from __future__ import annotations

import hashlib
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from ..media import MediaInfo
from ..project import Clip, Project
from ..project.lines import start_frame
from ..time import rate_label
from ..timeline import Block, Timeline, Track
from .plain import Half, address, dissolve, gap, items_of, sources_of, span, unsaid

_OPERATIONS = {  # AAF object specification 1.1, built-in effects
    "picture": ("0c3bea40-fc05-11d2-8a29-0050040ef7d2", "VideoDissolve", "DataDef_Picture"),
    "sound": ("0c3bea41-fc05-11d2-8a29-0050040ef7d2", "MonoAudioDissolve", "DataDef_Sound"),
}
_UMID = "urn:smpte:umid:060a2b34.01010105.01010f20.13000000"


def aaf_notes(project: Project, line: Timeline) -> list[str]:
    """What an AAF cannot say of a timeline, a sentence each."""
    notes = unsaid(project, line, ("titles", "speeds", "notes"))
    others = sorted({
        rate_label(clip.original.info.frame_rate) for block in line.blocks
        if (clip := project.clip(block.clip)) is not None
        and clip.original.info.frame_rate not in (0, line.rate)
    })  # fmt: skip
    lost = sum(
        1 for track in line.tracks if not track.off for block in track.blocks
        if block.dissolve is not None and track.before(block) is not None and not _dissolves(block, track)
    )  # fmt: skip
    if lost:
        notes.append(f"Not in it: {lost} dissolves beside titles or changed speeds, which are cuts there.")
    if others:
        notes.append(
            f"Clips of {', '.join(others)} frames per second are counted in the timeline's {rate_label(line.rate)}, to "
            "the nearest frame."
        )
    return notes


def write_aaf(project: Project, line: Timeline, half: Half, path: Path) -> None:
    """Write an AAF. Raises OSError, and whatever the adapter has."""
    whole = otio.schema.Timeline(line.name)
    whole.global_start_time = otio.opentime.RationalTime(line.start, float(line.rate))
    for track in line.tracks:
        if not track.off and any(block.title is None for block in track.blocks):
            whole.tracks.append(_track(project, line, track, half))
    otio.adapters.write_to_file(whole, str(path), "AAF")


def _track(project: Project, line: Timeline, track: Track, half: Half) -> Any:
    kind = otio.schema.TrackKind.Video if track.kind == "picture" else otio.schema.TrackKind.Audio
    row = otio.schema.Track(track.name, kind=kind)
    for item in items_of(track):
        if isinstance(item, int) or item.title is not None:
            row.append(gap(item if isinstance(item, int) else item.length, line.rate))
            continue
        if _dissolves(item, track):
            assert item.dissolve is not None
            row.append(_dissolve(item.dissolve.before, item.dissolve.after, line, track.kind))
        clip = project.clip(item.clip)
        assert clip is not None
        row.append(_clip(project, line, item, clip, half))
    return row


def _dissolves(block: Block, track: Track) -> bool:
    """Whether a block dissolves out of another clip; not where a speed that is left out decides on the footage."""
    before = track.before(block)
    if block.dissolve is None or before is None:
        return False
    return all(one.title is None and one.speed == 1 for one in (block, before))


def _dissolve(before: int, after: int, line: Timeline, kind: str) -> Any:
    identity, name, data = _OPERATIONS[kind]
    made = dissolve(before, after, line.rate)
    made.metadata["AAF"] = {
        "PointList": [{"Time": "0/1", "Value": "0/1"}, {"Time": "1/1", "Value": "1/1"}],
        "CutPoint": before,
        "OperationGroup": {"Operation": {
            "Identification": identity, "Name": name, "Description": name, "DataDefinition": {"Name": data},
            "IsTimeWarp": False, "Bypass": 1, "NumberInputs": 2, "OperationCategory": "OperationCategory_Effect",
        }},
    }  # fmt: skip
    return made


def _clip(project: Project, line: Timeline, block: Block, clip: Clip, half: Half) -> Any:
    source = sources_of(clip, half)[0]
    first = _start(source.info, line.rate)
    earliest = min(block.source_start, block.moment(block.end - 1, line.rate)) - source.lead
    begin = first + round(earliest * line.rate)
    length = int(source.info.duration * line.rate) or block.length
    reference = otio.schema.ExternalReference(address(project, source.file), _span(first, length, line.rate))
    item = otio.schema.Clip(clip.name, reference, _span(begin, block.length, line.rate))
    item.metadata["AAF"] = {"MobID": _identity(clip.id)}
    return item


def _start(info: MediaInfo, rate: Fraction) -> int:
    """The first timecode of a file as a number of frames of the timeline."""
    own = info.frame_rate or rate
    return start_frame(info) if own == rate else round(Fraction(start_frame(info)) / own * rate)


def _span(start: int, frames: int, rate: Fraction) -> Any:
    return span(otio.opentime.RationalTime(start, float(rate)), frames, rate)


def _identity(clip: str) -> str:
    """The same for a clip each time it is written (SMPTE ST 330, its number from the clip's identity)."""
    number = hashlib.sha1(clip.encode()).hexdigest()[:32]
    return f"{_UMID}.{'.'.join(number[at : at + 8] for at in range(0, 32, 8))}"
