"""Where each file of a source goes: folders and names by the preset's patterns."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ..media import MediaInfo, is_known_media_name
from ..media.sequence import numbered
from ..presets import NEED_PROBE, Originals, Preset, Proxies, fill_path, tokens_in
from ..proxies import ENDING, STILL_ENDING, proxy_file_name
from .source import SourceFile


@dataclass(frozen=True)
class Context:
    """What tokens need to know besides the file: the source's folder, names of project and preset."""

    source: Path
    project: str
    preset: str


def needs_probe(preset: Preset) -> bool:
    """Whether names can only be filled once a file was opened."""
    originals = preset.originals
    if originals.do == "leave":
        return False
    patterns = [originals.name_pattern, originals.folder_pattern if originals.folders == "pattern" else ""]
    return any(tokens_in(pattern) & NEED_PROBE for pattern in patterns)


def token_values(file: SourceFile, number: int, context: Context, info: MediaInfo | None) -> dict[str, str]:
    """What each token stands for. ``number`` counts the files of the source from 1.

    Day and time as the file itself says, else its modification time; the camera as the file names it, else the first
    folder on the card.
    """
    path = PurePosixPath(file.path)
    shot = info.recorded if info is not None else ""
    shot = shot or time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(file.modified / 1e9))
    return {
        "name": clip_name(file),
        "date": shot[:10],
        "time": shot[11:19].replace(":", ""),
        "camera": (info.camera if info is not None else "") or (path.parts[0] if len(path.parts) > 1 else ""),
        "reel": (info.reel if info is not None else "") or "",
        "card": context.source.name,
        "folder": path.parent.name or context.source.name,
        "counter": str(number),
        "project": context.project,
        "preset": context.preset,
    }


def clip_name(file: SourceFile) -> str:
    """The name of a clip: of its file without the ending; of a sequence what stands before the numbers."""
    name = PurePosixPath(file.path).name
    if file.form == "parts":
        return PurePosixPath(file.files[0]).stem
    if file.form == "sequence":
        return name.partition("%0")[0].rstrip(" ._-") or PurePosixPath(file.path).parent.name or "sequence"
    return PurePosixPath(file.path).stem


def original_places(file: SourceFile, originals: Originals, values: Mapping[str, str]) -> list[tuple[str, str]]:
    """(path on the source, path below the shelf) of every file of a clip: its own, its sidecars, its small copies.

    Where folders are kept, files that came from another folder than their clip stay in it.
    """
    stem = fill_path(originals.name_pattern, values)
    own = file.files
    if file.form == "parts":
        names = [_part_name(path, stem, originals, number) for number, path in enumerate(own, 1)]
    else:
        names = [_name(path, stem, originals, bool(file.members)) for path in own]
    beside = [_name(path, stem, originals, False) for path in file.sidecars]
    copies = [_copy_name(path, stem, originals) for path in file.copies]
    every = zip((*own, *file.sidecars, *file.copies), (*names, *beside, *copies), strict=True)
    return [(path, str(_folder(path, originals, values) / name)) for path, name in every]


def _part_name(path: str, stem: str, originals: Originals, number: int) -> str:
    pure = PurePosixPath(path)
    return pure.name if originals.name_pattern == "{name}" else f"{stem}_{number}{pure.suffix}"


def _copy_name(path: str, stem: str, originals: Originals) -> str:
    """A small copy never gets its clip's very name."""
    pure = PurePosixPath(path)
    return pure.name if originals.name_pattern == "{name}" else f"{stem}_small{pure.suffix}"


def _folder(path: str, originals: Originals, values: Mapping[str, str]) -> PurePosixPath:
    if originals.folders == "keep":
        return PurePosixPath(path).parent
    if originals.folders == "flatten" or not originals.folder_pattern:
        return PurePosixPath()
    return PurePosixPath(fill_path(originals.folder_pattern, values))


def _name(path: str, stem: str, originals: Originals, sequence: bool) -> str:
    pure = PurePosixPath(path)
    if originals.name_pattern == "{name}":
        return pure.name
    one = numbered(pure.name) if sequence else None
    if one is not None:
        digits = pure.stem[len(pure.stem.rstrip("0123456789")) :]
        return f"{stem}_{digits}{pure.suffix}"
    return f"{stem}{pure.suffix}"


def proxy_place(
    original: str, settings: Proxies, values: Mapping[str, str], same_stem: bool, several: bool = False
) -> PurePosixPath:
    """Path of a proxy below its shelf; ``original``: the original's path below its own; ``several``: it is of files.

    ``same_stem``: another clip of that folder has the same name without its extension, and gets the plain name.
    """
    path = PurePosixPath(original)
    name = f"{values.get('name', '')}{path.suffix}" if several else path.name
    still = not several and is_known_media_name(path.name) == "still"
    ending = STILL_ENDING if still else ENDING
    plain = proxy_file_name(name, settings, values, ending=ending)
    taken = frozenset({plain.casefold()} if same_stem else ())
    folder = path.parent / fill_path(settings.folder, values) if settings.place == "beside" else path.parent
    if settings.place == "beside" and not settings.folder:
        folder = path.parent
    return folder / proxy_file_name(name, settings, values, taken, ending)
