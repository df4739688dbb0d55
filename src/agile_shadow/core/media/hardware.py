"""Decoders in the machine's hardware: which there are, and opening a file through one.

Whether one may be used is decided elsewhere, by what it gives (`estimates.hardware`); what fails once is not asked
again by this process.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterator
from contextlib import suppress
from functools import cached_property
from pathlib import Path
from typing import Any

import av
from av.codec.hwaccel import HWAccel, hwdevices_available

log = logging.getLogger(__name__)
_NODES = ("dri/renderD*", "nvidia[0-9]*")  # in /dev: where a device has none, none is looked for
_CODECS = frozenset(("h264", "hevc", "av1", "vp9", "mpeg2video"))  # that such decoders know


class Hardware:
    """The machine's own. Another may stand in its place (:func:`use`): tests have a decoder of theirs."""

    @cached_property
    def nodes(self) -> tuple[str, ...]:
        """What the system has of devices, by name: other devices give other names."""
        return tuple(sorted(path.name for pattern in _NODES for path in Path("/dev").glob(pattern)))

    def names(self) -> tuple[str, ...]:
        """Kinds of decoders that the media library was built with and that may be asked."""
        return tuple(hwdevices_available()) if self.nodes else ()

    def options(self, name: str) -> dict[str, Any]:
        """What opening a file through one needs. Raises the library's errors, ValueError, RuntimeError."""
        return {"hwaccel": HWAccel(name, allow_software_fallback=False)}

    def decoded(self, name: str, frames: Iterator[Any]) -> Iterator[Any]:
        """Frames as they come from the decoder of that name."""
        return frames


_lock = threading.Lock()
_hardware: list[Hardware] = [Hardware()]
_failed: set[str] = set()


def use(other: Hardware | None) -> None:
    """Have another stand in the machine's place; None: its own again. What failed is forgotten."""
    with _lock:
        _hardware[:] = [other or Hardware()]
        _failed.clear()


def hardware() -> Hardware:
    """What there is."""
    return _hardware[0]


def knows(codec: str) -> bool:
    """Whether such decoders know a codec."""
    return codec in _CODECS


def fail(name: str, why: object) -> None:
    """Do not ask this one again in this process."""
    with _lock:
        if name not in _failed:
            log.warning("the hardware decoder %s is not used any more: %s", name, why)
        _failed.add(name)


def has_failed(name: str) -> bool:
    """Whether it has, in this process."""
    return name in _failed


def opening(name: str) -> dict[str, Any]:
    """What ``av.open`` is to be given besides; {} for software ("")."""
    return hardware().options(name) if name else {}


# What the library, a driver or a device may raise; a file's own trouble is met again in software.
FAULTS = (av.error.FFmpegError, OSError, RuntimeError, ValueError, NotImplementedError, MemoryError)


def there(name: str) -> bool:
    """Whether a decoder of a kind that the library knows has a device here. For a worker: a driver may do anything."""
    with suppress(*FAULTS):
        accel = hardware().options(name).get("hwaccel")
        if accel is not None:
            accel.create(av.Codec("h264", "r"))
        return True
    return False
