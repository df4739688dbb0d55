"""The file name of a proxy."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePosixPath

from ..files import fitting_name
from ..presets import Proxies, fill_path

ENDING, STILL_ENDING = ".mov", ".png"


def proxy_file_name(
    original: str, settings: Proxies, values: Mapping[str, str], taken: frozenset[str] = frozenset(),
    ending: str = ENDING,
) -> str:  # fmt: skip
    """The name by the preset's pattern with the ending of QuickTime (of stills: of PNG); where it is taken, the
    original's whole name.

    ``original``: the original's file name; ``values``: what tokens stand for; ``taken``: names in small letters.
    """
    stem = fill_path(settings.name_pattern, {**values, "name": PurePosixPath(original).stem})
    plain = fitting_name(stem, ending)
    return plain if plain.casefold() not in taken else fitting_name(PurePosixPath(original).name, ending)
