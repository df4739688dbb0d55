"""Controls that cannot be used now say in their tooltip what they wait for."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

_TIP, _WAITS = "tip of its own", "waits for"


def enable(widget: QWidget, on: bool, waits_for: str) -> None:
    """Let a control be used or not; while not, its tooltip also says what it waits for, a whole sentence."""
    if widget.property(_TIP) is None or widget.toolTip() != _whole(widget):
        widget.setProperty(_TIP, widget.toolTip())  # the first time, and when it was given another one
    widget.setProperty(_WAITS, "" if on else waits_for)
    if widget.isEnabled() != on:
        widget.setEnabled(on)
    if widget.toolTip() != _whole(widget):
        widget.setToolTip(_whole(widget))


def waits_for(widget: QWidget) -> str:
    """What a control waits for, "" when it can be used or says nothing about it."""
    return str(widget.property(_WAITS) or "")


def _whole(widget: QWidget) -> str:
    own, waits = str(widget.property(_TIP) or ""), waits_for(widget)
    return f"{own}\n{waits}" if own and waits else own or waits
