"""How the window looked when it was closed: size, look, dividers, columns. Kept in one file of the configuration."""

from __future__ import annotations

import base64
import json
import logging
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray
from PySide6.QtWidgets import QMainWindow, QSplitter, QTableView, QWidget

from ..core.files import written_atomically
from ..core.log import config_folder
from ..core.strict import read_json
from .column_room import BY_HAND

log = logging.getLogger(__name__)
SCHEMA = "agile-shadow window"
_VERSION = 2  # of the layout: what was kept of another one is left out


class KeptLook:
    """``theme``: ink or paper; ``first_steps``: whether the first steps were offered. For the interface thread."""

    def __init__(self) -> None:
        self._values: dict[str, Any] = _read(_file())

    @property
    def theme(self) -> str:
        return "paper" if self._values.get("theme") == "paper" else "ink"

    @theme.setter
    def theme(self, name: str) -> None:
        self._values["theme"] = name

    @property
    def first_steps(self) -> bool:
        return self._values.get("first_steps") is True

    @first_steps.setter
    def first_steps(self, done: bool) -> None:
        self._values["first_steps"] = done

    def restore_window(self, window: QMainWindow) -> bool:
        """Give the window its last size and place; False where none is kept."""
        data = _bytes(self._values.get("geometry"))
        return data is not None and window.restoreGeometry(data)

    def restore(self, name: str, place: QWidget) -> None:
        """Give dividers and columns of a place their last positions."""
        kept = self._values.get("parts")
        for key, part in _parts(name, place).items():
            data = _bytes(kept.get(key)) if isinstance(kept, dict) else None
            if data is None:
                continue
            if isinstance(part, QSplitter):
                part.restoreState(data)
            else:
                part.horizontalHeader().restoreState(data)
                part.setProperty(BY_HAND, True)

    def keep(self, window: QMainWindow, places: dict[str, QWidget]) -> None:
        """Write all down. What cannot be written is logged: nothing of the user's work hangs on it."""
        parts = dict(self._values.get("parts") or {}) if isinstance(self._values.get("parts"), dict) else {}
        for name, place in places.items():
            for key, part in _parts(name, place).items():
                if isinstance(part, QTableView) and not part.property(BY_HAND):
                    continue
                state = part.saveState() if isinstance(part, QSplitter) else part.horizontalHeader().saveState()
                parts[key] = _text(state)
        self._values.update(geometry=_text(window.saveGeometry()), parts=parts)
        self.write()

    def write(self) -> None:
        """Write what is known."""
        values = {**self._values, "schema": SCHEMA, "version": _VERSION}
        try:
            with written_atomically(_file()) as partial:
                partial.write_text(json.dumps(values, indent=1) + "\n", encoding="utf-8")
        except OSError:
            log.warning("the look of the window is not kept", exc_info=True)


def _file() -> Path:
    return config_folder() / "window.json"


def _read(path: Path) -> dict[str, Any]:
    try:
        values = read_json(path.read_text(encoding="utf-8")) if path.exists() else {}
    except (OSError, ValueError):
        log.warning("%s cannot be used", path, exc_info=True)
        return {}
    if not isinstance(values, dict):
        return {}
    if values.get("version") != _VERSION:
        return {name: values[name] for name in ("theme", "first_steps") if name in values}
    return values


def _parts(name: str, place: QWidget) -> dict[str, QSplitter | QTableView]:
    """Dividers by their order, tables that are seen by their name and number of columns."""
    found: dict[str, QSplitter | QTableView] = {}
    for number, splitter in enumerate(place.findChildren(QSplitter)):
        found[f"{name}/divider {number}"] = splitter
    for table in place.findChildren(QTableView):
        model = table.model()
        if table.accessibleName() and model is not None:
            found[f"{name}/{table.accessibleName()}/{model.columnCount()}"] = table
    return found


def _text(data: QByteArray) -> str:
    return base64.b64encode(data.data()).decode()


def _bytes(text: object) -> QByteArray | None:
    if not isinstance(text, str) or len(text) > 100_000:
        return None
    try:
        return QByteArray(base64.b64decode(text, validate=True))
    except ValueError:
        return None
