"""What is set on the chosen blocks: speed, sound, place, colour, title."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ....core.amounts import counted
from ....core.errors import ShadowError, sentence
from ....core.presets import attach
from ....core.presets.attached import check_cube
from ....core.project import Project
from ....core.timeline import (
    FASTEST,
    NO_EFFECTS,
    SLOWEST,
    Block,
    Colour,
    Effects,
    Timeline,
    out_of_step,
    with_dissolve,
    with_effects,
    with_pin,
    with_speed,
    with_title,
)
from ...choosing import ask_file
from ...work import Work
from .block_numbers import COLOUR, END, FADES, PLACE, SOUND, Figure, at_rest
from .settings_dialog import SHAPE_WORDS
from .title_box import TitleBox


class _Field(QDoubleSpinBox):
    """A number; what is changed while it has the focus is one step."""

    entered = Signal()

    def __init__(self, number: Figure) -> None:
        super().__init__()
        self.number = number
        self.setRange(number.low, number.high)
        self.setSingleStep(number.step)
        self.setDecimals(number.decimals)
        self.setSuffix(number.suffix)
        self.setKeyboardTracking(False)
        self.setAccessibleName(number.label)
        self.setToolTip(number.tip)
        self.setMinimumWidth(86)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.entered.emit()


class BlockPanel(QScrollArea):
    """The tab. Every change is an edit of the document; changes of one field in a row are one step.

    Large: its attributes are its controls, its methods what each of them is connected to.
    """

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self._blocks: tuple[str, ...] = ()
        self._showing = False
        self._visit = 0  # counts the times a field was entered: what follows is one gesture
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._build()
        self.show_blocks(work.session.project, ())

    def _build(self) -> None:
        inner = QWidget(self.viewport())
        inner.setObjectName("place")
        column = QVBoxLayout(inner)
        column.setContentsMargins(4, 8, 10, 8)
        column.setSpacing(6)
        self.name = QLabel("")
        self.name.setObjectName("part")
        self.name.setWordWrap(True)
        self.told = QLabel("")
        self.told.setObjectName("quiet")
        self.told.setWordWrap(True)
        column.addWidget(self.name)
        column.addWidget(self.told)
        self.fields: dict[str, _Field] = {}
        self.title_box = TitleBox()
        self.title_box.changed.connect(lambda values: self._put_title(**values))
        self.time_box = self._time_box()
        self.sound_box = self._sound_box()
        self.place_box = self._place_box()
        self.move_box = self._move_box()
        self.colour_box = self._colour_box()
        for box in (
            self.title_box, self.time_box, self.sound_box, self.place_box, self.move_box, self.colour_box,
        ):  # fmt: skip
            column.addWidget(box)
        self.plain = QPushButton("Reset all")
        self.plain.setToolTip("Reset position, colour, gain and fades")
        self.plain.clicked.connect(self._take_away)
        column.addWidget(self.plain)
        column.addStretch(1)
        self.setWidget(inner)

    def _card(self, title: str) -> tuple[QFrame, QFormLayout]:
        box = QFrame()
        box.setObjectName("card")
        form = QFormLayout(box)
        form.setContentsMargins(8, 6, 8, 6)
        form.setSpacing(4)
        heading = QLabel(title)
        heading.setObjectName("quiet")
        form.addRow(heading)
        return box, form

    def _numbers(self, title: str, numbers: tuple[Figure, ...]) -> QFrame:
        box, form = self._card(title)
        for number in numbers:
            form.addRow(number.label, self._field(number))
        return box

    def _field(self, number: Figure) -> _Field:
        field = self.fields[number.name] = _Field(number)
        field.entered.connect(self._enter)
        field.valueChanged.connect(lambda value, number=number: self._put(number, value))
        return field

    def _enter(self) -> None:
        self._visit += 1

    def _place_box(self) -> QFrame:
        box = self._numbers("Position in the frame", PLACE)
        form = box.layout()
        assert isinstance(form, QFormLayout)
        self.shape = QComboBox()
        self.shape.setAccessibleName("How footage of another shape fits the frame")
        for value, words in (("", "as the timeline has it"), *SHAPE_WORDS):
            self.shape.addItem(words, value)
        self.shape.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.shape.activated.connect(lambda _index: self._put_shape(str(self.shape.currentData())))
        form.addRow("Fit", self.shape)
        return box

    def _sound_box(self) -> QFrame:
        box = self._numbers("Sound", SOUND)
        form = box.layout()
        assert isinstance(form, QFormLayout)
        self.keep_pitch = QCheckBox("keep the pitch")
        self.keep_pitch.setToolTip("At another speed the sound keeps its pitch; backward it does not")
        self.keep_pitch.toggled.connect(self._put_pitch)
        form.addRow(self.keep_pitch)
        return box

    def _put_pitch(self, on: bool) -> None:
        blocks = self._blocks
        self._edit("Keep the pitch", lambda line: with_effects(line, blocks, lambda e: replace(e, keep_pitch=on)))

    def _move_box(self) -> QFrame:
        """A slow movement from the position above to the one here."""
        box = self._numbers("Slow movement", END)
        form = box.layout()
        assert isinstance(form, QFormLayout)
        self.moves = QCheckBox("move slowly over the whole block")
        self.moves.setToolTip("From the position in the frame at its first frame to the values here at its last")
        self.moves.toggled.connect(self._put_moves)
        self.ease = QCheckBox("begin and end gently")
        self.ease.setToolTip("The movement gathers speed and slows down, instead of an even pace")
        self.ease.toggled.connect(self._put_ease)
        form.insertRow(1, self.moves)
        form.addRow(self.ease)
        return box

    def _put_moves(self, on: bool) -> None:
        blocks = self._blocks

        def change(effects: Effects) -> Effects:
            return replace(effects, move=effects.move or at_rest(effects.placement)) if on else replace(
                effects, move=None)  # fmt: skip

        self._edit("Slow movement" if on else "Remove a slow movement", lambda line: with_effects(line, blocks, change))

    def _put_ease(self, on: bool) -> None:
        blocks = self._blocks

        def change(effects: Effects) -> Effects:
            return replace(effects, move=replace(effects.move, ease=on)) if effects.move is not None else effects

        self._edit("Ease of a movement", lambda line: with_effects(line, blocks, change))

    def _put_shape(self, shape: str) -> None:
        blocks = self._blocks

        def laid(effects: Effects) -> Effects:
            return replace(effects, placement=replace(effects.placement, shape=shape))

        self._edit("Shape of a block", lambda line: with_effects(line, blocks, laid))

    def _time_box(self) -> QFrame:
        box, form = self._card("Time")
        self.speed = QDoubleSpinBox()
        self.speed.setRange(float(SLOWEST) * 100, float(FASTEST) * 100)
        self.speed.setDecimals(1)
        self.speed.setSuffix(" %")
        self.speed.setKeyboardTracking(False)
        self.speed.setAccessibleName("Speed")
        self.speed.valueChanged.connect(self._put_speed)
        self.backward = QCheckBox("backward")
        self.backward.toggled.connect(self._put_speed)
        row = QHBoxLayout()
        row.addWidget(self.speed, 1)
        row.addWidget(self.backward)
        form.addRow("Speed", row)
        self.dissolve = QDoubleSpinBox()
        self.dissolve.setRange(0, 999)
        self.dissolve.setDecimals(0)
        self.dissolve.setSuffix(" frames")
        self.dissolve.setKeyboardTracking(False)
        self.dissolve.setAccessibleName("Dissolve from the block before")
        self.dissolve.setToolTip("From the block before into this one, as far as both have handles")
        self.dissolve.valueChanged.connect(self._put_dissolve)
        form.addRow("Dissolve", self.dissolve)
        for number in FADES:
            form.addRow(number.label, self._field(number))
        self.pin = QComboBox()
        for text, side in (("follows the switch", None), ("always the original", "originals"),
                           ("always the proxy", "proxies")):  # fmt: skip
            self.pin.addItem(text, side)
        self.pin.setAccessibleName("Pin of the block")
        self.pin.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.pin.activated.connect(self._put_pin)
        form.addRow("Shows", self.pin)
        return box

    def _colour_box(self) -> QFrame:
        box = self._numbers("Colour", COLOUR)
        form = box.layout()
        assert isinstance(form, QFormLayout)
        self.table = QPushButton("no LUT")
        self.table.setToolTip("Choose a colour table (.cube)")
        self.table.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.table.clicked.connect(self._choose_table)
        self.no_table = QPushButton("none")
        self.no_table.clicked.connect(lambda: self._put_colour("Remove the LUT", lut=None))
        row = QHBoxLayout()
        row.addWidget(self.table, 1)
        row.addWidget(self.no_table)
        form.addRow("LUT", row)
        return box

    def first_field(self) -> QWidget:
        """Where typing begins."""
        return self.title_box.text if self.title_box.isVisibleTo(self) else self.speed

    # Showing

    def show_blocks(self, project: Project, blocks: tuple[str, ...]) -> None:
        """Show what is set on the chosen blocks: that of the last one."""
        if blocks != self._blocks:
            self._visit += 1
        self._blocks = blocks
        line = project.timeline
        block = line.block(blocks[-1]) if blocks else None
        for box in (self.title_box, self.time_box, self.sound_box, self.place_box, self.move_box, self.colour_box,
                    self.plain):  # fmt: skip
            box.setVisible(block is not None)
        if block is None:
            self.name.setText("No block is selected")
            self.told.setText("Click a block, or press B to select the one under the playhead.")
            return
        self._showing = True
        try:
            self._show(project, line, block)
        finally:
            self._showing = False

    def _show(self, project: Project, line: Timeline, block: Block) -> None:
        track = line.track_of(block.id)
        picture = track is not None and track.kind == "picture"
        clip = project.clip(block.clip)
        others = f", and {len(self._blocks) - 1} more" if len(self._blocks) > 1 else ""
        kind = "title" if block.title is not None else "picture" if picture else "sound"
        self.name.setText(f"{clip.name if clip is not None else 'Title'}{others}")
        late = out_of_step(line, block)
        way, other = "late" if late > 0 else "early", "sound" if picture else "picture"
        step = f"; {counted(abs(late), 'frame')} {way} against its {other}"
        locked = "; its track is locked" if track is not None and track.locked else ""
        self.told.setText(f"{kind}, {counted(block.length, 'frame')}{step if late else ''}{locked}")
        self.title_box.setVisible(block.title is not None)
        self.place_box.setVisible(picture)
        self.move_box.setVisible(picture)
        moving = block.effects.move
        self.moves.setChecked(moving is not None)
        self.ease.setChecked(moving is None or moving.ease)
        self.ease.setEnabled(moving is not None)
        for number in END:
            self.fields[number.name].setEnabled(moving is not None)
        self.colour_box.setVisible(picture and block.title is None)
        self.sound_box.setVisible(not picture)
        self.keep_pitch.setChecked(block.effects.keep_pitch)
        self.keep_pitch.setEnabled(block.speed > 0 and block.speed != 1)
        for field in self.fields.values():
            value = field.number.get(block.effects) * field.number.times
            if abs(field.value() - value) > 10 ** -(field.number.decimals + 1):
                field.setValue(value)
        self.shape.setCurrentIndex(max(0, self.shape.findData(block.effects.placement.shape)))
        self.speed.setEnabled(bool(block.room))
        self.backward.setEnabled(bool(block.room))
        self.speed.setValue(float(abs(block.speed)) * 100)
        self.backward.setChecked(block.speed < 0)
        self.dissolve.setValue(block.dissolve.length if block.dissolve is not None else 0)
        self.dissolve.setEnabled(track is not None and track.before(block) is not None)
        self.pin.setCurrentIndex(max(0, self.pin.findData(block.pin)))
        self.pin.setEnabled(block.title is None)
        table = block.effects.colour.lut
        self.table.setText(table.name if table is not None else "no LUT")
        self.no_table.setEnabled(table is not None)
        if block.title is not None:
            self.title_box.show_title(block.title)

    # Changing

    def _edit(self, label: str, change: Callable[[Timeline], Timeline], gesture: str = "") -> None:
        if self._showing or not self._blocks:
            return
        token = (self._visit, gesture) if gesture else None
        try:
            self._work.session.edit(
                label, lambda project: project.but(timeline=change(project.timeline)), gesture=token
            )
        except ValueError as error:
            self._work.problem.emit(f"That cannot be set: {error}.")
            self.show_blocks(self._work.session.project, self._blocks)

    def _put(self, number: Figure, value: float) -> None:
        kept = value / number.times
        blocks = self._blocks
        self._edit(
            f"{number.label} of a block",
            lambda line: with_effects(line, blocks, lambda effects: number.put(effects, kept)),
            number.name,
        )

    def _put_speed(self) -> None:
        speed = Fraction(round(self.speed.value() * 10), 1000) * (-1 if self.backward.isChecked() else 1)

        def change(line: Timeline) -> Timeline:
            for identity in blocks:
                block = line.block(identity)
                if block is not None and block.speed != speed:
                    line = with_speed(line, identity, speed)
            return line

        blocks = self._blocks
        self._edit("Speed of a block", change)

    def _put_dissolve(self, value: float) -> None:
        block = self._blocks[-1] if self._blocks else ""
        self._edit("Dissolve", lambda line: with_dissolve(line, block, round(value)), "dissolve")

    def _put_pin(self) -> None:
        blocks, pin = self._blocks, self.pin.currentData()
        self._edit("Pin a block", lambda line: with_pin(line, blocks, pin))

    def _put_colour(self, label: str, **values: object) -> None:
        def change(effects: Effects) -> Effects:
            colour: Colour = replace(effects.colour, **values)  # type: ignore[arg-type]
            return replace(effects, colour=colour)

        blocks = self._blocks
        self._edit(label, lambda line: with_effects(line, blocks, change))

    def _choose_table(self) -> None:
        chosen = ask_file(self, "LUT", "LUT (*.cube)")
        if chosen is None:
            return
        try:
            table = attach(chosen)
            check_cube(table)
        except (ShadowError, ValueError) as error:
            text = sentence(error) if isinstance(error, ShadowError) else f"{Path(chosen).name} {error}."
            self._work.problem.emit(text)
            return
        self._put_colour("LUT", lut=table)

    def _put_title(self, **values: object) -> None:
        if self._showing or not self._blocks:
            return
        chosen = self._blocks[-1]

        def change(line: Timeline) -> Timeline:
            block = line.block(chosen)
            if block is None or block.title is None:
                return line
            return with_title(line, chosen, replace(block.title, **values))  # type: ignore[arg-type]

        self._edit("Title", change, "title" if "text" in values or "size" in values else "")

    def _take_away(self) -> None:
        blocks = self._blocks
        self._edit("Reset effects", lambda line: with_effects(line, blocks, lambda _old: NO_EFFECTS))
