"""What this machine's memory says of files below a root: copies that were read back, proxies that were made."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from ..jobs import JobStore
from ..proxies import made_below
from ..shelves import SECOND
from .claims import RoomKind


@dataclass(frozen=True)
class Recorded:
    """Kinds of files by folder below a root (with "/" at its end) and name."""

    folders: Mapping[str, Mapping[str, RoomKind]]

    def in_folder(self, below: str) -> Mapping[str, RoomKind]:
        """What is known of files in one folder, by name."""
        return self.folders.get(below, {})


def recorded_below(root: Path, role: str) -> Recorded:
    """What this machine remembers; proven copies count as what the shelf is for. Raises StateError."""
    folders: dict[str, dict[str, RoomKind]] = {}

    def note(path: str, kind: RoomKind) -> None:
        folder, name = os.path.split(os.path.relpath(path, root))
        folders.setdefault(f"{folder}/" if folder else "", {})[name] = kind

    for made in made_below(root):
        note(str(made.path), "bakes" if made.path.name.startswith("baked ") else "proxies without a clip")
    for record in JobStore().copies_below(root):
        note(record.target, "second copies" if role == SECOND else "originals")
    return Recorded(folders)
