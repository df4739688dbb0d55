"""From a block to its clip, its pair, its files and its card, and from a clip to where it is used."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.errors import ShadowError, sentence
from ..core.pairs import FileRef
from ..core.project import Clip
from ..core.timeline import Block, Timeline
from .late_places import PAIRS, STORAGE, TIMELINE
from .show_file import show_file

if TYPE_CHECKING:
    from .window import MainWindow


class Jumps:
    """Owned by the window's commands."""

    def __init__(self, window: MainWindow) -> None:
        self._window = window

    def to_pair(self, clip: Clip) -> None:
        """The clip's row in Pairs."""
        self._window.open_place(PAIRS)
        self._window.pairs.show_clip(clip.id)

    def to_use(self, clip: Clip) -> None:
        """The next place at which a timeline uses the clip, beginning after the playhead of the open one."""
        project = self._window.work.session.project
        lines = [project.timeline, *(line for line in project.timelines if line.id != project.timeline.id)]
        uses = [(line, block) for line in lines for block in uses_of(line, clip)]
        if not uses:
            self._window.tell(f"{clip.name} is not used on any timeline yet.", calm=True)
            return
        later = self._window.timeline.view.position if self._window.stack.currentIndex() == TIMELINE else -1
        after = [use for use in uses if use[0].id == project.timeline.id and use[1].start > later]
        line, block = (after or [use for use in uses if use[0].id != project.timeline.id] or uses)[0]
        self._window.open_place(TIMELINE)
        self._window.timeline.show_block(line, block)
        number = uses.index((line, block)) + 1
        self._window.tell(f"{clip.name}: use {number} of {len(uses)}, on {line.name}.", calm=True)

    def to_card(self, clip: Clip) -> None:
        """The page of the card that the clip came from."""
        self._window.open_place(STORAGE)
        self._window.storage.choose("cards")
        try:
            self._window.storage.cards.choose_copy(self._window.work.session.project.place(clip.original.file))
        except ShadowError as error:
            self._window.tell(sentence(error))

    def to_file(self, file: FileRef | None, what: str) -> None:
        """A file of the clip in the file manager."""
        if file is None:
            self._window.tell(f"This clip has no {what}.", calm=True)
            return
        try:
            path = self._window.work.session.project.place(file)
        except ShadowError as error:
            self._window.tell(sentence(error))
            return
        if path is not None and not show_file(path):
            self._window.tell(f"{path}: the desktop has no file manager that could show it.", calm=True)


def uses_of(line: Timeline, clip: Clip) -> list[Block]:
    """The blocks of a clip on a timeline in the order of time; sound that is linked to a picture is left out."""
    blocks = sorted((block for block in line.blocks if block.clip == clip.id), key=lambda block: block.start)
    shown = {block.link for track in line.pictures for block in track.blocks if block.clip == clip.id and block.link}
    sound = {block.id for track in line.sounds for block in track.blocks}
    return [block for block in blocks if block.id not in sound or block.link not in shown]
