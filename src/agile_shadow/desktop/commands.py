"""What the commands of the table do, wherever they come from: keys, menus, buttons."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QPlainTextEdit

from ..core.playback import Reason
from ..core.project import Clip, Project
from .actions import COMMANDS
from .keys_dialog import KeysDialog
from .showing import unpinned

if TYPE_CHECKING:
    from .window import MainWindow

PLAYING = {command.id for command in COMMANDS if command.area in ("Playing", "Marking")}

_PAIRS = {
    "look", "closer", "wider", "all", "divider_left", "divider_right", "pan_left", "pan_right", "pan_up", "pan_down",
}  # fmt: skip


class Commands:
    """Owned by the window."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.keys: KeysDialog | None = None

    def do(self, identity: str) -> None:
        """Do a command of the table; one that has no meaning in the open place does nothing."""
        if identity in PLAYING or identity == "switch":
            self._window.measuring.stand_still()
        if self._typing() and identity not in ("keys", "save") and not identity.startswith("place_"):
            return
        if identity == "switch":
            showing = self._window.work.session.project.showing
            self.flip_to("originals" if showing == "proxies" else "proxies")
        elif identity == "pin":
            self._pin()
        elif identity.startswith("place_"):
            self._window.open_place(int(identity[-1]) - 1)
        elif identity == "jobs":
            self._window.drawer.setVisible(not self._window.drawer.isVisible())
            self._window.show_jobs()
        elif identity == "keys":
            self.keys = KeysDialog(self._window)
            self.keys.open()
        elif identity == "theme":
            self._window.change_theme()
        elif identity == "save":
            self._window.work.in_background(self._window.work.session.save, lambda _done: None)
        elif self._window.stack.currentWidget() is self._window.timeline and self._window.timeline.command(identity):
            return
        elif identity in PLAYING:
            panel = self._window.panel()
            if panel is not None:
                panel.command(identity)
        elif self._window.stack.currentWidget() is self._window.pairs and identity in _PAIRS:
            self._window.pairs.command(identity)
        elif identity in ("undo", "redo"):
            self._window.timeline.command(identity)

    @staticmethod
    def _typing() -> bool:
        return isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit | QAbstractSpinBox)

    def flip_to(self, side: str) -> None:
        """Show originals or proxies."""

        def flip(project: Project) -> Project:
            return project.but(showing="proxies" if side == "proxies" else "originals")

        self._window.work.session.edit(f"Show {side}", flip)

    def _pin(self) -> None:
        clip = self._clip_in_hand()
        if clip is None:
            return

        def pin(project: Project) -> Project:
            current = project.clip(clip.id)
            if current is None:
                return project
            other = "originals" if project.showing == "proxies" else "proxies"
            return project.with_pin(current.id, None if current.pin else other)  # type: ignore[arg-type]

        self._window.work.session.edit("Pin", pin)

    def mend(self, reason: Reason) -> None:
        """Do what the reason for late pictures offers."""
        if reason.mend == "show proxies":
            self.flip_to("proxies")
        elif reason.mend == "unpin":
            self._window.work.session.edit("Unpin", lambda project: unpinned(project, reason.clip))
        elif reason.mend == "make a proxy":
            self._window.pairs.doing_with.make_again([reason.clip])
            self._window.tell("A proxy is being made; it is shown when it is there.", calm=True)
        elif reason.mend == "bake":
            self._window.timeline.command("bake")

    def _clip_in_hand(self) -> Clip | None:
        if self._window.stack.currentWidget() is self._window.pairs:
            return self._window.pairs.current()
        if self._window.stack.currentWidget() is not self._window.timeline:
            return None
        selected = self._window.timeline.view.selected
        block = self._window.work.session.project.timeline.block(selected) if selected is not None else None
        if block is not None:
            return self._window.work.session.project.clip(block.clip)
        return self._window.timeline.current_clip()
