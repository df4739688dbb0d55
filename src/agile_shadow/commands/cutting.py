"""``agile-shadow frame`` and ``timeline``: what a cut shows and what it consists of."""

from __future__ import annotations

import re
from collections.abc import Iterator
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from PIL import Image

from ..core.compositing import picture_of
from ..core.errors import ShadowError, from_os_error
from ..core.files import written_atomically
from ..core.project import Project, load_project
from ..core.project.guarding import refuse_footage
from ..core.switch import Presence, choose
from ..core.time import rate_label, rate_text, timecode_at
from ..core.timeline import NO_EFFECTS, Block, Timeline, Track, out_of_step
from .shared import AsJson, LineName, ProjectFile, answer, frame_on, line_named, told

_PLAIN_RATE = Fraction(25)  # of a timeline that has none yet
_SIZE = re.compile(r"(\d{1,5})x(\d{1,5})")


class Showing(StrEnum):
    """The file of each clip to show."""

    original = "original"
    proxy = "proxy"


def frame(
    project: ProjectFile,
    at: Annotated[str, typer.Option("--at", help="Timecode on the timeline (00:00:01:12), or a frame number.")],
    out: Annotated[Path, typer.Option("--out", help="The picture, .png.")],
    side: Annotated[Showing, typer.Option("--side", help="Which file of each clip.")] = Showing.original,
    size: Annotated[str, typer.Option("--size", help="Pixels, such as 960x540; default: the timeline's.")] = "",
    timeline: LineName = "",
    as_json: AsJson = False,
) -> None:
    """Write a frame of the timeline as a picture, from originals or from proxies."""
    with told():
        document = load_project(project)
        line = line_named(document, timeline, project)
        number = frame_on(line, at)
        pixels = _size(size, line)
        drawn = picture_of(document, line, number, pixels, "proxies" if side is Showing.proxy else "originals")
        for one in drawn.shown:
            if one.problem or one.choice.path is None:
                raise ShadowError(one.problem or one.choice.note, one.choice.clip.name, "Nothing was written.")
        refuse_footage(document, out)
        _write(out, drawn.pixels)
    layers = [
        {"clip": one.choice.clip.name, "kind": one.choice.kind, "path": str(one.choice.path), "frame": one.file_frame}
        for one in drawn.shown
    ]
    values = {"path": str(out), "frame": number, "width": pixels[0], "height": pixels[1], "layers": layers}
    answer(values, as_json, lambda: iter([f"{out}: frame {number}, {pixels[0]} x {pixels[1]}, {len(layers)} layers"]))


def _write(out: Path, pixels: Any) -> None:
    picture = Image.fromarray(np.ascontiguousarray(pixels[..., 2::-1]))
    try:
        with written_atomically(out) as partial:
            picture.save(partial, "PNG")
    except OSError as error:
        raise from_os_error(error, out, ShadowError) from error


def _size(text: str, line: Timeline) -> tuple[int, int]:
    if not text:
        return line.width, line.height
    match = _SIZE.fullmatch(text)
    if match is None or min(int(match[1]), int(match[2])) < 16 or max(int(match[1]), int(match[2])) > 16_384:
        raise ShadowError(f"{text} is no size of a picture", None, "Write it as 960x540.")
    return int(match[1]), int(match[2])


def timeline(project: ProjectFile, timeline: LineName = "", as_json: AsJson = False) -> None:
    """List the tracks and blocks of a timeline."""
    with told():
        document = load_project(project)
        line = line_named(document, timeline, project)
    values = {
        "name": line.name,
        "rate": rate_text(line.rate),
        "width": line.width,
        "height": line.height,
        "frames": line.length,
        "timelines": [one.name for one in document.timelines],
        "showing": document.showing,
        "markers": [{"frame": marker.frame, "note": marker.note} for marker in line.markers],
        "tracks": [_track(document, line, track) for track in line.tracks],
    }
    answer(values, as_json, lambda: _listing(line, values))


def _track(document: Project, line: Timeline, track: Track) -> dict[str, Any]:
    blocks = [_block(document, line, block) for block in track.blocks]
    return {"name": track.name, "kind": track.kind, "locked": track.locked, "off": track.off, "blocks": blocks}


def _block(document: Project, line: Timeline, block: Block) -> dict[str, Any]:
    clip = document.clip(block.clip)
    return {
        "clip": clip.name if clip is not None else None,
        "title": block.title.text if block.title is not None else None,
        "start": block.start,
        "length": block.length,
        "source_start": float(block.source_start),
        "speed": float(block.speed),
        "dissolve": block.dissolve.length if block.dissolve is not None else 0,
        "effects": block.effects != NO_EFFECTS,
        "out_of_step": out_of_step(line, block),
        "pin": block.pin,
        "shows": choose(document, clip, Presence(), block.source_start, block).kind if clip is not None else "title",
    }


def _listing(line: Timeline, values: dict[str, Any]) -> Iterator[str]:
    rate = line.rate or _PLAIN_RATE
    yield f"{line.name}: {line.width} x {line.height} at {rate_label(rate)}, {timecode_at(line.length, rate)}"
    for track in values["tracks"]:
        yield f"{track['name']}{', locked' if track['locked'] else ''}{', off' if track['off'] else ''}"
        for block in track["blocks"]:
            times = f"{timecode_at(block['start'], rate)} {timecode_at(block['length'], rate)}"
            extra = [f"{block['speed']:g}x"] if block["speed"] != 1 else []
            extra += [f"dissolve {block['dissolve']}"] if block["dissolve"] else []
            extra += [f"out of step by {block['out_of_step']}"] if block["out_of_step"] else []
            yield f"  {times}  {block['clip'] or block['title']} ({', '.join([block['shows'], *extra])})"
