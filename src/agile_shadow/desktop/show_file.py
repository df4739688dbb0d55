"""Files and folders in the desktop's file manager."""

from __future__ import annotations

import logging
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices

try:
    from PySide6.QtDBus import QDBusConnection, QDBusInterface
except ImportError:  # the window works without it
    QDBusConnection = None  # type: ignore[assignment,misc]

log = logging.getLogger(__name__)
_NAME, _PATH = "org.freedesktop.FileManager1", "/org/freedesktop/FileManager1"


def show_file(path: Path) -> bool:
    """Select a file in the file manager (org.freedesktop.FileManager1); without one open its folder.

    Returns whether the desktop took one of the two.
    """
    if QDBusConnection is not None and QDBusConnection.sessionBus().isConnected():
        manager = QDBusInterface(_NAME, _PATH, _NAME)
        if manager.isValid():
            url = QUrl.fromLocalFile(str(path)).toString(QUrl.ComponentFormattingOption.FullyEncoded)
            manager.asyncCallWithArgumentList("ShowItems", [[url], ""])
            return True
    return show_folder(path.parent)


def show_folder(path: Path) -> bool:
    """Open a folder, or a file with the program that the desktop has for it."""
    opened = QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
    if not opened:
        log.warning("the desktop opens nothing for %s", path)
    return opened
