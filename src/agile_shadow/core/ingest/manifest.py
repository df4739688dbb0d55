"""ASC MHL manifests (ASC Media Hash List, version 2.0) of copied files, written through the ``ascmhl`` package."""

from __future__ import annotations

import os
import platform
from collections.abc import Callable, Iterable, Iterator, Sequence
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
from ..hashing import hash_file
from ..shelves import MARK
from . import history as histories
from .copying import Proved
from .ignoring import Ignored
from .manifest_names import FOLDER

IGNORED = (MARK, "/" + MARK, "*.part")
_UNHELD = "\x7f\x85\u2028\u2029\ufffe\uffff"  # besides control characters: lines are broken at these, or not XML
_FOREIGN = 4_000_000_000  # bytes of files that no manifest speaks of which are read for the checksums of folders


@dataclass(frozen=True)
class Wrote:
    """``folders`` of the manifests (none where nothing was to be written); ``told``: sentences about the history, and
    about files that no manifest can name."""

    folders: tuple[str, ...] = ()
    told: tuple[str, ...] = ()


def write_manifest_of(
    anchor: Anchor, proved: Sequence[Proved], beside: Sequence[Path], checksum: str,
    going_on: Callable[[], None] = lambda: None,
) -> Wrote:  # fmt: skip
    """Write a shelf's manifest of what was copied there in a run.

    ``beside``: proxies, which it vouches for too where they lie among the originals. ``going_on`` is called while files
    are read, and may raise to end it. Raises CopyError, OSError, ShelfGone.
    """
    root = anchor.root
    below = {one.path: one for one in proved if one.path.is_relative_to(root) and one.value}
    if not below:
        return Wrote()
    for path in beside:
        if path.is_relative_to(root) and path not in below:
            below[path] = Proved(path, path, hash_file(path, checksum, lambda _count: going_on(), fresh=True))
    return write_manifest(anchor, below.values(), checksum, going_on)


def write_manifest(
    anchor: Anchor, files: Iterable[Proved], checksum: str, going_on: Callable[[], None] = lambda: None
) -> Wrote:
    """Add a generation with these files to the history below a root.

    Files that the history holds already with the same checksum are left out; nothing is written when none remain.
    Raises CopyError when the history cannot be read or written.
    """
    anchor.check()
    root = anchor.root
    with histories.locked(root):
        try:
            told = histories.mend(root)
            ordered = sorted(files, key=lambda one: str(one.path))
            return _write(root, ordered, checksum, told, going_on)
        except ShadowError as error:
            advice = "Check the folder ascmhl."
            raise CopyError(f"the manifest could not be written ({error})", root, advice) from error


def _write(
    root: Path, files: list[Proved], checksum: str, told: tuple[str, ...], going_on: Callable[[], None]
) -> Wrote:
    history = histories.load(root)
    known = _known_hashes(history, checksum)
    spec = MHLIgnoreSpec([*default_ignore_list(), *IGNORED])
    session = MHLGenerationCreationSession(history, spec)
    fresh, unnamed = 0, []
    for file in files:
        below = file.path.relative_to(root).as_posix()
        if not can_be_named(below):
            unnamed.append(f"{below!r} is not in the manifest: its name has letters that a manifest cannot hold")
            continue
        if known.get(below) == file.value:
            continue
        status = file.path.stat()
        changed = datetime.fromtimestamp(status.st_mtime, UTC)
        session.append_file_hash(str(file.path), status.st_size, changed, checksum, file.value)
        fresh += 1
    told = (*told, *unnamed)
    if not fresh:
        return Wrote((str(root / FOLDER),), told)
    values = {root / below: value for below, value in known.items()}
    _add_folders(root, session, {**values, **{file.path: file.value for file in files}}, checksum, going_on)
    creator = MHLCreatorInfo()
    creator.tool = MHLTool("Agile Shadow", "0.1.0")
    creator.creation_date = datetime.now(UTC).replace(microsecond=0).isoformat()
    creator.host_name = platform.node()
    process = MHLProcessInfo()
    process.process = MHLProcess("transfer")
    histories.commit(session, creator, process)
    return Wrote((str(root / FOLDER),), told)


def can_be_named(path: str) -> bool:
    """Whether a manifest, which is XML 1.0, can hold a name so that it is read back the same."""
    return not any(ord(letter) < 32 or letter in _UNHELD or 0xD800 <= ord(letter) < 0xE000 for letter in path)


def _known_hashes(history: MHLHistory, checksum: str, inside: str = "") -> dict[str, str]:
    """The checksums that the latest generations have of files, by path below the root; inner histories included."""
    found: dict[str, str] = {}
    for hash_list in history.hash_lists:
        for media in hash_list.media_hashes:
            entry = media.find_hash_entry_for_format(checksum)
            if entry is not None and not media.is_directory:
                found[os.path.join(inside, str(media.path))] = str(entry.hash_string)
    for child in history.child_histories:
        below = os.path.relpath(child.get_root_path(), history.get_root_path())
        found.update(_known_hashes(child, checksum, os.path.join(inside, below)))
    return found


# Checksums of folders


def _add_folders(
    root: Path, session: MHLGenerationCreationSession, values: dict[Path, str], checksum: str,
    going_on: Callable[[], None],
) -> None:  # fmt: skip
    """Checksums of all folders and the root, as the reference implementation computes them over everything in them.

    Files that neither this run nor the history knows are read for it, unless they are too much: the folders above them
    then stand there without a checksum.
    """
    history = session.root_history
    known = set(history.latest_ignore_patterns() or ())
    ignored = Ignored([*default_ignore_list(), *IGNORED, *known])
    tree = list(_folders_below(root, ignored))
    hashes = _file_hashes(tree, values, checksum, going_on)
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
    tree: list[tuple[Path, list[str], list[str]]], values: dict[Path, str], checksum: str, going_on: Callable[[], None]
) -> dict[Path, str]:
    """Those that are known, and of all other files those that were read, unless they are too much."""
    every = (folder / name for folder, _folders, names in tree for name in names)
    foreign = [path for path in every if path not in values]
    if sum(path.lstat().st_size for path in foreign) > _FOREIGN:
        return values
    ordinary = [path for path in foreign if path.is_file() and not path.is_symlink()]
    return {**values, **{path: hash_file(path, checksum, lambda _count: going_on()) for path in ordinary}}


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
