"""Dialogs that ask for a folder or a file. Each kind begins where it was answered last, in this session or an earlier
one; where the caller knows a better place, there."""

from __future__ import annotations

import json
import logging
from contextlib import suppress
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from ..core.files import written_atomically
from ..core.log import config_folder
from ..core.strict import read_json

log = logging.getLogger(__name__)
_MOST, _LONGEST = 50, 4000  # kinds kept; letters of a folder
_MAX_BYTES = 1_000_000


def typed_path(text: str) -> Path:
    """The path that somebody typed; ``~`` is the home folder, and of a person who is not known here stays as it is."""
    path = Path(text.strip())
    with suppress(RuntimeError):
        path = path.expanduser()
    return path


def ask_folder(parent: QWidget, title: str, start: str = "", otherwise: str = "", kind: str = "") -> Path | None:
    """A folder; None when the question was put away. ``start``: where to begin in any case; ``otherwise``: where it was
    never answered. ``kind``: what is asked for, by default the title."""
    kind = kind or title
    chosen = QFileDialog.getExistingDirectory(parent, title, start or last_folder(kind) or otherwise)
    return _kept(kind, chosen, Path(chosen)) if chosen else None


def ask_file(parent: QWidget, title: str, filters: str = "", otherwise: str = "", kind: str = "") -> Path | None:
    """A file that is there."""
    kind = kind or title
    chosen, _filter = QFileDialog.getOpenFileName(parent, title, last_folder(kind) or otherwise, filters)
    return _kept(kind, chosen, Path(chosen).parent) if chosen else None


def ask_new_file(
    parent: QWidget, title: str, filters: str, name: str = "", otherwise: str = "", kind: str = ""
) -> Path | None:
    """A file to be written. ``name``: proposed."""
    kind = kind or title
    folder = last_folder(kind) or otherwise
    start = str(Path(folder) / name) if folder else name
    chosen, _filter = QFileDialog.getSaveFileName(parent, title, start, filters)
    return _kept(kind, chosen, Path(chosen).parent) if chosen else None


def last_folder(kind: str) -> str:
    """Where a kind of question was answered last; "" where it never was. Touches no drive but the configuration's."""
    return _read().get(kind, "")


def _kept(kind: str, chosen: str, folder: Path) -> Path:
    folders = _read()
    folders.pop(kind, None)
    folders[kind] = str(folder.absolute())
    newest = dict(list(folders.items())[-_MOST:])
    try:
        with written_atomically(_file()) as partial:
            partial.write_text(json.dumps(newest, indent=1) + "\n", encoding="utf-8")
    except OSError:
        log.warning("the last folder is not kept", exc_info=True)
    return Path(chosen)


def _file() -> Path:
    return config_folder() / "folders.json"


def _read() -> dict[str, str]:
    path = _file()
    try:
        values = read_json(path.read_text(encoding="utf-8")) if 0 < path.stat().st_size < _MAX_BYTES else {}
    except FileNotFoundError:
        return {}
    except (OSError, ValueError):
        log.warning("%s cannot be used", path, exc_info=True)
        return {}
    known = values.items() if isinstance(values, dict) else ()
    return {kind: folder for kind, folder in known if _is_folder(folder)}


def _is_folder(value: object) -> bool:
    """Whether it can be the path of a folder; whether one is there is not asked, for a drive may hang."""
    return isinstance(value, str) and value.startswith("/") and len(value) < _LONGEST and "\0" not in value
