"""A desktop notice or a sound when work has ended."""

from __future__ import annotations

import logging

from PySide6.QtWidgets import QApplication, QWidget

try:
    from PySide6.QtDBus import QDBusConnection, QDBusInterface
except ImportError:  # the window works without it
    QDBusConnection = None  # type: ignore[assignment,misc]

log = logging.getLogger(__name__)
_SHOWN = 15_000  # milliseconds


def send_notice(window: QWidget, title: str, text: str) -> bool:
    """Tell the desktop (org.freedesktop.Notifications); without such a service the window asks for attention.

    Returns whether the desktop took it.
    """
    QApplication.alert(window)
    if QDBusConnection is None or not QDBusConnection.sessionBus().isConnected():
        return False
    service = QDBusInterface(
        "org.freedesktop.Notifications", "/org/freedesktop/Notifications", "org.freedesktop.Notifications"
    )
    if not service.isValid():
        return False
    service.asyncCallWithArgumentList("Notify", ["Agile Shadow", 0, "", title, text, [], {}, _SHOWN])
    return True


def sound() -> None:
    """The desktop's own sound for attention."""
    QApplication.beep()
