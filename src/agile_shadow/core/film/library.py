"""Files of film settings: the shipped ones and the user's."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..errors import ExportError
from ..library import Library
from ..project import Project
from .request import FilmRequest
from .settings import SCHEMA, VERSION, FilmSettings

FILM_SETTINGS = Library(
    folder="films",
    shipped=Path(__file__).parent / "shipped",
    noun="film settings",
    schema=SCHEMA,
    version=VERSION,
    make=FilmSettings.model_validate,
    error=ExportError,
)
_BY_ENDING = {".mp4": "Viewing copy", ".mov": "ProRes 422", ".mxf": "DNxHR HQ, MXF", ".mkv": "For keeping, lossless",
              ".wav": "Sound alone", ".png": "One still"}  # fmt: skip


def film_schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of files of film settings."""
    values = FilmSettings.model_json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **values}


def plain_film(project: Project, out: Path) -> FilmRequest:
    """The whole open timeline with the settings that the file's ending stands for. Raises ExportError."""
    return FilmRequest(project, out, settings_for(out))


def settings_for(path: Path) -> FilmSettings:
    """The shipped settings that a file's ending stands for. Raises ExportError for one that stands for none."""
    name = _BY_ENDING.get(path.suffix.lower())
    if name is None:
        raise ExportError("unknown file extension", path, f"Name it {', '.join(_BY_ENDING)}, or choose settings.")
    return FILM_SETTINGS.find(name)
