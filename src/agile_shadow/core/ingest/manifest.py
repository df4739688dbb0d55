"""ASC MHL manifests (ASC Media Hash List, version 2.0) of copied files, written through the ``ascmhl`` package."""

from __future__ import annotations

import os
import platform
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from ascmhl.generator import MHLGenerationCreationSession
from ascmhl.hasher import DirectoryHashContext
from ascmhl.hashlist import MHLCreatorInfo, MHLProcess, MHLProcessInfo, MHLTool
from ascmhl.history import MHLHistory
from ascmhl.ignore import MHLIgnoreSpec, default_ignore_list

from ..below import Anchor
from ..errors import CopyError, ShadowError
from ..shelves import MARK
from . import history as histories
from .copying import Proved
from .ignoring import Ignored
from .reading import hash_file

IGNORED = (MARK, "/" + MARK, "*.part")
_UNHELD = "\x7f\x85\u2028\u2029\ufffe\uffff"  # besides control characters: lines are broken at these, or not XML
_FOREIGN = 4_000_000_000  # bytes of files that no manifest speaks of which are read for the checksums of folders


@dataclass(frozen=True)
class Wrote:
    """``folders`` of the manifests (none where nothing was to be written); ``told``: sentences about the history, and
    about files that no manifest can name."""

    folders: tuple[str, ...] = ()
    told: tuple[str, ...] = ()


def write_manifest_of(anchor: Anchor, proved: Sequence[Proved], beside: Sequence[Path], checksum: str) -> Wrote:
    """Write a shelf's manifest of what was copied there in a run.

    ``beside``: proxies, which it vouches for too where they lie among the originals. Raises CopyError, OSError,
    ShelfGone.
    """
    root = anchor.root
    below = {one.path: one for one in proved if one.path.is_relative_to(root) and one.value}
    if not below:
        return Wrote()
    for path in beside:
        if path.is_relative_to(root) and path not in below:
            below[path] = Proved(path, path, hash_file(path, checksum, fresh=True))
    return write_manifest(anchor, below.values(), checksum)


def write_manifest(anchor: Anchor, files: Iterable[Proved], checksum: str) -> Wrote:
    """Add a generation with these files to the history below a root.

    Files that the history holds already with the same checksum are left out; nothing is written when none remain.
    Raises CopyError when the history cannot be read or written.
    """
    anchor.check()
    root = anchor.root
    with histories.locked(root):
        try:
            told = histories.mend(root)
            return _write(root, sorted(files, key=lambda one: str(one.path)), checksum, told)
        except ShadowError as error:
            advice = "Look at the folder ascmhl."
            raise CopyError(f"the manifest could not be written ({error})", root, advice) from error


def _write(root: Path, files: list[Proved], checksum: str, told: tuple[str, ...]) -> Wrote:
    history = histories.load(root)
    spec = MHLIgnoreSpec([*default_ignore_list(), *IGNORED])
    session = MHLGenerationCreationSession(history, spec)
    fresh, unnamed = 0, []
    for file in files:
        below = file.path.relative_to(root).as_posix()
        if not can_be_named(below):
            unnamed.append(f"{below!r} is not in the manifest: its name has letters that a manifest cannot hold")
            continue
        if _hash_in(history, below, checksum) == file.value:
            continue
        status = file.path.stat()
        changed = datetime.fromtimestamp(status.st_mtime, UTC)
        session.append_file_hash(str(file.path), status.st_size, changed, checksum, file.value)
        fresh += 1
    told = (*told, *unnamed)
    if not fresh:
        return Wrote((str(root / histories.FOLDER),), told)
    _add_folders(root, session, {file.path: file.value for file in files}, checksum)
    creator = MHLCreatorInfo()
    creator.tool = MHLTool("Agile Shadow", "0.1.0")
    creator.creation_date = datetime.now(UTC).replace(microsecond=0).isoformat()
    creator.host_name = platform.node()
    process = MHLProcessInfo()
    process.process = MHLProcess("transfer")
    histories.commit(session, creator, process)
    return Wrote((str(root / histories.FOLDER),), told)


