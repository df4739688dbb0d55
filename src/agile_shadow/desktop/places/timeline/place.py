"""Timeline: clips, one viewer, the tracks."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QScrollBar,
    QSplitter,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from ....core import timeline as edits
from ....core.playback import BakeState, SoundOutput, TimelineProgram, bake_states
from ....core.timeline import Block, Marker, Timeline, Track
from ...actions import BY_ID, keys_of
from ...labels import ElidedLabel
from ...player_panel import PlayerPanel
from ...work import Work
from ..place import PlacePage
from .block_panel import BlockPanel
from .clip_list import ClipList
from .cut_buttons import CutButtons
from .doing import CutCommands
from .late_dialog import LateDialog
from .lines_bar import LinesBar
from .notes import Notes
from .paint import marked
from .placing import PlacingOverlay
from .sights import Sights
from .view import TimelineView

_BLOCK_MENU = (
    "settings", "pin_block", "link", "in_step", "lay_sound", "", "cut", "lift", "remove", "copy", "cut_out", "",
    "earlier", "later", "move_up", "move_down", "fade", "bake", "", "to_pair", "to_use", "to_card", "show_original",
    "show_proxy",
)  # fmt: skip
_TRACK_MENU = ("paste", "paste_in", "close_gap", "", "lock", "off", "picture_track", "sound_track", "remove_track")
class TimelinePlace(PlacePage):
    """The place. The viewer shows the clip being marked or the timeline, whichever was touched last.

    Large: its attributes are its parts, most methods hand one command on to the part that is meant.
    """

    goes_to = Signal(str)

    def __init__(self, work: Work, sound: SoundOutput, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self._work = work
        self.dialog: LateDialog | None = None
        self.panel = PlayerPanel(sound)
        self.panel.loop_range = self._loop_range
        self.list = ClipList(work, self.panel.player.presence, lambda: self.goes_to.emit("place_2"), self)
        self.clips, self.model = self.list.table, self.list.model
        self.sights = Sights(work, self._sight_came)
        self.view = TimelineView(self.panel.player.presence, self.sights)
        self.placing = PlacingOverlay(work, self.panel.viewer)
        self.doing = CutCommands(work, self.view, work.problem.emit)
        self._on_timeline = False
        self._position = 0
        self._line = ""
        self._positions: dict[str, int] = {}  # where the playhead stood on other timelines
        self._build()
        self._connect()
        self.panel.show_nothing("Select a clip on the left. I and O mark a range, Ctrl+Return adds it to the timeline.")

    # Building

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 10)
        halves = QSplitter(Qt.Orientation.Vertical, self)
        layout.addWidget(halves)
        upper = QSplitter(Qt.Orientation.Horizontal, halves)
        self._add_side(upper)
        self._add_viewer(upper)
        upper.setCollapsible(0, False)
        upper.setSizes([320, 840])
        upper.setStretchFactor(1, 1)
        lower = QWidget(halves)
        column = QVBoxLayout(lower)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(6)
        column.addLayout(self._button_row())
        column.addWidget(self.view, 1)
        self.bar = QScrollBar(Qt.Orientation.Horizontal)
        self.bar.setAccessibleName("Visible part of the timeline")
        self.bar.valueChanged.connect(self.view.scroll_to)
        self.view.in_sight_changed.connect(self._show_bar)
        column.setSpacing(4)
        column.addWidget(self.bar)
        halves.setCollapsible(0, False)
        halves.setCollapsible(1, False)
        halves.setStretchFactor(0, 1)
        halves.setSizes([460, 260])

    def _add_side(self, halves: QSplitter) -> None:
        self.side = QTabWidget(halves)
        self.block_panel = BlockPanel(self._work)
        self.notes = Notes(self._timecode)
        self.side.setMinimumWidth(308)
        self.side.addTab(self.list.table, "Clips")
        self.side.addTab(self.block_panel, "Block")
        self.side.addTab(self.notes, "Notes")

    def _add_viewer(self, halves: QSplitter) -> None:
        right = QWidget(halves)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.which = ElidedLabel()
        self.which.setObjectName("quiet")
        column.addWidget(self.which)
        column.addWidget(self.panel, 1)

    def _button_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.buttons = CutButtons(self.command)
        row.addWidget(self.buttons, 1)
        self.lines = LinesBar(self._work, self)
        self.lines.about_to_change.connect(self.panel.halt)
        self.lines.opened.connect(lambda: self._show_timeline(self._position))
        self.lines.commanded.connect(self.command)
        row.addWidget(self.lines)
        return row

    def _connect(self) -> None:
        self.list.touched.connect(self._show_clip)
        self.view.sought.connect(self._sought)
        self.view.edited.connect(self._edited)
        self.view.selected_changed.connect(self._block_chosen)
        self.view.opened.connect(lambda: self.side.setCurrentWidget(self.block_panel))
        self.view.asked.connect(self._show_menu)
        self.notes.sought.connect(self._sought)
        self.notes.changed.connect(self._note_changed)
        self.notes.removed.connect(self._note_removed)
        self.notes.left.connect(self.view.setFocus)
        self.panel.moved.connect(self._moved)

    # Showing

    def refresh(self) -> None:
        """Show the document."""
        project = self._work.session.project
        self.list.show_clips(project)
        line = project.timeline
        self.view.set_project(project)
        self.view.baked = tuple((s.bake.start, s.bake.end, s.used, _baked_text(s)) for s in bake_states(project))
        if line.id != self._line:
            self._positions[self._line] = self._position
            self._line = line.id
            self._position = min(self._positions.get(line.id, 0), max(0, line.length - 1))
            self.view.set_position(self._position)
            self.view.zoom_all()
        if self._on_timeline:
            if line.length and self.panel.loaded:
                self.panel.update_project(project, TimelineProgram.of(project))
            else:
                self._show_timeline(self._position)
            self.panel.scrub.show_marks(line.mark_in, line.mark_out)
        elif self.panel.loaded:
            self.panel.update_project(project)
        self.block_panel.show_blocks(project, self.view.chosen)
        self.notes.show_notes(line)
        self._show_which()
        self.lines.show_project(project)
        self._show_placing()
        self._enable()

    def _show_bar(self) -> None:
        whole, sight = self.view.span()
        self.bar.blockSignals(True)
        self.bar.setRange(0, max(0, whole - sight))
        self.bar.setPageStep(sight)
        self.bar.setValue(int(self.view.rows.offset))
        self.bar.blockSignals(False)

    def _sight_came(self) -> None:
        self.view.update()

    def _show_which(self) -> None:
        if self._on_timeline:
            self.which.setText(f"In the viewer: {self._work.session.project.timeline.name}")
        elif self.panel.clip is not None:
            self.which.setText(f"In the viewer: clip {self.panel.clip.name}")
        else:
            self.which.setText("")

    def _enable(self) -> None:
        session = self._work.session
        line = session.project.timeline
        markable = self.panel.clip is not None and self.panel.loaded
        under = any(track.block_at(self._position) is not None for track in line.tracks)
        stretch = line.mark_in is not None or line.mark_out is not None
        self.buttons.name_steps(session.undo_label, session.redo_label)
        self.buttons.enable({
            "append": markable, "insert": markable, "overwrite": markable, "exchange": markable and under,
            "cut": under, "dissolve": bool(line.length), "title": bool(line.rate),
            "lift": bool(self.view.chosen) or stretch, "remove": bool(self.view.chosen) or stretch,
            "undo": session.undo_label is not None, "redo": session.redo_label is not None,
        })  # fmt: skip

    def _show_placing(self) -> None:
        """The block that can be placed in the viewer: the one selected, where it is what is seen."""
        project = self._work.session.project
        line = project.timeline
        block = line.block(self.view.chosen[0]) if len(self.view.chosen) == 1 else None
        track = line.track_of(block.id) if block is not None else None
        good = (
            self._on_timeline and track is not None and track.kind == "picture" and not track.locked and not track.off
            and block is not None and block.start <= self._position < block.end and not self.panel.player.playing
        )  # fmt: skip
        self.placing.show(project, block if good else None, self._position)

    def _timecode(self, frame: int) -> str:
        return self._work.session.project.timeline.timecode(frame)

    def _show_clip(self) -> None:
        clip = self.list.current()
        if clip is None or (not self._on_timeline and self.panel.clip is not None and self.panel.clip.id == clip.id):
            return
        self._on_timeline = False
        self._show_placing()
        self.panel.show_clip(clip, self._work.session.project)
        self._show_which()
        self._enable()

    def _show_timeline(self, frame: int) -> None:
        self._on_timeline = True
        self._position = frame
        self._show_placing()
        project = self._work.session.project
        self.panel.show_program(TimelineProgram.of(project), project, frame)
        self.panel.scrub.show_marks(project.timeline.mark_in, project.timeline.mark_out)
        self._show_which()
        self._enable()

    def _block_chosen(self) -> None:
        self.block_panel.show_blocks(self._work.session.project, self.view.chosen)
        self._show_placing()
        self._enable()

    def _sought(self, frame: int) -> None:
        self._position = frame
        self.view.set_position(frame)
        if self._on_timeline and self.panel.loaded:
            self.panel.seek(frame)
        else:
            self._show_timeline(frame)

    def _moved(self, frame: int) -> None:
        if self._on_timeline:
            self._position = frame
            self.view.set_position(frame)
            self._show_placing()
            if not self.panel.player.playing:
                self._enable()

    def _loop_range(self) -> tuple[int, int]:
        line = self._work.session.project.timeline
        if not self._on_timeline:
            return self.panel.marked_range()
        first, end = marked(line)
        return first, min(end, line.length)

    def show_block(self, line: Timeline, block: Block) -> None:
        """Open a timeline at a block, and select it."""
        if line.id != self._work.session.project.timeline.id:
            self.lines.open_line(line)
        self._sought(block.start)
        self.view.choose((block.id,))
        self.view.setFocus()

    # Menus

    def _show_menu(self, place: QPoint, under: Block | Track | None) -> None:
        menu = QMenu(self)
        if isinstance(under, Track):
            self.view.take_in_hand(under)
        for identity in _BLOCK_MENU if isinstance(under, Block) else _TRACK_MENU:
            if not identity:
                menu.addSeparator()
                continue
            action = QAction(f"{BY_ID[identity].title}\t{keys_of(identity)}", menu)
            action.triggered.connect(lambda _checked=False, identity=identity: self.goes_to.emit(identity))
            menu.addAction(action)
        menu.popup(place)

    # Editing

    def _edited(self, label: str, timeline: Timeline) -> None:
        self._work.session.edit(label, lambda project: project.but(timeline=timeline))

    def _note_changed(self, marker: Marker, note: str) -> None:
        self.doing.edit("Note", lambda line: edits.add_marker(line, marker.frame, note))

    def _note_removed(self, marker: Marker) -> None:
        self.doing.edit("Delete a note", lambda line: edits.remove_marker(line, marker.id))

    def command(self, identity: str) -> bool:
        """One of the commands of this place; False when it is none of them."""
        if identity in ("append", "insert", "overwrite", "exchange"):
            self._place(identity)
        elif identity in ("mark_in", "mark_out", "unmark") and self._on_timeline:
            self._mark(identity)
        elif identity in ("previous_cut", "next_cut"):
            self._sought(self.doing.hand.next_cut(1 if identity == "next_cut" else -1))
        elif identity in self.doing.commands:
            self.doing.commands[identity]()
        elif identity in ("undo", "redo"):
            (self._work.session.undo if identity == "undo" else self._work.session.redo)()
        else:
            return self._show_command(identity)
        return True

    def _show_command(self, identity: str) -> bool:
        line = self._work.session.project.timeline
        if identity in ("closer", "wider"):
            self.view.zoom(1.3 if identity == "closer" else 1 / 1.3)
        elif identity == "all":
            self.view.zoom_all()
        elif identity == "settings":
            self.side.setCurrentWidget(self.block_panel)
            self.block_panel.first_field().setFocus()
        elif identity == "note":
            self.doing.edit("Note", lambda line: edits.add_marker(line, self._position))
            self.side.setCurrentWidget(self.notes)
            self.notes.choose(self._position)
        elif identity == "next_note":
            later = [marker.frame for marker in line.markers if marker.frame > self._position]
            if later or line.markers:
                self._sought(later[0] if later else line.markers[0].frame)
        elif identity == "bake":
            self._bake()
        elif identity == "unbake":
            here = [s.bake for s in bake_states(self._work.session.project)
                    if s.bake.start <= self._position < s.bake.end]  # fmt: skip
            self._work.asked.remove_bakes(here)
        elif identity == "bake_late":
            self._ask_about_late()
        elif identity == "new_timeline":
            self.lines.change("New timeline", lambda project: project.with_new_timeline())
            self._show_timeline(self._position)
        elif identity == "next_timeline":
            lines = self._work.session.project.timelines
            self.lines.open_line(lines[([one.id for one in lines].index(line.id) + 1) % len(lines)])
        else:
            return False
        return True

    def _bake(self) -> None:
        """The marked stretch, else what the chosen blocks cover, else what the block under the playhead covers."""
        line = self._work.session.project.timeline
        chosen = [block for one in self.view.chosen if (block := line.block(one)) is not None]
        here = self.doing.hand.block_here()
        blocks = chosen or ([here] if here is not None else [])
        if line.mark_in is not None or line.mark_out is not None:
            start, end = marked(line)
        elif blocks:
            start, end = min(block.start for block in blocks), max(block.end for block in blocks)
        else:
            return
        self._work.asked.bake(start, min(end, line.length))

    def _ask_about_late(self) -> None:
        self.dialog = LateDialog(self._work, self.panel.player.lateness.stretches, self)
        self.dialog.taken.connect(
            lambda room: self._work.session.absorb(lambda now: replace(now, bake_room=room))
        )
        self.dialog.open()

    def _mark(self, identity: str) -> None:
        position = self._position

        def change(line: Timeline) -> Timeline:
            first, last = line.mark_in, line.mark_out
            if identity == "unmark":
                return edits.with_marks(line, None, None)
            if identity == "mark_in":
                return edits.with_marks(line, position, last if last is not None and last >= position else None)
            return edits.with_marks(line, first if first is not None and first <= position else None, position)

        self.doing.edit("Mark", change)

    def _place(self, how: str) -> None:
        clip, program = self.panel.clip, self.panel.player.program
        if clip is None or not self.panel.loaded or program is None:
            return
        first, end = self.panel.marked_range()
        was_empty = not self._work.session.project.timeline.length
        still = clip.original.info.kind == "still"
        length = Fraction(5) if still else (end - first) / program.rate
        self.doing.place(how, clip, first / program.rate, length)
        if was_empty:
            self.view.zoom_all()

    # Coming and going

    def left(self) -> None:
        """Another place was opened."""
        self.panel.halt()
        self.panel.player.release()

    def entered(self) -> None:
        """The place was opened."""
        self.sights.forget()
        self.refresh()
        project = self._work.session.project
        if self._on_timeline:
            self._show_timeline(self._position)
        elif self.panel.clip is not None:
            self.panel.show_clip(
                project.clip(self.panel.clip.id) or self.panel.clip, project, self.panel.player.position
            )

    def presence_changed(self) -> None:
        """Files came or went."""
        self.sights.forget()
        self.panel.look_again()
        if self.isVisible():
            self.refresh()

    def colours_changed(self) -> None:
        """What was drawn in the other colours is forgotten."""
        self.model.forget_icons()

    def close_place(self) -> None:
        """Have threads and workers end."""
        self._work.at_the_end(self.panel.close_player())
        self.sights.close()


def _baked_text(state: BakeState) -> str:
    if not state.fresh:
        return "baked, changed since"
    return "baked" if state.used else f"baked from {state.bake.side}"
