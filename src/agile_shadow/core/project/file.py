"""The project file: OpenTimelineIO JSON whose clips carry both media references."""

from __future__ import annotations

import json
import time
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from ..errors import ProjectError, from_os_error
from ..files import written_atomically
from ..media import MediaInfo
from ..pairs import FileRef, Original, Proxy
from ..presets import Preset
from ..presets.library import parse_preset
from ..shelves import Shelf, shelf_from_json, shelf_to_json
from ..time import frame_of, rate_text
from ..timeline import Block, Timeline
from .document import Clip, Project

KEY = "agile_shadow"
VERSION = 1
_KEEP = 10  # earlier saves
_KEEP_EVERY = 300.0  # seconds between two that are kept
_OWN = {"version", "id", "shelves", "showing", "preset", "by_itself", "reports", "clips", "timeline"}


Memo = dict[str, tuple[Clip, tuple[Shelf, ...], str, Any]]


def save_project(project: Project, path: Path, memo: Memo | None = None) -> None:
    """Write the project atomically and keep an earlier save now and then. Raises ProjectError.

    ``memo``, kept by the caller between saves of one project, spares building again what did not change.
    """
    text = otio.adapters.write_to_string(_to_otio(project, {} if memo is None else memo), "otio_json", indent=1)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        _keep_earlier(path)
        with written_atomically(path) as partial:
            partial.write_text(text, encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path, ProjectError) from error


def earlier_saves(path: Path) -> list[Path]:
    """Kept earlier saves of a project file, oldest first."""
    return sorted(_earlier_folder(path).glob("*.otio"))


def _earlier_folder(path: Path) -> Path:
    return path.with_name(f"{path.stem} - earlier saves")


def _keep_earlier(path: Path) -> None:
    if not path.exists():
        return
    kept = earlier_saves(path)
    if kept and time.time() - kept[-1].stat().st_mtime < _KEEP_EVERY:
        return
    folder = _earlier_folder(path)
    folder.mkdir(exist_ok=True)
    with written_atomically(folder / time.strftime("%Y-%m-%d %H-%M-%S.otio")) as partial:
        partial.write_bytes(path.read_bytes())
    for old in kept[: max(0, len(kept) + 1 - _KEEP)]:
        old.unlink(missing_ok=True)


def load_project(path: Path) -> Project:
    """The project in a file. Raises ProjectError with what is wrong with it."""
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path, ProjectError) from error
    except UnicodeDecodeError as error:
        raise ProjectError("is not a project file", path, "Choose an .otio file made by Agile Shadow.") from error
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises its own and plain ValueErrors
        raise ProjectError(
            "is not a project file, or is cut off", path, "Choose another, or one of its earlier saves."
        ) from error
    if not isinstance(timeline, otio.schema.Timeline) or KEY not in timeline.metadata:
        raise ProjectError("is a timeline but not a project of Agile Shadow", path, "Open a project file.")
    version = timeline.metadata[KEY].get("version")
    if not isinstance(version, int) or version > VERSION:
        raise ProjectError(f"was written by a newer version ({version})", path, "Update the program to open it.")
    try:
        return _from_otio(timeline)
    except (KeyError, TypeError, ValueError, AttributeError, ZeroDivisionError, ProjectError) as error:
        raise ProjectError(f"is damaged: {error}", path, "Open one of its earlier saves.") from error


def _plain(value: Any) -> Any:
    """Metadata of the library as plain values."""
    if hasattr(value, "items"):
        return {key: _plain(inner) for key, inner in value.items()}
    if hasattr(value, "__iter__") and not isinstance(value, str):
        return [_plain(inner) for inner in value]
    return value


# Writing


def _to_otio(project: Project, memo: Memo) -> Any:
    timeline = otio.schema.Timeline(name=project.name)
    edit = project.timeline
    track = otio.schema.Track(name="V1", kind=otio.schema.TrackKind.Video)
    rate = float(edit.rate or 25)
    end = 0
    for block in edit.blocks:
        if block.start > end:
            gap = otio.opentime.TimeRange(
                otio.opentime.RationalTime(0, rate), otio.opentime.RationalTime(block.start - end, rate)
            )
            track.append(otio.schema.Gap(source_range=gap))
        track.append(_block_to_otio(project, block, edit.rate, memo))
        end = block.end
    timeline.tracks.append(track)
    timeline.metadata[KEY] = {
        **project.unknown,
        "version": VERSION,
        "id": project.id,
        "showing": project.showing,
        "shelves": [shelf_to_json(shelf) for shelf in project.shelves],
        "preset": project.preset.to_json() if project.preset else None,
        "by_itself": project.by_itself,
        "reports": list(project.reports),
        "timeline": {"name": edit.name, "rate": rate_text(edit.rate), "width": edit.width, "height": edit.height},
        "clips": [_clip_to_otio(project, clip, memo) for clip in project.clips],
    }
    return timeline


def _block_to_otio(project: Project, block: Block, rate: Fraction, memo: Memo) -> Any:
    clip = project.clip(block.clip)
    assert clip is not None
    element = _clip_to_otio(project, clip, memo).deepcopy()
    info = clip.original.info
    start = _start_frame(info) + float(block.source_start * info.frame_rate)
    element.source_range = otio.opentime.TimeRange(
        otio.opentime.RationalTime(start, float(info.frame_rate)),
        otio.opentime.RationalTime(block.length, float(rate)),
    )
    element.metadata[KEY] = {
        "clip": block.clip,
        "block": block.id,
        "start": block.start,
        "length": block.length,
        "source_start": str(block.source_start),
        "room": str(block.room),
    }
    return element


