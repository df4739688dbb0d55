"""What a preset will do to footage: a row for each kind of original, exact or measured, live."""

from __future__ import annotations

import time

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHeaderView, QLabel, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.estimates import (
    Estimate,
    Kind,
    Number,
    estimate,
    headroom_under,
    kinds_of,
    needs_headroom,
    needs_proxy,
    usual_kinds,
)
from ....core.presets import Preset, Proxies
from ....core.project import Project
from ... import theme, words
from ...measuring import ENOUGH_HEADROOM, Measuring, samples_in

_COLUMNS = ("Originals", "Proxy", "Data per hour", "Work; headroom")
_ROW = 38
_WIDE = 470  # pixels that four columns need
UNKNOWN = "not measured"


class Outlook(QWidget):
    """The table, what is wrong below it, and how the numbers came about."""

    def __init__(self, measuring: Measuring) -> None:
        super().__init__()
        self._measuring = measuring
        self.kinds: list[Kind] = []
        self.estimates: list[Estimate] = []
        self._clips: tuple[object, ...] | None = None
        self._narrow = False
        self._again: tuple[Preset | None, Project] | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(5)
        self.title = QLabel("")
        self.title.setObjectName("part")
        self.title.setWordWrap(True)
        layout.addWidget(self.title)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("What the preset does")
        self.table.setToolTip("Each kind of footage: its proxy, data, work and headroom")
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.setFont(theme.sans(9))
        self.table.horizontalHeader().setFont(theme.sans(9))
        self.table.setTabKeyNavigation(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(_ROW)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(len(_COLUMNS)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        layout.addWidget(self.table, 1)
        self.notes = QLabel("")
        self.notes.setObjectName("warn")
        self.notes.setWordWrap(True)
        layout.addWidget(self.notes)
        self.need = QLabel("")
        self.need.setWordWrap(True)
        layout.addWidget(self.need)
        self.how = QLabel("")
        self.how.setObjectName("quiet")
        self.how.setWordWrap(True)
        layout.addWidget(self.how)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window the last column stands below the third."""
        super().resizeEvent(event)
        narrow = self.width() < _WIDE
        if narrow != self._narrow:
            self._narrow = narrow
            self.table.setColumnHidden(len(_COLUMNS) - 1, narrow)
            self.table.verticalHeader().setDefaultSectionSize(_ROW * 2 if narrow else _ROW)
            if self._again is not None:
                self.show_preset(*self._again)

    def show_preset(self, preset: Preset | None, project: Project) -> None:
        """Fill it for a preset; None while the fields cannot be meant."""
        self._again = (preset, project)
        if self._clips is not project.clips or not self.kinds:
            self._clips = project.clips
            self.kinds = kinds_of(samples_in(project)) or usual_kinds()
        usual = not self.kinds[0].samples
        self.title.setText(
            "Effect on usual kinds of footage" if usual else "Effect on this project's footage"
        )
        if preset is None:
            self.table.setRowCount(0)
            self.notes.setText("")
            return
        self.estimates = [estimate(kind, preset, self._measuring.kept) for kind in self.kinds]
        self.table.setRowCount(len(self.kinds))
        for row, (kind, one) in enumerate(zip(self.kinds, self.estimates, strict=True)):
            self._fill(row, kind, one, preset)
        self._show_notes()
        self.need.setText(need_words(project, preset.proxies, self._measuring))
        self.need.setVisible(not usual)
        self.how.setText(self._how_words(usual))

    def _fill(self, row: int, kind: Kind, one: Estimate, preset: Preset) -> None:
        work = f"{_work_words(one)}\n{_headroom_words(one)}".strip()
        data = _data_words(kind, one)
        texts = (
            _kind_words(kind),
            _proxy_words(one, preset),
            f"{data}\n{self._below(one)}" if self._narrow else data,
            work,
        )
        tip = "\n".join([*(_taken_words(one)), *one.notes]) or texts[0]
        for column, text in enumerate(texts):
            item = self.table.item(row, column)
            if item is None:
                item = QTableWidgetItem()
                self.table.setItem(row, column, item)
            item.setText(text)
            item.setToolTip(tip)
            warn = column == 2 and _heavier(one)
            item.setForeground(theme.colour("warn" if warn else "text"))

    @staticmethod
    def _below(one: Estimate) -> str:
        headroom = _headroom_words(one)
        return f"{_work_words(one)}\nheadroom {headroom}" if headroom else _work_words(one)

    def _show_notes(self) -> None:
        said: dict[str, list[str]] = {}
        for kind, one in zip(self.kinds, self.estimates, strict=True):
            for note in one.notes:
                said.setdefault(note, []).append(words.frame_size(kind.info))
        self.notes.setText("\n".join(f"{', '.join(dict.fromkeys(sizes))}: {note}" for note, sizes in said.items()))
        self.notes.setVisible(bool(said))

    def _how_words(self, usual: bool) -> str:
        if self._measuring.now:
            return f"Measuring {self._measuring.now}"
        if usual:
            return "None in this project yet. Sizes, shapes and fixed data rates are exact; the rest is measured later."
        return "Sizes and shapes are exact; work and headroom are measured on this machine, in short runs."


def need_words(project: Project, wanted: Proxies | None, measuring: Measuring) -> str:
    """``8 of 41 clips need no proxy here``, from measured headroom."""
    samples = samples_in(project)
    if not samples:
        return ""
    limit = ENOUGH_HEADROOM
    if wanted is not None and needs_headroom(wanted):
        limit = wanted.headroom_below or limit
    rule = Proxies(make="where-needed", headroom_below=limit)
    known = [(sample, found) for sample in samples if (found := headroom_under(sample.key, measuring.kept)) is not None]
    free = sum(1 for sample, found in known if not needs_proxy(sample.info, rule, found.ratio))
    text = f"{free} of {counted(len(samples), 'clip')} need no proxy on this machine (headroom {limit:g}x or more)."
    missing = len(samples) - len(known)
    return f"{text} {missing} not measured yet." if missing else text


def _kind_words(kind: Kind) -> str:
    info = kind.info
    count = f"{kind.clips} of " if kind.clips > 1 else ""
    return f"{count}{words.frame_size(info)}\n{words.codec(info)}, {words.rate(info)}"


def _proxy_words(one: Estimate, preset: Preset) -> str:
    if preset.proxies is None:
        return "none"
    if one.pixels is None:
        return "none can\nbe made"
    shape = "exact shape" if one.shape_error == 0 else f"off by {one.shape_error:.3%}"
    size = f"{one.pixels[0]} x {one.pixels[1]}"
    if one.made is False:
        return f"none needed\n({size})"
    return f"{size}\n{shape if one.made else 'if needed'}"


def _data_words(kind: Kind, one: Estimate) -> str:
    before = f"{one.hour_before / 1e9:.1f}" if one.hour_before is not None else "?"
    if one.pixels is None:
        return f"{before} GB" if one.hour_before is not None else ""
    if one.hour_after is None:
        return f"{before} GB\n{UNKNOWN}" if one.hour_before is not None else UNKNOWN
    after = f"{_at_most(one.hour_after)}{one.hour_after.value / 1e9:.1f} GB"
    if one.hour_before is None:
        return after
    share = one.hour_after.value / one.hour_before
    return f"{before} to {after}\n{f'{share:.0%}' if share >= 0.01 else 'under 1%'}"


def _at_most(number: Number) -> str:
    return "at most " if number.basis == "at most" else ""


def _heavier(one: Estimate) -> bool:
    return one.hour_after is not None and one.hour_before is not None and one.hour_after.value > one.hour_before


def _work_words(one: Estimate) -> str:
    if one.pixels is None:
        return ""
    return f"{one.work.value:.2f} h per hour" if one.work is not None else UNKNOWN


def _headroom_words(one: Estimate) -> str:
    before = _times(one.headroom_before) if one.headroom_before is not None else f"? ({UNKNOWN})"
    if one.headroom_before is None and one.headroom_after is None:
        return UNKNOWN if one.pixels is None else ""
    if one.pixels is None:
        return before
    after = _times(one.headroom_after.value) if one.headroom_after is not None else f"? ({UNKNOWN})"
    return f"{before} to {after}"


def _times(ratio: float) -> str:
    return f"{ratio:.1f}x" if ratio < 10 else f"{ratio:.0f}x"


def _taken_words(one: Estimate) -> list[str]:
    number = one.work or one.hour_after
    if number is None or not number.taken:
        return []
    return [f"Measured in short runs on {time.strftime('%d %b %Y, %H:%M', time.localtime(number.taken))}."]
