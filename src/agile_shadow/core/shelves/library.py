"""The user's own shelves, known to every project."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from ..errors import ShelfError, from_os_error
from ..files import written_atomically
from ..log import config_folder
from ..strict import Id, Name, PathText, Strict, read_json
from .shelf import ROLES, Shelf

SCHEMA = "agile-shadow shelves"


def shelf_to_json(shelf: Shelf) -> dict[str, Any]:
    """Plain values as in the files of shelves and projects."""
    return {
        "id": shelf.id, "name": shelf.name, "role": shelf.role, "root": str(shelf.root), "volume": shelf.volume,
        "below": shelf.below, **({} if shelf.made else {"made": False}),
    }  # fmt: skip


class _ShelfIn(Strict):
    id: Id
    name: Name
    role: Name
    root: PathText
    volume: Name = ""
    below: PathText = ""
    made: bool = True


def shelf_from_json(values: dict[str, Any]) -> Shelf:
    """The inverse of :func:`shelf_to_json`. Raises ValueError for what is not a shelf."""
    one = _ShelfIn.model_validate(values)
    if one.role not in ROLES:
        raise ValueError(f"there is no role {one.role!r} of a shelf")
    root = Path(one.root)
    if not root.is_absolute() or "\0" in one.root:
        raise ValueError(f"the shelf {one.name!r} has no folder")
    return Shelf(one.id, one.name, one.role, root, one.volume, one.below, one.made)


def _file() -> Path:
    return config_folder() / "shelves.json"


def user_shelves() -> tuple[Shelf, ...]:
    """The user's shelves by name. Raises ShelfError when their file cannot be used."""
    path = _file()
    try:
        values = read_json(path.read_text(encoding="utf-8"))
        if values["schema"] != SCHEMA or values["version"] != 1:
            raise ValueError("it is of another kind or version")
        shelves = [shelf_from_json(item) for item in values["shelves"]]
    except FileNotFoundError:
        return ()
    except OSError as error:
        raise from_os_error(error, path, ShelfError) from error
    except (ValueError, KeyError, TypeError) as error:
        raise ShelfError(f"the list of your shelves cannot be used ({error})", path, "Fix or remove it.") from error
    return tuple(sorted(shelves, key=lambda shelf: shelf.name.casefold()))


def keep_user_shelf(shelf: Shelf) -> None:
    """Add a shelf to the user's, or replace the one of its identity. Raises ShelfError."""
    _write([*(known for known in user_shelves() if known.id != shelf.id), shelf])


def forget_user_shelf(identity: str) -> None:
    """Take a shelf off the user's list; its folder stays. Raises ShelfError."""
    _write([known for known in user_shelves() if known.id != identity])


def _write(shelves: list[Shelf]) -> None:
    path = _file()
    values = {"schema": SCHEMA, "version": 1, "shelves": [shelf_to_json(shelf) for shelf in shelves]}
    try:
        with written_atomically(path) as partial:
            partial.write_text(json.dumps(values, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, path, ShelfError) from error


def shelf_for(wanted: str, role: str, shelves: tuple[Shelf, ...]) -> Shelf | None:
    """The shelf a preset means: by its name, or without one the last of that role. None when there is none."""
    if wanted:
        named = [shelf for shelf in shelves if shelf.name.casefold() == wanted.casefold()]
        return next((shelf for shelf in named if shelf.role == role), named[0] if named else None)
    of_role = [shelf for shelf in shelves if shelf.role == role]
    return of_role[-1] if of_role else None
