"""What is odd about a timeline from which a film is to be made; nothing here touches a drive."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from ..amounts import counted
from ..project import Clip, Project
from ..time import rate_label
from ..timeline import Block, Timeline, out_of_step

_NAMED = 3  # of many of a kind, so many are named


@dataclass(frozen=True)
class Finding:
    """One sentence; ``frame`` of the timeline where it is, -1 for the whole; ``kind`` to tell them apart."""

    kind: str
    text: str
    frame: int = -1
    stands_against: bool = False


def findings_of(project: Project, first: int = 0, end: int | None = None) -> tuple[Finding, ...]:
    """All that is odd about a stretch of the open timeline, what stands against a film first."""
    line = project.timeline
    if not line.length or not line.rate:
        return ()
    last = line.length if end is None else min(end, line.length)
    used = [
        (block, clip)
        for track in line.tracks if not track.off
        for block in track.between(first, last)
        if block.title is None and (clip := project.clip(block.clip)) is not None
    ]  # fmt: skip
    found = [
        *_beyond(line, used), *_smaller(line, used), *_doubtful(line, used), *_gaps(line, first, last),
        *_apart(line, used), *_rates(line, used),
    ]  # fmt: skip
    return tuple(sorted(found, key=lambda one: not one.stands_against))


def _beyond(line: Timeline, used: list[tuple[Block, Clip]]) -> Iterator[Finding]:
    """Blocks that show what their original does not have, as one that was exchanged for a shorter one may not."""
    for block, clip in used:
        info = clip.original.info
        if not block.room or not info.duration:
            continue
        moments = (block.moment(block.start, line.rate), block.moment(block.end - 1, line.rate))
        slack = 1 / line.rate + (1 / info.frame_rate if info.frame_rate else 0)
        if min(moments) < -slack or max(moments) > info.duration + slack:
            yield Finding(
                "beyond", f"At {line.timecode(block.start)} the timeline shows frames that the original of {clip.name} "
                "does not have.", block.start, True,
            )  # fmt: skip


def larger_original(line: Timeline, clips: list[Clip]) -> tuple[int, int] | None:
    """The frame size (width, height) of the first original that is larger than the timeline; None where none is."""
    for clip in clips:
        info = clip.original.info
        wide, high = info.display_width // 2 * 2, info.display_height // 2 * 2
        if info.kind == "video" and wide > line.width and high > line.height:
            return wide, high
    return None


def _smaller(line: Timeline, used: list[tuple[Block, Clip]]) -> Iterator[Finding]:
    clips = list({clip.id: clip for _block, clip in used}.values())
    pictured = [clip for clip in clips if clip.original.info.display_width]
    size = larger_original(line, pictured)
    if size is not None and all(larger_original(line, [clip]) for clip in pictured):
        yield Finding(
            "smaller", f"The timeline has {line.width} x {line.height} pixels, and every original is larger (the first "
            f"{size[0]} x {size[1]}): use the originals' size in the timeline's settings, or the film stays small.",
        )  # fmt: skip


def _doubtful(line: Timeline, used: list[tuple[Block, Clip]]) -> Iterator[Finding]:
    for clip in {clip.id: clip for _block, clip in used}.values():
        states = {proxy.state for proxy in clip.proxies}
        bad = next((state for state in ("refused", "doubtful") if state in states), None)
        if bad is not None:
            yield Finding(
                "doubtful", f"The proxy of {clip.name} is {bad}: what was cut with it may not be what the original "
                "shows.",
            )  # fmt: skip


def _gaps(line: Timeline, first: int, last: int) -> Iterator[Finding]:
    holes = list(gaps(line, first, last))
    if holes:
        where = ", ".join(f"{line.timecode(start)} ({end - start})" for start, end in holes[:_NAMED])
        more = f" and {len(holes) - _NAMED} more" if len(holes) > _NAMED else ""
        yield Finding("gaps", f"Nothing shows at {where}{more} (frames in brackets): the film is black there.",
                      holes[0][0])  # fmt: skip


def gaps(line: Timeline, first: int, last: int) -> Iterator[tuple[int, int]]:
    """Stretches (start, end) in which no picture track that is on has a block."""
    shown = sorted(
        (block.start, block.end) for track in line.pictures if not track.off for block in track.between(first, last)
    )
    position = first
    for start, end in shown:
        if start > position:
            yield position, start
        position = max(position, end)
    if position < last and shown:
        yield position, last


def _apart(line: Timeline, used: list[tuple[Block, Clip]]) -> Iterator[Finding]:
    off = [(block, clip, step) for block, clip in used if (step := out_of_step(line, block))]
    seen: set[str] = set()
    for block, clip, step in off:
        if (block.link or block.id) in seen:
            continue
        seen.add(block.link or block.id)
        yield Finding("apart", f"At {line.timecode(block.start)} sound and picture of {clip.name} are "
                      f"{counted(abs(step), 'frame')} out of step.", block.start)  # fmt: skip


def _rates(line: Timeline, used: list[tuple[Block, Clip]]) -> Iterator[Finding]:
    other: dict[Fraction, list[str]] = {}
    for clip in {clip.id: clip for block, clip in used}.values():
        info = clip.original.info
        if info.kind == "video" and info.frame_rate and info.frame_rate != line.rate:
            other.setdefault(info.frame_rate, []).append(clip.name)
    for rate, names in other.items():
        more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
        yield Finding(
            "rates", f"{', '.join(names[:_NAMED])}{more}: {rate_label(rate)} frames per second on a timeline of "
            f"{rate_label(line.rate)}, so that frames are left out or shown twice.",
        )  # fmt: skip
