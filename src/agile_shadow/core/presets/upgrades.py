"""Presets of older versions brought up to date, one step at a time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Values = dict[str, Any]


def _from_1(values: Values) -> Values:
    """Version 1 knew neither takes nor when, and had its defaults for the rest: the new fields say the same."""
    return {**values, "version": 2, "takes": {"skip_known": False}, "when": {"at_end": "nothing"}}


_STEPS: dict[int, Callable[[Values], Values]] = {1: _from_1}


def upgraded(values: Values) -> Values:
    """The values as the present version writes them; what is not a known version is left for the check to refuse."""
    version = values.get("version")
    while isinstance(version, int) and version in _STEPS:
        values = _STEPS[version](values)
        version = values["version"]
    return values
