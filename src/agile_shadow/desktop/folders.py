"""The folders that the places begin with."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Folders:
    """What the places begin with."""

    source: Path | None
    originals: Path
    proxies: Path
    exports: Path
    second: Path | None = None
