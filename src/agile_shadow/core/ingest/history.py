"""The ASC MHL history of a folder: read within bounds, mended where its writing broke off, added to whole.

The package ``ascmhl`` reads and writes the formats; it opens whatever lies there and writes in place, so both are
guarded here.
"""

from __future__ import annotations

import fcntl
import os
import stat
import time
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from ascmhl import chain_xml_parser, hashlist_xml_parser
from ascmhl.generator import MHLGenerationCreationSession
from ascmhl.hashlist import MHLCreatorInfo, MHLHashList, MHLProcessInfo
from ascmhl.history import MHLHistory
from ascmhl.utils import datetime_now_filename_string

from ..errors import CopyError, ShadowError
from ..files import flush, partial_path, rename_new, shortened, written_atomically
from .manifest_names import CHAIN, ENDING, FOLDER

SET_ASIDE = "set aside"
_PATIENCE = 120.0  # seconds that another program may take to write its generation
_LARGEST = 200_000_000  # bytes of one file of a history
_DEEPEST, _MOST = 200, 2_000_000  # folders below each other, files looked at for histories within


@contextmanager
def locked(root: Path) -> Iterator[None]:
    """Alone with the history of a folder, among all processes of this machine (flock(2)). Raises CopyError, OSError."""
    handle = os.open(root, os.O_RDONLY | os.O_DIRECTORY)
    try:
        end = time.monotonic() + _PATIENCE
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > end:
                    raise CopyError(
                        "another program keeps its manifest locked", root, "Wait for its end, then ingest again."
                    ) from None
                time.sleep(0.02)
            except OSError:
                break  # a drive without locks: one program at a time is all that can be had
        yield
    finally:
        os.close(handle)


def load(root: Path) -> MHLHistory:
    """The history of a folder. Raises ShadowError for one that cannot be read, or is made to do harm."""
    _refuse_harm(root)
    try:
        return _new(root) if _is_empty(root / FOLDER) else MHLHistory.load_from_path(str(root))
    except Exception as error:  # the package raises its own kinds, and those of its XML library
        raise ShadowError(
            f"its manifest cannot be read ({error or type(error).__name__})", root, "Check the folder ascmhl in it."
        ) from error


def _is_empty(folder: Path) -> bool:
    """Whether there is a folder for a history and no history in it, which the package does not know."""
    return folder.is_dir() and not any(name == CHAIN or name.endswith(ENDING) for name in os.listdir(folder))


def _new(root: Path) -> MHLHistory:
    history = MHLHistory()
    history.asc_mhl_path = str(root / FOLDER)
    history.chain = chain_xml_parser.parse(str(root / FOLDER / CHAIN))
    history._find_and_load_child_histories()
    return history


def _refuse_harm(root: Path) -> None:
    """Raises ShadowError where a part of a history is a link, a pipe, or far too large."""
    seen = 0
    for where, folders, names in os.walk(root):
        seen += len(names)
        if seen > _MOST or where.count(os.sep) - str(root).count(os.sep) > _DEEPEST:
            raise ShadowError("is too deep or too large to look for manifests", root, "Name a folder within it.")
        if FOLDER in folders:
            _refuse_harmful_files(Path(where) / FOLDER)
        folders[:] = [name for name in folders if name != FOLDER]


def _refuse_harmful_files(folder: Path) -> None:
    if folder.is_symlink():
        raise ShadowError("is a link where a history should be", folder, "Remove it.")
    for where, folders, names in os.walk(folder):
        for name in (*names, *folders):
            path = Path(where) / name
            status = path.lstat()
            if stat.S_ISDIR(status.st_mode) and name in folders:
                continue
            if not stat.S_ISREG(status.st_mode):
                raise ShadowError("is no ordinary file where a part of a history should be", path, "Remove it.")
            if status.st_size > _LARGEST:
                raise ShadowError("is too large for a part of a history", path, "Find out where it comes from.")


