"""From the states of a run's files to its report."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Sequence
from pathlib import Path

from ..media import MediaInfo
from ..presets import Preset
from ..project import Clip, Project
from ..project.report import NEEDS, IngestReport, Problem, ReportRow, Took
from ..time import rate_text
from .board import ItemState
from .source import SourceListing

_WORDS = {
    "paired": "paired", "in place": "in place", "no need": "no proxy needed on this machine", "failed": NEEDS,
}  # fmt: skip


def counted(
    listing: SourceListing,
    items: Sequence[ItemState],
    clips: dict[str, str],
    seconds: dict[str, str],
    preset: Preset,
    project: Project,
    **more: object,
) -> IngestReport:
    """The report of a run.

    ``clips``: identities of the project's clips, ``seconds``: places of second copies below their shelf, both by path
    on the source; ``more``: its other fields.
    """
    phases: dict[str, list[ItemState]] = defaultdict(list)
    for item in items:
        phases[item.phase].append(item)
    passed = [Problem(item.path, item.note) for item in phases["passed over"]]
    passed += [Problem(item.path, "cancelled") for item in phases["cancelled"] if item.path not in clips]
    failed = [Problem(item.path, item.note, _step(item, clips)) for item in phases["failed"]]
    damaged = _damaged(items, clips, project)
    failed += [Problem(path, reason, "show") for path, reason in damaged.items()]
    unreadable = [Problem(one.path, one.reason, "read") for one in listing.unreadable]
    gone = sum(1 for item in phases["cancelled"] if item.path not in clips)
    paired = len(phases["paired"])
    made = preset.proxies is not None
    unmade = sum(1 for item in phases["failed"] if made and item.path in clips)
    return IngestReport(
        found=len(items) - len(phases["passed over"]) - gone,
        copied=sum(1 for item in items if item.copied),
        proved=sum(1 for item in items if item.proved),
        proxies=paired,
        paired=paired,
        passed_over=tuple(sorted((*listing.passed_over, *passed), key=lambda problem: problem.path)),
        failed=(*unreadable, *failed),
        here_already=sum(1 for item in items if item.here),
        no_proxy_needed=len(phases["no need"]),
        wanted=paired + unmade,
        preset=preset.name,
        checksum=preset.originals.checksum,
        rows=tuple(
            _row(item, project.clip(clips.get(item.path, "")), seconds.get(item.path, ""), project, damaged)
            for item in items
            if _listed(item)
        ),
        **more,  # type: ignore[arg-type]
    )


def _listed(item: ItemState) -> bool:
    return item.phase != "passed over"


def _step(item: ItemState, clips: dict[str, str]) -> str:
    """What a person can do about it: a copy that holds but cannot be played is looked at, all else tried again."""
    return item.step or ("show" if item.done >= 1.0 and item.path not in clips else "retry")


def _damaged(items: Sequence[ItemState], clips: dict[str, str], project: Project) -> dict[str, str]:
    """What is copied and proved as bytes, and not whole as footage: a sentence by path. Needs a person."""
    found = {}
    for item in items:
        clip = project.clip(clips.get(item.path, "")) if item.phase not in ("failed", "cancelled") else None
        if clip is not None and clip.original.info.damage:
            found[item.path] = f"it is damaged ({clip.original.info.damage}): check it before you use the card again"
    return found


def _row(
    item: ItemState, clip: Clip | None, second: str, project: Project, damaged: dict[str, str]
) -> ReportRow:
    state = "already in project" if item.here and item.phase == "in place" else _WORDS.get(item.phase, item.phase)
    name = Path(item.path.partition(" + ")[0]).stem if clip is None else clip.name
    if clip is None:
        return ReportRow(item.path, name, item.kind, item.size, state, item.note)
    original, info, note = clip.original, clip.original.info, item.note
    if item.path in damaged:
        state, note = _WORDS["failed"], damaged[item.path]
    proxy = next((one for one in reversed(clip.proxies) if item.phase == "paired"), None)
    return ReportRow(
        item.path, name, item.kind, item.size, state, note, original.checksum_value, original.file.path, second,
        proxy.file.path if proxy is not None else "", proxy.size if proxy is not None else 0, info.frames,
        rate_text(info.frame_rate) if info.frame_rate else "", info.start_timecode or "", info.camera, info.reel or "",
        info.recorded, picture_words(info), "proxy" if proxy is not None else "original",
    )  # fmt: skip


def picture_words(info: MediaInfo) -> str:
    """``3840 x 2160 hevc``, or the sound's channels and codec."""
    if info.display_width:
        return f"{info.display_width} x {info.display_height} {info.codec}"
    return f"{info.audio_channels} channel{'s' if info.audio_channels != 1 else ''} {info.codec}"


def took(began: float, size: int) -> Took:
    """Times of a run that ends now; ``began`` in seconds since 1970, ``size`` in bytes copied."""
    day = "%Y-%m-%d %H:%M:%S"
    now = time.time()
    return Took(
        time.strftime(day, time.localtime(began)), time.strftime(day, time.localtime(now)), round(now - began, 1), size
    )
