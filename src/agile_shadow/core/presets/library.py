"""Preset files: read, upgraded, refused with the field and the reason, written; the shipped ones and the user's."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from send2trash import send2trash

from ..below import open_ordinary
from ..errors import PresetError, from_os_error, sentence
from ..files import written_atomically
from ..log import config_folder
from ..strict import read_json
from .model import SCHEMA, VERSION, Preset
from .upgrades import upgraded

_SHIPPED = Path(__file__).parent / "shipped"
_LARGEST = 64 << 20  # bytes of a preset file


@dataclass(frozen=True)
class Entry:
    """A preset of the library and its file; a shipped one cannot be changed, only saved again as one's own."""

    preset: Preset
    path: Path

    @property
    def shipped(self) -> bool:
        """Whether it came with the program."""
        return self.path.parent == _SHIPPED


@dataclass(frozen=True)
class Library:
    """Usable presets by name, and a sentence for each file that cannot be used."""

    entries: tuple[Entry, ...]
    problems: tuple[str, ...]

    def named(self, name: str) -> Entry | None:
        """The entry of that name, without regard to case."""
        return next((entry for entry in self.entries if entry.preset.name.casefold() == name.casefold()), None)


def load_preset(path: Path) -> Preset:
    """The preset in a file; raises PresetError naming the field and the reason."""
    path = Path(path)
    try:
        if path.stat().st_size > _LARGEST:
            raise PresetError("is far too large for a preset", path, "Choose another file.")
        with os.fdopen(open_ordinary(os.path.realpath(path)), encoding="utf-8") as file:
            values = read_json(file.read(_LARGEST))
    except OSError as error:
        raise from_os_error(error, path, PresetError) from error
    except ValueError as error:
        raise PresetError(f"is not JSON ({error})", path, "Mend the file or choose another preset.") from error
    return parse_preset(values, path)


def parse_preset(values: Any, path: Path | None = None) -> Preset:
    """A preset from plain values, an older version brought up to date; raises PresetError with field and reason."""
    if not isinstance(values, dict) or values.get("schema", SCHEMA) != SCHEMA:
        raise PresetError("is not a preset", path, f'A preset has "schema": "{SCHEMA}".')
    version = values.get("version", VERSION)
    if isinstance(version, int) and version > VERSION:
        raise PresetError(f"was written by a newer version ({version})", path, "Update the program to use it.")
    try:
        return Preset.model_validate(upgraded(values))
    except (AttributeError, TypeError, KeyError, IndexError, ArithmeticError, RecursionError) as error:
        raise PresetError("is not a preset: its fields are of other kinds", path, "Choose another preset.") from error
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "the preset"
        reason = first["msg"].removeprefix("Value error, ")
        given = repr(first["input"])
        shown = "" if isinstance(first["input"], dict | list) or len(given) > 80 else f" (it says {given})"
        raise PresetError(
            f"field {field}: {reason}{shown}", path, "Mend the field or choose another preset."
        ) from error


def user_folder() -> Path:
    """Folder of the user's own presets."""
    folder = config_folder() / "presets"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def save_preset(preset: Preset, path: Path | None = None) -> Path:
    """Write a preset, by default into the user's folder under its name; returns where. Raises PresetError."""
    target = path or _own_file(preset.name)
    try:
        with written_atomically(target) as partial:
            partial.write_text(preset_text(preset), encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, target, PresetError) from error
    return target


def preset_text(preset: Preset) -> str:
    """The file of a preset: the same settings give the same bytes."""
    return json.dumps(preset.to_json(), indent=2, ensure_ascii=False) + "\n"


def _own_file(name: str) -> Path:
    """The user's file that holds a preset of that name, or a free one for it."""
    known = read_library().named(name)
    if known is not None and not known.shipped:
        return known.path
    stem = _file_name(name)
    for number in range(1, 10_000):
        path = user_folder() / (f"{stem}.json" if number == 1 else f"{stem} {number}.json")
        if not path.exists():
            return path
    raise PresetError("no free file name was found for it", user_folder(), "Choose another name.")


def _file_name(name: str) -> str:
    return re.sub(r"[^\w .,-]+", "_", name)[:80].strip(" .") or "preset"


def schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of preset files."""
    values = Preset.model_json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **values}


def read_library() -> Library:
    """All presets by name; the user's replace shipped ones of the same name."""
    found: dict[str, Entry] = {}
    problems: list[str] = []
    for path in (*sorted(_SHIPPED.glob("*.json")), *sorted(user_folder().glob("*.json"))):
        try:
            preset = load_preset(path)
        except PresetError as error:
            problems.append(sentence(error))
            continue
        found[preset.name.casefold()] = Entry(preset, path)
    return Library(tuple(sorted(found.values(), key=lambda entry: entry.preset.name.casefold())), tuple(problems))


def list_presets() -> list[Preset]:
    """All usable presets by name."""
    return [entry.preset for entry in read_library().entries]


def find_preset(name_or_path: str) -> Preset:
    """A preset by its file or its name; raises PresetError with the names there are."""
    path = Path(name_or_path)
    if path.suffix == ".json" or path.is_file():
        return load_preset(path)
    library = read_library()
    entry = library.named(name_or_path)
    if entry is not None:
        return entry.preset
    names = ", ".join(f'"{known.preset.name}"' for known in library.entries)
    raise PresetError(f'there is no preset named "{name_or_path}"', None, f"There are: {names}.")


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """``wanted``, or ``wanted 2`` and so on where that name is taken."""
    used = {name.casefold() for name in taken}
    number, name = 1, wanted
    while name.casefold() in used:
        number += 1
        name = f"{wanted} {number}"
    return name


def import_preset(path: Path) -> Preset:
    """Take a preset file into the library; it gets a free name where its own is taken by other settings."""
    preset = load_preset(path)
    known = read_library()
    same = known.named(preset.name)
    if same is not None and same.preset == preset:
        return preset
    preset = preset.model_copy(update={"name": free_name(preset.name, (e.preset.name for e in known.entries))})
    save_preset(preset)
    return preset


def rename_preset(old: str, new: str) -> Preset:
    """Give one of the user's presets another name.

    Raises PresetError where the name is taken or it is a shipped one.
    """
    known = read_library()
    entry = known.named(old)
    if entry is None or entry.shipped:
        raise PresetError(f'"{old}" came with the program and keeps its name', None, "Duplicate it, then rename that.")
    other = known.named(new)
    if other is not None and other.path != entry.path:
        raise PresetError(f'there is a preset named "{new}" already', None, "Choose another name.")
    preset = parse_preset({**entry.preset.to_json(), "name": new.strip()})
    return load_preset(save_preset(preset, entry.path))


def remove_preset(name: str) -> None:
    """Put one of the user's presets into the trash. Raises PresetError for a shipped one."""
    entry = read_library().named(name)
    if entry is None or entry.shipped:
        raise PresetError(f'"{name}" came with the program and stays', None, "Only presets of your own can be removed.")
    try:
        send2trash(entry.path)
    except OSError as error:
        raise from_os_error(error, entry.path, PresetError) from error
