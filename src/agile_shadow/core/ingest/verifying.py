"""Proving files on a drive against the ASC MHL history that lies with them."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ascmhl.hasher import HashType, new_hasher_for_hash_type
from ascmhl.history import MHLHistory
from ascmhl.ignore import default_ignore_list

from ..below import Anchor, folder_below
from ..errors import ShadowError, sentence
from ..hashing import hash_open, read_ahead
from ..presets import CHECKSUMS
from . import history as histories
from .ignoring import Ignored
from .manifest import IGNORED


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
    wanted = listed_files(history)
    anchor = Anchor.of(folder)
    for number, (path, hashes) in enumerate(sorted(wanted.items())):
        told(path, number / len(wanted))
        _compare(anchor, path, hashes, found)
    ignored = Ignored([*default_ignore_list(), *(history.latest_ignore_patterns() or ()), *IGNORED])
    found.unlisted = sorted(set(_files_below(folder, ignored)) - set(wanted))
    return found


def _history(folder: Path) -> MHLHistory:
    history = histories.load(folder)
    if not history.hash_lists and not history.child_histories:
        raise ShadowError("has no manifest", folder, "Name the folder that holds the folder ascmhl.")
    return history


def listed_files(history: MHLHistory, below: str = "") -> dict[str, list[tuple[str, str]]]:
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
        found.update(listed_files(child, os.path.join(below, inside)))
    return found


def _compare(anchor: Anchor, path: str, hashes: list[tuple[str, str]], found: Verified) -> None:
    known = [(kind, value) for kind, value in hashes if kind in CHECKSUMS or kind in HashType.__members__]
    try:
        same = _hash_below(anchor, path, known[0][0]) == known[0][1] if known else None
    except FileNotFoundError:
        found.missing.append(path)
    except (OSError, ShadowError, ValueError) as error:
        reason = str(error) if isinstance(error, ValueError) else sentence(error)
        found.unreadable.append(f"{path}: {reason}")
    else:
        if same is None:
            found.unknown.append(path)
        elif same:
            found.equal += 1
        else:
            found.differ.append(path)


def _hash_below(anchor: Anchor, path: str, kind: str) -> str:
    """Checksum of an ordinary file below a folder, no link followed. Raises OSError, CopyError, ValueError."""
    pure = PurePosixPath(path)
    if pure.is_absolute() or ".." in pure.parts or not pure.parts or "\0" in path:
        raise ValueError("leads out of the folder")
    place = anchor.root / pure
    with folder_below(anchor, place.parent) as folder:
        handle = folder.open(place.name)
        try:
            return _hash(handle, place, kind)
        finally:
            os.close(handle)


def _hash(handle: int, path: Path, kind: str) -> str:
    if kind in CHECKSUMS:
        return hash_open(handle, path, kind, fresh=True)
    hasher = new_hasher_for_hash_type(kind)
    for piece in read_ahead(handle, path):
        hasher.update(bytes(piece))
    return str(hasher.string_digest())


def _files_below(folder: Path, ignored: Ignored) -> list[str]:
    paths = []
    for where, folders, names in os.walk(folder):
        folders[:] = [name for name in folders if name != "ascmhl"]
        for name in names:
            path = os.path.relpath(os.path.join(where, name), folder).replace(os.sep, "/")
            if not ignored.matches(path):
                paths.append(path)
    return paths
