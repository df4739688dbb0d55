"""Reading a source: through any nesting to the playable files; the rest is passed over with a reason."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Callable, Collection
from dataclasses import asdict, dataclass, field, replace
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from ..errors import ShadowError, from_os_error, os_reason
from ..media import Form, as_form, is_known_media_name
from ..media.probe import is_small_copy_name
from ..media.sequence import grouped
from ..presets import Takes
from ..project.report import Problem
from .belonging import owners_of

_FILM_ENDINGS = (".dpx", ".exr", ".tif", ".tiff", ".png")
_THUMBNAILS = frozenset(["thmbnl", "thumbnail", "thumbnails", "thumb"])  # folders of cameras' own small pictures
_LEAST_FRAMES = 5  # of these endings, numbered alike in one folder, make a clip
_LEAST_PHOTOGRAPHS = 24  # of other endings: fewer are single photographs
_NOT_FOOTAGE = frozenset(["System Volume Information", "$RECYCLE.BIN", "lost+found", "ascmhl"])


@dataclass(frozen=True)
class SourceFile:
    """A playable file by its name: ``path`` below the source, ``size`` in bytes, ``modified`` in nanoseconds.

    ``kind``: ``video``, ``sequence``, ``still`` or ``sound``. A numbered image sequence is one of these, with its
    pattern as ``path`` and all its files in ``members``; so is a recording in several files, named by them all.
    ``sidecars``: paths of the files that belong to it. ``copies``: paths of the camera's own small copies of it.
    """

    path: str
    kind: str
    size: int
    modified: int
    sidecars: tuple[str, ...] = ()
    members: tuple[str, ...] = ()
    copies: tuple[str, ...] = ()

    @property
    def form(self) -> Form:
        """Whether it is one file, a numbered sequence, or a recording in several files."""
        if not self.members:
            return "file"
        return "sequence" if self.kind == "sequence" else "parts"

    def at(self, source: Path) -> Path:
        """Where it lies on a source, as what it is."""
        return as_form(source / self.path, self.form)

    @property
    def files(self) -> tuple[str, ...]:
        """Paths of the files that hold its picture or sound, in order."""
        return self.members or (self.path,)


@dataclass(frozen=True)
class SourceListing:
    """What is on a source. ``passed_over`` is calm; ``unreadable`` needs a look."""

    files: tuple[SourceFile, ...]
    passed_over: tuple[Problem, ...]
    unreadable: tuple[Problem, ...]

    @property
    def size(self) -> int:
        """Bytes of all playable files."""
        return sum(file.size for file in self.files)

    def to_json(self) -> dict[str, Any]:
        """Plain values for the queue on disk."""
        return asdict(self)

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> SourceListing:
        """The inverse of :meth:`to_json`."""

        def file(one: dict[str, Any]) -> SourceFile:
            several = {name: tuple(one[name]) for name in ("sidecars", "members", "copies")}
            return SourceFile(one["path"], one["kind"], one["size"], one["modified"], **several)

        problems = (tuple(Problem(**one) for one in values[name]) for name in ("passed_over", "unreadable"))
        return cls(tuple(file(one) for one in values["files"]), *problems)

    def only(self, paths: Collection[str]) -> SourceListing:
        """What of it lies at these paths."""
        return SourceListing(
            tuple(file for file in self.files if file.path in paths or any(part in paths for part in file.files)),
            tuple(one for one in self.passed_over if one.path in paths),
            tuple(one for one in self.unreadable if one.path in paths),
        )


@dataclass
class _Walk:
    playable: list[tuple[str, str, int, int]] = field(default_factory=list)
    others: list[str] = field(default_factory=list)
    passed_over: list[Problem] = field(default_factory=list)
    unreadable: list[Problem] = field(default_factory=list)


def read_source(source: Path, going_on: Callable[[], None] = lambda: None) -> SourceListing:
    """List a source, in order of path. Raises ShadowError when the source itself cannot be read.

    ``going_on`` is called for every folder, and may raise to end it.
    """
    if not source.is_dir():
        raise ShadowError("is not a folder that can be read", source, "Check that the card or drive is connected.")
    try:
        next(os.scandir(source), None)
    except OSError as error:
        raise from_os_error(error, source) from error
    walk = _Walk()
    _walk(str(source), walk, going_on)
    walk.playable.sort()
    walk.others.sort()
    sequences = _take_sequences(walk)
    sidecars = owners_of(walk.others, [path for path, kind, _size, _time in walk.playable if kind != "copy"])
    files = tuple(
        SourceFile(path, "video" if kind == "copy" else kind, size, modified, tuple(sorted(sidecars.get(path, ()))))
        for path, kind, size, modified in walk.playable
    )
    files = tuple(sorted((*files, *sequences), key=lambda file: file.path))
    claimed = {sidecar for file in files for sidecar in file.sidecars}
    walk.passed_over.extend(
        Problem(path, _why_not(path))
        for path in walk.others
        if path not in claimed
    )
    return SourceListing(
        files, tuple(sorted(walk.passed_over, key=_path_of)), tuple(sorted(walk.unreadable, key=_path_of))
    )


def _path_of(problem: Problem) -> str:
    return problem.path


def _walk(source: str, walk: _Walk, going_on: Callable[[], None]) -> None:
    """Through all folders, however deep: those still to be read wait in a row."""
    waiting = [""]
    while waiting:
        going_on()
        below = waiting.pop()
        try:
            with os.scandir(f"{source}/{below}" if below else source) as entries:
                ordered = sorted(entries, key=lambda entry: entry.name)
        except OSError as error:
            walk.unreadable.append(Problem(below, f"the folder cannot be read: {os_reason(error)[0]}"))
            continue
        for entry in ordered:
            path = f"{below}/{entry.name}" if below else entry.name
            try:
                _sort_in(entry, path, waiting, walk)
            except OSError as error:
                walk.unreadable.append(Problem(path, os_reason(error)[0]))


def _sort_in(entry: os.DirEntry[str], path: str, folders: list[str], walk: _Walk) -> None:
    if not readable_name(entry.name):
        walk.unreadable.append(Problem(shown_name(path), "its name is not valid text: rename it, then retry"))
    elif entry.is_symlink():
        walk.passed_over.append(Problem(path, "a link, not a file"))
    elif entry.name.startswith("."):
        walk.passed_over.append(Problem(path, "hidden, or still being written"))
    elif entry.is_dir():
        if entry.name in _NOT_FOOTAGE:
            walk.passed_over.append(Problem(path, "the system's own folder"))
        else:
            folders.append(path)
    elif not entry.is_file():
        walk.passed_over.append(Problem(path, "not an ordinary file"))
    else:
        _sort_in_file(entry, path, walk)


def readable_name(name: str) -> bool:
    """Whether a file name is valid text, so that it can be kept in a project."""
    try:
        name.encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def shown_name(name: str) -> str:
    """A file name with what is not valid text replaced."""
    return name.encode("utf-8", "replace").decode("utf-8")


def _sort_in_file(entry: os.DirEntry[str], path: str, walk: _Walk) -> None:
    kind = "copy" if is_small_copy_name(entry.name) else is_known_media_name(entry.name)
    if kind == "still" and os.path.basename(os.path.dirname(path)).casefold() in _THUMBNAILS:
        kind = None  # goes along with its clip
    status = entry.stat()
    if kind is None:
        walk.others.append(path)
    elif status.st_size == 0:
        walk.unreadable.append(Problem(path, "is empty (0 bytes)"))
    else:
        walk.playable.append((path, kind, status.st_size, status.st_mtime_ns))


def _take_sequences(walk: _Walk) -> list[SourceFile]:
    """Numbered images that make one clip, taken out of the single files."""
    folders: dict[str, dict[str, tuple[int, int]]] = defaultdict(dict)
    for path, kind, size, modified in walk.playable:
        if kind == "still":
            folders[os.path.dirname(path)][os.path.basename(path)] = size, modified
    found = []
    for folder, names in folders.items():
        for pattern, members in grouped(names).items():
            least = _LEAST_FRAMES if pattern.lower().endswith(_FILM_ENDINGS) else _LEAST_PHOTOGRAPHS
            if len(members) >= least:
                size, modified = sum(names[one][0] for one in members), max(names[one][1] for one in members)
                paths = tuple(os.path.join(folder, one) for one in members)
                found.append(SourceFile(os.path.join(folder, pattern), "sequence", size, modified, (), paths))
    taken = {path for file in found for path in file.members}
    walk.playable = [item for item in walk.playable if item[0] not in taken]
    return found


def taken(listing: SourceListing, takes: Takes) -> SourceListing:
    """What a preset takes of a source; the rest is passed over with the reason."""
    files, left = [], []
    for file in listing.files:
        reason = _not_taken(file, takes)
        if reason:
            left.append(Problem(file.path, reason))
            continue
        if file.copies and not takes.small_copies:
            left += [Problem(path, "camera proxy; the preset skips these") for path in file.copies]
            file = replace(file, copies=())
        files.append(file)
    return SourceListing(tuple(files), tuple(sorted((*listing.passed_over, *left), key=_path_of)), listing.unreadable)


def _not_taken(file: SourceFile, takes: Takes) -> str:
    names = {"video": "video", "sequence": "image sequences", "still": "stills", "sound": "sound"}
    wanted = {"video": takes.video, "sequence": takes.sequences, "still": takes.stills, "sound": takes.sound}
    if not wanted[file.kind]:
        return f"the preset does not include {names[file.kind]}"
    for pattern in takes.leave_out:
        if fnmatchcase(file.path.casefold(), pattern.casefold()) or fnmatchcase(
            os.path.basename(file.path).casefold(), pattern.casefold()
        ):
            return f"the preset leaves out {pattern}"
    return ""


def _why_not(path: str) -> str:
    if path.lower().endswith((".gif", ".apng")):
        return "a moving picture for pages, without timecode or sound: not taken as footage"
    return "not a media file, and not a sidecar of any clip"
