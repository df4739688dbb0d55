"""All uses of a timeline as a table, and as a page to read with poster frames."""

from __future__ import annotations

import base64
import csv
import io
from collections.abc import Callable
from dataclasses import astuple, dataclass, fields
from html import escape

from ..amounts import counted
from ..pages import html_page, plain_cell
from ..project import Clip, Project
from ..time import rate_label
from ..timeline import Block, Timeline, Track
from .edl import source_timecode

_MOST_PICTURES = 400


@dataclass(frozen=True)
class TableRow:
    """One use of a clip (or a title): where it lies on the timeline and in its file. Timecodes; ``length`` frames."""

    track: str
    number: int
    clip: str
    begin: str
    end: str
    length: int
    source_begin: str
    source_end: str
    speed: float
    reel: str
    rate: str
    original: str
    proxy: str
    effects: str


def rows_of(project: Project, line: Timeline) -> list[TableRow]:
    """A row for each block of the tracks that are on."""
    return [
        _row(project, line, track, number, block)
        for track in line.tracks if not track.off
        for number, block in enumerate(track.blocks, start=1)
    ]  # fmt: skip


def _row(project: Project, line: Timeline, track: Track, number: int, block: Block) -> TableRow:
    begin, end = line.timecode(block.start), line.timecode(block.end)
    effects = effect_words(block)
    clip = project.clip(block.clip)
    if block.title is not None or clip is None:
        text = block.title.text.replace("\n", " / ") if block.title is not None else block.clip
        return TableRow(track.name, number, f"title: {text}", begin, end, block.length, "", "", 1.0, "", "", "", "",
                        effects)  # fmt: skip
    info = clip.original.info
    moments = sorted((block.moment(block.start, line.rate), block.moment(block.end - 1, line.rate)))
    source = [source_timecode(info, moment, line) for moment in moments]
    proxy = clip.proxies[-1].file.path if clip.proxies else ""
    rate = rate_label(info.frame_rate) if info.frame_rate else ""
    return TableRow(track.name, number, clip.name, begin, end, block.length, source[0], source[1], float(block.speed),
                    info.reel or "", rate, clip.original.file.path, proxy, effects)  # fmt: skip


def effect_words(block: Block) -> str:
    """What is done to a block, in a few words."""
    effects, words = block.effects, []
    if block.dissolve is not None:
        words.append(f"dissolve of {counted(block.dissolve.length, 'frame')} into it")
    if effects.fade_in:
        words.append(f"fade in {effects.fade_in}")
    if effects.fade_out:
        words.append(f"fade out {effects.fade_out}")
    if effects.placement != type(effects.placement)():
        words.append("placed")
    if effects.move is not None:
        words.append(f"moves slowly to {effects.move.scale:.0%} of its size")
    if effects.colour != type(effects.colour)():
        words.append("colours changed")
    if effects.gain:
        words.append(f"gain {effects.gain:+g} dB")
    return ", ".join(words)


def as_table(rows: list[TableRow]) -> str:
    """For spreadsheets (CSV)."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([field.name for field in fields(TableRow)])
    for row in rows:
        writer.writerow([plain_cell(value) for value in astuple(row)])
    return out.getvalue()


def as_page(
    project: Project, line: Timeline, rows: list[TableRow], picture: Callable[[Clip], bytes | None]
) -> str:
    """One page; ``picture`` gives the JPEG of a clip."""
    by_name = {clip.name: clip for clip in project.clips}
    shown, lines = 0, []
    for row in rows:
        clip = by_name.get(row.clip)
        pictured = clip is not None and row.rate and shown < _MOST_PICTURES
        data = picture(clip) if pictured and clip is not None else None
        shown += data is not None
        image = f"<img width=120 alt='' src='data:image/jpeg;base64,{base64.b64encode(data).decode()}'>" if data else ""
        cells = [row.track, row.number, row.clip, f"{row.begin} to {row.end}", row.length,
                 f"{row.source_begin} to {row.source_end}" if row.source_begin else "",
                 f"{row.speed:g}x" if row.speed != 1 else "", row.reel, row.effects, row.original]  # fmt: skip
        lines.append(f"<tr><td>{image}</td>{''.join(f'<td>{escape(str(cell))}</td>' for cell in cells)}</tr>")
    heads = ("", "Track", "No.", "Clip", "On the timeline", "Frames", "In its file", "Speed", "Reel", "Done to it",
             "Original")  # fmt: skip
    head = "".join(f"<th>{escape(text)}</th>" for text in heads)
    title = f"{line.name} of {project.name}"
    return html_page(title, [
        f"<p class='quiet'>{escape(project.name)}</p><h1>{escape(line.name)}</h1>",
        f"<p>{line.width} x {line.height} at {rate_label(line.rate)}, from {line.timecode(0)} to "
        f"{line.timecode(line.length)}; {len(rows)} uses.</p>",
        f"<table><tr>{head}</tr>{''.join(lines)}</table>",
    ])  # fmt: skip
