"""Timelines from other tools, read through OpenTimelineIO: a row of events for each track."""

from __future__ import annotations

import os
import re
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

from ..below import open_ordinary
from ..errors import ExportError, ShadowError, from_os_error
from ..jobs import Report
from ..late import opentimelineio as otio
from ..project.schema import KEY
from ..strict import read_json
from ..time import frame_of, nearest_standard_rate, nominal_rate, timecode_at
from ..timeline import FACES, SPOTS, Kind, Title

ENDINGS = (".otio", ".otioz", ".otiod", ".edl", ".aaf")
_LARGEST = 100 << 20  # bytes of text
_MOST = 100_000  # events
_RATE_ROOM = Fraction(1, 1000)
_EVENT = re.compile(
    r"^(?P<head>\d{1,6}\s+\S+\s+\S+\s+(?:C|D\s+\d+|W\d+\s+\d+|K\s*\S*\s*\d*)\s+)"
    r"(?P<s1>\S{11})\s+(?P<s2>\S{11})\s+(?P<r1>\S{11})\s+(?P<r2>\S{11})$"
)


@dataclass(frozen=True)
class Event:
    """One use of some footage. ``start`` and ``length`` in frames of the timeline; ``source``: the number, in timecode
    at ``source_rate``, of the earliest frame it shows; ``into``: the same in seconds after the file's first frame,
    where it is said; ``dissolve``: frames before and after its beginning. ``clip``, ``block``, ``exact`` and ``link``:
    what this program once wrote of it. ``as_written``: the timecode is to be read as its letters, which edit lists
    count at each file's own rate."""

    name: str
    start: int
    length: int
    source: Fraction = Fraction(0)
    source_rate: Fraction = Fraction(25)
    into: Fraction | None = None
    side: str = ""
    reel: str = ""
    address: str = ""
    speed: Fraction = Fraction(1)
    dissolve: tuple[int, int] | None = None
    title: Title | None = None
    clip: str = ""
    block: str = ""
    exact: Fraction | None = None
    link: str = ""
    as_written: bool = False

    @property
    def end(self) -> int:
        """The frame after the last one."""
        return self.start + self.length


@dataclass(frozen=True)
class ArrivedTrack:
    """Events one after another."""

    kind: Kind
    name: str
    events: tuple[Event, ...]
    off: bool = False


@dataclass(frozen=True)
class Arrived:
    """A timeline from elsewhere. ``start``: number of its first frame in timecode; ``size`` in pixels where it is said.
    ``notes``: what of it was not understood, a sentence each."""

    name: str
    rate: Fraction
    start: int
    tracks: tuple[ArrivedTrack, ...]
    markers: tuple[tuple[int, str], ...] = ()
    size: tuple[int, int] | None = None
    project: str = ""
    timeline: str = ""
    notes: tuple[str, ...] = ()


@dataclass(frozen=True)
class ReadRequest:
    """Files of one timeline: one, or an edit list for each track. ``rate``: of edit lists, which do not say theirs."""

    paths: tuple[Path, ...]
    rate: Fraction


def read_arrived(request: ReadRequest, report: Report = lambda done: None) -> Arrived:
    """The timeline in the files: a task for a worker, for its readers are other people's. Raises ExportError."""
    read = [_read(path, request.rate) for path in request.paths]
    if not read:
        raise ExportError("no file was named", None, "Name a timeline.")
    first = read[0]
    if sum(len(track.events) for one in read for track in one.tracks) > _MOST:
        raise ExportError(f"has more than {_MOST:,} events", request.paths[0], "Part it into several timelines.")
    start = min(one.start for one in read)
    tracks = [
        replace(track, events=tuple(replace(event, start=event.start + one.start - start) for event in track.events))
        for one in read for track in one.tracks
    ]  # fmt: skip
    tracks.sort(key=lambda track: track.kind == "sound")
    notes = tuple(dict.fromkeys(note for one in read for note in one.notes))
    return replace(first, tracks=tuple(tracks), start=start, notes=notes)


