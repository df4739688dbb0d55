"""Timeline: clips, one viewer, the track."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import QItemSelection, Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from ...core import timeline as edits
from ...core.playback import SoundOutput, TimelineProgram, choose
from ...core.project import Clip, Project
from ...core.time import rate_label, timecode_at
from ...core.timeline import Timeline, block_at
from .. import words
from ..actions import keys_of
from ..player_panel import PlayerPanel
from ..tables import Column, RowsModel, rows_table
from ..timeline_view import TimelineView
from ..work import Work

_BUTTONS = (
    ("append", "Append"),
    ("insert", "Insert"),
    ("cut", "Cut"),
    ("begin_here", "Begin here"),
    ("end_here", "End here"),
    ("remove", "Remove"),
    ("undo", "Undo"),
    ("redo", "Redo"),
)


class TimelinePlace(QWidget):
    """The place. The viewer shows the clip being marked or the timeline, whichever was touched last."""

    def __init__(self, work: Work, sound: SoundOutput) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self.panel = PlayerPanel(sound)
        self.view = TimelineView(self.panel.player.presence)
        self._on_timeline = False
        self._refreshing = False
        self._position = 0
        self._build()
        self._connect()
        self.panel.show_nothing("Choose a clip on the left. I and O mark a range, Ctrl+Return puts it on the timeline.")

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 12)
        layout.setSpacing(8)
        splitter = QSplitter(Qt.Orientation.Horizontal)
        presence = self.panel.player.presence
        columns = (
            Column(
                "Clip",
                lambda clip: clip.name,
                150,
                mark=lambda clip: choose(self._work.session.project, clip, presence).kind,
            ),
            Column(
                "Length",
                _clip_length,
                104,
                right=True,
                tip=lambda clip: f"{words.rate(clip.original.info)} frames per second",
            ),
        )
        self.model = RowsModel(columns)
        self.clips = rows_table(self.model, 0, "Clips")
        self.clips.selectionModel().selectionChanged.connect(self._clip_selected)
        self.clips.clicked.connect(lambda _index: self._show_clip())
        splitter.addWidget(self.clips)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.which = QLabel("")
        self.which.setObjectName("quiet")
        column.addWidget(self.which)
        column.addWidget(self.panel, 1)
        splitter.addWidget(right)
        self.clips.setMinimumWidth(250)
        splitter.setCollapsible(0, False)
        splitter.setSizes([310, 850])
        splitter.setStretchFactor(1, 1)
        layout.addWidget(splitter, 1)
        layout.addLayout(self._button_row())
        layout.addWidget(self.view)

    def _button_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.buttons: dict[str, QPushButton] = {}
        for identity, title in _BUTTONS:
            button = QPushButton(title)
            button.setToolTip(f"Key: {keys_of(identity)}")
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _checked=False, identity=identity: self.command(identity))
            self.buttons[identity] = button
            row.addWidget(button)
        row.addStretch(1)
        self.settings = QLabel("")
        self.settings.setObjectName("quiet")
        row.addWidget(self.settings)
        return row

    def _connect(self) -> None:
        self.view.sought.connect(self._sought)
        self.view.edited.connect(self._edited)
        self.view.selected_changed.connect(self._enable)
        self.panel.moved.connect(self._moved)

    # Showing

    def refresh(self) -> None:
        """Show the document."""
        project = self._work.session.project
        self._refreshing = True
        self.model.set_rows([clip for clip in project.clips if clip.original.info.kind == "video"])
        self._refreshing = False
        self.view.set_project(project)
        if self._on_timeline:
            if project.timeline.blocks and self.panel.loaded:
                self.panel.update_project(project, TimelineProgram(project.timeline))
            else:
                self._show_timeline(self._position)
        elif self.panel.loaded:
            self.panel.update_project(project)
        self._show_which()
        self._show_settings(project)
        self._enable()

    def _show_settings(self, project: Project) -> None:
        line = project.timeline
        if not line.rate:
            self.settings.setText("Rate and frame size come from the first clip's original")
            return
        length = timecode_at(line.length, line.rate)
        self.settings.setText(f"{line.width} x {line.height} at {rate_label(line.rate)}, length {length}")

    def _show_which(self) -> None:
        if self._on_timeline:
            self.which.setText("In the viewer: the timeline")
        elif self.panel.clip is not None:
            self.which.setText(f"In the viewer: clip {self.panel.clip.name}")
        else:
            self.which.setText("")

    def _enable(self) -> None:
        session = self._work.session
        line = session.project.timeline
        clip = self.panel.clip
        markable = clip is not None and self.panel.loaded
        under = block_at(line, self._position) is not None
        wanted = {
            "append": markable, "insert": markable, "cut": under, "begin_here": under, "end_here": under,
            "remove": self.view.selected is not None,
            "undo": session.undo_label is not None, "redo": session.redo_label is not None,
        }  # fmt: skip
        for identity, enabled in wanted.items():
            self.buttons[identity].setEnabled(enabled)
        for identity, label in (("undo", session.undo_label), ("redo", session.redo_label)):
            what = f": {label}" if label else ""
            self.buttons[identity].setToolTip(f"{identity.capitalize()}{what} ({keys_of(identity)})")

    def current_clip(self) -> Clip | None:
        """The chosen clip of the list."""
        rows = self.clips.selectionModel().selectedRows()
        return self.model.rows[rows[0].row()] if rows and rows[0].row() < len(self.model.rows) else None

    def _clip_selected(self, _new: QItemSelection, _old: QItemSelection) -> None:
        if not self._refreshing:
            self._show_clip()

    def _show_clip(self) -> None:
        clip = self.current_clip()
        if clip is None or (not self._on_timeline and self.panel.clip is not None and self.panel.clip.id == clip.id):
            return
        self._on_timeline = False
        self.panel.show_clip(clip, self._work.session.project)
        self._show_which()
        self._enable()

    def _show_timeline(self, frame: int) -> None:
        self._on_timeline = True
        project = self._work.session.project
        self.panel.show_program(TimelineProgram(project.timeline), project, frame)
        self._show_which()
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
            if not self.panel.player.playing:
                self._enable()

    # Editing

    def _edited(self, label: str, timeline: Timeline) -> None:
        self._work.session.edit(label, lambda project: replace(project, timeline=timeline))

    def _edit_timeline(self, label: str, change: Callable[[Timeline], Timeline]) -> None:
        self._work.session.edit(label, lambda project: replace(project, timeline=change(project.timeline)))

    def command(self, identity: str) -> bool:
        """One of the editing commands; False when it is none of them."""
        block = block_at(self._work.session.project.timeline, self._position)
        position = self._position
        if identity in ("append", "insert"):
            self._place(identity)
        elif identity == "cut":
            self._edit_timeline("Cut", lambda line: edits.cut(line, position))
        elif identity == "remove" and self.view.selected is not None:
            chosen = self.view.selected
            self._edit_timeline("Remove", lambda line: edits.remove(line, chosen))
        elif identity == "begin_here" and block is not None:
            by = position - block.start
            self._edit_timeline("Trim the start", lambda line: edits.trim_start(line, block.id, by))
        elif identity == "end_here" and block is not None:
            by = position + 1 - block.end
            self._edit_timeline("Trim the end", lambda line: edits.trim_end(line, block.id, by))
        elif identity in ("earlier", "later") and self.view.selected is not None:
            self._move_one(self.view.selected, identity)
        elif identity in ("closer", "wider"):
            self.view.zoom(1.3 if identity == "closer" else 1 / 1.3)
        elif identity == "all":
            self.view.zoom_all()
        elif identity in ("undo", "redo"):
            (self._work.session.undo if identity == "undo" else self._work.session.redo)()
        else:
            return False
        return True

    def _place(self, identity: str) -> None:
        clip = self.panel.clip
        if clip is None or not self.panel.loaded:
            return
        first, end = self.panel.marked_range()
        rate = self.panel.player.program.rate if self.panel.player.program is not None else Fraction(25)
        start, length = first / rate, Fraction(end - first) / rate
        position = self._position
        was_empty = not self._work.session.project.timeline.blocks

        def change(project: Project) -> Project:
            project = project.with_timeline_settings_of(clip)
            line = project.timeline
            if identity == "append":
                line = edits.append(line, clip.id, clip.length, start, length)
            else:
                line = edits.insert(line, min(position, line.length), clip.id, clip.length, start, length)
            return replace(project, timeline=line)

        self._work.session.edit("Append" if identity == "append" else "Insert", change)
        if was_empty:
            self.view.zoom_all()

    def _move_one(self, chosen: str, identity: str) -> None:
        line = self._work.session.project.timeline
        order = [block.id for block in line.blocks]
        place = order.index(chosen)
        neighbour = place - 1 if identity == "earlier" else place + 1
        if 0 <= neighbour < len(order):
            other = line.blocks[neighbour]
            target = other.start if identity == "earlier" else other.end - line.blocks[place].length
            self._edit_timeline("Move a block", lambda timeline: edits.move(timeline, chosen, target))

    def left(self) -> None:
        """Another place was opened."""
        self.panel.halt()
        self.panel.player.release()

    def entered(self) -> None:
        """The place was opened."""
        self.refresh()
        project = self._work.session.project
        if self._on_timeline:
            self._show_timeline(self._position)
        elif self.panel.clip is not None:
            self.panel.show_clip(
                project.clip(self.panel.clip.id) or self.panel.clip, project, self.panel.player.position
            )


def _clip_length(clip: Clip) -> str:
    info = clip.original.info
    return timecode_at(int(clip.length * info.frame_rate), info.frame_rate) if info.frame_rate else ""
