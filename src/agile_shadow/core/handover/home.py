"""A timeline that came home: its events matched to clips by what speaks for each, then taken as a timeline."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Literal

from ..amounts import counted
from ..jobs import Report
from ..matching.names import core_of, match_names
from ..project import Clip, Project
from ..project.lines import start_frame
from ..timeline import Block, Dissolve, Marker, Timeline, Track, new_id
from .arriving import Arrived, ArrivedTrack, Event, ReadRequest, read_arrived, source_frame
from .reels import reels_for

State = Literal["certain", "likely", "not found", "title"]
_CERTAIN, _LIKELY = 6.0, 2.5  # weights, as in the evidence of pairs
_AHEAD = 1.5  # of the next best
_ROOM = 2  # frames that rounding between rates may be off


@dataclass(frozen=True)
class EventMatch:
    """An event and the clip it stands for; ``reasons``: what speaks for it, or why there is none."""

    track: int
    number: int
    event: Event
    state: State
    clip: str = ""
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True)
class HomeRequest:
    """Read files as one timeline and match it to a project's clips."""

    project: Project
    files: ReadRequest


def read_and_match(request: HomeRequest, report: Report = lambda done: None) -> tuple[Arrived, tuple[EventMatch, ...]]:
    """A task for a worker. Raises ExportError."""
    arrived = read_arrived(request.files)
    report(0.5)
    return arrived, match_events(request.project, arrived)


def match_events(project: Project, arrived: Arrived) -> tuple[EventMatch, ...]:
    """Each event of each track with the clip that it most likely shows."""
    evidence = _Evidence(project, arrived)
    return tuple(
        evidence.match(number, place, event)
        for number, track in enumerate(arrived.tracks)
        for place, event in enumerate(track.events)
    )


class _Evidence:
    def __init__(self, project: Project, arrived: Arrived) -> None:
        self._clips = list(project.clips)
        self._same_project = bool(arrived.project) and arrived.project == project.id
        self._reels = reels_for(self._clips)
        names = [clip.original.file.path for clip in self._clips]
        wanted = sorted({_named(event) for track in arrived.tracks for event in track.events if event.title is None})
        self._places = {name: number for number, name in enumerate(wanted)}
        self._named = match_names(names, wanted)
        self._alike: dict[int, set[int]] = defaultdict(set)
        for place, number in self._named:
            self._alike[place].add(number)
        self._by_name: dict[str, list[int]] = defaultdict(list)
        self._by_core: dict[str, set[int]] = defaultdict(set)
        self._by_id = {clip.id: number for number, clip in enumerate(self._clips)}
        for number, clip in enumerate(self._clips):
            self._by_name[clip.name.casefold()].append(number)
            for path in _paths(clip):
                self._by_core[core_of(path)].add(number)

    def _likely(self, event: Event) -> Iterable[int]:
        """Clips whose names or files make them worth weighing; all of them where no name says anything."""
        found = {*self._by_name.get(event.name.casefold(), ()), *self._alike[self._places.get(_named(event), -1)]}
        found |= self._by_core.get(core_of(event.address), set()) if event.address else set()
        if self._same_project and event.clip in self._by_id:
            found.add(self._by_id[event.clip])
        return found or range(len(self._clips))

    def match(self, track: int, place: int, event: Event) -> EventMatch:
        """The clip of an event."""
        if event.title is not None:
            return EventMatch(track, place, event, "title", reasons=("drawn here",))
        weighed = []
        for number in self._likely(event):
            weight, reasons = self._weigh(number, self._clips[number], event)
            if weight > 0:
                weighed.append((weight, number, reasons))
        weighed.sort(key=lambda one: -one[0])
        if not weighed or weighed[0][0] < _LIKELY:
            return EventMatch(track, place, event, "not found", reasons=(self._why_not(event),))
        weight, number, reasons = weighed[0]
        ahead = weight - (weighed[1][0] if len(weighed) > 1 else 0.0)
        clip = self._clips[number]
        if ahead < _AHEAD / 3:
            others = ", ".join(self._clips[other].name for _weight, other, _reasons in weighed[:3])
            return EventMatch(track, place, event, "not found", reasons=(f"as like {others}",))
        state: State = "certain" if weight >= _CERTAIN and ahead >= _AHEAD else "likely"
        return EventMatch(track, place, event, state, clip.id, tuple(reasons))

    def _why_not(self, event: Event) -> str:
        named = f"no clip is named like {event.name}" if event.name else "it has no name"
        return f"{named}, has its reel and holds its timecode"

    def _weigh(self, number: int, clip: Clip, event: Event) -> tuple[float, list[str]]:
        if self._same_project and event.clip == clip.id:
            return 20.0, ["written by this project"]
        weight, reasons = 0.0, []
        paths = _paths(clip)
        if event.address and any(event.address.endswith(f"/{path}") for path in paths):
            weight += 7.0
            reasons.append("its file is at the same path on its shelf")
        elif event.address and core_of(event.address) in {core_of(path) for path in paths}:
            weight += 3.5
            reasons.append("its file has the same name")
        shared = self._by_name.get(event.name.casefold(), [])
        alike = self._named.get((self._places.get(_named(event), -1), number))
        if number in shared:
            weight += 4.0 / len(shared) + 0.5
            reasons.append("the same name" if len(shared) == 1 else f"a name that {counted(len(shared), 'clip')} have")
        elif alike is not None:
            weight += {"same": 4.0, "systematic": 3.5, "taught": 4.0, "within": 1.5}[alike.kind] / alike.shared
            reasons.append(f"a name without {alike.addition.words}" if alike.kind != "same" else "the same name")
        for more, why in (self._reel(clip, event), self._timecode(clip, event)):
            if why:
                weight += more
                reasons.append(why)
        if weight > 0 and source_start(clip, event) is None:
            weight -= 6.0
            reasons.append("it asks for footage that the clip does not have")
        return weight, reasons

    def _reel(self, clip: Clip, event: Event) -> tuple[float, str]:
        if not event.reel:
            return 0.0, ""
        own = (clip.original.info.reel or "").casefold()
        if event.reel.casefold() in (own, self._reels.get(clip.id, "").casefold()):
            return 2.0, f"the reel {event.reel}"
        return (-1.0, "another reel") if own else (0.0, "")

    def _timecode(self, clip: Clip, event: Event) -> tuple[float, str]:
        info = clip.original.info
        if not info.start_timecode or not info.frame_rate or event.source == 0:
            return 0.0, ""
        first = start_frame(info)
        into = source_frame(event, info.frame_rate) - first
        if -_ROOM <= into <= info.frames + _ROOM:
            return (3.0 if first else 0.5), "its timecode is within the clip's"
        return -2.0, "its timecode is not within the clip's"


