"""Opening a media file for reading: plain files, numbered sequences, recordings in several files."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
from av.container import InputContainer

from ..errors import MediaError, from_os_error
from ..time import rate_text
from .joined import is_joined, open_joined, parts_of
from .sequence import DEFAULT_RATE, first_number, is_sequence

# What the library raises, besides its own errors, for files that say impossible things of themselves.
ODD_FILE = (
    AttributeError, ValueError, TypeError, KeyError, IndexError, ArithmeticError, MemoryError, NotImplementedError,
)  # fmt: skip


def open_media(path: Path, rate: Fraction | None = None) -> InputContainer:
    """Open a file for reading; raises MediaError in words for whatever stands against it.

    ``path`` may be the pattern of a numbered sequence, ``rate`` its frames per second; or name a recording's files.
    """
    try:
        if is_sequence(path):
            return _open_sequence(path, rate or DEFAULT_RATE)
        for part in parts_of(path):
            with part.open("rb") as handle:
                if not handle.read(1):
                    raise MediaError("is empty (zero bytes)", part, "Copy it again from the card if you can.")
        if is_joined(path):
            return open_joined(path, part_lengths(path))
        return av.open(str(path), metadata_errors="replace")
    except av.error.FFmpegError as error:
        raise MediaError(
            "cannot be read as media: it is damaged, cut off, or of another kind", path, "Check the file."
        ) from error
    except OSError as error:
        raise from_os_error(error, path, MediaError) from error


def _open_sequence(path: Path, rate: Fraction) -> InputContainer:
    options = {"start_number": str(first_number(path)), "framerate": rate_text(rate), "pattern_type": "sequence"}
    return av.open(str(path), format="image2", options=options)


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
