"""Keys that the user has changed: read from and written to one file of the configuration."""

from __future__ import annotations

import json
import logging
from pathlib import Path

from ..core.errors import ShadowError, from_os_error
from ..core.files import written_atomically
from ..core.log import config_folder
from ..core.strict import read_json
from .actions import BY_ID, COMMANDS, Command

log = logging.getLogger(__name__)
SCHEMA = "agile-shadow keys"
_LONGEST = 40  # letters of a key's name
_MOST = 4  # keys of one command
Keys = dict[str, tuple[str, ...]]


def keys_file() -> Path:
    """Where changed keys are kept."""
    return config_folder() / "keys.json"


def load_keys() -> Keys:
    """The changed keys by command; what the file says of unknown commands, or not as keys, is left out and logged."""
    path = keys_file()
    if not path.exists():
        return {}
    try:
        changed = read_json(path.read_text(encoding="utf-8"))["keys"]
        found = {identity: tuple(keys) for identity, keys in changed.items() if _is_good(identity, keys)}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        log.warning("%s cannot be used", path, exc_info=True)
        return {}
    return without_doubles(found)


def _is_good(identity: str, keys: object) -> bool:
    return (
        identity in BY_ID and isinstance(keys, list) and len(keys) <= _MOST
        and all(isinstance(key, str) and 0 < len(key) <= _LONGEST for key in keys)
    )  # fmt: skip


def without_doubles(own: Keys) -> Keys:
    """The same with no key twice among commands that can be meant in one place: the first keeps it."""
    seen: dict[str, list[Command]] = {}
    kept = dict(own)
    for command in sorted(COMMANDS, key=lambda one: one.id not in own):
        keys = own.get(command.id, command.keys)
        free = tuple(key for key in keys if not any(command.places & one.places for one in seen.get(key, [])))
        for key in free:
            seen.setdefault(key, []).append(command)
        if free != keys:
            kept[command.id] = free
    return kept


def taken_by(key: str, identity: str, own: Keys) -> Command | None:
    """The other command that has a key already where this one has a meaning."""
    places = BY_ID[identity].places
    return next(
        (one for one in COMMANDS if one.id != identity and key in own.get(one.id, one.keys) and one.places & places),
        None,
    )


def with_keys(own: Keys, identity: str, keys: tuple[str, ...]) -> Keys:
    """The changed keys with those of a command as given; those that it comes with are not written down."""
    more = {**own, identity: keys}
    return {one: them for one, them in more.items() if them != BY_ID[one].keys}


def save_keys(own: Keys) -> None:
    """Write the changed keys. Raises ShadowError."""
    values = {"schema": SCHEMA, "version": 1, "keys": {one: list(keys) for one, keys in sorted(own.items())}}
    try:
        with written_atomically(keys_file()) as partial:
            partial.write_text(json.dumps(values, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    except OSError as error:
        raise from_os_error(error, keys_file(), ShadowError) from error
