"""This machine: what is kept outside the shelves, with its limit; and the projects that were opened here."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ....core.amounts import counted
from ....core.estimates import Decoders, Measurements
from ....core.storage.outside import (
    KnownProject,
    Store,
    keep_to_limit,
    limit,
    look_at_projects,
    opened_words,
    set_limit,
    stores,
)
from ... import words
from ...tables import Column, RowsModel, rows_table
from ...waits import enable
from ...work import Work

_STORES = (
    Column("Outside the shelves", lambda one: one.name, 270, tip=lambda one: str(one.folder)),
    Column("Files", lambda one: str(one.files), 60, right=True, key=lambda one: one.files),
    Column("Size", lambda one: words.gigabytes(one.room), 80, right=True, key=lambda one: one.room),
    Column("Limited", lambda one: "the least used go first" if one.limited else "", 160),
    Column("Folder", lambda one: str(one.folder), 300),
)  # fmt: skip


def _held(one: KnownProject) -> str:
    return one.problem or "; ".join(f"{name} {words.gigabytes(size)}" for name, _folder, size in one.shelves if size)


_PROJECTS = (
    Column("Project", lambda one: one.path.stem, 150, tip=lambda one: str(one.path)),
    Column("Last opened", lambda one: opened_words(one.opened), 155, key=lambda one: one.opened),
    Column("Clips", lambda one: str(one.clips) if not one.problem else "", 50, right=True, key=lambda one: one.clips),
    Column("Shared", lambda one: counted(one.shared, "file") if one.shared else "", 80, right=True,
           tip=lambda one: "Files that the open project has too.", key=lambda one: one.shared),
    Column("Holds", _held, 320, tip=lambda one: "\n".join(f"{name}: {folder}" for name, folder, _size in one.shelves)),
    Column("File", lambda one: str(one.path), 280),
)  # fmt: skip


_Looked = tuple[list[Store], int, list[KnownProject], bool, bool, list[str]]


class MachinePanel(QWidget):
    """Looked at when it is shown. ``hardware_allowed``: whether originals may be played with hardware decoders."""

    hardware_allowed = Signal(bool)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        title = QLabel("This machine")
        title.setObjectName("heading")
        layout.addWidget(title)
        self.stores = RowsModel(_STORES)
        store_table = rows_table(self.stores, 4, "What is kept outside the shelves")
        store_table.setFixedHeight(226)
        layout.addWidget(store_table)
        row = QHBoxLayout()
        row.addWidget(QLabel("Posters, sketches, waveforms and signatures may take"))
        self.limit = QDoubleSpinBox()
        self.limit.setRange(0.0, 1000.0)
        self.limit.setDecimals(1)
        self.limit.setSuffix(" GB")
        self.limit.setKeyboardTracking(False)
        self.limit.setAccessibleName("Space for posters, sketches, waveforms and signatures")
        self.limit.setToolTip("The least recently used are removed beyond this limit")
        self.limit.valueChanged.connect(lambda size: self._set_limit(int(size * 1e9)))
        row.addWidget(self.limit)
        self.tidy = QPushButton("Apply limit now")
        self.tidy.setToolTip("Remove the least recently used until the rest is within the limit.")
        self.tidy.clicked.connect(lambda: self._tidy())
        row.addWidget(self.tidy)
        row.addStretch(1)
        layout.addLayout(row)
        self.hardware = QCheckBox("Play originals with hardware decoders that were measured here")
        self.hardware.setToolTip("Only where they gave the same pictures as software, and faster. Proxies, proofs and "
                                 "films are always decoded in software.")  # fmt: skip
        self.hardware.clicked.connect(self.hardware_allowed)
        layout.addWidget(self.hardware)
        self.decoders = QLabel("")
        self.decoders.setObjectName("quiet")
        self.decoders.setWordWrap(True)
        layout.addWidget(self.decoders)
        self.projects = RowsModel(_PROJECTS)
        layout.addWidget(rows_table(self.projects, 4, "Projects that were opened on this machine"), 1)

    def entered(self) -> None:
        """Look again, on a thread."""
        session = self._work.session

        def look() -> _Looked:
            decoders = Decoders(Measurements())
            return (stores(session.path), limit(), look_at_projects(session.project, session.path), decoders.there,
                    decoders.allowed, decoders.words())  # fmt: skip

        self._work.in_background(look, self._show)

    def _show(self, found: _Looked) -> None:
        there, allowed, known = found[3:]
        self.hardware.setChecked(there and allowed)
        enable(self.hardware, there, "This machine has no hardware decoder that the program could ask.")
        nothing = "not measured yet: that is done while nothing else runs" if there else "none found on this machine"
        self.decoders.setText("\n".join(known) if known else f"Hardware decoders: {nothing}.")
        self.stores.set_rows(found[0])
        self.limit.blockSignals(True)
        self.limit.setValue(found[1] / 1e9)
        self.limit.blockSignals(False)
        self.projects.set_rows(found[2])

    def _set_limit(self, size: int) -> None:
        self._work.in_background(lambda: set_limit(size), lambda _done: None)

    def _tidy(self) -> None:
        def then(gone: Any) -> None:
            self._work.told.emit(
                f"{words.gigabytes(gone)} of posters, sketches, waveforms and signatures removed." if gone
                else "Posters, sketches, waveforms and signatures are within their limit."
            )  # fmt: skip
            self.entered()

        self._work.in_background(keep_to_limit, then)
