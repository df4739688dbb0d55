"""What a file is, asked in another process: a file that ends its reader does not end whoever asked."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from ..amounts import counted
from .info import MediaInfo
from .probe import probe
from .whole import look_through


@dataclass(frozen=True)
class Question:
    """A file, or a sequence at ``rate``; ``whole``: decode every frame of it, to learn whether all of them can be."""

    path: Path
    rate: Fraction | None = None
    whole: bool = False


def tell(question: Question, report: Callable[[float], None]) -> MediaInfo:
    """What the file is: a task for a worker. Raises MediaError."""
    info = probe(question.path, question.rate)
    if question.whole and info.kind == "video" and not info.damage:
        seen = look_through(question.path, info.sequence_rate, report, info.frames)
        damage = seen.in_words()
        if not damage and len(seen.times) != info.frames:
            damage = f"decoding gives {len(seen.times)} of {counted(info.frames, 'frame')}"
        info = replace(info, damage=damage)
    return info
