"""Proving files on a drive against the ASC MHL history that lies with them."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from ascmhl.hasher import HashType, new_hasher_for_hash_type
from ascmhl.history import MHLHistory
from ascmhl.ignore import MHLIgnoreSpec, default_ignore_list

from ..errors import ShadowError, sentence
from ..presets import CHECKSUMS
from .copying import hash_file
from .manifest import IGNORED

_PIECE = 4 << 20  # bytes read at a time


@dataclass
class Verified:
    """What came of it, as paths below the folder: ``problems`` say what is wrong with a file.

    ``unlisted``: files that no manifest speaks of. ``unknown``: files whose checksums are of a kind not known here.
    """

    folder: str
    equal: int = 0
    differ: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    unreadable: list[str] = field(default_factory=list)
    unlisted: list[str] = field(default_factory=list)
    unknown: list[str] = field(default_factory=list)

    @property
    def all_well(self) -> bool:
        """Whether every file of the manifests is there with its bytes."""
        return self.equal > 0 and not (self.differ or self.missing or self.unreadable or self.unknown)


def verify_folder(folder: Path, told: Callable[[str, float], None] = lambda path, done: None) -> Verified:
    """Read every file that the manifests below (and in) a folder speak of, and compare.

    ``told`` gets each path and the part of the files done. Raises ShadowError when there is no history, or it cannot be
    read.
    """
    history = _history(folder)
    found = Verified(str(folder))
    wanted = _wanted(history)
    for number, (path, hashes) in enumerate(sorted(wanted.items())):
        told(path, number / len(wanted))
        _compare(folder, path, hashes, found)
    spec = MHLIgnoreSpec([*default_ignore_list(), *history.latest_ignore_patterns()], [*IGNORED])
    found.unlisted = sorted(set(_files_below(folder, spec)) - set(wanted))
    return found


def _history(folder: Path) -> MHLHistory:
    try:
        history = MHLHistory.load_from_path(str(folder))
    except Exception as error:  # the package raises its own kinds, and those of its XML library
        raise ShadowError(
            f"its manifest cannot be read ({error})", folder, "Look at the folder ascmhl in it."
        ) from error
    if not history.hash_lists and not history.child_histories:
        raise ShadowError("has no manifest", folder, "Name the folder that holds the folder ascmhl.")
    return history


def _wanted(history: MHLHistory, below: str = "") -> dict[str, list[tuple[str, str]]]:
    """(kind, value) of every file's checksums: those of its latest generation, by path below the folder."""
    found: dict[str, list[tuple[str, str]]] = {}
    for hash_list in history.hash_lists:
        for media in hash_list.media_hashes:
            if media.is_directory:
                continue
            hashes = [(entry.hash_format, entry.hash_string) for entry in media.hash_entries]
            found[os.path.join(below, str(media.path)).replace(os.sep, "/")] = hashes
            if media.previous_path:
                found.pop(os.path.join(below, str(media.previous_path)).replace(os.sep, "/"), None)
    for child in history.child_histories:
        inside = os.path.relpath(child.get_root_path(), history.get_root_path())
        found.update(_wanted(child, os.path.join(below, inside)))
    return found


def _compare(folder: Path, path: str, hashes: list[tuple[str, str]], found: Verified) -> None:
    known = [(kind, value) for kind, value in hashes if kind in CHECKSUMS or kind in HashType.__members__]
    file = folder / path
    if not file.resolve().is_relative_to(folder.resolve()):
        found.unreadable.append(f"{path}: leads out of the folder")
        return
    if not file.is_file():
        found.missing.append(path)
        return
    if not known:
        found.unknown.append(path)
        return
    try:
        same = _hash(file, known[0][0]) == known[0][1]
    except OSError as error:
        found.unreadable.append(f"{path}: {sentence(error)}")
        return
    if same:
        found.equal += 1
    else:
        found.differ.append(path)


def _hash(file: Path, kind: str) -> str:
    if kind in CHECKSUMS:
        return hash_file(file, kind, fresh=True)
    hasher = new_hasher_for_hash_type(kind)
    with file.open("rb") as handle:
        while piece := handle.read(_PIECE):
            hasher.update(piece)
    return str(hasher.string_digest())


def _files_below(folder: Path, spec: MHLIgnoreSpec) -> list[str]:
    ignored = spec.get_path_spec()
    paths = []
    for where, folders, names in os.walk(folder):
        folders[:] = [name for name in folders if name != "ascmhl"]
        for name in names:
            path = os.path.relpath(os.path.join(where, name), folder).replace(os.sep, "/")
            if not ignored.match_file(path):
                paths.append(path)
    return paths
