"""Opening a media file for reading: plain files, numbered sequences, recordings in several files."""

from __future__ import annotations

import os
from collections.abc import Callable
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
from av.container import InputContainer

from ..below import open_ordinary
from ..errors import MediaError, from_os_error
from ..time import rate_text
from .demuxers import OPTIONS
from .hardware import opening
from .joined import open_joined, parts_of
from .layouts import plain_layouts
from .recording import is_joined, is_sequence
from .sequence import DEFAULT_RATE, first_number

VIEW = "iec61966_2_1"  # sRGB (IEC 61966-2-1): scene-linear pictures are shown, and made smaller, through its curve

# What the library raises, besides its own errors, for files that say impossible things of themselves.
ODD_FILE = (
    AttributeError, ValueError, TypeError, KeyError, IndexError, ArithmeticError, MemoryError, NotImplementedError,
)  # fmt: skip


Gate = Callable[[Path, Fraction | None], None]
_gates: list[Gate] = []  # one at most


def opened_through(gate: Gate) -> None:
    """From now on have every opening of a file in this process asked for first: ``gate`` returns, or raises MediaError,
    OSError."""
    _gates[:] = [gate]


def no_longer_through(gate: Gate) -> None:
    """Ask this one no more; another that came after it stays."""
    _gates[:] = [one for one in _gates if one != gate]


def open_media(path: Path, rate: Fraction | None = None, device: str = "") -> InputContainer:
    """Open a file for reading; raises MediaError in words for whatever stands against it.

    ``device``: a decoder in hardware that plain files are to be decoded by; what it raises besides is a
    :data:`.hardware.FAULTS`.

    ``path`` may stand for a numbered sequence, ``rate`` its frames per second, or for a recording in several files.
    Only readers of footage are tried: a list of files with the ending of a film opens nothing.
    """
    try:
        for gate in tuple(_gates):
            gate(path, rate)
        if is_sequence(path):
            return _open_sequence(path, rate or DEFAULT_RATE)
        for part in parts_of(path):
            _refuse_empty(part, several=is_joined(path))
        if is_joined(path):
            return _plain(open_joined(path, part_lengths(path)))
        options, kind = dict(OPTIONS), None
        if "%" in path.name and path.suffix.lower() in _PATTERN_READ:  # the library would take it for a pattern
            options["pattern_type"], kind = "none", "image2"
        return _plain(
            av.open(f"file:{path}", format=kind, options=options, metadata_errors="replace", **opening(device))
        )
    except (FileNotFoundError, PermissionError) as error:  # the library's own are of these kinds too
        raise from_os_error(error, path, MediaError) from error
    except av.error.FFmpegError as error:
        raise MediaError(
            "cannot be read as media: it is damaged, cut off, or of another kind", path, "Check the file."
        ) from error
    except OSError as error:
        raise from_os_error(error, path, MediaError) from error


def _plain(container: InputContainer) -> InputContainer:
    plain_layouts(container)
    for stream in container.streams.video:
        if stream.codec_context is not None and stream.codec_context.name == "exr":
            stream.codec_context.options = {"apply_trc": VIEW}
    return container


_PATTERN_READ = frozenset([".jpg", ".jpeg", ".png", ".tif", ".tiff", ".dpx", ".exr", ".bmp", ".webp"])


def _refuse_empty(part: Path, several: bool) -> None:
    """Raises MediaError for a file without a byte, OSError for what is no ordinary file (or, of several, a link)."""
    handle = open_ordinary(part if several else os.path.realpath(part))
    try:
        if not os.pread(handle, 1, 0):
            raise MediaError("is empty (0 bytes)", part, "Copy it again from the card if you can.")
    finally:
        os.close(handle)


def _open_sequence(path: Path, rate: Fraction) -> InputContainer:
    options = {**OPTIONS, "start_number": str(first_number(path)), "framerate": rate_text(rate)}
    options["pattern_type"] = "sequence"
    return _plain(av.open(f"file:{path}", format="image2", options=options))


def part_lengths(path: Path) -> list[Fraction]:
    """Seconds of picture in each file of a recording. Raises MediaError, OSError."""
    return [_length(part, part.stat().st_size, part.stat().st_mtime_ns) for part in parts_of(path)]


@lru_cache(maxsize=256)
def _length(part: Path, size: int, modified: int) -> Fraction:
    from .index import read_index  # the index opens files through this module

    with open_media(part) as container:
        if not container.streams.video:
            raise MediaError("has no picture", part, "Check the recording's other files.")
        index = read_index(part, container.streams.video[0])
        rate = index.constant_rate()
        return len(index) / rate if rate is not None else index.seconds(len(index))
