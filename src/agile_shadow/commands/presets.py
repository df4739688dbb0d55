"""``agile-shadow presets``: the library, and the format of its files."""

from __future__ import annotations

from ..core.presets import PRESETS, describes, schema
from .kept import commands_for

app = commands_for(PRESETS, "presets", describes, schema)
