"""The project file: OpenTimelineIO JSON whose clips carry both media references."""

from __future__ import annotations

import gc
import json
import os
import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import quote

from pydantic import ValidationError

from ..below import open_ordinary
from ..errors import NotAProject, ProjectError, ShadowError, from_os_error
from ..files import written_atomically
from ..late import opentimelineio as otio
from ..media import MediaInfo, as_form
from ..media.joined import parts_of
from ..pairs import FileRef, Original, Proof, Proxy, Stamp
from ..presets import Preset
from ..presets.library import parse_preset
from ..shelves import shelf_from_json, shelf_to_json
from ..strict import plain, read_json
from ..texts import whole_text
from ..timeline import Block, Timeline
from . import schema
from .cut import Cut, Decision, tidy_tags
from .document import Project
from .earlier import keep_earlier
from .footage import Bake, Clip, Footage
from .incoming import ROOM, BakeIn, ClipIn, OriginalIn, ProofIn, ProxyIn
from .lines import Tables, block_to_text, line_from_otio, line_to_text, start_frame
from .report import IngestReport
from .schema import KEY, Json
from .upgrades import VERSION, upgraded

_LARGEST = 400_000_000  # bytes
_OWN = {
    "version", "id", "shelves", "showing", "preset", "by_itself", "reports", "clips", "timeline", "others", "tables",
    "bakes", "chosen_preset", "bake_room",
}  # fmt: skip


def save_project(project: Project, path: Path, memo: Memo | None = None) -> None:
    """Write the project atomically and keep an earlier save now and then. Raises ProjectError.

    ``memo``, kept by the caller between saves of one project, spares building again what did not change.
    """
    text = _written(project, Memo() if memo is None else memo)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        keep_earlier(path)
        with written_atomically(path) as partial:
            partial.write_text(_writable(text), encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path, ProjectError) from error


def project_text(project: Project) -> str:
    """A project as its file would hold it, for another machine."""
    return _writable(_written(project, Memo()))


def project_of_text(text: str) -> Project:
    """The project that another machine wrote. Raises ProjectError with what is wrong with it."""
    return _loaded(text, Path("a project from another machine"))


def _writable(text: str) -> str:
    """A name that no file can hold must not keep the rest from being saved."""
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return whole_text(text)
    return text


def load_project(path: Path) -> Project:
    """The project in a file. Raises ProjectError with what is wrong with it."""
    try:
        text = _read_text(path)
    except OSError as error:
        raise from_os_error(error, path, ProjectError) from error
    except UnicodeDecodeError as error:
        raise ProjectError("is not a project file", path, "Choose an .otio file made by Agile Shadow.") from error
    with _uncollected():
        return _loaded(text, path)


def _read_text(path: Path) -> str:
    """Raises OSError for what is no ordinary file, UnicodeDecodeError, ProjectError for one that is far too large."""
    handle = open_ordinary(os.path.realpath(path))
    with os.fdopen(handle, "rb") as file:
        if os.fstat(handle).st_size > _LARGEST:
            raise ProjectError("is far too large for a project", path, "Choose another file.")
        return file.read().decode("utf-8")