def _read(path: Path, rate: Fraction) -> Arrived:
    ending = path.suffix.lower()
    try:
        if ending == ".edl":
            return _from_edl(path, rate)
        if ending == ".aaf":
            os.close(open_ordinary(os.path.realpath(path)))
            return _from_otio(otio.adapters.read_from_file(str(path), "AAF"), rate)
        text = _text(path)
        read_json(text)  # within bounds: the library's own reader ends the process at what nests too deeply
        return _from_otio(otio.adapters.read_from_string(text, "otio_json"), rate)
    except ShadowError:
        raise
    except OSError as error:
        raise from_os_error(error, path, ExportError) from error
    except Exception as error:  # its readers raise whatever comes to their mind
        brief = (str(error) or type(error).__name__).splitlines()[0][:200]
        raise ExportError(f"cannot be read as a timeline ({brief})", path, "Write it once more there.") from error


def _text(path: Path) -> str:
    """The OpenTimelineIO text of a file, of a bundle, or of a bundle's folder. Raises OSError, ExportError."""
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise ExportError("is no timeline that can be read", path, f"Its extension is one of {', '.join(ENDINGS)}.")
    file = path / "content.otio" if ending == ".otiod" else path
    with os.fdopen(open_ordinary(os.path.realpath(file)), "rb") as opened:
        if ending == ".otioz":
            with zipfile.ZipFile(opened) as bundle, bundle.open("content.otio") as inner:
                data = inner.read(_LARGEST + 1)
        else:
            data = opened.read(_LARGEST + 1)
    if len(data) > _LARGEST:
        raise ExportError("is far too large for a timeline", path, "Choose another file.")
    return data.decode("utf-8")


# Edit lists


def _from_edl(path: Path, rate: Fraction) -> Arrived:
    with os.fdopen(open_ordinary(os.path.realpath(path)), encoding="utf-8", errors="replace") as file:
        text = file.read(_LARGEST)
    begin, text = _consistent(text, rate)
    found = _from_otio(otio.adapters.read_from_string(text, "cmx_3600", rate=float(rate)), rate)
    tracks = tuple(
        replace(track, events=tuple(_as_counted(event, rate) for event in track.events)) for track in found.tracks
    )
    return replace(found, start=begin, rate=rate, name=found.name or path.stem, tracks=tracks)


def _as_counted(event: Event, rate: Fraction) -> Event:
    """Speeds are written in whole frames per second (24 where 23.976 are meant), which the reader does not know; and it
    gives the file of the clip that is left to the one that a dissolve brings."""
    speed = (event.speed * rate / nominal_rate(rate)).limit_denominator(100)
    return replace(
        event, as_written=True, speed=speed if event.speed != 1 else event.speed,
        address="" if event.dissolve else event.address,
    )  # fmt: skip


def _consistent(text: str, rate: Fraction) -> tuple[int, str]:
    """The first frame that is recorded, and the list with its sources as long as what is recorded of them: the reader
    knows one rate and takes the length from the source, which another rate makes shorter or longer."""
    lines = [line.strip() for line in text.replace("\r", "\n").splitlines() if line.strip()]
    starts: list[int] = []
    out = []
    for number, line in enumerate(lines):
        event = _EVENT.match(line)
        if event is None:
            out.append(line)
            continue
        first, begin, end = (_number(event[key], rate) for key in ("s1", "r1", "r2"))
        starts.append(begin)
        source = timecode_at(first + end - begin, rate, ";" in event["s1"])
        if _has_speed(lines[number + 1 :]):
            source = event["s2"] if event["s2"] != source else timecode_at(first + end - begin + 1, rate)
        out.append(f"{event['head']}{event['s1']} {source} {event['r1']} {event['r2']}")
    return min(starts, default=0), "\n".join(out) + "\n"


