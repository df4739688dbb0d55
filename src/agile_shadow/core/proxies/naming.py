"""The file name of a proxy."""

from __future__ import annotations

from pathlib import PurePosixPath


def proxy_file_name(original: str, taken: frozenset[str] = frozenset()) -> str:
    """The original's name with the ending of QuickTime; if that name is taken, the original's whole name before it."""
    plain = f"{PurePosixPath(original).stem}.mov"
    return plain if plain.casefold() not in taken else f"{PurePosixPath(original).name}.mov"
