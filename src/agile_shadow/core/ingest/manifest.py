"""ASC MHL manifests (ASC Media Hash List, version 2.0) of copied files, written through the ``ascmhl`` package."""

from __future__ import annotations

import platform
import threading
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from ascmhl.generator import MHLGenerationCreationSession
from ascmhl.hashlist import MHLCreatorInfo, MHLProcess, MHLProcessInfo, MHLTool
from ascmhl.history import MHLHistory
from ascmhl.ignore import MHLIgnoreSpec, default_ignore_list

from ..errors import CopyError
from ..shelves import MARK
from .copying import Proved, checksum_of

_ONE_AT_A_TIME = threading.Lock()
IGNORED = (MARK, "/" + MARK, "*.part")


def write_manifests(
    roots: Sequence[Path], proved: Sequence[Proved], beside: Sequence[Path], checksum: str
) -> tuple[str, ...]:
    """Write one for each folder that got something; their folders. ``beside``: proxies, which a manifest vouches for
    too where they lie among the originals. Raises CopyError, OSError."""
    written = []
    for root in roots:
        below = [one for one in proved if one.path.is_relative_to(root)]
        if not below:
            continue
        known = {one.path for one in below}
        for path in beside:
            if path.is_relative_to(root) and path not in known:
                below.append(Proved(path, path, checksum_of([path], checksum)))
        written.append(str(write_manifest(root, below, checksum) or root / "ascmhl"))
    return tuple(written)


def write_manifest(root: Path, files: Iterable[Proved], checksum: str) -> Path | None:
    """Add a generation with these files to the history below ``root``; the folder of the history.

    Files outside ``root`` and those that the history holds already with the same checksum are left out; None when none
    remain. Raises CopyError when the history cannot be read or written.
    """
    with _ONE_AT_A_TIME:
        try:
            return _write(root, files, checksum)
        except Exception as error:  # the package raises its own kinds, and those of its XML library
            raise CopyError(
                f"the manifest could not be written ({error})", root / "ascmhl", "Look at the history there."
            ) from error


def _write(root: Path, files: Iterable[Proved], checksum: str) -> Path | None:
    history = MHLHistory.load_from_path(str(root))
    spec = MHLIgnoreSpec([*default_ignore_list(), *IGNORED])
    session = MHLGenerationCreationSession(history, spec)
    fresh = 0
    for file in sorted(set(files), key=lambda one: str(one.path)):
        if not file.path.is_relative_to(root) or not file.value:
            continue
        known = history.find_first_hash_entry_for_path(file.path.relative_to(root).as_posix(), checksum)
        if known is not None and known.hash_string == file.value:
            continue
        status = file.path.stat()
        changed = datetime.fromtimestamp(status.st_mtime, UTC)
        session.append_file_hash(str(file.path), status.st_size, changed, checksum, file.value)
        fresh += 1
    if not fresh:
        return None
    creator = MHLCreatorInfo()
    creator.tool = MHLTool("Agile Shadow", "0.1.0")
    creator.creation_date = datetime.now(UTC).replace(microsecond=0).isoformat()
    creator.host_name = platform.node()
    process = MHLProcessInfo()
    process.process = MHLProcess("transfer")
    session.commit(creator, process)
    return root / "ascmhl"
