"""Presets: the instruction as a sentence that can be edited, and the exact sizes it gives."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...core.errors import ShadowError, sentence
from ...core.presets import (
    CHECKSUMS,
    CODECS,
    SCALES,
    Originals,
    Preset,
    Proxies,
    codec_named,
    list_presets,
    save_preset,
    scale_words,
)
from ...core.presets.library import parse_preset
from ...core.project import Clip
from ...core.proxies import proxy_pixels
from .. import words
from ..work import Work

_COLUMNS = ("Kind of original", "Clips", "Proxy", "Shape")


class PresetsPlace(QWidget):
    """Shows the presets there are and edits one. ``chosen`` tells that the project's preset changed."""

    chosen = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.setObjectName("place")
        self._work = work
        self._loading = False
        self._build()
        self.reload()

    def _build(self) -> None:
        outer = QHBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(14)
        left = QVBoxLayout()
        left.addWidget(QLabel("Presets"))
        self.list = QListWidget()
        self.list.setFixedWidth(210)
        self.list.currentTextChanged.connect(self._pick)
        left.addWidget(self.list, 1)
        outer.addLayout(left)
        right = QVBoxLayout()
        right.setSpacing(12)
        outer.addLayout(right, 1)
        right.addWidget(self._sentence_card())
        row = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setMaximumWidth(320)
        self.name.setAccessibleName("Name of the preset")
        self.save = QPushButton("Save this preset")
        self.save.clicked.connect(self._save)
        self.use = QPushButton("Use it in this project")
        self.use.setObjectName("main")
        self.use.clicked.connect(self._use)
        row.addWidget(QLabel("Its name:"))
        row.addWidget(self.name, 1)
        row.addStretch(1)
        row.addWidget(self.save)
        row.addWidget(self.use)
        right.addLayout(row)
        self.message = QLabel("")
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        right.addWidget(self.message)
        right.addWidget(QLabel("What it gives for the originals of this project"))
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.verticalHeader().hide()
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in range(len(_COLUMNS)):
            mode = QHeaderView.ResizeMode.Stretch if column == 0 else QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(column, mode)
        right.addWidget(self.table, 1)
        self.empty = QLabel("No footage in this project yet: sizes are shown here after an ingest.")
        self.empty.setObjectName("quiet")
        right.addWidget(self.empty)

    def _sentence_card(self) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(8)
        self.originals = _choices(
            "What happens to originals", [("copy", "copy it to the originals shelf"), ("leave", "leave it where it is")]
        )
        self.checksum = _choices("Checksum", [(name, name) for name in CHECKSUMS])
        self.make = _choices("Whether proxies are made", [("yes", "Make proxies"), ("no", "Make no proxies")])
        self.scale = _choices("Size of proxies", [(str(scale), scale_words(scale)) for scale in SCALES])
        self.codec = _choices("Codec of proxies", [(codec.name, codec.label) for codec in CODECS])
        self.place = _choices(
            "Place of proxies",
            [
                ("shelf", "on the proxies shelf, same folders as the originals"),
                ("beside", "in a folder Proxies beside each original"),
            ],
        )
        self._and = QLabel("and prove each byte with")
        rows: list[list[QWidget]] = [
            [QLabel("Take everything playable from the source,"), self.originals],
            [self._and, self.checksum, QLabel(".")],
            [self.make, self.scale, _word("as"), self.codec, _word(", all sound channels.")],
            [_word("Put them"), self.place, _word(".")],
        ]
        self._proxy_words = [*rows[2][1:], *rows[3]]
        for widgets in rows:
            line = QHBoxLayout()
            line.setSpacing(7)
            for widget in widgets:
                line.addWidget(widget)
            line.addStretch(1)
            layout.addLayout(line)
        for box in (self.originals, self.checksum, self.make, self.scale, self.codec, self.place):
            box.currentIndexChanged.connect(self._changed)
        return card

    # Showing

    def reload(self) -> None:
        """Read the presets there are and show the project's own, or the first."""
        presets = {preset.name: preset for preset in list_presets()}
        current = self._work.session.project.preset
        if current is not None:
            presets[current.name] = current
        self._presets = presets
        self._loading = True
        self.list.clear()
        self.list.addItems(sorted(presets))
        self._loading = False
        name = current.name if current is not None else "Quick cut"
        matches = self.list.findItems(name, Qt.MatchFlag.MatchExactly)
        self.list.setCurrentItem(matches[0] if matches else self.list.item(0))

    def _pick(self, name: str) -> None:
        if not self._loading and name in self._presets:
            self._show(self._presets[name])

    def _show(self, preset: Preset) -> None:
        self._loading = True
        self.name.setText(preset.name)
        _set(self.originals, preset.originals.do)
        _set(self.checksum, preset.originals.checksum)
        _set(self.make, "yes" if preset.proxies is not None else "no")
        proxies = preset.proxies or Proxies()
        if self.scale.findData(str(proxies.scale)) < 0:
            self.scale.addItem(scale_words(proxies.scale), str(proxies.scale))
        _set(self.scale, str(proxies.scale))
        _set(self.codec, proxies.codec)
        _set(self.place, proxies.place)
        self._loading = False
        self._changed()

    def preset(self) -> Preset:
        """The preset as edited. Raises PresetError."""
        originals = Originals(do=self.originals.currentData(), checksum=self.checksum.currentData())
        proxies = None
        if self.make.currentData() == "yes":
            proxies = Proxies(
                scale=Fraction(self.scale.currentData()), codec=self.codec.currentData(), place=self.place.currentData()
            )
        values = {
            "name": self.name.text().strip(),
            "originals": originals.model_dump(),
            "proxies": proxies.model_dump(mode="json") if proxies else None,
        }
        return parse_preset(values)

    def _changed(self) -> None:
        if self._loading:
            return
        for widget in self._proxy_words:
            widget.setVisible(self.make.currentData() == "yes")
        copying = self.originals.currentData() == "copy"
        self._and.setText("and prove each byte with" if copying else "and note its checksum by")
        beside_source = not copying and self.make.currentData() == "yes" and self.place.currentData() == "beside"
        self.save.setEnabled(not beside_source)
        self.use.setEnabled(not beside_source)
        self._tell(
            "Proxies beside originals that stay on the source would be written onto the card: put them on a shelf."
            if beside_source
            else "",
            warn=beside_source,
        )
        self.refresh_table()

    def _tell(self, text: str, warn: bool = False) -> None:
        self.message.setText(text)
        self.message.setObjectName("warn" if warn else "quiet")
        self.message.style().polish(self.message)

    def refresh_table(self) -> None:
        """Exact proxy sizes for each kind of original of the project."""
        kinds: dict[tuple[str, ...], list[Clip]] = {}
        for clip in self._work.session.project.clips:
            info = clip.original.info
            if info.kind == "video":
                kinds.setdefault((words.frame_size(info), words.codec(info), words.rate(info)), []).append(clip)
        self.empty.setVisible(not kinds)
        self.table.setVisible(bool(kinds))
        self.table.setRowCount(len(kinds))
        for row, (kind, clips) in enumerate(kinds.items()):
            size, shape = self._proxy_words_for(clips[0])
            for column, text in enumerate((", ".join(kind), str(len(clips)), size, shape)):
                self.table.setItem(row, column, QTableWidgetItem(text))

    def _proxy_words_for(self, clip: Clip) -> tuple[str, str]:
        if self.make.currentData() == "no":
            return "none", ""
        info = clip.original.info
        size = proxy_pixels(info, Proxies(scale=Fraction(self.scale.currentData()), codec=self.codec.currentData()))
        if size is None:
            return "too small for this codec", f"{codec_named(self.codec.currentData()).label} cannot hold it"
        error = Fraction(size[0], size[1]) / info.display_aspect - 1
        shape = "exactly the original's" if error == 0 else f"off by {abs(float(error)):.2%}"
        return f"{size[0]} x {size[1]}", shape

    # Doing

    def _save(self) -> None:
        try:
            preset = self.preset()
            path = save_preset(preset)
        except ShadowError as error:
            self._tell(sentence(error), warn=True)
            return
        self._presets[preset.name] = preset
        if not self.list.findItems(preset.name, Qt.MatchFlag.MatchExactly):
            self.list.addItem(preset.name)
        self._tell(f"Saved as {path.name} with your presets.")

    def _use(self) -> None:
        try:
            preset = self.preset()
        except ShadowError as error:
            self._tell(sentence(error), warn=True)
            return
        self._work.session.edit("Choose a preset", lambda project: replace(project, preset=preset))
        self._tell(f"This project uses {preset.name} for its next ingest.")
        self.chosen.emit()


def _word(text: str) -> QLabel:
    return QLabel(text)


def _choices(name: str, options: list[tuple[str, str]]) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
    for value, text in options:
        box.addItem(text, value)
    return box


def _set(box: QComboBox, value: str) -> None:
    box.setCurrentIndex(max(0, box.findData(value)))
