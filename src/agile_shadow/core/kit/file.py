"""The file that says what a kit is: JSON, version 1, read within bounds."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any, Literal

from ..below import Anchor, folder_below
from ..errors import ShadowError, from_os_error
from ..files import written_atomically
from ..strict import Count, Id, Line, Name, PathText, Strict, read_json

KIT_FILE = "travel kit.json"
BASE_FILE = "as it left.otio"  # the kit's project as it was when it was made or brought up to date
PROXIES, MEDIA, ROAD = "Proxies", "Media", "From the road"  # folders of the kit's shelves
SCHEMA = "agile-shadow travel kit"
_LARGEST = 200_000_000  # bytes


@dataclass(frozen=True)
class KitFile:
    """A file in a kit: ``path`` below it, bytes, xxh128; the clip (by identity) and the half that it stands for."""

    path: str
    size: int
    value: str
    clip: str
    half: Literal["proxy", "original"]


@dataclass(frozen=True)
class Kit:
    """``id``: the kit's own; ``project``: identity of the project; ``name``: of its project file below the kit.
    ``shelves``: folder of each of its shelves, by the shelf's identity. ``whole``: its making came to its end."""

    id: str
    project: str
    name: str
    made: str
    whole: bool
    shelves: dict[str, str]
    files: tuple[KitFile, ...] = ()


class _FileIn(Strict):
    path: PathText
    size: Count
    value: Name
    clip: Id
    half: Literal["proxy", "original"]


class _KitIn(Strict):
    id: Id
    project: Id
    name: PathText
    made: Line = ""
    whole: bool
    shelves: dict[Id, PathText]
    files: list[_FileIn] = []  # noqa: RUF012


def is_kit(folder: Path) -> bool:
    """Whether a folder is a travel kit, by its file."""
    return (folder / KIT_FILE).is_file()


def read_kit(folder: Path) -> Kit:
    """What a kit says of itself. Raises ShadowError for what is none, or leads out of its folder."""
    path = folder / KIT_FILE
    try:
        with folder_below(Anchor.of(folder), folder) as inside:
            status = inside.status(KIT_FILE)
        if status is None:
            raise ShadowError("is no travel kit", folder, f"A kit has a file {KIT_FILE}.")
        if status.st_size > _LARGEST:
            raise ShadowError("is too large for the file of a kit", path, "Make the kit again.")
        values = read_json(path.read_text(encoding="utf-8"))
        if values["schema"] != SCHEMA or values["version"] != 1:
            raise ValueError("it is of another kind or version")
        one = _KitIn.model_validate(values)
        for below in (one.name, *one.shelves.values(), *(file.path for file in one.files)):
            _refuse_outside(below)
    except OSError as error:
        raise from_os_error(error, path) from error
    except (ValueError, KeyError, TypeError) as error:
        raise ShadowError(f"cannot be used ({error})", path, "Bring the kit up to date at home.") from error
    files = tuple(KitFile(file.path, file.size, file.value, file.clip, file.half) for file in one.files)
    return Kit(one.id, one.project, one.name, one.made, one.whole, dict(one.shelves), files)


def _refuse_outside(path: str) -> None:
    pure = PurePosixPath(path)
    if pure.is_absolute() or ".." in pure.parts or not pure.parts or "\0" in path:
        raise ValueError(f'"{path[:100]}" leads out of the kit')


def write_kit(folder: Path, kit: Kit) -> None:
    """Write the kit's file. Raises ShadowError."""
    values: dict[str, Any] = {
        "schema": SCHEMA, "version": 1, "id": kit.id, "project": kit.project, "name": kit.name, "made": kit.made,
        "whole": kit.whole, "shelves": kit.shelves, "files": [vars(file) for file in kit.files],
    }  # fmt: skip
    path = folder / KIT_FILE
    try:
        with written_atomically(path) as partial:
            partial.write_text(json.dumps(values, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path) from error
