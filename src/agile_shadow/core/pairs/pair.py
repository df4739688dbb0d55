"""The two halves of a pair, as values."""

from __future__ import annotations

from dataclasses import dataclass

from ..media import MediaInfo
from ..proxies import ProxyResult


@dataclass(frozen=True)
class FileRef:
    """A file as shelf + path below it (with ``/`` between folders)."""

    shelf: str
    path: str


@dataclass(frozen=True)
class Original:
    """The camera's file: ``size`` in bytes, ``modified`` in nanoseconds, and the checksum taken at ingest."""

    file: FileRef
    info: MediaInfo
    size: int
    modified: int
    checksum: str = ""
    checksum_value: str = ""


@dataclass(frozen=True)
class Proxy:
    """A light copy. ``offset``: frames of the original before the proxy's first one.

    ``state`` is ``"paired"``: its data (frames, times, timecode, reel, channels) equal the original's.
    """

    file: FileRef
    info: MediaInfo
    size: int
    offset: int = 0
    state: str = "paired"


def pair_made_proxy(file: FileRef, result: ProxyResult) -> Proxy:
    """The proxy half for a file this program made and checked against its original."""
    return Proxy(file=file, info=result.info, size=result.info.size)