def can_be_named(path: str) -> bool:
    """Whether a manifest, which is XML 1.0, can hold a name so that it is read back the same."""
    return not any(ord(letter) < 32 or letter in _UNHELD or 0xD800 <= ord(letter) < 0xE000 for letter in path)


def _hash_in(history: MHLHistory, below: str, checksum: str) -> str:
    """The checksum that the latest generation has of a file, "" where none has."""
    inner, path = history.find_history_for_path(below)
    for hash_list in reversed(inner.hash_lists):
        media = hash_list.find_media_hash_for_path(path)
        entry = media.find_hash_entry_for_format(checksum) if media is not None else None
        if entry is not None:
            return str(entry.hash_string)
    return ""


# Checksums of folders


def _add_folders(root: Path, session: MHLGenerationCreationSession, values: dict[Path, str], checksum: str) -> None:
    """Checksums of all folders and the root, as the reference implementation computes them over everything in them.

    Files that neither this run nor the history knows are read for it, unless they are too much: the folders above them
    then stand there without a checksum.
    """
    history = session.root_history
    known = set(history.latest_ignore_patterns() or ())
    ignored = Ignored([*default_ignore_list(), *IGNORED, *known])
    tree = list(_folders_below(root, ignored))
    hashes = _file_hashes(root, history, tree, values, checksum)
    done: dict[Path, tuple[str, str] | None] = {}
    for folder, folders, names in tree:
        done[folder] = _hash_of_folder(folder, folders, names, hashes, done, checksum)
        if not can_be_named(folder.relative_to(root).as_posix()):
            continue
        content, structure = done[folder] or (None, None)
        changed = datetime.fromtimestamp(folder.stat().st_mtime, UTC)
        session.append_multiple_format_directory_hashes(
            str(folder), changed, {checksum: content} if content else {}, {checksum: structure} if structure else {}
        )


def _folders_below(root: Path, ignored: Ignored) -> Iterator[tuple[Path, list[str], list[str]]]:
    """(folder, its folders, its files), the inner ones first; links are left out."""
    waiting = [root]
    order: list[tuple[Path, list[str], list[str]]] = []
    while waiting:
        folder = waiting.pop()
        folders: list[str] = []
        names: list[str] = []
        with os.scandir(folder) as entries:
            for entry in entries:
                below = Path(entry.path).relative_to(root).as_posix()
                inner = entry.is_dir(follow_symlinks=False)
                if not ignored.matches(below, inner):
                    (folders if inner else names).append(entry.name)
        order.append((folder, sorted(folders), sorted(names)))
        waiting += [folder / name for name in folders]
    yield from reversed(order)


def _file_hashes(
    root: Path, history: MHLHistory, tree: list[tuple[Path, list[str], list[str]]], values: dict[Path, str],
    checksum: str,
) -> dict[Path, str]:  # fmt: skip
    hashes, foreign = dict(values), []
    for folder, _folders, names in tree:
        for name in names:
            path = folder / name
            if path not in hashes:
                value = _hash_in(history, path.relative_to(root).as_posix(), checksum)
                if value:
                    hashes[path] = value
                else:
                    foreign.append(path)
    if sum(path.lstat().st_size for path in foreign) <= _FOREIGN:
        for path in foreign:
            if path.is_file() and not path.is_symlink():
                hashes[path] = hash_file(path, checksum)
    return hashes


def _hash_of_folder(
    folder: Path, folders: list[str], names: list[str], hashes: dict[Path, str],
    done: dict[Path, tuple[str, str] | None], checksum: str,
) -> tuple[str, str] | None:  # fmt: skip
    """Checksums of contents and of structure; None where something in it has none."""
    context = DirectoryHashContext(checksum)
    inner = {name: done[folder / name] for name in folders}
    for name in sorted((*folders, *names)):
        path = folder / name
        if name in inner:
            known = inner[name]
            if known is None:
                return None
            context.append_directory_hashes(str(path), *known)
        elif path in hashes:
            context.append_file_hash(str(path), hashes[path])
        else:
            return None
    return str(context.final_content_hash_str()), str(context.final_structure_hash_str())
