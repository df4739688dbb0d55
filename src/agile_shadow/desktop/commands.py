"""What the commands of the table do, wherever they come from: keys, menus, buttons.

Imports inside functions: dialogs are imported when they are first opened: the window is there sooner.
"""

from __future__ import annotations

from collections.abc import Callable
from operator import attrgetter
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QAbstractButton, QAbstractSpinBox, QApplication, QDialog, QLineEdit, QPlainTextEdit

from ..core.playback import Reason
from ..core.project import Clip, Project
from .actions import BY_ID, COMMANDS, PLACE_NAMES, Command
from .jumps import Jumps
from .late_places import PAIRS, TIMELINE
from .showing import unpinned
from .waits import waits_for

if TYPE_CHECKING:
    from .keys_dialog import KeysDialog
    from .window import MainWindow

PLAYING = {command.id for command in COMMANDS if command.area in ("Playing", "Marking")}

_PAIRS = {
    "look", "tags", "closer", "wider", "all", "divider_left", "divider_right", "pan_left", "pan_right", "pan_up",
    "pan_down",
}  # fmt: skip
_WHILE_TYPING = {"save", "new_project", "open_project", "quit"}


class Commands:
    """Owned by the window."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window
        self.keys: KeysDialog | None = None
        self.dialog: QDialog | None = None
        self.jumps = jumps = Jumps(window)
        self._of_clip: dict[str, Callable[[Clip], object]] = {
            "to_pair": jumps.to_pair, "to_use": jumps.to_use, "to_card": jumps.to_card,
            "show_original": lambda clip: jumps.to_file(clip.original.file, "original"),
            "show_proxy": lambda clip: jumps.to_file(clip.proxies[-1].file if clip.proxies else None, "proxy"),
        }  # fmt: skip
        self._anywhere: dict[str, Callable[[], object]] = {
            "switch": self._flip, "pin": self._pin, "jobs": window.toggle_jobs, "keys": self._show_keys,
            "theme": window.change_theme, "save": self._save, "quit": window.close, "search": self._search,
            "menu": window.open_menu, "guide": self.show_guide, "what": self._what, "about": self._about,
            "first_steps": window.first_steps, "demo": window.open_demo,
            "new_project": lambda: window.project_menu.new_project(),
            "open_project": lambda: window.project_menu.open_project(),
            "new_from_template": lambda: window.project_menu.new_from_ready_made(),
            "save_template": lambda: window.project_menu.keep_as_ready_made(),
        }  # fmt: skip

    def by_key(self, identity: str) -> None:
        """A key was pressed: while text is being typed it means what it means there, but for a few."""
        if not self._typing() or identity in _WHILE_TYPING or BY_ID[identity].area in ("Window", "Help"):
            self.do(identity)

    def do(self, identity: str) -> None:
        """Do a command of the table; one that has no meaning in the open place does nothing."""
        self._window.late_bakes.hand()
        if identity in PLAYING or identity == "switch":
            self._window.measuring.stand_still()
        if identity in self._anywhere:
            self._anywhere[identity]()
        elif identity in self._of_clip:
            clip = self._clip_in_hand()
            if clip is None:
                self._window.tell("Select a clip or one of its blocks first.", calm=True)
            else:
                self._of_clip[identity](clip)
        elif identity.startswith("place_"):
            self._window.open_place(int(identity[-1]) - 1)
        elif BY_ID[identity].button is not None:
            self._press(BY_ID[identity])
        else:
            self._in_place(identity)

    def _in_place(self, identity: str) -> None:
        window = self._window
        number = window.stack.currentIndex()
        if number == TIMELINE and window.timeline.command(identity):
            return
        if identity in PLAYING:
            panel = window.panel()
            if panel is not None:
                panel.command(identity)
        elif number == PAIRS and identity in _PAIRS:
            window.pairs.command(identity)
        elif identity in ("undo", "redo"):
            window.timeline.command(identity)

    def why_not(self, command: Command) -> str:
        """What stands against a command now; "" when it can be done."""
        window = self._window
        if window.stack.currentIndex() not in command.places:
            return f"Works in {' and '.join(PLACE_NAMES[number] for number in sorted(command.places))}."
        if command.id in ("undo", "redo"):
            session = window.work.session
            label = session.undo_label if command.id == "undo" else session.redo_label
            return "" if label is not None else f"There is nothing to {command.id}."
        number = command.button[0] if command.button is not None else None
        if number is None or not window.places.is_built(number):
            return ""
        button = self._button(command)
        return "" if button.isEnabled() else waits_for(button) or f"Not possible now in {PLACE_NAMES[number]}."

    def _button(self, command: Command) -> QAbstractButton:
        assert command.button is not None
        number, way = command.button
        button = attrgetter(way)(self._window.places.get(number))
        assert isinstance(button, QAbstractButton)
        return button

    def _press(self, command: Command) -> None:
        """Go to the command's place and press its button there; where it cannot be pressed, say why."""
        assert command.button is not None
        if self._window.stack.currentIndex() != command.button[0]:
            self._window.open_place(command.button[0])
        button = self._button(command)
        if button.isEnabled():
            button.click()
        else:
            self._window.tell(f"{command.title.rstrip('…')}: {self.why_not(command)}", calm=True)

    # Commands of the whole window

    def _flip(self) -> None:
        showing = self._window.work.session.project.showing
        self.flip_to("originals" if showing == "proxies" else "proxies")

    def _save(self) -> None:
        self._window.work.in_background(self._window.work.session.save, lambda _done: None)

    def _show_keys(self) -> None:
        from .keys_dialog import KeysDialog

        self.keys = KeysDialog(self._window, self._window.keys.bind)
        self.keys.open()

    def _search(self) -> None:
        from .search_dialog import SearchDialog

        self.dialog = SearchDialog(self._window)
        self.dialog.open()

    def show_guide(self, heading: str = "") -> None:
        """Open the guide, at a heading if one is named."""
        from .guide_window import GuideWindow

        window = self._window
        if not isinstance(window.guide, GuideWindow):
            window.guide = GuideWindow(window)
        window.guide.show()
        window.guide.raise_()
        window.guide.show_heading(heading)

    def _what(self) -> None:
        self.show_guide(PLACE_NAMES[self._window.stack.currentIndex()])

    def _about(self) -> None:
        from .about_dialog import AboutDialog

        self.dialog = AboutDialog(self._window)
        self.dialog.open()

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
            self._window.tell("Making a proxy. It is shown as soon as it is ready.", calm=True)
        elif reason.mend == "bake":
            self._window.timeline.command("bake")

    def _clip_in_hand(self) -> Clip | None:
        if self._window.stack.currentIndex() == PAIRS:
            return self._window.pairs.current()
        if self._window.stack.currentIndex() != TIMELINE:
            return None
        selected = self._window.timeline.view.selected
        block = self._window.work.session.project.timeline.block(selected) if selected is not None else None
        if block is not None:
            return self._window.work.session.project.clip(block.clip)
        return self._window.timeline.list.current()
