"""The preset as a sentence that can be edited: a widget for every field of the file."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ....core.presets import CODECS, PROOFS, Originals, Preset, Proxies, Takes, codec_named
from ....core.presets.attached import check_cube
from ....core.presets.library import parse_preset
from ...fields import Amount, AttachedFile, DayTime, Field, OneOf, Patterns, ShelfName, Text, Tick
from ...flow import Flow
from ...marks_editor import MarksEditor
from .sizes import SizeField

_PROOF_WORDS = {
    "xxh128": "xxh128", "xxh64": "xxh64", "md5": "MD5", "sha1": "SHA-1", "size": "file size only (weaker)",
}  # fmt: skip
_RATES = ("24000/1001", "24/1", "25/1", "30000/1001", "30/1", "48/1", "50/1", "60000/1001", "60/1")


class Sentence(QFrame):
    """All fields. ``changed`` tells of each change; :meth:`preset` gives what they say, or refuses it.

    Large: its attributes are its fields.
    """

    changed = Signal()
    failed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._make_fields()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(5)
        self.more: dict[str, QPushButton] = {}
        self._further: dict[str, list[QWidget]] = {}
        for title, lines, further in self._parts():
            layout.addLayout(self._heading(title, bool(further)))
            for line in (*lines, *further):
                layout.addWidget(line)
            self._further[title] = further
        layout.addStretch(1)
        for field in self.fields.values():
            field.changed.connect(self._changed)
        self.marks.changed.connect(self._changed)
        self.make.changed.connect(self._changed)
        for failing in (self.lut, self.marks):
            failing.failed.connect(self.failed)
        self._show_what_applies()

    def _heading(self, title: str, further: bool) -> QHBoxLayout:
        row = QHBoxLayout()
        heading = QLabel(title)
        heading.setObjectName("part")
        row.addWidget(heading)
        if further:
            button = QPushButton("more")
            button.setObjectName("more")
            button.setCheckable(True)
            button.setAccessibleName(f"More about: {title}")
            button.setToolTip(f"Show or hide rarely used settings: {title}")
            button.toggled.connect(self._show_what_applies)
            self.more[title] = button
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _make_fields(self) -> None:
        self.make = OneOf(
            "proxies.make",
            "Whether proxies are made",
            (
                ("always", "Make proxies"),
                ("where-needed", "Make proxies only where needed"),
                ("none", "Make no proxies"),
            ),
        )
        self.frame_size = SizeField()
        self.lut = AttachedFile("proxies.lut", "LUT", "no LUT", "LUT (*.cube)", check_cube)
        self.marks = MarksEditor()
        known: list[Field] = [
            Tick("takes.video", "video"),
            Tick("takes.sequences", "image sequences"),
            Tick("takes.stills", "stills"),
            Tick("takes.sound", "sound"),
            Amount("takes.longer_than", "Only clips longer than", 0, 86_400, 0, 1, " s"),
            Patterns("takes.leave_out", "Patterns of names or folders to leave out, with ; between them", 190),
            Tick("takes.skip_known", "skip what is already in the project (by content)"),
            Tick("takes.join_parts", "join split recordings into one clip"),
            Tick("takes.small_copies", "pair camera proxies"),
            OneOf("takes.sequence_rate", "Frame rate of image sequences", [(rate, _rate(rate)) for rate in _RATES]),
            OneOf("originals.do", "What happens to originals", (
                ("copy", "Copy"), ("leave", "Leave in place"))),
            ShelfName("originals.shelf", "Shelf of the originals", "the originals shelf"),
            Tick("originals.second_copy", "and at the same time to"),
            ShelfName("originals.second_shelf", "Shelf of the second copies", "the shelf for second copies"),
            OneOf("originals.checksum", "How copies are verified", [(proof, _PROOF_WORDS[proof]) for proof in PROOFS]),
            Tick("originals.manifest", "write an ASC MHL manifest"),
            OneOf("originals.folders", "Folders", (
                ("keep", "as on the card"), ("flatten", "all in one"), ("pattern", "by this pattern:"))),
            Text("originals.folder_pattern", "Pattern of folders, with tokens", 180),
            Text("originals.name_pattern", "Pattern of names, with tokens", 180),
            OneOf("originals.on_clash", "If the name exists", (
                ("number", "add a number"), ("tell", "do not copy; report it"))),
            Amount("proxies.headroom_below", "Headroom", 0.1, 100, 1.5, 1, "x", off="headroom is below"),
            Amount("proxies.larger_than", "Lines", 16, 20_000, 1080, suffix=" lines", off="the picture has more than"),
            Amount("proxies.stills_over", "Megapixels of stills", 1, 1000, 24, suffix=" megapixels",
                   off="Also of stills over"),
            self.frame_size,
            OneOf("proxies.codec", "Codec of proxies", [(codec.name, codec.label) for codec in CODECS]),
            OneOf("proxies.quality", "Quality", (
                ("light", "light quality"), ("usual", "usual quality"), ("fine", "fine quality"))),
            Amount("proxies.megabits", "Data rate", 0.2, 2000, 8, 1, " Mb/s", off="by data rate:"),
            OneOf("proxies.sound", "Sound of proxies", (
                ("all", "all channels as they are"), ("stereo", "a stereo mix"), ("none", "none"))),
            self.lut,
            OneOf("proxies.place", "Place of proxies", (
                ("shelf", "on a shelf, same folders"), ("beside", "in a folder beside each original"),
                ("project", "in a folder with the project"))),
            ShelfName("proxies.shelf", "Shelf of the proxies", "the proxies shelf"),
            Text("proxies.folder", "Folder of the proxies", 130),
            Text("proxies.name_pattern", "Pattern of the proxies' names, with tokens", 150),
            Tick("proxies.second_copy", "also on the shelf for second copies"),
            OneOf("when.start", "When proxies are made", (("at-once", "at once"), ("at-night", "at night, from"))),
            DayTime("when.from_time", "Hour of the night"),
            Tick("when.only_on_mains", "only on mains power"),
            Amount("when.at_a_time", "How many at a time", 1, 16, 1),
            OneOf("when.where", "Who makes them", (
                ("with-helpers", "here and by helpers"), ("here-only", "on this machine only"))),
            Tick("when.give_way", "pause during playback"),
            Tick("when.keep_awake", "keep the machine awake until done"),
            OneOf("when.at_end", "At the end", (
                ("nothing", "nothing"), ("notice", "show a notification"), ("sound", "play a sound"))),
        ]  # fmt: skip
        self.fields = {field.path: field for field in known}
        self.preview = QLabel("")
        self.proxy_preview = QLabel("")
        for label in (self.preview, self.proxy_preview):
            label.setObjectName("path")
            label.setWordWrap(True)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)

    def _parts(self) -> list[tuple[str, list[QWidget], list[QWidget]]]:
        """Each part of the sentence: its heading, its lines, and those that stand behind *more*."""
        f = self.fields
        self._names = Flow(
            _w("Folders"), f["originals.folders"], f["originals.folder_pattern"], _w("names"),
            f["originals.name_pattern"], _w("if the name exists"), f["originals.on_clash"],
        )  # fmt: skip
        self._second = Flow(f["originals.second_copy"], f["originals.second_shelf"])
        self._needs = Flow(_w("Needed if"), f["proxies.headroom_below"], _w("or"), f["proxies.larger_than"])
        self._kind = Flow(
            self.frame_size, _w("as"), f["proxies.codec"], f["proxies.quality"], f["proxies.megabits"], _w("sound:"),
            f["proxies.sound"], _w("LUT:"), self.lut,
        )  # fmt: skip
        self._stills = Flow(f["proxies.stills_over"], _w("as PNG"))
        self._folder_word = _w("called")
        self._put = Flow(
            _w("Put them"), f["proxies.place"], f["proxies.shelf"], self._folder_word, f["proxies.folder"], _w("named"),
            f["proxies.name_pattern"], f["proxies.second_copy"],
        )  # fmt: skip
        self._when = Flow(
            _w("Make them"), f["when.start"], f["when.from_time"], f["when.only_on_mains"], f["when.at_a_time"],
            _w("at a time,"), f["when.where"], f["when.give_way"],
        )  # fmt: skip
        self._to = _w("to")
        self._and = _w("and verify by")
        self._manifest = Flow(f["originals.manifest"])
        takes = Flow(f["takes.video"], f["takes.sequences"], f["takes.stills"], f["takes.sound"], _w("from the source"))
        which = Flow(
            _w("only clips longer than"), f["takes.longer_than"], _w("leave out"), f["takes.leave_out"],
            f["takes.skip_known"], _w("image sequences at"), f["takes.sequence_rate"], f["takes.join_parts"],
            f["takes.small_copies"],
        )  # fmt: skip
        originals = Flow(f["originals.do"], self._to, f["originals.shelf"], self._and, f["originals.checksum"])
        return [
            ("Take", [takes], [which]),
            ("Originals", [originals], [self._manifest, self._second, self._names, self.preview]),
            ("Proxies", [Flow(self.make), self._needs, self._kind, self._stills, self._put, self.proxy_preview], []),
            ("Burn-ins", [self.marks], []),
            ("When", [self._when, Flow(f["when.keep_awake"], _w("When an ingest ends:"), f["when.at_end"])], []),
        ]

    # Values

    def show_preset(self, preset: Preset) -> None:
        """Show a preset's fields; tells nobody."""
        values = preset.to_json()
        proxies = preset.proxies or Proxies()
        values["proxies"] = {**proxies.model_dump(mode="json"), "lut": proxies.lut}
        with QSignalBlocker(self):
            for path, field in self.fields.items():
                part, name = path.split(".")
                field.write(values[part] if field is self.frame_size else values[part][name])
            self.marks.write(proxies.marks)
            self.make.write("none" if preset.proxies is None else proxies.make)
        self._open_what_is_unusual(preset)
        self._show_what_applies()

    def values(self) -> dict[str, Any]:
        """The fields' values as in the file, without the name."""
        values: dict[str, Any] = {"takes": {}, "originals": {}, "proxies": {}, "when": {}}
        for path, field in self.fields.items():
            part, name = path.split(".")
            if field is self.frame_size:
                values[part].update(self.frame_size.read())
            else:
                values[part][name] = field.read()
        self._leave_out_what_does_not_apply(values)
        if self.make.read() == "none":
            values["proxies"] = None
        else:
            values["proxies"]["make"] = self.make.read()
            values["proxies"]["marks"] = self.marks.read()
        return values

    def _leave_out_what_does_not_apply(self, values: dict[str, Any]) -> None:
        """What the sentence does not show has its usual value: hidden choices are not carried along."""
        if values["originals"]["do"] == "leave":
            values["originals"].update(second_copy=False, manifest=False)
        if values["originals"]["checksum"] == "size":
            values["originals"]["manifest"] = False
        codec = codec_named(values["proxies"]["codec"])
        if not codec.has_quality or values["proxies"]["megabits"] is not None:
            values["proxies"]["quality"] = "usual"
        if not codec.has_rate:
            values["proxies"]["megabits"] = None

    def preset(self, name: str) -> Preset:
        """The preset that the fields say. Raises PresetError with the field and the reason."""
        return parse_preset({"name": name, **self.values()})

    def offer_shelves(self, names: Sequence[str]) -> None:
        """Which shelves are known."""
        for field in self.fields.values():
            if isinstance(field, ShelfName):
                field.offer(names)

    # What the user does

    def _changed(self) -> None:
        self._show_what_applies()
        if not self.signalsBlocked():
            self.changed.emit()

    def _show_what_applies(self) -> None:
        for title, button in self.more.items():
            button.setText("less" if button.isChecked() else "more")
            for widget in self._further[title]:
                widget.setVisible(button.isChecked())
        self._show_originals()
        self._show_proxies()

    def _show_originals(self) -> None:
        f = self.fields
        copying = f["originals.do"].read() == "copy"
        open_ = self.more["Originals"].isChecked()
        self._to.setVisible(copying)
        self._and.setText("and verify by" if copying else "and record")
        f["originals.shelf"].setVisible(copying)
        self.more["Originals"].setVisible(copying or bool(f["proxies.second_copy"].read()))
        again = bool(copying and f["originals.second_copy"].read()) or bool(f["proxies.second_copy"].read())
        self._second.setVisible(open_ and (copying or again))
        f["originals.second_copy"].setVisible(copying)
        f["originals.second_shelf"].setVisible(again)
        self._manifest.setVisible(open_ and copying and f["originals.checksum"].read() != "size")
        for widget in (self._names, self.preview):
            widget.setVisible(open_ and copying)
        f["originals.folder_pattern"].setVisible(f["originals.folders"].read() == "pattern")

    def _show_proxies(self) -> None:
        f = self.fields
        making = self.make.read() != "none"
        for widget in (self._kind, self._stills, self._put, self.marks, self._when, self.proxy_preview):
            widget.setVisible(making)
        self._needs.setVisible(self.make.read() == "where-needed")
        codec = codec_named(f["proxies.codec"].read())
        by_rate = codec.has_rate and f["proxies.megabits"].read() is not None
        f["proxies.quality"].setVisible(codec.has_quality and not by_rate)
        f["proxies.megabits"].setVisible(codec.has_rate)
        place = f["proxies.place"].read()
        f["proxies.shelf"].setVisible(place == "shelf")
        for one in (self._folder_word, f["proxies.folder"]):
            one.setVisible(place != "shelf")
        f["when.from_time"].setVisible(f["when.start"].read() == "at-night")

    def _open_what_is_unusual(self, preset: Preset) -> None:
        """Nothing that a preset changes from the usual stands behind a closed *more*."""
        takes = preset.takes.model_copy(update=dict.fromkeys(("video", "sequences", "stills", "sound"), True))
        kept = {"do": "copy", "shelf": "", "checksum": "xxh128"}
        originals = preset.originals.model_copy(update=kept)
        again = preset.proxies is not None and preset.proxies.second_copy
        for title, unusual in (("Take", takes != Takes()), ("Originals", originals != Originals() or again)):
            with QSignalBlocker(self.more[title]):
                self.more[title].setChecked(unusual)


def _rate(text: str) -> str:
    whole, _slash, parts = text.partition("/")
    return f"{whole} a second" if parts == "1" else f"{int(whole) / int(parts):.3f} a second"


def _w(text: str) -> QLabel:
    return QLabel(text)
