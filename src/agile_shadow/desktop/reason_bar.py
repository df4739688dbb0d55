"""Why playing falls behind or is silent, with the button that mends it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ..core.playback import Reason

_MENDS = {
    "show proxies": "Show proxies", "unpin": "Show its proxy", "make a proxy": "Make a proxy",
    "bake": "Bake this part", "less detail": "Less detail",
}  # fmt: skip


class ReasonBar(QWidget):
    """``mend_asked`` gives the reason whose button was pressed. ``reason``: what is shown, None for nothing."""

    mend_asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.reason: Reason | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.text = QLabel("")
        self.text.setObjectName("warn")
        self.text.setWordWrap(True)
        self.mend = QPushButton("")
        self.mend.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.mend.clicked.connect(self._mend)
        row.addWidget(self.text, 1)
        row.addWidget(self.mend)
        self.hide()

    def show_reason(self, reason: Reason | None) -> None:
        """Show another reason; None: there is none."""
        if reason == self.reason:
            return
        self.reason = reason
        self.setVisible(reason is not None)
        if reason is not None:
            self.text.setText(f"{reason.what}: {reason.text}.")
            self.mend.setVisible(bool(reason.mend))
            self.mend.setText(_MENDS.get(reason.mend, ""))

    def _mend(self) -> None:
        reason = self.reason
        self.show_reason(None)
        if reason is not None:
            self.mend_asked.emit(reason)
