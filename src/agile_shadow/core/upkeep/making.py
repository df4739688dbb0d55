"""Making proxies of clips that are in the project already, with any preset."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..errors import PresetError, ShadowError
from ..presets import Preset
from ..presets.library import parse_preset
from ..project import Project
from ..shelves import shelf_for, user_shelves

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class MakeRequest:
    """Make a proxy of each of these clips (by identity) with a preset. ``root``: the folder of the shelf for proxies;
    None where the preset puts them beside the originals."""

    clips: tuple[str, ...]
    preset: Preset
    root: Path | None

    def to_json(self) -> dict[str, Any]:
        """Plain values for the job store."""
        root = str(self.root) if self.root is not None else None
        return {"clips": list(self.clips), "preset": self.preset.to_json(), "root": root}

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> MakeRequest:
        """The inverse of :meth:`to_json`. Raises KeyError, PresetError."""
        root = Path(values["root"]) if values.get("root") else None
        return cls(tuple(str(one) for one in values["clips"]), parse_preset(values["preset"]), root)


def make_request(project: Project, folder: Path, clips: tuple[str, ...], preset: Preset) -> MakeRequest:
    """With the folder that the preset means. ``folder``: the project file's. Raises ShadowError when none is known."""
    wanted = preset.proxies
    if wanted is None:
        raise PresetError(f"the preset {preset.name} makes no proxies", None, "Choose another preset.")
    if wanted.place == "beside":
        return MakeRequest(clips, preset, None)
    if wanted.place == "project":
        return MakeRequest(clips, preset, folder / wanted.folder)
    shelf = shelf_for(wanted.shelf, "proxies", (*user_shelves(), *project.shelves))
    if shelf is None:
        raise ShadowError("there is no shelf for proxies", None, "Make one in Storage first.")
    return MakeRequest(clips, preset, shelf.root)
