"""Hand the cut over to any tool that reads open formats: what each format leaves out is told before it is written."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import opentimelineio as otio

from ..errors import ExportError, ShadowError, from_os_error
from ..files import flush, partial_path, rename_new, written_atomically
from ..ingest.inspecting import kept_poster
from ..jobs import Report
from ..project import Clip, Project
from ..project.guarding import refuse_footage
from ..timeline import Timeline
from .aaf import aaf_notes, write_aaf
from .edl import edit_lists
from .plain import Half, address, plain_timeline, sources_of, unsaid
from .table import as_page, as_table, rows_of

Kind = Literal["otio", "otioz", "otiod", "edl", "aaf", "csv", "page"]
KINDS: dict[Kind, tuple[str, str]] = {
    "otio": ("OpenTimelineIO", ".otio"),
    "otioz": ("OpenTimelineIO with the proxies in it, one file", ".otioz"),
    "otiod": ("OpenTimelineIO with the proxies in it, a folder", ".otiod"),
    "edl": ("Edit lists (CMX 3600), one for each track", ".edl"),
    "aaf": ("AAF", ".aaf"),
    "csv": ("Table of all uses (CSV)", ".csv"),
    "page": ("Page of all uses, with pictures", ".html"),
}


@dataclass(frozen=True)
class HandOver:
    """The project's open timeline as ``kind``, to ``out``; ``half``: which files of its clips are named."""

    project: Project
    kind: Kind
    out: Path
    half: Half = "both"


@dataclass(frozen=True)
class HandedOver:
    """The files that were written, and what is not in them, a sentence each."""

    paths: tuple[Path, ...]
    notes: tuple[str, ...]


def what_is_left_out(request: HandOver) -> tuple[str, ...]:
    """What the format cannot say of the timeline, a sentence each. Raises ExportError for one without clips."""
    project, line = request.project, request.project.timeline
    _refuse_empty(line)
    if request.kind == "edl":
        lists = edit_lists(project, line, _one_half(request))
        return tuple(f"{one.track}: {note}" for one in lists for note in one.notes)
    if request.kind == "aaf":
        return tuple(aaf_notes(project, line))
    if request.kind in ("otio", "otioz", "otiod"):
        return tuple(unsaid(project, line))
    return ()


def _refuse_empty(line: Timeline) -> None:
    if not line.length or not line.rate:
        raise ExportError("the timeline is empty", None, "Add a clip first.")


def _one_half(request: HandOver) -> Half:
    return "original" if request.half == "both" else request.half


def hand_over(request: HandOver, report: Report = lambda done: None) -> HandedOver:
    """Write it: a task for a worker. Files get their names when they are whole; a file of that name is replaced, a
    folder never. Raises ExportError."""
    _refuse_empty(request.project.timeline)
    notes = what_is_left_out(request)
    try:
        request.out.parent.mkdir(parents=True, exist_ok=True)
        paths = _WRITERS[request.kind](request)
    except ShadowError:
        raise
    except OSError as error:
        raise from_os_error(error, request.out, ExportError) from error
    except Exception as error:  # the packages' own, of many kinds
        raise ExportError(
            f"could not be written as {KINDS[request.kind][0]} ({error})", request.out, "Take another format."
        ) from error
    return HandedOver(paths, notes)


def _text(request: HandOver, path: Path, text: str) -> Path:
    refuse_footage(request.project, path)
    with written_atomically(path) as partial:
        partial.write_text(text, encoding="utf-8", newline="")
    return path


def _otio(request: HandOver) -> tuple[Path, ...]:
    made = plain_timeline(request.project, request.project.timeline, request.half)
    return (_text(request, request.out, otio.adapters.write_to_string(made, "otio_json")),)


def _bundle(request: HandOver) -> tuple[Path, ...]:
    """With the proxies in it; clips without one are named and not carried."""
    project = request.project
    made = plain_timeline(project, project.timeline, "proxy")
    missing = {
        address(project, source.file)
        for clip in project.clips for source in sources_of(clip, "proxy")
        if source.kind == "original" or not _is_there(project, clip)
    }  # fmt: skip
    for item in made.find_clips():
        reference = item.media_reference
        if isinstance(reference, otio.schema.ExternalReference) and reference.target_url in missing:
            item.set_media_references({"original": otio.schema.MissingReference(reference.name)}, "original")
    if request.out.exists() and request.kind == "otiod":
        raise ExportError("there is something of that name already", request.out, "Choose another name.")
    refuse_footage(project, request.out)
    partial = partial_path(request.out)
    try:
        policy = otio.adapters.file_bundle_utils.MediaReferencePolicy.ErrorIfNotFile
        otio.adapters.write_to_file(made, str(partial), request.kind, media_policy=policy)
        if request.kind == "otiod":
            rename_new(partial, request.out)
        else:
            flush(partial)
            partial.replace(request.out)
    finally:
        with suppress(OSError):
            if partial.is_dir():
                shutil.rmtree(partial)
            partial.unlink(missing_ok=True)
    return (request.out,)


def _is_there(project: Project, clip: Clip) -> bool:
    if not clip.proxies:
        return False
    try:
        path = project.path(clip.proxies[-1].file)
    except ShadowError:
        return False
    return path is not None and path.is_file()


def _edl(request: HandOver) -> tuple[Path, ...]:
    lists = edit_lists(request.project, request.project.timeline, _one_half(request))
    stem = request.out.with_suffix("")
    paths = []
    for one in lists:
        path = request.out if len(lists) == 1 else stem.with_name(f"{stem.name} {one.track.replace('/', '-')}.edl")
        paths.append(_text(request, path, one.text))
    return tuple(paths)


def _aaf(request: HandOver) -> tuple[Path, ...]:
    refuse_footage(request.project, request.out)
    with written_atomically(request.out) as partial:
        write_aaf(request.project, request.project.timeline, _one_half(request), partial)
    return (request.out,)


def _csv(request: HandOver) -> tuple[Path, ...]:
    return (_text(request, request.out, as_table(rows_of(request.project, request.project.timeline))),)


def _page(request: HandOver) -> tuple[Path, ...]:
    project, line = request.project, request.project.timeline
    kept: dict[str, bytes | None] = {}

    def picture(clip: Clip) -> bytes | None:
        if clip.id not in kept:
            kept[clip.id] = _poster(project, clip)
        return kept[clip.id]

    return (_text(request, request.out, as_page(project, line, rows_of(project, line), picture)),)


def _poster(project: Project, clip: Clip) -> bytes | None:
    """From the proxy where there is one, else from the original; None where neither can be read."""
    for source in reversed(sources_of(clip, "both")):
        with suppress(ShadowError, OSError):
            path = project.path(source.file)
            if path is not None and source.info.kind != "sound":
                return kept_poster(path, source.info.sequence_rate)
    return None


_WRITERS: dict[str, Callable[[HandOver], tuple[Path, ...]]] = {
    "otio": _otio, "otioz": _bundle, "otiod": _bundle, "edl": _edl, "aaf": _aaf, "csv": _csv, "page": _page,
}  # fmt: skip
