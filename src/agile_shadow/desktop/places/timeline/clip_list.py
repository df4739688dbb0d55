"""The clips of the project, beside the viewer."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import QObject, QTimer, Signal

from ....core.project import Clip, Project
from ....core.switch import Presence, choose
from ....core.time import timecode_at
from ... import words
from ...invitation import Invitation
from ...tables import Column, RowsModel, rows_table
from ...work import Work

_LATER = 40  # milliseconds


class ClipList(QObject):
    """``table`` shows ``model``. ``touched``: a clip was selected, or clicked once more."""

    touched = Signal()

    def __init__(self, work: Work, presence: Presence, to_ingest: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._presence = presence
        columns = (
            Column("Clip", lambda clip: clip.name, 118,
                   mark=lambda clip: choose(work.session.project, clip, presence).kind, tip=_clip_tip),
            Column("Proxy", _proxy_text, 100, tip=_clip_tip),
            Column("Length", _clip_length, 86, right=True,
                   tip=lambda clip: f"{words.rate(clip.original.info)} frames per second"),
        )  # fmt: skip
        self.model = RowsModel(columns)
        self.table = rows_table(self.model, 0, "Clips")
        self.invitation = Invitation(
            self.table, "No clips yet. Ingest a card or a folder first.", ("Go to Ingest", to_ingest)
        )
        self._known: tuple[object, ...] = ()
        self._refreshing = False
        self._marks_later = QTimer(self)
        self._marks_later.setSingleShot(True)
        self._marks_later.setInterval(_LATER)
        self._marks_later.timeout.connect(self.table.viewport().update)
        self.table.selectionModel().selectionChanged.connect(lambda _new, _old: self._selected())
        self.table.clicked.connect(lambda _index: self.touched.emit())

    def _selected(self) -> None:
        if not self._refreshing:
            self.touched.emit()

    def show_clips(self, project: Project) -> None:
        """There may be thousands, so the list is only looked at where something in it has changed."""
        known = (project.clips, project.showing, project.shelves, self._presence.version)
        if known == self._known:
            return
        only_marks = bool(self._known) and self._known[0] is project.clips
        self._known = known
        if only_marks:
            self._marks_later.start()  # the picture and the blocks first
            return
        self._refreshing = True
        self.model.set_rows(project.clips)
        self._refreshing = False

    def current(self) -> Clip | None:
        """The chosen clip."""
        rows = self.table.selectionModel().selectedRows()
        return self.model.rows[rows[0].row()] if rows and rows[0].row() < len(self.model.rows) else None


def _clip_tip(clip: Clip) -> str:
    info = clip.original.info
    size = f"{info.display_width} x {info.display_height}, " if info.display_width else ""
    made = f"proxy {clip.proxies[-1].info.display_width} x {clip.proxies[-1].info.display_height}" if (
        clip.proxies and clip.proxies[-1].info.display_width
    ) else "no proxy"  # fmt: skip
    return f"{clip.name}: {size}{info.codec}, {made}"


def _proxy_text(clip: Clip) -> str:
    """The proxy's size; in words where there is none."""
    if clip.original.info.kind != "video" and not clip.proxies:
        return clip.original.info.kind
    if not clip.proxies:
        return "none"
    info = clip.proxies[-1].info
    return f"{info.display_width} x {info.display_height}"


def _clip_length(clip: Clip) -> str:
    info = clip.original.info
    if info.kind == "still":
        return ""
    rate = info.frame_rate or Fraction(25)
    return timecode_at(int(clip.length * rate), rate).removeprefix("00:")
