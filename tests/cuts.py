"""Cuts made of nothing but numbers: projects whose files need not be there."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from hypothesis import strategies as st

from agile_shadow.core.media import MediaInfo
from agile_shadow.core.pairs import FileRef, Original, Proxy
from agile_shadow.core.project import Clip, Project, new_project
from agile_shadow.core.shelves import Shelf
from agile_shadow.core.time import timecode_at
from agile_shadow.core.timeline import Block, Dissolve, Timeline, Track

RATES = {
    "23.976": (Fraction(24000, 1001), False), "24": (Fraction(24), False), "25": (Fraction(25), False),
    "29.97 drop": (Fraction(30000, 1001), True), "50": (Fraction(50), False), "59.94": (Fraction(60000, 1001), True),
    "59.94 non-drop": (Fraction(60000, 1001), False),
}  # fmt: skip


def info_of(rate: Fraction, frames: int, first: int, drop: bool = False, reel: str | None = None) -> MediaInfo:
    """A camera file of so many frames whose timecode begins at frame number ``first``."""
    return MediaInfo(
        "video", "mov", 1000, frames / rate, codec="h264", width=1920, height=1080, display_width=1920,
        display_height=1080, frame_rate=rate, frames=frames, start_timecode=timecode_at(first, rate, drop), reel=reel,
    )  # fmt: skip


def clip_of(name: str, info: MediaInfo, proxy: bool = True) -> Clip:
    """A clip, with a proxy of the same length."""
    proxies = (Proxy(FileRef("light", f"{name}.mov"), replace(info, size=10), 10, made=True),) if proxy else ()
    return Clip(name, name, Original(FileRef("drive", f"CARD/{name}.MOV"), info, 1000, 1), proxies)


def project_of(clips: list[Clip], line: Timeline) -> Project:
    """A project with shelves at a place that is not there."""
    nowhere = Path("/nowhere")
    shelves = (Shelf("drive", "Drive", "originals", nowhere), Shelf("light", "Light", "proxies", nowhere))
    return new_project("Ferry").but(clips=tuple(clips), shelves=shelves, timeline=line)


@st.composite
def cuts(draw: st.DrawFn, speeds: bool = True) -> Project:
    """One to eight blocks of three clips on a picture track, at one of :data:`RATES`, with gaps, dissolves, speeds."""
    rate, drop = RATES[draw(st.sampled_from(sorted(RATES)))]
    clips = [
        clip_of(f"T{number:02d}", info_of(rate, draw(st.integers(200, 4000)), draw(st.integers(0, 2_000_000)), drop,
                                          draw(st.sampled_from([None, "A001", "A002", "LONGREELNAME"]))))
        for number in range(3)
    ]  # fmt: skip
    blocks: list[Block] = []
    at = 0
    for _number in range(draw(st.integers(1, 8))):
        clip = draw(st.sampled_from(clips))
        at += draw(st.sampled_from([0, 0, 0, 7]))
        speed = draw(st.sampled_from([Fraction(1), Fraction(1), Fraction(1, 2), Fraction(2), Fraction(-1)]))
        speed = speed if speeds else Fraction(1)
        length = draw(st.integers(10, 60))
        last = clip.original.info.frames - math.ceil(length * abs(speed))
        earliest = draw(st.one_of(st.integers(0, last), st.just(last)))
        first = earliest if speed > 0 else earliest + length - 1
        block = Block(clip.id, at, length, first / rate, clip.original.info.duration, speed)
        before = blocks[-1] if blocks and blocks[-1].end == at else None
        if before is not None and draw(st.booleans()):
            wanted = (min(3, block.handles(rate)[0]), min(4, before.handles(rate)[1]))
            block = replace(block, dissolve=Dissolve(*wanted)) if min(wanted) >= 0 and sum(wanted) else block
        blocks.append(block)
        at = block.end
    start = draw(st.sampled_from([0, int(3600 * rate)]))
    line = Timeline("The Tern Ferry", rate, 1920, 1080, (Track("picture", "Picture 1", tuple(blocks)),), start=start,
                    drop=drop)  # fmt: skip
    return project_of(clips, line.checked())
