"""What is asked of the making of a proxy, and what it gives."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ..below import Anchor
from ..media import MediaInfo
from ..presets import Proxies
from .made import MadeFile
from .pace import Pace


@dataclass(frozen=True)
class ProxyRequest:
    """Make ``target`` from ``original`` with the settings of a preset.

    ``info`` is what the original is, where it was probed just now; else it is probed again. ``values``: what the tokens
    of text marks stand for. ``part``: (first frame, number of frames) where only a stretch is wanted, as in a trial.
    ``anchor``: the root of the shelf that the target lies below; None for a throw-away place, whose folder is made.
    ``sign``: take the original's signature on the way, where none is kept.
    """

    original: Path
    target: Path
    settings: Proxies
    info: MediaInfo | None = None
    values: Mapping[str, str] = field(default_factory=dict)
    part: tuple[int, int] | None = None
    anchor: Anchor | None = None
    sign: bool = True


@dataclass(frozen=True)
class ProxyResult:
    """The finished proxy: where, what it is, and its original as it was probed for it. ``made``: how the file is known
    again as one that this program made; None where it lay there before. ``pace``: how fast the original decoded."""

    path: Path
    info: MediaInfo
    original: MediaInfo
    made: MadeFile | None = None
    pace: Pace | None = None


def made_as(settings: Proxies) -> str:
    """A short text that is the same for settings that give the same picture and sound; kept in the proxy's file."""
    values = settings.model_dump(
        mode="json", include={"scale", "height", "codec", "quality", "megabits", "sound", "lut", "marks"}
    )
    digest = hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()
    return f"{settings.codec} {digest[:20]}"


def is_such_proxy(info: MediaInfo, settings: Proxies) -> bool:
    """Whether a file was made with these settings."""
    return info.made_as == made_as(settings)
