"""Reels for an edit list: eight letters at most, and never the same for two files whose timecodes meet."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..project import Clip
from ..project.lines import start_frame

_LONGEST = 8
_KEPT = re.compile(r"[^A-Z0-9_]")
_TAKEN = frozenset({"AX", "BL", "BLACK", "BARS"})  # have a meaning of their own in edit lists


def reels_for(clips: Sequence[Clip]) -> dict[str, str]:
    """A reel for each clip, by its identity: its own where it has one that is alone with its timecodes, else made of
    its name."""
    found: dict[str, str] = {}
    spans: dict[str, list[tuple[float, float]]] = {}
    for clip in clips:
        info = clip.original.info
        rate = info.frame_rate or 25
        begin = float(start_frame(info) / rate)
        mine = (begin, begin + float(info.duration))
        for reel in _ways(clip):
            if reel in _TAKEN or any(mine[0] < end and start < mine[1] for start, end in spans.get(reel, ())):
                continue
            spans.setdefault(reel, []).append(mine)
            found[clip.id] = reel
            break
    return found


def _ways(clip: Clip) -> list[str]:
    own = _KEPT.sub("", (clip.original.info.reel or "").upper())
    name = _KEPT.sub("", clip.name.upper()) or "CLIP"
    ways = [own] if 0 < len(own) <= _LONGEST else []
    ways += [name] if len(name) <= _LONGEST else [name[-_LONGEST:], name[:_LONGEST]]
    return ways + [f"{name[: _LONGEST - len(str(number))]}{number}" for number in range(2, 10_000)]
