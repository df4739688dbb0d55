"""Sound recorded apart, laid under the picture it belongs to: where a recording lies, and the edit that lays it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from ..time import frame_of
from ..timeline import Block, Timeline, Track, add_track, new_id
from ..timeline.rows import put, settled
from .document import Project
from .footage import Clip


@dataclass(frozen=True)
class Lead:
    """``recording`` (a clip's identity) sounds under ``block``; ``seconds`` of it have passed when the block's clip
    begins, negative where it begins later."""

    block: str
    recording: str
    seconds: Fraction


def clock_of(clip: Clip) -> Fraction | None:
    """Seconds since midnight at which a clip begins: of a recording its own, of a picture by its timecode."""
    info = clip.original.info
    if info.kind == "sound":
        return info.since_midnight
    if not info.start_timecode or not info.frame_rate:
        return None
    try:
        return frame_of(info.start_timecode, info.frame_rate) / info.frame_rate
    except ValueError:
        return None


def recordings(project: Project) -> list[Clip]:
    """The clips that are sound alone."""
    return [clip for clip in project.clips if clip.original.info.kind == "sound" and clip.original.info.duration > 0]


def pictures_of(project: Project, chosen: Iterable[str]) -> list[tuple[Block, Clip]]:
    """Of chosen blocks those that show footage forward at its own speed, with their clips, in order of start."""
    line, found = project.timeline, {}
    for identity in chosen:
        one = line.block(identity)
        for block in (one, *line.linked(one)) if one is not None else ():
            track, clip = line.track_of(block.id), project.clip(block.clip)
            plain = block.title is None and block.speed == 1 and bool(block.room)
            if plain and clip is not None and track is not None and track.kind == "picture":
                found[block.id] = block, clip
    return sorted(found.values(), key=lambda pair: pair[0].start)


def leads_by_timecode(project: Project, chosen: Iterable[str]) -> list[Lead]:
    """Recordings that ran while the chosen blocks were shot, by both clocks; each block gets all that did."""
    found = []
    for block, clip in pictures_of(project, chosen):
        begins = clock_of(clip)
        for recording in recordings(project) if begins is not None else ():
            clock = clock_of(recording)
            if clock is None or begins is None:
                continue
            lead = begins - clock
            first = lead + block.source_start
            last = first + block.length / project.timeline.rate
            if last > 0 and first < recording.original.info.duration:
                found.append(Lead(block.id, recording.id, lead))
    return found


def lay(project: Project, leads: Sequence[Lead]) -> Project:
    """Lay recordings under their blocks, in step to the sample, linked to them: on sound tracks that are free there.

    What lies there already of the same recording is replaced.
    """
    line = project.timeline
    for lead in leads:
        block, recording = line.block(lead.block), project.clip(lead.recording)
        if block is None or recording is None:
            continue
        line = _laid(line, block, recording, lead.seconds)
    return project.but(timeline=settled(line))


def _laid(line: Timeline, block: Block, recording: Clip, lead: Fraction) -> Timeline:
    room = recording.original.info.duration
    first = lead + block.source_start
    late = max(0, math.ceil(-first * line.rate))
    first += late / line.rate
    length = min(block.length - late, math.floor((room - first) * line.rate))
    if length < 1:
        return line
    link = block.link or new_id()
    sound = Block(recording.id, block.start + late, length, first, room, link=link)
    line = _without(line, sound)
    line = _with_link(line, block, link)
    track = _free_track(line, sound)
    if track is None:
        line = add_track(line, "sound")
        track = line.sounds[-1]
    return line.with_tracks(replace(track, blocks=put(track.blocks, sound, line.rate)))


def _without(line: Timeline, sound: Block) -> Timeline:
    """Without the same recording where it lies already."""

    def stays(one: Block) -> bool:
        return one.clip != sound.clip or one.end <= sound.start or one.start >= sound.end

    tracks = [
        replace(track, blocks=tuple(one for one in track.blocks if stays(one)))
        for track in line.sounds if not track.locked and not all(map(stays, track.blocks))
    ]  # fmt: skip
    return line.with_tracks(*tracks)


def _with_link(line: Timeline, block: Block, link: str) -> Timeline:
    track = line.track_of(block.id)
    if track is None or block.link == link:
        return line
    return line.with_tracks(replace(
        track, blocks=tuple(replace(one, link=link) if one.id == block.id else one for one in track.blocks)
    ))  # fmt: skip


def _free_track(line: Timeline, sound: Block) -> Track | None:
    free = (track for track in line.sounds if not track.locked)
    return next((track for track in free if next(track.between(sound.start, sound.end), None) is None), None)