@contextmanager
def _uncollected() -> Iterator[None]:
    """Without the garbage collector, which would walk over thousands of new values again and again."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def _loaded(text: str, path: Path) -> Project:
    timeline = _parsed(text, path)
    metadata = timeline.get("metadata")
    own = metadata.get(KEY) if isinstance(metadata, dict) else None
    if timeline.get("OTIO_SCHEMA") != "Timeline.1" or not isinstance(own, dict):
        raise NotAProject(
            "is a timeline but not a project of Agile Shadow", path,
            "Open it from the project menu, or with open-timeline, to make a project of it.",
        )  # fmt: skip
    version = own.get("version")
    if not isinstance(version, int) or not 1 <= version <= VERSION:
        raise ProjectError(f"was written by a newer version ({version})", path, "Update the program to open it.")
    try:
        return _from_otio(upgraded(timeline, version))
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        field = ".".join(str(part) for part in first["loc"]) or error.title
        raise ProjectError(f"is damaged: {field}: {first['msg']}", path, "Open one of its earlier saves.") from error
    except (
        KeyError, TypeError, ValueError, AttributeError, ArithmeticError, IndexError, RecursionError, ShadowError
    ) as error:  # fmt: skip
        raise ProjectError(f"is damaged: {_briefly(error)}", path, "Open one of its earlier saves.") from error


def _briefly(error: Exception) -> str:
    text = str(error)
    return f"{text[:200]}…" if len(text) > 200 else text or type(error).__name__


def _parsed(text: str, path: Path) -> Json:
    """The file as plain values; what another tool wrote in another version of the schema is brought to this one."""
    try:
        values = read_json(text)
        if isinstance(values, dict) and values.get("OTIO_SCHEMA") and '"Clip.1"' in text:
            values = read_json(otio.adapters.read_from_string(text, "otio_json").to_json_string())
        if not isinstance(values, dict) or "OTIO_SCHEMA" not in values:
            raise ValueError("no object of the format")
    except Exception as error:  # the library raises its own and plain ValueErrors
        raise ProjectError(
            "is not a project file, or is cut off", path, "Choose another, or one of its earlier saves."
        ) from error
    return values


# Writing


_SLOT = re.compile(r'\[\s*"\\u0000(\w+)\\u0000"\s*\]')  # stands where texts go that are kept between saves


def _written(project: Project, memo: Memo) -> str:
    """The whole file; clips and blocks that did not change keep the text they had."""
    writer = _Writer(project, memo)
    tables, footage = writer.tables, project.footage
    for line in project.timelines:
        tables.used(line)
    values = {
        **footage.unknown,
        "version": VERSION,
        "id": project.id,
        "showing": project.showing,
        "shelves": [shelf_to_json(shelf) for shelf in project.shelves],
        "preset": project.preset.to_json() if project.preset else None,
        "by_itself": project.cut.by_itself,
        **({"chosen_preset": footage.chosen_preset} if footage.chosen_preset else {}),
        **({"bake_room": footage.bake_room} if footage.bake_room else {}),
        "reports": list(project.reports),
        "tables": tables.to_json(),
        "bakes": [
            [one.timeline, one.start, one.end, one.side, one.digest, one.file.shelf, one.file.path]
            for one in project.bakes
        ],
        "others": ["\u0000others\u0000"],
        "clips": ["\u0000clips\u0000"],
    }
    whole = line_to_text(project.timeline, project.name, values, writer.block_of(project.timeline))
    texts = {
        "clips": ",\n".join(writer.clip(clip) for clip in project.clips),
        "others": ",\n".join(line_to_text(line, line.name, {}, writer.block_of(line)) for line in project.others),
    }
    memo.keep(project)
    return _SLOT.sub(lambda slot: f"[\n{texts[slot[1]]}\n]" if slot[1] in texts else slot[0], whole)


class Memo:
    """Texts of clips and blocks, kept between saves of one project."""

    def __init__(self) -> None:
        self.setting: tuple[object, ...] = ()  # what all texts depend on
        self.clips: dict[str, tuple[Clip, str, str]] = {}  # whole text, references
        self.blocks: dict[str, tuple[Block, Clip | None, Fraction, str]] = {}

    def begin(self, *setting: object) -> None:
        """Forget all when what everything depends on has changed."""
        if len(setting) != len(self.setting) or any(a is not b for a, b in zip(setting, self.setting, strict=True)):
            self.setting = setting
            self.clips.clear()
            self.blocks.clear()

    def keep(self, project: Project) -> None:
        """Forget what is not in the project any more, now and then."""
        blocks = {block.id for line in project.timelines for block in line.blocks}
        if len(self.blocks) > 2 * len(blocks) + 100:
            self.blocks = {key: value for key, value in self.blocks.items() if key in blocks}


def prepare(project: Project, clips: Sequence[Clip], memo: Memo) -> None:
    """Build the texts of some clips, for a save to come."""
    writer = _Writer(project, memo)
    for clip in clips:
        writer.clip(clip)


class _Writer:
    def __init__(self, project: Project, memo: Memo) -> None:
        memo.begin(project.shelves, project.showing)
        self.tables = Tables()
        self._project = project
        self._memo = memo

    def clip(self, clip: Clip) -> str:
        return self._texts(clip)[0]

    def _texts(self, clip: Clip) -> tuple[str, str]:
        known = self._memo.clips.get(clip.id)
        if known is None or known[0] is not clip:
            element = _clip_to_otio(self._project, clip)
            references = json.dumps(element.pop("media_references"), ensure_ascii=False)
            text = f'{json.dumps(element, ensure_ascii=False)[:-1]}, "media_references": {references}}}'
            known = self._memo.clips[clip.id] = (clip, text, references)
        return known[1], known[2]

    def block_of(self, line: Timeline) -> Callable[[Block], str]:
        return lambda block: self._block(block, line.rate)

    def _block(self, block: Block, rate: Fraction) -> str:
        clip = self._project.clip(block.clip)
        known = self._memo.blocks.get(block.id)
        if known is not None and known[0] is block and known[1] is clip and known[2] == rate:
            return known[3]
        text = block_to_text(block, rate, self._references, self.tables)
        self._memo.blocks[block.id] = (block, clip, rate, text)
        return text

    def _references(self, block: Block) -> tuple[str, str, str, MediaInfo]:
        clip = self._project.clip(block.clip)
        assert clip is not None
        shown = self._project.side_of(clip, block) == "proxies" and bool(clip.proxies)
        return clip.name, self._texts(clip)[1], "proxy" if shown else "original", clip.original.info


def _clip_to_otio(project: Project, clip: Clip) -> Json:
    references = {
        "original": _reference(project, clip.original.file, clip.original.info, _original_values(clip.original))
    }
    for number, proxy in enumerate(clip.proxies):
        key = "proxy" if number == 0 else f"proxy_{number + 1}"
        references[key] = _reference(project, proxy.file, proxy.info, _proxy_values(proxy))
    active = "proxy" if project.side_of(clip) == "proxies" and clip.proxies else "original"
    values: Json = {
        "clip": clip.id,
        "pin": clip.pin,
        "source": clip.source,
        "sidecars": [[file.shelf, file.path] for file in clip.sidecars],
    }
    if clip.tags:
        values["tags"] = list(clip.tags)
    return schema.clip(clip.name, references, active, {KEY: values})


def _reference(project: Project, file: FileRef, info: MediaInfo, values: Json) -> Json:
    shelf = project.shelf(file.shelf)
    url = _url(shelf.root, file) if shelf is not None else file.path
    available = schema.time_range(start_frame(info), info.frames, float(info.frame_rate or 25))
    own = {"shelf": file.shelf, "path": file.path, "info": info.to_brief_json(), **values}
    return schema.reference(url, available, {KEY: own})


def _url(root: Path, file: FileRef) -> str:
    """Address of the (first) file of that path below a shelf."""
    if file.form == "parts":
        return parts_of(as_form(root.absolute() / file.path, "parts"))[0].as_uri()
    return f"{_root_uri(root)}/{quote(file.path)}"


@lru_cache(maxsize=64)
def _root_uri(root: Path) -> str:
    return root.absolute().as_uri().rstrip("/")


def _original_values(original: Original) -> dict[str, Any]:
    return {
        "size": original.size,
        "modified": original.modified,
        "checksum": original.checksum,
        "checksum_value": original.checksum_value,
    }


def _proxy_values(proxy: Proxy) -> dict[str, Any]:
    values = {"size": proxy.size, "offset": proxy.offset, "state": proxy.state, "made": proxy.made}
    return {**values, "proof": _proof_values(proxy.proof)} if proxy.proof is not None else values


def _proof_values(proof: Proof) -> dict[str, Any]:
    stamp = proof.stamp
    return {
        "state": proof.state,
        "files": [stamp.original_size, stamp.original_modified, stamp.proxy_size, stamp.proxy_modified],
        "offset": stamp.offset,
        "reasons": list(proof.reasons),
        "notes": list(proof.notes),
        "likeness": proof.likeness,
        "curve": [list(point) for point in proof.curve],
        "better_offset": proof.better_offset,
        "accepted": proof.accepted,
    }

# Reading


def _from_otio(timeline: Json) -> Project:
    values = timeline["metadata"][KEY]
    tables = Tables(values.get("tables"))
    preset: Preset | None = parse_preset(values["preset"]) if values.get("preset") else None
    if values["showing"] not in ("originals", "proxies"):
        raise ValueError(f"the switch stands on {values['showing']!r}")
    clips = [_clip_from_otio(item) for item in values["clips"]]
    footage = Footage(
        id=_text(values["id"], 200),
        shelves=tuple(shelf_from_json(shelf) for shelf in values["shelves"]),
        clips=tuple(replace(clip, pin=None, tags=()) if clip.pin or clip.tags else clip for clip in clips),
        reports=tuple(_report_from(report) for report in values.get("reports", ())),
        bakes=tuple(_bake_from(one) for one in values.get("bakes", ())),
        chosen_preset=_text(values.get("chosen_preset", ""), 1000),
        bake_room=ROOM.validate_python(values.get("bake_room", 0)),
        unknown=plain({key: value for key, value in values.items() if key not in _OWN}),
    )
    cut = Cut(
        name=_text(timeline["name"], 1000),
        timeline=line_from_otio(timeline, tables),
        others=tuple(line_from_otio(other, tables) for other in values.get("others", ())),
        showing=values["showing"],
        preset=preset,
        by_itself=values.get("by_itself", False) is True,
        decisions={clip.id: Decision(pin=clip.pin, tags=clip.tags) for clip in clips if clip.pin or clip.tags},
    )
    project = Project(footage, cut)
    for kind, ids in (("clips", [clip.id for clip in project.clips]), ("shelves", [s.id for s in project.shelves])):
        if len(set(ids)) != len(ids):
            raise ValueError(f"two {kind} have the same identity")
    for line in project.timelines:
        for block in line.blocks:
            if block.title is None and project.clip(block.clip) is None:
                raise ValueError(f"a block refers to a clip {block.clip} that is not there")
    return project


def _text(value: Any, most: int) -> str:
    if not isinstance(value, str) or len(value) > most:
        raise ValueError("a name is no text, or far too long")
    return value


def _report_from(values: Any) -> Json:
    """A report as it is kept: plain values, looked at here so that nobody stumbles over them later."""
    IngestReport.from_json(values)
    kept: Json = plain(values)
    return kept


def _bake_from(values: list[Any]) -> Bake:
    names = ("timeline", "start", "end", "side", "digest", "shelf", "path")
    one = BakeIn.model_validate(dict(zip(names, values, strict=True)))
    if one.start >= one.end:
        raise ValueError("a baked stretch is none")
    return Bake(one.timeline, one.start, one.end, one.side, one.digest, FileRef(one.shelf, one.path))


def _clip_from_otio(element: Json) -> Clip:
    values = ClipIn.model_validate(element["metadata"][KEY])
    references = element["media_references"]
    keys = (key for key in references if key.startswith("proxy"))
    proxies = [references[key] for key in sorted(keys, key=lambda key: int(key.partition("_")[2] or 1))]
    return Clip(
        id=values.clip,
        name=_text(element["name"], 1000),
        original=_original_from(references["original"]["metadata"][KEY]),
        proxies=tuple(_proxy_from(reference["metadata"][KEY]) for reference in proxies),
        sidecars=tuple(FileRef(shelf, path) for shelf, path in values.sidecars),
        pin=values.pin,
        tags=tidy_tags(values.tags),
        source=values.source,
    )


def _original_from(values: Json) -> Original:
    one = OriginalIn.model_validate(values)
    info = MediaInfo.from_json(one.info)
    file = FileRef(one.shelf, one.path, info.form)
    return Original(file, info, one.size, one.modified, one.checksum, one.checksum_value)


def _proxy_from(values: Json) -> Proxy:
    one = ProxyIn.model_validate({**values, "proof": values.get("proof") or None})
    info = MediaInfo.from_json(one.info)
    return Proxy(
        file=FileRef(one.shelf, one.path, info.form),
        info=info,
        size=one.size,
        offset=one.offset,
        proof=_proof_from(one.proof) if one.proof is not None else None,
        made=bool(info.made_as) if one.made is None else one.made,
    )


def _proof_from(one: ProofIn) -> Proof:
    original_size, original_modified, proxy_size, proxy_modified = one.files
    return Proof(
        state=one.state,
        stamp=Stamp(original_size, original_modified, proxy_size, proxy_modified, one.offset),
        reasons=one.reasons,
        notes=one.notes,
        likeness=one.likeness,
        curve=one.curve,
        better_offset=one.better_offset,
        accepted=one.accepted,
    )
