"""Where footage can come from at this moment: cards and drives that are mounted."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..drives import drives
from ..late import psutil

_UNDER = ("/media/", "/run/media/", "/mnt/", "/Volumes/")
_MOST = 100  # names looked at in one folder
_NO_DRIVES = frozenset(["tmpfs", "devtmpfs", "overlay", "squashfs", "proc", "sysfs", "autofs"])
_CARD_FOLDERS = frozenset(["dcim", "private", "avchd", "bdmv", "clip", "contents", "xdroot", "mp_root", "bpav", "sub"])


@dataclass(frozen=True)
class MountedPlace:
    """A mounted card or drive. ``size`` and ``used`` in bytes; ``card``: it has the folders that cameras make."""

    path: Path
    name: str
    size: int
    used: int
    card: bool


def mounted_places() -> list[MountedPlace]:
    """Cards and drives that are in at this moment, cards first. Touches each of them: not for the interface thread."""
    found: dict[Path, MountedPlace] = {}
    for path in _mounts():
        with suppress(OSError):
            usage = shutil.disk_usage(path)
            found[path] = MountedPlace(path, path.name or str(path), usage.total, usage.used, _is_card(path))
    for path in drives().mounted():
        with suppress(OSError):
            size = sum(file.stat().st_size for file in path.rglob("*") if file.is_file())
            found[path] = MountedPlace(path, path.name, size, size, _is_card(path))
    return sorted(found.values(), key=lambda place: (not place.card, place.name.casefold()))


def mounts_text() -> str:
    """What changes whenever a drive comes or goes; cheap to ask."""
    places = "\n".join(str(path) for path in drives().mounted())
    with suppress(OSError):
        return Path("/proc/self/mounts").read_text(errors="replace") + places
    return places


def _mounts() -> list[Path]:
    parts = psutil.disk_partitions(all=True)
    return [
        Path(part.mountpoint)
        for part in parts
        if f"{part.mountpoint}/".startswith(_UNDER) and part.fstype not in _NO_DRIVES
    ]


def _is_card(path: Path) -> bool:
    """Whether a folder that cameras make lies at its root, or one below."""
    names = os.listdir(path)[:_MOST]
    inside = list(names)
    for name in names:
        with suppress(OSError):
            inside += os.listdir(path / name)[:_MOST]
    return any(name.casefold() in _CARD_FOLDERS for name in inside)
