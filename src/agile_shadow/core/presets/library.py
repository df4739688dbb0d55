"""Preset files: read, refused with the field and the reason, written; the shipped ones and the user's."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ..errors import PresetError, from_os_error
from ..files import written_atomically
from ..log import config_folder
from .model import SCHEMA, VERSION, Preset

_SHIPPED = Path(__file__).parent / "shipped"


def load_preset(path: Path) -> Preset:
    """The preset in a file; raises PresetError naming the field and the reason."""
    path = Path(path)
    try:
        values = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise from_os_error(error, path, PresetError) from error
    except ValueError as error:
        raise PresetError(f"is not JSON ({error})", path, "Mend the file or choose another preset.") from error
    return parse_preset(values, path)


def parse_preset(values: Any, path: Path | None = None) -> Preset:
    """A preset from plain values; raises PresetError naming the field and the reason."""
    if not isinstance(values, dict) or values.get("schema", SCHEMA) != SCHEMA:
        raise PresetError("is not a preset", path, f'A preset has "schema": "{SCHEMA}".')
    version = values.get("version", VERSION)
    if isinstance(version, int) and version > VERSION:
        raise PresetError(f"was written by a newer version ({version})", path, "Update the program to use it.")
    try:
        return Preset.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "the preset"
        reason = first["msg"].removeprefix("Value error, ")
        shown = "" if isinstance(first["input"], dict) else f" (it says {first['input']!r})"
        raise PresetError(
            f"field {field}: {reason}{shown}", path, "Mend the field or choose another preset."
        ) from error


def user_folder() -> Path:
    """Folder of the user's own presets."""
    folder = config_folder() / "presets"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def save_preset(preset: Preset, path: Path | None = None) -> Path:
    """Write a preset, by default into the user's folder under its name; returns where."""
    target = path or user_folder() / f"{_file_name(preset.name)}.json"
    try:
        with written_atomically(target) as partial:
            partial.write_text(json.dumps(preset.to_json(), indent=2) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, target, PresetError) from error
    return target


def _file_name(name: str) -> str:
    return re.sub(r"[^\w .,-]+", "_", name).strip(" .") or "preset"


def list_presets() -> list[Preset]:
    """All usable presets by name; the user's replace shipped ones of the same name. Broken files are left out."""
    found: dict[str, Preset] = {}
    for path in _preset_files():
        try:
            preset = load_preset(path)
        except PresetError:
            continue
        found[preset.name] = preset
    return sorted(found.values(), key=lambda preset: preset.name)


def _preset_files() -> Iterator[Path]:
    yield from sorted(_SHIPPED.glob("*.json"))
    yield from sorted(user_folder().glob("*.json"))


def find_preset(name_or_path: str) -> Preset:
    """A preset by its file or its name; raises PresetError with the names there are."""
    path = Path(name_or_path)
    if path.suffix == ".json" or path.is_file():
        return load_preset(path)
    presets = list_presets()
    for preset in presets:
        if preset.name.casefold() == name_or_path.casefold():
            return preset
    names = ", ".join(f'"{preset.name}"' for preset in presets)
    raise PresetError(f'there is no preset named "{name_or_path}"', None, f"There are: {names}.")