def _clip_to_otio(project: Project, clip: Clip, memo: Memo) -> Any:
    known = memo.get(clip.id)
    if known is not None and known[0] is clip and known[1] is project.shelves and known[2] == project.showing:
        return known[3]
    element = _references(project, clip)
    element.metadata[KEY] = {
        "clip": clip.id,
        "pin": clip.pin,
        "source": clip.source,
        "sidecars": [[file.shelf, file.path] for file in clip.sidecars],
    }
    memo[clip.id] = (clip, project.shelves, project.showing, element)
    return element


def _references(project: Project, clip: Clip) -> Any:
    references = {
        "original": _reference(project, clip.original.file, clip.original.info, _original_values(clip.original))
    }
    for number, proxy in enumerate(clip.proxies):
        key = "proxy" if number == 0 else f"proxy_{number + 1}"
        references[key] = _reference(project, proxy.file, proxy.info, _proxy_values(proxy))
    active = "proxy" if project.side_of(clip) == "proxies" and clip.proxies else "original"
    element = otio.schema.Clip(name=clip.name)
    element.set_media_references(references, active)
    return element


def _reference(project: Project, file: FileRef, info: MediaInfo, values: dict[str, Any]) -> Any:
    shelf = project.shelf(file.shelf)
    url = (shelf.root.absolute() / file.path).as_uri() if shelf is not None else file.path
    rate = float(info.frame_rate or 25)
    available = otio.opentime.TimeRange(
        otio.opentime.RationalTime(_start_frame(info), rate), otio.opentime.RationalTime(info.frames, rate)
    )
    reference = otio.schema.ExternalReference(target_url=url, available_range=available)
    reference.metadata[KEY] = {"shelf": file.shelf, "path": file.path, "info": info.to_json(), **values}
    return reference


def _original_values(original: Original) -> dict[str, Any]:
    return {
        "size": original.size,
        "modified": original.modified,
        "checksum": original.checksum,
        "checksum_value": original.checksum_value,
    }


def _proxy_values(proxy: Proxy) -> dict[str, Any]:
    return {"size": proxy.size, "offset": proxy.offset, "state": proxy.state}


def _start_frame(info: MediaInfo) -> int:
    try:
        return frame_of(info.start_timecode, info.frame_rate) if info.start_timecode else 0
    except ValueError:
        return 0


# Reading


def _from_otio(timeline: Any) -> Project:
    values = {key: value for key, value in timeline.metadata[KEY].items() if key != "clips"}
    values = json.loads(json.dumps(_plain(values)))
    settings = values["timeline"]
    blocks = [_block_from_otio(item) for item in timeline.tracks[0] if isinstance(item, otio.schema.Clip)]
    edit = Timeline(
        name=settings["name"],
        rate=Fraction(settings["rate"]),
        width=settings["width"],
        height=settings["height"],
        blocks=tuple(blocks),
    ).checked()
    preset: Preset | None = parse_preset(values["preset"]) if values.get("preset") else None
    if values["showing"] not in ("originals", "proxies"):
        raise ValueError(f"the switch stands on {values['showing']!r}")
    project = Project(
        id=values["id"],
        name=timeline.name,
        shelves=tuple(shelf_from_json(shelf) for shelf in values["shelves"]),
        clips=tuple(_clip_from_otio(item) for item in timeline.metadata[KEY]["clips"]),
        timeline=edit,
        showing=values["showing"],
        preset=preset,
        by_itself=bool(values.get("by_itself", False)),
        reports=tuple(values.get("reports", ())),
        unknown={key: value for key, value in values.items() if key not in _OWN},
    )
    for block in blocks:
        if project.clip(block.clip) is None:
            raise ValueError(f"a block refers to a clip {block.clip} that is not there")
    return project


def _block_from_otio(element: Any) -> Block:
    values = element.metadata[KEY]
    return Block(
        clip=str(values["clip"]),
        start=int(values["start"]),
        length=int(values["length"]),
        source_start=Fraction(values["source_start"]),
        room=Fraction(values["room"]),
        id=str(values["block"]),
    )


def _clip_from_otio(element: Any) -> Clip:
    values = element.metadata[KEY]
    references = element.media_references()
    proxies = [references[key] for key in sorted(references) if key.startswith("proxy")]
    return Clip(
        id=str(values["clip"]),
        name=element.name,
        original=_original_from(references["original"].metadata[KEY]),
        proxies=tuple(_proxy_from(reference.metadata[KEY]) for reference in proxies),
        sidecars=tuple(FileRef(str(item[0]), str(item[1])) for item in values.get("sidecars", ())),
        pin=values.get("pin"),
        source=str(values.get("source", "")),
    )


def _original_from(values: Any) -> Original:
    return Original(
        file=FileRef(str(values["shelf"]), str(values["path"])),
        info=MediaInfo.from_json(_plain(values["info"])),
        size=int(values["size"]),
        modified=int(values["modified"]),
        checksum=str(values["checksum"]),
        checksum_value=str(values["checksum_value"]),
    )


def _proxy_from(values: Any) -> Proxy:
    return Proxy(
        file=FileRef(str(values["shelf"]), str(values["path"])),
        info=MediaInfo.from_json(_plain(values["info"])),
        size=int(values["size"]),
        offset=int(values["offset"]),
        state=str(values["state"]),
    )
