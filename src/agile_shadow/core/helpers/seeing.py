"""Whether a helper sees a shelf: by its mark and by reading what the one that asks has just written or reads itself.

A folder of the same name, or another drive with the same mark, does not pass: it holds other bytes.
"""

from __future__ import annotations

import os
import random
import secrets
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Annotated, Any

import xxhash
from pydantic import Field, ValidationError

from ..below import Anchor, folder_below, open_ordinary
from ..errors import ShadowError
from ..files import partial_path
from ..shelves import Shelf, find_again, mounted_volumes
from ..shelves.finding import MARK, marked_ids
from ..strict import Count, Id, Name, PathText, Strict

_PIECE = 64 << 10  # bytes that are compared
_LOOKED = 2000  # files that one is chosen from


class ShelfQuestion(Strict):
    """A shelf and a stretch of one file on it; the answer is its xxh128. ``root``: where the shelf lies for the one
    that asks."""

    id: Id
    name: Name
    root: PathText
    volume: Name = ""
    below: PathText = ""
    path: PathText
    start: Count
    length: Annotated[int, Field(ge=1, le=_PIECE)]


@contextmanager
def question(shelf: Shelf) -> Iterator[tuple[ShelfQuestion, str]]:
    """A question about a shelf, and the answer that is right. Where it may be written to, a file of random bytes lies
    there meanwhile; else it is about a file that is there. Raises OSError, ShadowError where there is none."""
    with _written(shelf) as name:
        path = name or _some_file(shelf)
        if path is None:
            raise ShadowError("there is no file on it that could be compared", shelf.root, "")
        size = os.stat(shelf.root / path).st_size
        start = 0 if name else random.randrange(max(1, size - _PIECE))
        asked = ShelfQuestion(
            id=shelf.id, name=shelf.name, root=str(shelf.root), volume=shelf.volume, below=shelf.below, path=path,
            start=start, length=max(1, min(_PIECE, size)),
        )  # fmt: skip
        yield asked, digest_of(shelf.root / path, asked.start, asked.length)


@contextmanager
def _written(shelf: Shelf) -> Iterator[str | None]:
    """A file with random bytes beside the shelf's mark; None where the shelf has no mark or is not written to."""
    if shelf.id not in marked_ids(shelf.root):
        yield None
        return
    path = partial_path(shelf.root / MARK)
    try:
        try:
            with folder_below(Anchor.of(shelf.root), shelf.root) as folder, os.fdopen(
                folder.create(path.name), "wb"
            ) as file:
                file.write(secrets.token_bytes(1024))
                file.flush()
                os.fsync(file.fileno())
        except (OSError, ShadowError):
            yield None
            return
        yield path.name
    finally:
        with suppress(OSError):
            path.unlink(missing_ok=True)


def _some_file(shelf: Shelf) -> str | None:
    """Any ordinary file of a shelf that is not empty."""
    seen: list[str] = []
    for where, _folders, names in os.walk(shelf.root):
        for name in names:
            path = Path(where) / name
            with suppress(OSError):
                if not path.is_symlink() and path.is_file() and path.stat().st_size:
                    seen.append(path.relative_to(shelf.root).as_posix())
        if len(seen) > _LOOKED:
            break
    return random.choice(seen) if seen else None


def digest_of(path: Path, start: int, length: int) -> str:
    """xxh128 of a stretch of a file, read from the drive where the system lets us. Raises OSError."""
    handle = open_ordinary(path)
    try:
        with suppress(OSError):
            os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)
        return xxhash.xxh3_128(os.pread(handle, length, start)).hexdigest()
    finally:
        os.close(handle)


# On the helper


def find_shelf(values: Any, by_hand: Mapping[str, Path]) -> tuple[Shelf, Anchor, str]:
    """Where a shelf lies on this machine, and the answer to the question. ``by_hand``: folders by the shelf's name or
    identity; else it is looked for where the one that asks has it, and by volume and mark.

    Raises ShadowError where it is not found, or the file of the question is not there.
    """
    try:
        asked = ShelfQuestion.model_validate(values)
    except ValidationError as error:
        raise ShadowError("a question that cannot be read", None, "Both machines need the same version.") from error
    shelf = Shelf(asked.id, asked.name, "originals", Path(asked.root), asked.volume, asked.below)
    for root in _candidates(shelf, by_hand):
        here = Shelf(shelf.id, shelf.name, shelf.role, root, shelf.volume, shelf.below)
        try:
            anchor = Anchor.of(root)
            answer = digest_of(here.resolve(asked.path), asked.start, asked.length)
        except (OSError, ShadowError):
            continue
        if anchor.holds():
            return here, anchor, answer
    raise ShadowError(f"the shelf {shelf.name} is not seen here", None, "Mount its drive, or name its folder.")


def _candidates(shelf: Shelf, by_hand: Mapping[str, Path]) -> Iterator[Path]:
    """Folders that may be it. Without its mark only the one that was named by hand counts: whoever asks cannot have
    any other folder of this machine read or written."""
    named = by_hand.get(shelf.id) or by_hand.get(shelf.name)
    if named is not None:
        if not (marks := marked_ids(named)) or shelf.id in marks:
            yield named
        return
    if shelf.id in marked_ids(shelf.root):
        yield shelf.root
    found = find_again(shelf, mounted_volumes())
    if found is not None and shelf.id in marked_ids(found):
        yield found