def _number(timecode: str, rate: Fraction) -> int:
    return frame_of(timecode, rate)


def _has_speed(following: Sequence[str]) -> bool:
    """Whether an event of changed speed: the reader believes it only where source and record differ in length."""
    for line in following:
        if _EVENT.match(line):
            return False
        if line.startswith("M2"):
            return True
    return False


# OpenTimelineIO


def _from_otio(whole: Any, rate: Fraction) -> Arrived:
    if isinstance(whole, otio.schema.SerializableCollection):
        whole = next((one for one in whole if isinstance(one, otio.schema.Timeline)), None)
    if not isinstance(whole, otio.schema.Timeline):
        raise ExportError("holds no timeline", None, "Write a timeline there, not a bin or a clip.")
    own = whole.metadata.get(KEY) or {}
    first = whole.global_start_time
    found = _rate_of(whole) or rate
    notes: list[str] = []
    tracks = tuple(_track(track, found, notes) for track in whole.tracks if isinstance(track, otio.schema.Track))
    if len(tracks) != len(whole.tracks):
        notes.append("It has stacks beside its tracks: these were left out.")
    size = (int(own.get("width") or 0), int(own.get("height") or 0))
    markers = tuple(
        (round(marker.marked_range.start_time.rescaled_to(float(found)).value), marker.name or "")
        for marker in whole.tracks.markers
    )
    return Arrived(
        name=whole.name or "Timeline", rate=found,
        start=round(first.rescaled_to(float(found)).value) if first is not None else 0, tracks=tracks, markers=markers,
        size=size if min(size) > 0 else None, project=str(own.get("project") or ""),
        timeline=str(own.get("timeline") or ""), notes=tuple(dict.fromkeys(notes)),
    )  # fmt: skip


def exact_rate(value: float) -> Fraction:
    """The frame rate that a floating one stands for."""
    found = Fraction(value).limit_denominator(1001)
    near = nearest_standard_rate(found)
    return near if abs(near - found) < _RATE_ROOM else found


def _rate_of(whole: Any) -> Fraction | None:
    if whole.global_start_time is not None and whole.global_start_time.rate > 1:
        return exact_rate(whole.global_start_time.rate)
    for track in whole.tracks:
        for item in track:
            if isinstance(item, otio.core.Item) and item.duration().rate > 1:
                return exact_rate(item.duration().rate)
    return None


def _track(track: Any, rate: Fraction, notes: list[str]) -> ArrivedTrack:
    kind: Kind = "sound" if track.kind == otio.schema.TrackKind.Audio else "picture"
    events: list[Event] = []
    position = Fraction(0)
    dissolve: tuple[int, int] | None = None
    for item in _flat(track):
        if isinstance(item, otio.schema.Transition):
            dissolve = (_frames(item.in_offset, rate), _frames(item.out_offset, rate))
            continue
        begin, position = position, position + _exact(item.duration()) * rate
        if isinstance(item, otio.schema.Clip) and item.enabled is not False:
            start, end = round(begin), round(position)
            if end > start:
                event = _event(item, start, end - start, rate, notes)
                events += [replace(event, dissolve=dissolve)] if event is not None else []
        dissolve = None
    return ArrivedTrack(kind, track.name or "", tuple(events), track.enabled is False)


def _flat(track: Any) -> Iterator[Any]:
    """The items of a track; of one that nests a track or a stack, the only thing in it."""
    for item in track:
        while isinstance(item, otio.core.Composition) and len(item) == 1 and isinstance(item[0], otio.schema.Clip):
            inner = item[0]
            span = item.source_range
            if span is not None and inner.source_range is not None:
                start = inner.source_range.start_time + span.start_time
                inner = otio.schema.Clip(inner.name, inner.media_reference,
                                         otio.opentime.TimeRange(start, span.duration))  # fmt: skip
            item = inner
        yield item