def _paths(clip: Clip) -> set[str]:
    """Of its original and proxies, below their shelves."""
    return {clip.original.file.path, *(proxy.file.path for proxy in clip.proxies)}


def _named(event: Event) -> str:
    return event.address or event.name


def source_start(
    clip: Clip, event: Event, rate: Fraction | None = None, by_hand: bool = False
) -> Fraction | None:
    """Seconds of a clip that an event's first frame shows; None where the clip does not reach as far.

    ``rate``: of the timeline; without it only the earliest moment is looked at. ``by_hand``: a person chose the clip,
    so that a timecode that is not the clip's counts from its beginning.
    """
    info = clip.original.info
    if event.exact is not None and event.clip == clip.id:
        return event.exact
    own = info.frame_rate
    if info.kind == "still":
        return Fraction(0)
    if info.start_timecode and own and event.source:
        earliest = (source_frame(event, own) - start_frame(info)) / own
        if not -_ROOM / own <= earliest <= info.duration + _ROOM / own and event.into is not None:
            earliest = event.into
    elif event.into is not None:
        earliest = event.into + _lead(clip, event)
    else:
        earliest = event.source / event.source_rate
    room = _ROOM / (own or Fraction(25))
    if by_hand and not -room <= earliest < info.duration + room:
        earliest = event.source / event.source_rate
    if not -room <= earliest < info.duration + room:
        return None
    earliest = min(max(Fraction(0), earliest), info.duration)
    if event.speed < 0 and rate is not None:
        return earliest + (event.length - 1) * abs(event.speed) / rate
    return earliest


def _lead(clip: Clip, event: Event) -> Fraction:
    if event.side != "proxy" or not clip.proxies:
        return Fraction(0)
    proxy = clip.proxies[-1]
    return proxy.offset / proxy.info.frame_rate if proxy.info.frame_rate else Fraction(0)


