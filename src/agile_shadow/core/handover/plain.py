"""A timeline in the plain words of OpenTimelineIO, as other tools expect it: tracks, clips with source and available
range, dissolves, speeds, notes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Literal

from ..late import opentimelineio as otio
from ..media import MediaInfo, as_form
from ..media.sequence import members
from ..pairs import FileRef
from ..project import Clip, Project
from ..project.lines import start_frame
from ..project.schema import KEY
from ..timeline import NO_EFFECTS, Block, Timeline, Track

Half = Literal["both", "original", "proxy"]
DISSOLVE = "SMPTE_Dissolve"  # OpenTimelineIO's name of it


@dataclass(frozen=True)
class MediaFile:
    """A file that a block shows: where it lies, what it is, and the seconds of the clip before its first frame."""

    kind: Literal["original", "proxy"]
    file: FileRef
    info: MediaInfo
    lead: Fraction = Fraction(0)


def sources_of(clip: Clip, half: Half) -> list[MediaFile]:
    """The files of a clip that are named: its original, its proxy, or both. The original where there is no proxy."""
    original = MediaFile("original", clip.original.file, clip.original.info)
    proxies = [
        MediaFile("proxy", one.file, one.info, one.offset / one.info.frame_rate if one.info.frame_rate else Fraction(0))
        for one in clip.proxies[-1:]
    ]
    if half == "original" or not proxies:
        return [original]
    return [original, *proxies] if half == "both" else proxies


def address(project: Project, file: FileRef) -> str:
    """The address of a file for another tool: of the first one where it is several. "" without its shelf."""
    shelf = project.shelf(file.shelf)
    if shelf is None:
        return ""
    path = as_form(shelf.root.absolute() / file.path, file.form)
    try:
        return members(path)[0].as_uri() if file.form != "file" else path.as_uri()
    except (OSError, IndexError, ValueError):
        return path.as_uri()


def moment(seconds: Fraction, rate: Fraction) -> Any:
    """A ``RationalTime`` of whole frames."""
    return otio.opentime.RationalTime(int(seconds * rate), float(rate))


def span(start: Any, frames: int, rate: Fraction) -> Any:
    """A ``TimeRange`` of so many frames."""
    return otio.opentime.TimeRange(start, otio.opentime.RationalTime(frames, float(rate)))


def plain_timeline(project: Project, line: Timeline, half: Half = "both") -> Any:
    """An ``otio.schema.Timeline``. Each file's times are counted at its own rate, from its own start timecode."""
    whole = otio.schema.Timeline(line.name)
    rate = line.rate or Fraction(25)
    whole.global_start_time = otio.opentime.RationalTime(line.start, float(rate))
    whole.metadata[KEY] = {"project": project.id, "timeline": line.id, "width": line.width, "height": line.height}
    for track in line.tracks:
        whole.tracks.append(_track(project, line, track, half))
    for one in line.markers:
        marked = span(otio.opentime.RationalTime(one.frame, float(rate)), 1, rate)
        whole.tracks.markers.append(otio.schema.Marker(one.note, marked))
    return whole


def _track(project: Project, line: Timeline, track: Track, half: Half) -> Any:
    kind = otio.schema.TrackKind.Video if track.kind == "picture" else otio.schema.TrackKind.Audio
    row = otio.schema.Track(track.name, kind=kind)
    row.enabled = not track.off
    for item in items_of(track):
        if isinstance(item, int):
            row.append(gap(item, line.rate))
            continue
        if item.dissolve is not None:
            row.append(dissolve(item.dissolve.before, item.dissolve.after, line.rate))
        row.append(_item(project, line, item, half))
    return row


def items_of(track: Track) -> Iterator[int | Block]:
    """The blocks of a track, and before each one that does not touch the one before, the frames of the gap."""
    end = 0
    for block in track.blocks:
        if block.start > end:
            yield block.start - end
        yield block
        end = block.end


def gap(frames: int, rate: Fraction) -> Any:
    """Nothing for some frames."""
    return otio.schema.Gap(source_range=span(otio.opentime.RationalTime(0, float(rate)), frames, rate))


