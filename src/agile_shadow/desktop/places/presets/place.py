"""Presets: the library, the sentence that can be edited, and beside it what it does to real footage."""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any, cast

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSplitter,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import PresetError, ShadowError, sentence
from ....core.estimates import taste_under
from ....core.ingest import Context, SourceFile, original_places, proxy_place, token_values
from ....core.presets import EXAMPLES, Preset, describes, save_preset, suggested_name
from ....core.project import set_standing_preset, standing_preset
from ....core.shelves import Shelf, shelf_for, user_shelves
from ... import theme
from ...flow import Flow
from ...labels import set_look
from ...measuring import Measuring
from ...work import Work
from ..place import PlacePage
from .library_list import LibraryList
from .outlook import Outlook
from .picture import MarkPicture
from .sentence import Sentence
from .trial import TrialDialog

if TYPE_CHECKING:
    from .plot import CandidatesPlot

_SETTLED = 900  # milliseconds without a change before a preset is tried on footage


class PresetsPlace(PlacePage):
    """The whole place. ``chosen`` tells that the project's standing preset changed.

    Large: its attributes are its controls, its methods what each of them is connected to.
    """

    chosen = Signal()

    def __init__(self, work: Work, measuring: Measuring, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self._work = work
        self._measuring = measuring
        self._shown: Preset | None = None
        self._edited: Preset | None = None
        self._build()
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLED)
        self._settle.timeout.connect(self._measure)
        measuring.measured.connect(self._measured)
        self.reload()

    def _build(self) -> None:
        outer = QHBoxLayout(self)
        outer.setContentsMargins(14, 12, 14, 12)
        splitter = QSplitter(Qt.Orientation.Horizontal, self)
        outer.addWidget(splitter)
        splitter.setHandleWidth(12)
        self.library = LibraryList()
        splitter.addWidget(self.library)
        self.list = self.library.list
        self.library.picked.connect(self._pick)
        self.library.told.connect(self._tell)
        middle = QWidget(splitter)
        self._fill_middle(QVBoxLayout(middle))
        self.sentence.changed.connect(self._changed)
        self.sentence.failed.connect(lambda text: self._tell(text, True))
        self.outlook = Outlook(self._measuring)
        self.picture = MarkPicture(self._work)
        self.picture.moved.connect(self.sentence.marks.move_chosen)
        self.picture.chosen.connect(self.sentence.marks.choose)
        self.sentence.marks.list.currentIndexChanged.connect(self._show_picture)
        self._plot: Any = None
        right = QWidget(splitter)
        self._fill_right(QVBoxLayout(right))
        splitter.setChildrenCollapsible(False)
        for part, least in ((self.library, 130), (middle, 330), (right, 330)):
            part.setMinimumWidth(least)
        splitter.setSizes([150, 480, 510])
        splitter.setStretchFactor(0, 0)
        splitter.setStretchFactor(1, 2)
        splitter.setStretchFactor(2, 2)

    def _fill_middle(self, layout: QVBoxLayout) -> None:
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        row = QHBoxLayout()
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the preset")
        self.name.setToolTip("Name under which the preset is kept")
        self.name.textChanged.connect(self._changed)
        self.suggest = QPushButton("Suggest")
        self.suggest.setToolTip("A name from the settings")
        self.suggest.clicked.connect(self._suggest)
        row.addWidget(QLabel("Name"))
        row.addWidget(self.name, 1)
        row.addWidget(self.suggest)
        layout.addLayout(row)
        self.describes = QLabel("")
        self.describes.setObjectName("quiet")
        self.describes.setWordWrap(True)
        self.describes.setFont(theme.sans(9))
        layout.addWidget(self.describes)
        scroll = QScrollArea()
        layout.addWidget(scroll, 1)
        self.sentence = Sentence(scroll.viewport())
        scroll.setWidget(self.sentence)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.scroller = scroll
        self.message = QLabel("")
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        layout.addWidget(self.message)
        self.for_new = QCheckBox("Also for new projects")
        self.for_new.setToolTip("Also preselected in every new project")
        self.for_new.toggled.connect(self._set_for_new)
        self.save = QPushButton("Save")
        self.save.setToolTip("Save this preset in your library")
        self.save.clicked.connect(self._save)
        self.use = QPushButton("Set as standing preset")
        self.use.setToolTip("Preselected for every ingest in this project")
        self.use.setObjectName("main")
        self.use.clicked.connect(self._use)
        layout.addWidget(Flow(self.save, self.use, self.for_new))

    def _fill_right(self, layout: QVBoxLayout) -> None:
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        layout.addWidget(self.outlook, 3)
        self.tabs = QTabWidget()
        self.tabs.addTab(self.picture, "Preview")
        self._plot_page = QWidget()
        QVBoxLayout(self._plot_page).setContentsMargins(0, 0, 0, 0)
        self.tabs.addTab(self._plot_page, "Size against headroom")
        self.tabs.currentChanged.connect(self._show_picture)
        layout.addWidget(self.tabs, 2)
        self.trial = QPushButton("Run a trial…")
        self.trial.setToolTip("Make a few seconds with up to four presets, and compare pictures and sizes")
        self.trial.clicked.connect(self._open_trial)
        layout.addWidget(self.trial)

    @property
    def plot(self) -> CandidatesPlot:
        """The plot, made when it is first wanted: its package takes 30 MB that no other place needs."""
        if self._plot is None:
            self._plot = importlib.import_module(".plot", __package__).CandidatesPlot(self._measuring)
            self._plot.taken.connect(self._take_candidate)
            layout = self._plot_page.layout()
            assert layout is not None
            layout.addWidget(self._plot)
        return cast("CandidatesPlot", self._plot)

    # Showing

    def reload(self) -> None:
        """Read the presets there are and show the project's standing one."""
        self.library.reload(self._work.session.project.preset)

    def entered(self) -> None:
        """The place was opened."""
        self._changed()

    def _pick(self, preset: Preset) -> None:
        self._shown = preset
        self.sentence.offer_shelves([shelf.name for shelf in self._shelves()])
        self.sentence.show_preset(preset)
        self.name.blockSignals(True)
        self.name.setText(preset.name)
        self.name.blockSignals(False)
        standing = standing_preset()
        self.for_new.blockSignals(True)
        self.for_new.setChecked(standing is not None and standing.name == preset.name)
        self.for_new.blockSignals(False)
        self._tell("")
        self._changed()

    def _shelves(self) -> tuple[Shelf, ...]:
        try:
            return (*user_shelves(), *self._work.session.project.shelves)
        except ShadowError as error:
            self._tell(sentence(error), True)
            return self._work.session.project.shelves

    def preset(self) -> Preset:
        """The preset as edited. Raises PresetError with the field and the reason."""
        return self.sentence.preset(self.name.text().strip())

    def _changed(self) -> None:
        try:
            self._edited = self.preset()
        except PresetError as error:
            self._edited = None
            self._tell(sentence(error), True)
        else:
            changed = self._edited != self._shown
            self._tell("Unsaved changes." if changed else "")
            self.describes.setText(describes(self._edited))
            self._show_places(self._edited)
        for button in (self.save, self.use, self.trial):
            button.setEnabled(self._edited is not None)
        self.trial.setEnabled(self._edited is not None and self._edited.proxies is not None and self._has_video())
        self.refresh_table()
        self._settle.start()

    def _has_video(self) -> bool:
        return any(clip.original.info.kind == "video" for clip in self._work.session.project.clips)

    def refresh_table(self) -> None:
        """Show what the edited preset does, from what is known now."""
        if self.isVisible():
            self.outlook.show_preset(self._edited, self._work.session.project)
            self._show_picture()

    def _show_picture(self) -> None:
        if not self.isVisible():
            return  # nothing is decoded for a place that nobody sees
        if self.tabs.currentWidget() is self._plot_page:
            self.plot.show_kinds(self.outlook.kinds, self._edited)
        else:
            self.picture.show_preset(self._edited, self.outlook.kinds, self.sentence.marks.chosen)

    def _show_places(self, preset: Preset) -> None:
        """Real paths for a clip of the project, or for an example."""
        project = self._work.session.project
        shelves = self._shelves()
        file = SourceFile("MAIN_A001/CLIPS/A001C004/A001C004.MOV", "video", 0, 1_791_797_502_000_000_000)
        context = Context(self._work.session.path.parent / "Card", project.name, preset.name)
        values = {**token_values(file, 4, context, None), "reel": EXAMPLES["reel"]}
        originals = shelf_for(preset.originals.shelf, "originals", shelves)
        below = original_places(file, preset.originals, values)[0][1]
        self.sentence.preview.setText(f"So {file.path} becomes {_under(originals, preset.originals.shelf, below)}")
        wanted = preset.proxies
        if wanted is None:
            return
        kept = below if preset.originals.do == "copy" else file.path
        place = proxy_place(kept, wanted, values, False)
        if wanted.place == "beside":
            text = _under(originals, preset.originals.shelf, str(place))
        elif wanted.place == "project":
            text = str(self._work.session.path.parent / wanted.folder / place)
        else:
            text = _under(shelf_for(wanted.shelf, "proxies", shelves), wanted.shelf, str(place))
        self.sentence.proxy_preview.setText(f"Its proxy: {text}")

    def _tell(self, text: str, warn: bool = False) -> None:
        self.message.setText(text)
        set_look(self.message, "warn" if warn else "quiet")

    # Measuring

    def _measure(self) -> None:
        if not self.isVisible() or self._edited is None or self._edited.proxies is None:
            return
        settings = self._edited.proxies
        wanted = [
            kind.samples[0]
            for kind, one in zip(self.outlook.kinds, self.outlook.estimates, strict=False)
            if kind.samples and one.pixels is not None
            and taste_under(kind.samples[0].key, settings, self._measuring.kept) is None
        ]  # fmt: skip
        self._measuring.want_tastes(settings, wanted)

    def _measured(self) -> None:
        if self.isVisible():
            self.refresh_table()

    # Doing

    def _suggest(self) -> None:
        try:
            self.name.setText(suggested_name(self.sentence.preset("x")))
        except PresetError as error:
            self._tell(sentence(error), True)

    def _take_candidate(self, codec: str, scale: str) -> None:
        self.sentence.frame_size.write({"scale": scale, "height": None})
        self.sentence.fields["proxies.codec"].write(codec)
        self.sentence.fields["proxies.codec"].changed.emit()

    def take_over(self, preset: Preset) -> None:
        """Show another preset's settings, for instance the one that won a trial."""
        if preset.name in self.library.names:
            self.library.choose(preset.name)
        self.sentence.show_preset(preset)
        self.name.setText(preset.name)
        self._changed()

    def _save(self) -> None:
        try:
            preset = self.preset()
            path = save_preset(preset)
        except ShadowError as error:
            self._tell(sentence(error), True)
            return
        own = self._work.session.project.preset
        if own is not None and own.name == preset.name and own != preset:
            self._stand(preset)
        self.library.reload(self._work.session.project.preset, preset.name)
        self.chosen.emit()
        self._tell(f"Saved as {path.name} with your presets.")

    def _use(self) -> None:
        try:
            preset = self.preset()
        except ShadowError as error:
            self._tell(sentence(error), True)
            return
        self._stand(preset)
        self.library.reload(preset, preset.name)
        self.chosen.emit()
        self._tell(f"{preset.name} is the standing preset of this project now.")

    def _stand(self, preset: Preset) -> None:
        self._work.session.edit("Choose a preset", lambda project: project.but(preset=preset))

    def _set_for_new(self, on: bool) -> None:
        try:
            preset = self.preset()
            if on:
                save_preset(preset)
            set_standing_preset(preset.name if on else None)
        except ShadowError as error:
            self._tell(sentence(error), True)
            return
        self._tell(f"New projects begin with {preset.name}." if on else "New projects begin without a standing preset.")

    def _open_trial(self) -> None:
        if self._edited is None:
            return
        self.trial_dialog = TrialDialog(self._work, self._edited, self.library, self)
        self.trial_dialog.taken.connect(self.take_over)
        self.trial_dialog.open()


def _under(shelf: Shelf | None, wanted: str, below: str) -> str:
    """A real path where the shelf is known, else one that begins with its name."""
    if shelf is not None:
        return str(shelf.root / below)
    return f"[{wanted or 'shelf chosen at ingest'}]/{below}"