def as_timeline(
    project: Project, arrived: Arrived, matches: tuple[EventMatch, ...], chosen: Mapping[tuple[int, int], str] | None
    = None,
) -> tuple[Timeline, tuple[str, ...]]:
    """The timeline as it can be taken: a block for each event that has a clip, a gap for the others; and what was left
    out, a sentence each. ``chosen``: clips chosen by hand, by track and number of the event."""
    line = project.timeline
    size = arrived.size or ((line.width, line.height) if line.width else None)
    told: list[str] = []
    found = {(match.track, match.number): match for match in matches}
    tracks: list[Track] = []
    for number, track in enumerate(arrived.tracks):
        clips = {
            place: (chosen or {}).get((number, place), found[number, place].clip)
            for place in range(len(track.events)) if (number, place) in found
        }  # fmt: skip
        tracks.append(_track(project, arrived, track, clips, told, number, frozenset(chosen or ())))
    whole = Timeline(
        name=arrived.name, rate=arrived.rate, start=max(0, arrived.start), tracks=tuple(_linked(tracks)),
        markers=tuple(Marker(max(0, frame), note[:1000]) for frame, note in arrived.markers),
        width=size[0] if size else 1920, height=size[1] if size else 1080,
    )  # fmt: skip
    return whole.checked(), tuple(told)


def _track(
    project: Project, arrived: Arrived, track: ArrivedTrack, clips: Mapping[int, str], told: list[str], number: int,
    by_hand: frozenset[tuple[int, int]],
) -> Track:  # fmt: skip
    blocks: list[Block] = []
    for place, event in enumerate(track.events):
        block = _block(project, arrived, event, clips.get(place, ""), (number, place) in by_hand)
        if block is None:
            told.append(f"{event.name or 'an event'} on {track.name or track.kind} was left out: a gap of "
                        f"{counted(event.length, 'frame')} is there.")  # fmt: skip
            continue
        before = blocks[-1] if blocks else None
        if before is not None and block.start < before.end:
            told.append(f"{event.name} overlaps the event before it, and was left out.")
            continue
        blocks.append(replace(block, dissolve=_dissolve(before, block, event, arrived.rate)))
    words = "Picture" if track.kind == "picture" else "Sound"
    return Track(track.kind, track.name or f"{words} {number + 1}", tuple(blocks), off=track.off)


def _block(project: Project, arrived: Arrived, event: Event, identity: str, by_hand: bool) -> Block | None:
    known = event.block if arrived.project == project.id else ""
    if event.title is not None:
        return Block("", event.start, event.length, Fraction(0), Fraction(0), title=event.title, id=known or new_id())
    clip = project.clip(identity)
    first = source_start(clip, event, arrived.rate, by_hand) if clip is not None else None
    if clip is None or first is None:
        return None
    room = Fraction(0) if clip.original.info.kind == "still" else clip.original.info.duration
    block = Block(clip.id, event.start, event.length, first if room else Fraction(0), room, event.speed,
                  link=event.link, id=known or new_id())  # fmt: skip
    return _within(block, arrived.rate)


def _within(block: Block, rate: Fraction) -> Block | None:
    """A block that rounding let reach a frame or two beyond its footage, moved into it; None for one further out."""
    step = abs(block.speed) / rate
    for _frame in range(_ROOM + 1):
        before, after = block.handles(rate)
        if before >= 0 and after >= 0:
            return block
        late = (after < 0) == (block.speed > 0)
        moved = block.source_start - step if late else block.source_start + step
        block = replace(block, source_start=max(Fraction(0), moved))
    return None


def _dissolve(before: Block | None, block: Block, event: Event, rate: Fraction) -> Dissolve | None:
    if event.dissolve is None or before is None or before.end != block.start or not any(event.dissolve):
        return None
    earlier = max(0, min(event.dissolve[0], block.handles(rate)[0], before.length))
    later = max(0, min(event.dissolve[1], before.handles(rate)[1], block.length))
    return Dissolve(earlier, later) if earlier + later else None


def _linked(tracks: list[Track]) -> list[Track]:
    """Picture and sound of the same clip that begin and end together belong together."""
    sounds: dict[tuple[str, int, int], str] = {}
    links: dict[str, str] = {}
    taken: set[str] = set()
    for track in tracks:
        for block in track.blocks:
            if track.kind == "sound" and block.clip and not block.link:
                sounds.setdefault((block.clip, block.start, block.length), block.id)
    for track in tracks:
        for block in track.blocks:
            other = sounds.get((block.clip, block.start, block.length))
            if track.kind == "picture" and other is not None and not block.link and other not in taken:
                taken.add(other)
                links[block.id] = links[other] = new_id()
    return [
        replace(track, blocks=tuple(replace(one, link=links[one.id]) if one.id in links else one
                                    for one in track.blocks))
        for track in tracks
    ]  # fmt: skip


def files_named(arrived: Arrived) -> list[str]:
    """The names of all files that a timeline uses, once each."""
    named = (PurePosixPath(event.address).name for track in arrived.tracks for event in track.events if event.address)
    return list(dict.fromkeys(named))
