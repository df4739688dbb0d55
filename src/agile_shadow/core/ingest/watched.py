"""Watched folders: what comes into them is ingested once it has stopped growing.

Which folders are watched is this machine's affair: a project from elsewhere never starts to copy by itself.
"""

from __future__ import annotations

import json
import logging
import re
import time
from collections.abc import Callable, Collection
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ..errors import ShadowError, from_os_error
from ..files import written_atomically
from ..log import config_folder
from ..media import as_form
from ..media.joined import parts_of
from ..media.sequence import status
from ..project import Project
from .request import IngestRequest
from .source import SourceListing, read_source, taken

log = logging.getLogger(__name__)

QUIET = 5.0  # seconds a file must stay as it is
LIMITS = tuple(gigabytes << 30 for gigabytes in (2, 4, 8, 16, 32, 64))  # bytes
_FULL = 0.97  # of a limit
_NUMBER = re.compile(r"^(.*?)(\d+)(\D{0,8})$")


def watched_folders(project: Path) -> list[IngestRequest]:
    """The folders that are watched for a project, with what is run on them; one that cannot be read is left out."""
    found = []
    for entry in _entries():
        if entry.get("project") == str(project.absolute()):
            try:
                found.append(IngestRequest.from_json(entry["request"]))
            except (ShadowError, KeyError, TypeError, ValueError):
                log.warning("a watched folder cannot be used: %s", entry, exc_info=True)
    return found


def watch_folder(project: Path, request: IngestRequest) -> None:
    """Watch a folder for a project from now on, in place of what was run on it before. Raises ShadowError."""
    request.refuse_if_unsafe(project.absolute().parent)
    if not request.source.is_dir():
        raise ShadowError("is not a folder that can be watched", request.source, "Choose a folder that is there.")
    others = [one for one in watched_folders(project) if one.source != request.source]
    _keep(project, [*others, replace(request, only=())])


def stop_watching(project: Path, folder: Path) -> None:
    """Watch a folder no more."""
    _keep(project, [one for one in watched_folders(project) if one.source != folder])


def _entries() -> list[dict[str, Any]]:
    try:
        values = json.loads((config_folder() / "watched.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return []
    return [one for one in values if isinstance(one, dict)] if isinstance(values, list) else []


def _keep(project: Path, requests: list[IngestRequest]) -> None:
    name = str(project.absolute())
    entries = [entry for entry in _entries() if entry.get("project") != name]
    entries += [{"project": name, "request": request.to_json()} for request in requests]
    path = config_folder() / "watched.json"
    try:
        with written_atomically(path) as partial:
            partial.write_text(json.dumps(entries, indent=1) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path) from error


Stamp = tuple[int, int]


def _numbered_on(path: str) -> str:
    """The path of the file that is numbered on from one: ``CLP_0007.MOV`` to ``CLP_0008.MOV``; "" without a number."""
    match = _NUMBER.match(path)
    if match is None:
        return ""
    return f"{match[1]}{int(match[2]) + 1:0{len(match[2])}d}{match[3]}"


@dataclass
class Watch:
    """One watched folder, looked at again and again with :meth:`look`. ``limits``: bytes at which cameras go on in
    another file."""

    request: IngestRequest
    quiet: float = QUIET
    limits: tuple[int, ...] = LIMITS
    problem: str = ""
    growing: int = 0
    _seen: dict[str, tuple[Stamp, float]] = field(default_factory=dict)
    _given: dict[str, Stamp] = field(default_factory=dict)

    def know(self, project: Project) -> None:
        """Leave out what the project took from here before."""
        for clip in project.clips:
            path = as_form(Path(clip.source), clip.original.file.form)
            if not clip.source or not path.is_relative_to(self.request.source):
                continue
            for part in parts_of(path):
                with suppress(OSError):
                    stamp = status(part) if part != path else (clip.original.size, clip.original.modified)
                    self._given[part.relative_to(self.request.source).as_posix()] = stamp

    def look(self, clock: Callable[[], float] = time.monotonic) -> IngestRequest | None:
        """A run over what has stopped growing since the last look, or None when there is nothing new."""
        now = clock()
        try:
            listing = taken(read_source(self.request.source), self.request.preset.takes)
        except ShadowError as error:
            self.problem = str(error)
            return None
        self.problem = ""
        still = self._still(listing, now)
        new = {path for path, stamp in still.items() if self._given.get(path) != stamp}
        self.growing = len(listing.files) - len(still)
        new = {path for path in new if not self._waits_for_a_part(listing, path, still)}
        if not new:
            return None
        self._given.update({path: still[path] for path in new})
        return replace(self.request, only=tuple(sorted(new)))

    def _still(self, listing: SourceListing, now: float) -> dict[str, Stamp]:
        """Files that were the same for long enough, with size and time."""
        still, seen = {}, {}
        for file in listing.files:
            stamp = (file.size, file.modified)
            known = self._seen.get(file.path)
            since = known[1] if known is not None and known[0] == stamp else now
            seen[file.path] = (stamp, since)
            if now - since >= self.quiet:
                still[file.path] = stamp
        self._seen = seen
        return still

    def _waits_for_a_part(self, listing: SourceListing, path: str, still: Collection[str]) -> bool:
        """Whether the next part of a file's recording may be growing still: it ran into a limit of its camera, and the
        file that is numbered on from it has not ended. Any other file is taken by itself."""
        file = next((one for one in listing.files if one.path == path), None)
        following = {one.path: one for one in listing.files}.get(_numbered_on(path))
        if file is None or following is None or following.path in still:
            return False
        return any(_FULL * limit <= file.size <= limit for limit in self.limits)

    def forget(self, request: IngestRequest) -> None:
        """Have what a run was given for offered again: it did not come to its end."""
        for path in request.only:
            try:
                if self._given.get(path) == status(self.request.source / path):
                    del self._given[path]
            except OSError:
                self._given.pop(path, None)
