"""Volumes: which file system a folder lies on, known by its own identity, and where it is mounted now."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from ..late import psutil

_BY_UUID = Path("/dev/disk/by-uuid")


@dataclass(frozen=True)
class Volume:
    """A mounted file system. ``identity``: its UUID, or the server's name of a network one; "" when it has none."""

    identity: str
    mounted_at: Path


def mounted_volumes() -> list[Volume]:
    """The volumes of this moment, network ones included. Touches no drive but the system's tables."""
    names = _uuids()
    volumes = []
    try:
        parts = psutil.disk_partitions(all=True)
    except (OSError, psutil.Error):  # a machine that does not say what is mounted
        parts = []
    for part in parts:
        identity = names.get(os.path.realpath(part.device), "") if part.device.startswith("/dev/") else ""
        if part.fstype.startswith(("nfs", "cifs", "smb", "fuse.sshfs")):
            identity = part.device
        if identity or part.device.startswith("/dev/"):
            volumes.append(Volume(identity, Path(part.mountpoint)))
    return volumes


def mount_of(folder: Path) -> str:
    """The folder at which the drive of a place is mounted, by the system's tables; "" where that cannot be told."""
    try:
        mounts = {part.mountpoint for part in psutil.disk_partitions(all=True)}
    except (OSError, psutil.Error):
        return ""
    return next((str(place) for place in (folder, *folder.parents) if str(place) in mounts), "")


def _uuids() -> dict[str, str]:
    try:
        return {os.path.realpath(_BY_UUID / name): name for name in os.listdir(_BY_UUID)}
    except OSError:
        return {}


def volume_of(folder: Path, volumes: Iterable[Volume]) -> tuple[str, str]:
    """(identity of the volume, path below its root) of a folder; two empty texts where it has no identity."""
    holders = [volume for volume in volumes if folder.is_relative_to(volume.mounted_at)]
    if not holders:
        return "", ""
    holder = max(holders, key=lambda volume: len(volume.mounted_at.parts))
    return (holder.identity, folder.relative_to(holder.mounted_at).as_posix()) if holder.identity else ("", "")
