"""Preset files: the shipped ones and the user's, older versions brought up to date."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..errors import PresetError
from ..library import Library
from .model import SCHEMA, VERSION, Preset
from .upgrades import upgraded

_FORMER = {
    "quick cut": "Everyday, quarter size", "small laptop": "Small files, quarter size",
    "finer picture": "Better picture, half size", "for viewing, marked": "For review, with burn-ins",
    "leave originals, half size": "Originals stay in place, half size",
    "night shift, two copies": "Two copies, proxies overnight",
    "only what this machine cannot play": "Proxies only where needed", "copy and prove only": "Copy and verify only",
}  # fmt: skip

PRESETS = Library(
    folder="presets",
    shipped=Path(__file__).parent / "shipped",
    noun="preset",
    schema=SCHEMA,
    version=VERSION,
    make=lambda values: Preset.model_validate(upgraded(values)),
    error=PresetError,
    former=_FORMER,
)
load_preset = PRESETS.load
parse_preset = PRESETS.parse
save_preset = PRESETS.save
preset_text = PRESETS.text
read_library = PRESETS.read
find_preset = PRESETS.find
import_preset = PRESETS.take_in
rename_preset = PRESETS.rename
remove_preset = PRESETS.remove


def schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of preset files."""
    values = Preset.model_json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **values}


def list_presets() -> list[Preset]:
    """All usable presets by name."""
    return [entry.value for entry in PRESETS.read().entries]
