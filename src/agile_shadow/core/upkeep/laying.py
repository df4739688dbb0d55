"""Laying recordings under blocks: what has to be listened to, and what the clocks and the sound say together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from ..matching.lag import Lag, LagRequest
from ..media.sequence import exists
from ..project import Clip, Project
from ..project.laying import Lead, leads_by_timecode, pictures_of, recordings

_RIVAL = 0.1  # by which the sound of one recording must fit better than another's
_MOST = 40  # recordings that are listened to for one block without a timecode


@dataclass(frozen=True)
class LayingAsked:
    """A block and a recording that may lie under it; ``by_clock``: as both clocks say, None where they say nothing.
    ``listen``: what a worker is asked, None where one of the files is not there or has no sound."""

    block: str
    recording: str
    by_clock: Fraction | None
    listen: LagRequest | None


def asked_for(project: Project, chosen: Iterable[str]) -> list[LayingAsked]:
    """What is to be found out for chosen blocks. Touches drives."""
    chosen = list(chosen)
    by_clock: dict[str, list[Lead]] = defaultdict(list)
    for lead in leads_by_timecode(project, chosen):
        by_clock[lead.block].append(lead)
    found = []
    for block, clip in pictures_of(project, chosen):
        ways: list[tuple[str, Fraction | None]] = [(lead.recording, lead.seconds) for lead in by_clock[block.id]]
        for recording, seconds in ways or [(one.id, None) for one in recordings(project)[:_MOST]]:
            other = project.clip(recording)
            assert other is not None
            stretch = float(block.source_start), float(block.length / project.timeline.rate)
            request = _request(_file(project, clip), _file(project, other), stretch, seconds)
            found.append(LayingAsked(block.id, recording, seconds, request))
    return found


def _file(project: Project, clip: Clip) -> Path | None:
    """A file with the clip's sound that is there: the original, else a proxy that begins with it."""
    files = [clip.original.file, *(one.file for one in clip.proxies if one.offset == 0 and one.info.audio)]
    if not clip.original.info.audio:
        return None
    places = (project.place_or_none(file) for file in files)
    return next((place for place in places if place is not None and exists(place)), None)


def _request(
    picture: Path | None, recording: Path | None, stretch: tuple[float, float], seconds: Fraction | None
) -> LagRequest | None:
    if picture is None or recording is None:
        return None
    return LagRequest(picture, recording, *stretch, seconds)


def decided(asked: Sequence[LayingAsked], heard: Sequence[Lag | None]) -> tuple[list[Lead], str]:
    """Where the recordings lie, and a sentence about it. ``heard``: what was found for each, in the same order.

    Where clock and sound agree the sound decides, to the sample; the clock alone where there is nothing to hear.
    """
    rows: dict[str, list[tuple[LayingAsked, Lag | None]]] = defaultdict(list)
    for one, lag in zip(asked, heard, strict=True):
        rows[one.block].append((one, lag))
    leads: list[Lead] = []
    both = clocks = sounds = 0
    for block, row in rows.items():
        for one, lag in row:
            if one.by_clock is not None:
                leads.append(Lead(block, one.recording, lag.seconds if lag is not None else one.by_clock))
                both, clocks = both + (lag is not None), clocks + (lag is None)
        if all(one.by_clock is None for one, _lag in row):
            best = _best(row)
            if best is not None:
                leads.append(best)
                sounds += 1
    return leads, _told(both, clocks, sounds, len(rows) - len({lead.block for lead in leads}))


def _best(row: list[tuple[LayingAsked, Lag | None]]) -> Lead | None:
    fits = sorted(((lag.likeness, one, lag) for one, lag in row if lag is not None), key=lambda fit: -fit[0])
    if not fits or (len(fits) > 1 and fits[0][0] - fits[1][0] < _RIVAL):
        return None
    return Lead(fits[0][1].block, fits[0][1].recording, fits[0][2].seconds)


def _told(both: int, clocks: int, sounds: int, without: int) -> str:
    parts = [
        f"{count} {how}"
        for count, how in ((both, "by timecode and sound, to the sample"), (sounds, "by sound, to the sample"),
                           (clocks, "by timecode alone"))
        if count
    ]  # fmt: skip
    blocks = f"{without} selected block{'s' if without != 1 else ''}"
    if not parts:
        return f"No recording was found for {blocks}: neither timecode nor sound says where one belongs."
    left = f"; none was found for {blocks}" if without else ""
    return f"Sound laid: {', '.join(parts)}{left}."
