"""Film settings: every field, what cannot go together said at once, kept under a name of one's own."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import ShadowError, sentence
from ....core.film import FILM_SETTINGS, FilmSettings, cannot_be_made, describes_film
from ....core.film.formats import FILES, FORMATS
from ....core.film.settings import file_words
from ....core.library import free_name
from ...fields import Amount, Field, OneOf, Text
from ...flow import at_the_end
from ...labels import set_warned
from ...marks_editor import MarksEditor

_QUALITIES = (("light", "light"), ("usual", "usual"), ("fine", "fine"))
_CHANNELS = (("stereo", "one stereo mix"), ("tracks", "a stereo stream for each sound track"),
             ("channels", "a mono channel for each sound track"))  # fmt: skip
_RATES = ((None, "as the timeline"), *((one, one.replace("24000/1001", "23.976").replace("30000/1001", "29.97")
                                        .replace("60000/1001", "59.94")) for one in
          ("24000/1001", "24", "25", "30000/1001", "30", "50", "60000/1001", "60")))  # fmt: skip


class FilmSettingsDialog(QDialog):
    """``saved`` gives the name under which they were kept, ``failed`` a sentence why they were not."""

    saved = Signal(str)
    failed = Signal(str)

    def __init__(self, settings: FilmSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Film settings")
        self.resize(620, 620)
        self._before = settings
        self._known = FILM_SETTINGS.read()  # once: what is typed is held against it at every letter
        self._fields: dict[str, Field] = {}
        inner = QWidget()
        inner.setObjectName("place")
        form = QFormLayout(inner)
        form.setContentsMargins(14, 12, 14, 12)
        form.setVerticalSpacing(8)
        self.name = QLineEdit(self._free_name(settings))
        self.name.setAccessibleName("Name")
        self.name.setToolTip("Name")
        form.addRow("Name", self.name)
        self.picture_rows: list[QWidget] = []
        self._add_picture(form)
        self._add_sound(form)
        self.marks = MarksEditor("{name}")
        self.marks.changed.connect(self._check)
        self.marks.failed.connect(self.failed)
        form.addRow("Burn-ins", self.marks)
        scroll = QScrollArea()
        scroll.setAccessibleName("Fields of the settings")
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        layout = QVBoxLayout(self)
        layout.addWidget(scroll, 1)
        self.says = QLabel("")
        self.says.setWordWrap(True)
        layout.addWidget(self.says)
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Move these settings to the trash")
        self.save = QPushButton("Save and use")
        self.save.setToolTip("Save these settings under their name, and use them for the film")
        self.save.setObjectName("main")
        self.cancel = QPushButton("Cancel")
        self.cancel.setToolTip("Leave the settings as they are (Esc)")
        self.save.clicked.connect(lambda _checked=False: self._save())
        self.cancel.clicked.connect(lambda _checked=False: self.reject())
        self.remove.clicked.connect(lambda _checked=False: self._remove())
        self.remove.setVisible(self._is_own(settings.name))
        layout.addLayout(at_the_end(self.remove, self.cancel, self.save))
        self._write(settings)
        self.name.textChanged.connect(lambda _text: self._check())
        self._check()

    def _is_own(self, name: str) -> bool:
        entry = self._known.named(name)
        return entry is not None and not entry.shipped

    def _free_name(self, settings: FilmSettings) -> str:
        """One's own keep their name; shipped ones are saved under another."""
        if self._is_own(settings.name):
            return settings.name
        return free_name(settings.name, (entry.value.name for entry in self._known.entries))

    def _add(self, form: QFormLayout, title: str, field: Field) -> None:
        self._fields[field.path] = field
        field.changed.connect(self._changed)
        form.addRow(title, field)

    def _add_picture(self, form: QFormLayout) -> None:
        self._add(form, "File", OneOf("file", "Kind of file", [(one, file_words(one)) for one in FILES]))
        self._add(form, "Picture", OneOf("picture.format", "Format of the picture", ()))
        self._add(form, "Width", Amount("picture.width", "Width in pixels", 32, 16_384, 1920, suffix=" pixels",
                                        off="other than the timeline's:"))  # fmt: skip
        self._add(form, "Height", Amount("picture.height", "Height in pixels", 32, 16_384, 1080, suffix=" pixels"))
        self._add(form, "Frame rate", OneOf("picture.rate", "Frame rate", _RATES))
        self._add(form, "Quality", OneOf("picture.quality", "Quality", _QUALITIES))
        self._add(form, "Data rate", Amount("picture.megabits", "Data rate", 0.2, 2000, 20, 1, " Mb/s",
                                            off="instead of a quality:"))  # fmt: skip
        self._add(form, "Reel", Text("reel", "Name written beside the timecode"))

    def _add_sound(self, form: QFormLayout) -> None:
        self._add(form, "Sound", OneOf("sound.channels", "Sound", ((None, "none"), *_CHANNELS)))
        self._add(form, "Bits", OneOf("sound.bits", "Bits of a sample", ((16, "16"), (24, "24"))))
        self._add(form, "Loudness", Amount("sound.loudness", "Loudness", -40, -5, -23, 1, " LUFS",
                                           off="bring the whole to:"))  # fmt: skip

    # Values

    def _write(self, settings: FilmSettings) -> None:
        self._fields["file"].write(settings.file)
        self._offer_formats(settings.file)
        picture = settings.picture.model_dump(mode="json") if settings.picture is not None else {}
        sound = settings.sound.model_dump(mode="json") if settings.sound is not None else {}
        rate = picture.get("rate")
        picture["rate"] = rate.removesuffix("/1") if rate else None
        for name, values in (("picture", picture), ("sound", sound)):
            for key, value in values.items():
                self._fields[f"{name}.{key}"].write(value)
        self._fields["sound.channels"].write(sound.get("channels"))
        self._fields["reel"].write(settings.reel)
        self.marks.write(settings.marks)

    def _offer_formats(self, file: str) -> None:
        box = self._fields["picture.format"]
        assert isinstance(box, OneOf)
        before = box.read()
        box.box.blockSignals(True)
        box.box.clear()
        for one in FORMATS:
            if file in one.files:
                box.box.addItem(one.label, one.name)
        place = box.box.findData(before)
        box.box.setCurrentIndex(max(0, place))
        box.box.blockSignals(False)

    def _changed(self) -> None:
        file = str(self._fields["file"].read())
        self._offer_formats(file)
        self._check()

    def values(self) -> dict[str, Any]:
        """The settings as their file would have them."""
        read = {path: field.read() for path, field in self._fields.items()}
        file = read["file"]
        picture = {path.partition(".")[2]: value for path, value in read.items() if path.startswith("picture.")}
        chosen = next((one for one in FORMATS if one.name == picture["format"]), None)
        if chosen is None or len(chosen.qualities) == 1:
            picture["quality"] = "usual"
        if chosen is None or not chosen.megabits:
            picture["megabits"] = None
        sound = {path.partition(".")[2]: value for path, value in read.items() if path.startswith("sound.")}
        if picture["width"] is None:
            picture["height"] = None
        silent = sound["channels"] is None or file in ("pictures", "still")
        return {
            "schema": "agile-shadow film settings", "version": 1, "name": self.name.text().strip() or " ",
            "file": file, "picture": None if file == "wav" else picture, "sound": None if silent else sound,
            "marks": [] if file == "wav" else self.marks.read(), "reel": read["reel"],
        }  # fmt: skip

    def _check(self) -> None:
        file = str(self._fields["file"].read())
        for path, field in self._fields.items():
            if path.startswith("picture."):
                field.setEnabled(file != "wav")
            elif path.startswith("sound."):
                field.setEnabled(file not in ("pictures", "still"))
        self.marks.setEnabled(file != "wav")
        self._fields["picture.height"].setEnabled(file != "wav" and self._fields["picture.width"].read() is not None)
        chosen = next((one for one in FORMATS if one.name == self._fields["picture.format"].read()), None)
        if chosen is not None and file != "wav":
            self._fields["picture.quality"].setEnabled(len(chosen.qualities) > 1)
            self._fields["picture.megabits"].setEnabled(chosen.megabits)
        try:
            settings = FILM_SETTINGS.parse(self.values())
            problem = cannot_be_made(settings)
            taken = self._known.named(settings.name)
            if taken is not None and taken.shipped:
                problem = problem or f'"{settings.name}" is supplied with the program: choose another name.'
        except ShadowError as error:
            settings, problem = None, sentence(error)
        set_warned(self.says, bool(problem))
        self.says.setText(problem or (describes_film(settings) if settings is not None else ""))
        self.save.setEnabled(not problem)

    def _save(self) -> None:
        try:
            settings = FILM_SETTINGS.parse(self.values())
            FILM_SETTINGS.save(settings)
        except ShadowError as error:
            self.failed.emit(sentence(error))
            return
        self.saved.emit(settings.name)
        self.accept()

    def _remove(self) -> None:
        try:
            FILM_SETTINGS.remove(self._before.name)
        except ShadowError as error:
            self.failed.emit(sentence(error))
            return
        self.saved.emit("")
        self.accept()