def mend(root: Path) -> tuple[str, ...]:
    """Bring a history in order whose writing broke off; sentences about what was set aside. Call it :func:`locked`.

    A whole generation that the chain does not name yet is added to it; one that breaks off, and a chain that breaks
    off, are set aside. Raises ShadowError, OSError.
    """
    folder = root / FOLDER
    if not folder.is_dir():
        return ()
    _refuse_harmful_files(folder)
    chain = folder / CHAIN
    generations = sorted(name for name in os.listdir(folder) if name.endswith(ENDING) and not name.startswith("._"))
    if not chain.exists() and not generations:
        return ()
    if chain.exists() and not _is_whole(chain, b"</ascmhldirectory>"):
        when = time.strftime("%Y-%m-%d %H-%M-%S")
        for name in (CHAIN, *generations):
            os.rename(folder / name, folder / f"{name} {SET_ASIDE} {when}")
        flush(folder)
        return (f"the history of its manifests was half-written; its files were {SET_ASIDE}, and a new one begun",)
    known = _named_in(chain)
    told = []
    for name in generations:
        if name in known:
            continue
        if _is_whole(folder / name, b"</hashlist>"):
            _add_to_chain(chain, folder / name)
        else:
            os.rename(folder / name, folder / f"{name} {SET_ASIDE}")
            told.append(f"the manifest {name} was half-written; it was {SET_ASIDE}")
    return tuple(told)


def _is_whole(path: Path, end: bytes) -> bool:
    with path.open("rb") as handle:
        handle.seek(max(0, path.stat().st_size - 64))
        return handle.read().rstrip().endswith(end)


def _named_in(chain: Path) -> set[str]:
    try:
        return {str(one.ascmhl_filename) for one in chain_xml_parser.parse(str(chain)).generations}
    except Exception as error:  # the kinds of the XML library
        raise ShadowError(f"its chain cannot be read ({error})", chain, "Check the folder it is in.") from error


def _add_to_chain(chain: Path, manifest: Path) -> None:
    try:
        hash_list = hashlist_xml_parser.parse(str(manifest))
        hash_list.generation_number = int(manifest.name[:4])
    except Exception as error:  # the kinds of the XML library
        raise ShadowError(f"cannot be read ({error})", manifest, "Move it away, then ingest again.") from error
    _write_chain(chain_xml_parser.parse(str(chain)), chain, hash_list)


def _write_chain(known: Any, chain: Path, hash_list: MHLHashList) -> None:
    """Write the chain with one more generation beside the old one, and put it in its place."""
    with written_atomically(chain) as partial:
        known.file_path = str(partial)
        chain_xml_parser.write_chain(known, hash_list)
    known.file_path = str(chain)


def commit(session: MHLGenerationCreationSession, creator: MHLCreatorInfo, process: MHLProcessInfo) -> None:
    """Write a session's new generations: those of inner histories first, each whole, and last the chain that names it.

    Follows ``MHLGenerationCreationSession.commit`` of the package, which writes in place.
    """
    referenced: dict[MHLHistory, list[MHLHashList]] = defaultdict(list)
    for history in MHLHistory.walk_child_histories(session.root_history):
        if history not in session.new_hash_lists and history not in referenced:
            continue
        new = session.new_hash_lists[history] if history in session.new_hash_lists else MHLHashList()
        new.referenced_hash_lists = referenced[history]
        new.creator_info = creator
        new.process_info.process = process.process
        new.process_info.ignore_spec = session.get_relevant_ignore_pattern(history)
        _write_generation(history, new)
        if history.parent_history is not None:
            referenced[history.parent_history].append(new)


def _write_generation(history: MHLHistory, new: MHLHashList) -> None:
    history._validate_new_hash_list(new)
    folder = Path(history.asc_mhl_path)
    folder.mkdir(exist_ok=True)
    flush(folder.parent)
    number = history.latest_generation_number() + 1
    place = "".join(letter for letter in folder.parent.name if letter.isprintable() and letter not in '/\\:*?"<>|')
    final = folder / f"{number:04d}_{shortened(place, 150)}_{datetime_now_filename_string()}{ENDING}"
    new.generation_number = number
    partial = partial_path(final)
    try:
        new.file_path = str(final)
        hashlist_xml_parser.write_hash_list(new, str(partial))
        flush(partial)
        rename_new(partial, final)
    finally:
        partial.unlink(missing_ok=True)
    new.file_path = str(final)
    history.append_hash_list(new)
    _write_chain(history.chain, folder / CHAIN, new)
