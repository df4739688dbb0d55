"""The program's own icon: an original with its shadow."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PySide6.QtGui import QIcon

FOLDER = Path(__file__).parent / "images"
SIZES = (16, 24, 32, 48, 64, 128, 256)


@lru_cache
def app_icon() -> QIcon:
    """The icon in all its sizes. Needs an application."""
    icon = QIcon()
    for size in SIZES:
        icon.addFile(str(FOLDER / f"agile-shadow-{size}.png"))
    return icon