def dissolve(before: int, after: int, rate: Fraction) -> Any:
    """A dissolve of frames before and after a cut."""
    times = (otio.opentime.RationalTime(one, float(rate)) for one in (before, after))
    return otio.schema.Transition("", DISSOLVE, *times)


def _item(project: Project, line: Timeline, block: Block, half: Half) -> Any:
    clip = project.clip(block.clip)
    if block.title is not None or clip is None:
        return _title(line, block)
    sources = sources_of(clip, half)
    first = sources[0]
    item = otio.schema.Clip(
        clip.name, source_range=source_range(block, line.rate, first.info, first.lead), metadata={KEY: _own(block)}
    )
    references = {source.kind: _reference(project, source) for source in sources}
    shown = "proxy" if half != "original" and project.side_of(clip, block) == "proxies" else "original"
    item.set_media_references(references, shown if shown in references else first.kind)
    if block.speed != 1:
        item.effects.append(otio.schema.LinearTimeWarp(time_scalar=float(block.speed)))
    return item


def _own(block: Block) -> dict[str, Any]:
    """What the format has no exact word for."""
    own = {"clip": block.clip, "block": block.id, "source_start": str(block.source_start), "speed": str(block.speed),
           "link": block.link}  # fmt: skip
    return {key: value for key, value in own.items() if value}


def _title(line: Timeline, block: Block) -> Any:
    assert block.title is not None
    first = otio.opentime.RationalTime(0, float(line.rate))
    text = block.title.text
    drawn = {"text": text, "face": block.title.face, "size": block.title.size, "spot": block.title.spot}
    reference = otio.schema.GeneratorReference("title", "title", span(first, block.length, line.rate), drawn)
    return otio.schema.Clip(text, reference, span(first, block.length, line.rate))


def source_range(block: Block, rate: Fraction, info: MediaInfo, lead: Fraction = Fraction(0)) -> Any:
    """What a block shows of a file: from its earliest frame on, in the file's own frames, for the block's length in
    frames of the timeline, which the format allows and no rounding can move."""
    own = info.frame_rate or rate
    earliest = min(block.source_start, block.moment(block.end - 1, rate)) - lead
    start = otio.opentime.RationalTime(start_frame(info) + int(earliest * own), float(own))
    return span(start, block.length, rate)


def _reference(project: Project, source: MediaFile) -> Any:
    info = source.info
    rate = info.frame_rate or Fraction(25)
    frames = info.frames or int(info.duration * rate)
    available = span(otio.opentime.RationalTime(start_frame(info), float(rate)), frames, rate)
    reference = otio.schema.ExternalReference(address(project, source.file), available)
    reference.name = source.file.path.rpartition("/")[2]
    if info.reel:
        reference.metadata["reel"] = info.reel
    return reference


def unsaid(project: Project, line: Timeline, also: tuple[str, ...] = ()) -> list[str]:
    """What plain clips, dissolves and speeds cannot say of a timeline: a sentence for each kind; ``also``: kinds of
    the format at hand (``titles``, ``tracks``, ``speeds``, ``dissolves``, ``notes``)."""
    used = [block for track in line.tracks if not track.off for block in track.blocks]
    placed = [one for one in used if one.title is None and one.effects is not NO_EFFECTS]
    coloured = sum(1 for one in placed if one.effects.colour != NO_EFFECTS.colour)
    moved = sum(1 for one in placed if one.effects.placement != NO_EFFECTS.placement or one.effects.move is not None)
    loud = sum(1 for one in placed if one.effects.gain or one.effects.fade_in or one.effects.fade_out)
    counts = [
        (moved, "place, size, crop or opacity of {}"), (coloured, "the colours of {}"),
        (loud, "gain and fades of {}"),
    ]  # fmt: skip
    if "titles" in also:
        counts.append((sum(1 for one in used if one.title is not None), "the text of {} that {} a title"))
    if "speeds" in also:
        counts.append((sum(1 for one in used if one.speed != 1), "the changed speed of {}"))
    if "notes" in also and line.markers:
        counts.append((len(line.markers), "the notes"))
    texts = []
    for count, words in counts:
        if count:
            blocks = f"{count} {'block' if count == 1 else 'blocks'}"
            texts.append(f"Not in it: {words.format(blocks, 'is' if count == 1 else 'are')}.")
    return texts
