"""What the projects of this machine say of files: which are originals, which proxies are used, and which are not."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from ..errors import ShadowError
from ..media import Form, as_form
from ..media.sequence import members
from ..project import Clip, Project
from ..project.guarding import Identity, identity_of
from ..proxies import made_as
from ..shelves import SECOND

RoomKind = Literal[
    "originals", "second copies", "used proxies", "stale proxies", "unused proxies", "doubled proxies",
    "proxies without a clip", "bakes", "films", "records", "leftovers", "other files", "folders",
]  # fmt: skip
ROOM_KINDS: tuple[RoomKind, ...] = (
    "originals", "second copies", "used proxies", "stale proxies", "unused proxies", "doubled proxies",
    "proxies without a clip", "bakes", "films", "records", "leftovers", "other files", "folders",
)  # fmt: skip
_RANKS = {kind: rank for rank, kind in enumerate(ROOM_KINDS)}


@dataclass(frozen=True)
class Claim:
    """What a project says of one file: ``path`` by name, ``form`` as in FileRef. ``clip``: its name, "" for bakes.

    ``original``: of a proxy, (path, form, bytes, modification time in nanoseconds) of what it was made of.
    ``other_settings``: it was made with settings that the project's standing preset does not have.
    """

    kind: RoomKind
    path: str
    form: Form
    project: str
    clip: str = ""
    identity: str = ""
    original: tuple[str, Form, int, int] | None = None
    other_settings: bool = False


def claims_of(project: Project) -> list[Claim]:
    """All that a project says, by name: touches no drive."""
    wanted = project.preset.proxies if project.preset is not None else None
    settings = made_as(wanted) if wanted is not None else ""
    found = []
    for clip in project.clips:
        found += _claims_of_clip(project, clip, settings)
    found += _second_copies(project)
    for bake in project.bakes:
        path = project.place_or_none(bake.file)
        if path is not None:
            found.append(Claim("bakes", str(path), "file", project.name))
    return found


def _claims_of_clip(project: Project, clip: Clip, settings: str) -> list[Claim]:
    found, at = [], project.place_or_none(clip.original.file)
    original = None
    if at is not None:
        form = clip.original.file.form
        original = (str(at), form, clip.original.size, clip.original.modified)
        found.append(Claim("originals", str(at), form, project.name, clip.name, clip.id))
    for file in clip.sidecars:
        path = project.place_or_none(file)
        if path is not None:
            found.append(Claim("originals", str(path), file.form, project.name, clip.name, clip.id))
    chosen = next((one for one in reversed(clip.proxies) if one.by_itself), None)
    for proxy in clip.proxies:
        path = project.place_or_none(proxy.file)
        if path is None:
            continue
        made = proxy.info.made_as
        used: RoomKind = "used proxies" if clip.id in project.used_clips else "unused proxies"
        found.append(Claim(
            used if proxy is chosen else "doubled proxies", str(path), proxy.file.form, project.name, clip.name,
            clip.id, original, bool(settings and proxy.made and made and made != settings),
        ))  # fmt: skip
    return found


def _second_copies(project: Project) -> list[Claim]:
    """As the reports have them: where the machine's memory is of another machine, or lost."""
    shelves = [shelf for shelf in project.shelves if shelf.role == SECOND]
    paths = {
        str(row["second"])
        for report in project.reports for row in (report.get("rows") or ())
        if isinstance(row, dict) and row.get("second")
    } if shelves else set()  # fmt: skip
    found = []
    for shelf in shelves:
        for path in paths:
            with suppress(ShadowError):
                found.append(Claim("second copies", str(shelf.locate(path)), "file", project.name))
    return found


def look_at_claims(claims: Iterable[Claim]) -> dict[Identity, Claim]:
    """The files that are there, by what they are: names, links and other paths to the same file make no difference.
    Touches drives. Of several projects' words the weightiest counts: what is an original anywhere is one."""
    found: dict[Identity, Claim] = {}
    changed: dict[tuple[str, Form, int, int], bool] = {}
    for claim in claims:
        with suppress(OSError, ShadowError, ValueError):
            for part in members(as_form(Path(claim.path), claim.form)):
                key = identity_of(os.lstat(part))
                now = _told(claim, changed)
                if key not in found or _RANKS[now.kind] < _RANKS[found[key].kind]:
                    found[key] = now
    return found


def _told(claim: Claim, changed: dict[tuple[str, Form, int, int], bool]) -> Claim:
    if claim.kind not in ("used proxies", "unused proxies"):
        return claim
    stale = claim.other_settings or (claim.original is not None and _is_another(claim.original, changed))
    return replace(claim, kind="stale proxies") if stale else claim


def _is_another(original: tuple[str, Form, int, int], known: dict[tuple[str, Form, int, int], bool]) -> bool:
    """Whether another file lies where the original was; an original that is away is not another."""
    if original not in known:
        path, form, size, modified = original
        known[original] = False
        with suppress(OSError, ShadowError, ValueError):
            parts = [os.lstat(part) for part in members(as_form(Path(path), form))]
            now = sum(one.st_size for one in parts), max(one.st_mtime_ns for one in parts)
            known[original] = now != (size, modified)
    return known[original]
