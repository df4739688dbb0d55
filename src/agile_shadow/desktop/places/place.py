"""What all places are."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget


class PlacePage(QWidget):
    """One of the places of the window."""

    def entered(self) -> None:
        """The place was opened."""

    def left(self) -> None:
        """Another place was opened."""

    def close_place(self) -> None:
        """The window closes: have threads and workers end."""

    def colours_changed(self) -> None:
        """The look is another: forget what was drawn in the old one."""