def _exact(time: Any) -> Fraction:
    """A time in seconds."""
    return Fraction(time.value).limit_denominator(10**6) / exact_rate(time.rate)


def _frames(time: Any, rate: Fraction) -> int:
    return round(_exact(time) * rate)


def _event(item: Any, start: int, length: int, rate: Fraction, notes: list[str]) -> Event | None:
    reference = item.media_reference
    if isinstance(reference, otio.schema.GeneratorReference):
        return _drawn(item, start, length, notes)
    speed = _speed(item, notes)
    if speed is None:
        return None
    span = item.trimmed_range()
    own = item.metadata.get(KEY) or {}
    source_rate = exact_rate(span.start_time.rate)
    side, reference = _chosen(item)
    into = None
    if reference is not None and reference.available_range is not None:
        into = _exact(span.start_time) - _exact(reference.available_range.start_time)
    exact = own.get("source_start")
    return Event(
        name=item.name or "", start=start, length=length,
        source=Fraction(span.start_time.value).limit_denominator(1000), source_rate=source_rate, into=into, side=side,
        reel=str((item.metadata.get("cmx_3600") or {}).get("reel") or _reel(reference)),
        address=_path_of(reference), speed=speed, clip=str(own.get("clip") or ""), block=str(own.get("block") or ""),
        exact=_fraction(exact), link=str(own.get("link") or ""),
    )  # fmt: skip


def _fraction(text: Any) -> Fraction | None:
    try:
        return Fraction(str(text)) if text is not None and len(str(text)) < 100 else None
    except (ValueError, ZeroDivisionError):
        return None


def _chosen(item: Any) -> tuple[str, Any]:
    references = dict(item.media_references())
    for key in ("original", item.active_media_reference_key):
        found = references.get(key)
        if found is not None and not found.is_missing_reference:
            return ("proxy" if key == "proxy" else "original"), found
    return "", None


def _reel(reference: Any) -> str:
    return str(reference.metadata.get("reel") or "") if reference is not None else ""


def _path_of(reference: Any) -> str:
    address = getattr(reference, "target_url", "") or ""
    return unquote(urlsplit(address).path) if address.startswith("file:") else unquote(address)


def _speed(item: Any, notes: list[str]) -> Fraction | None:
    speed = Fraction(1)
    for effect in item.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            notes.append(f"{item.name} is a freeze frame there, which is not supported here: a gap is left.")
            return None
        if isinstance(effect, otio.schema.LinearTimeWarp):
            speed *= Fraction(effect.time_scalar).limit_denominator(1000)
        else:
            notes.append(f"{item.name} has an effect ({effect.effect_name or effect.name}) that was left out.")
    if not speed or abs(speed) > 100:
        notes.append(f"{item.name} has a speed that no block here can have: a gap is left.")
        return None
    return speed


def _drawn(item: Any, start: int, length: int, notes: list[str]) -> Event | None:
    drawn = item.media_reference.parameters
    if item.media_reference.generator_kind != "title":
        return None
    face, spot = str(drawn.get("face") or ""), str(drawn.get("spot") or "")
    try:
        size = float(drawn.get("size") or 0.09)
        title = Title(str(drawn.get("text") or item.name)[:2000], face if face in FACES else "plain", size,
                      spot if spot in SPOTS else "lower middle").checked()  # fmt: skip
    except ValueError:
        notes.append(f"A title, {item.name[:40]}, could not be read: a gap is left.")
        return None
    return Event(title.text, start, length, title=title)


def source_frame(event: Event, rate: Fraction) -> Fraction:
    """The earliest frame of an event as a number in timecode at a file's own rate."""
    counted, own = nominal_rate(event.source_rate), nominal_rate(rate)
    if counted == own:
        return event.source
    if not event.as_written:
        return event.source / event.source_rate * rate
    if own > counted:
        return event.source / counted * own
    seconds, frames = divmod(event.source, counted)
    return seconds * own + frames
