"""The instruction card: the preset, where everything goes, and the button."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
)

from ....core.errors import ShadowError, sentence
from ....core.ingest import (
    ONE_DRIVE,
    Context,
    IngestRequest,
    SourceListing,
    needs_probe,
    original_places,
    proxy_place,
    token_values,
)
from ....core.presets import Preset, describes, list_presets
from ....core.shelves import shelf_for, user_shelves
from ... import words
from ...choosing import typed_path
from ...folders import Folders
from ...labels import set_look
from ...work import Work
from .reading import TypedFolders
from .run_panel import RunPanel


class InstructionCard(QFrame):
    """``preset_changed``: another preset is to be shown; ``folder_changed``: another folder is typed; ``started``: the
    button was pressed."""

    preset_changed = Signal()
    folder_changed = Signal()
    started = Signal()

    def __init__(self, work: Work, folders: Folders) -> None:
        super().__init__()
        self.setObjectName("card")
        self._work = work
        self._usual = folders
        self._presets: dict[str, Preset] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 14)
        layout.setSpacing(10)
        layout.addWidget(QLabel("Preset"))
        self.preset = QComboBox()
        self.preset.setAccessibleName("Preset")
        self.preset.setToolTip("The preset that the next ingest uses")
        self.preset.currentIndexChanged.connect(self._preset_changed)
        self.preset.activated.connect(self._preset_chosen)
        layout.addWidget(self.preset)
        self.by_itself = QCheckBox("Ingest new sources automatically")
        self.by_itself.setToolTip("Cards you insert and folders you add are ingested at once with the standing preset")
        self.by_itself.toggled.connect(self._set_by_itself)
        layout.addWidget(self.by_itself)
        self.describes, self.goes, self.room = _quiet(), _quiet("path"), _quiet()
        layout.addWidget(self.describes)
        layout.addLayout(self._folders())
        layout.addWidget(self.goes)
        layout.addWidget(self.room)
        self.start = QPushButton("Ingest")
        self.start.setToolTip("Copy and verify the files shown, and make proxies, as the preset says")
        self.start.setObjectName("main")
        self.start.clicked.connect(self.started)
        layout.addWidget(self.start)
        self.run = RunPanel(work)
        layout.addWidget(self.run)
        layout.addStretch(1)

    def _folders(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(6)
        self.originals = path_edit("Originals shelf")
        self.proxies = path_edit("Proxies shelf")
        self.second = path_edit("Shelf for second copies")
        self._rows = []
        for number, (edit, role) in enumerate(self._roles()):
            label, button = QLabel(f"{role.capitalize()} go to"), QToolButton()
            button.setText("Browse…")
            button.setProperty("small", True)
            button.setToolTip("Choose a folder")
            button.setAccessibleName(f"Choose the folder: {role}")
            button.clicked.connect(lambda _checked=False, edit=edit, role=role: self._choose(edit, role))
            edit.textChanged.connect(self.folder_changed)
            edit.editingFinished.connect(lambda edit=edit, role=role: self._keep_folder(edit, role))
            grid.addWidget(label, number * 2, 0, 1, 2)
            grid.addWidget(edit, number * 2 + 1, 0)
            grid.addWidget(button, number * 2 + 1, 1)
            self._rows.append((label, edit, button))
        return grid

    # Folders

    def _roles(self) -> tuple[tuple[QLineEdit, str], ...]:
        """The fields of folders, each with the role of its shelf."""
        return (self.originals, "originals"), (self.proxies, "proxies"), (self.second, "second copies")

    def _choose(self, edit: QLineEdit, role: str) -> None:
        chosen = QFileDialog.getExistingDirectory(self, edit.accessibleName(), edit.text())
        if chosen:
            edit.setText(chosen)
            self._keep_folder(edit, role)

    def _keep_folder(self, edit: QLineEdit, role: str) -> None:
        """A folder that was named is the project's shelf for that from now on, kept with it."""
        if edit.text().strip():
            root = folder_in(edit)
            self._work.session.absorb(lambda footage: footage.with_shelf_chosen(role, root))

    def runs_by_itself(self) -> bool:
        """Whether the standing preset runs on what comes: only to places that somebody has chosen."""
        project = self._work.session.project
        preset = project.preset
        if not project.cut.by_itself or preset is None:
            return False
        names = (preset.originals.shelf, preset.proxies.shelf if preset.proxies is not None else "", "")
        for (_edit, role), needed, name in zip(self._roles(), _uses(preset), names, strict=True):
            if needed and not name and project.footage.shelf_of_role(role) is None:
                self._work.problem.emit(f"Choose where {role} go, then click Ingest.")
                return False
        return True

    def unnamed(self) -> str:
        """What must be named before an ingest can begin, as a sentence; empty when nothing."""
        preset = self.chosen_preset()
        for (edit, role), needed in zip(self._roles(), _uses(preset) if preset else (False,) * 3, strict=True):
            if needed and not edit.text().strip():
                return f"Choose a folder for {role}."
        return ""

    # The preset

    def reload_presets(self) -> None:
        """Fill the choice; the project's own preset is chosen."""
        presets = {preset.name: preset for preset in list_presets()}
        project = self._work.session.project
        current, kept = project.preset, project.footage.chosen_preset
        if current is not None:
            presets[current.name] = current
        self._presets = presets
        with QSignalBlocker(self.preset):
            self.preset.clear()
            self.preset.addItems(sorted(presets))
            wanted = kept if kept in presets else current.name if current is not None else "Everyday, quarter size"
            self.preset.setCurrentIndex(max(0, self.preset.findText(wanted)))
        self._preset_changed()

    def chosen_preset(self) -> Preset | None:
        """The preset of the choice."""
        return self._presets.get(self.preset.currentText())

    def _preset_chosen(self) -> None:
        """Kept with the project."""
        name = self.preset.currentText()
        self._work.session.absorb(
            lambda now: now if now.chosen_preset == name else replace(now, chosen_preset=name)
        )

    def _preset_changed(self) -> None:
        preset = self.chosen_preset()
        if preset is None:
            return
        self.describes.setText(describes(preset))
        self.by_itself.setVisible(self._work.session.project.preset == preset)
        with QSignalBlocker(self.by_itself):
            self.by_itself.setChecked(self._work.session.project.cut.by_itself)
        self._take_shelves(preset)
        for shown, widgets in zip(_uses(preset), self._rows, strict=True):
            for widget in widgets:
                widget.setVisible(shown)
        self.preset_changed.emit()

    def _set_by_itself(self, on: bool) -> None:
        label = "Ingest new sources automatically" if on else "Wait for the Ingest button"
        self._work.session.edit(label, lambda project: project.but(by_itself=on))

    def _take_shelves(self, preset: Preset) -> None:
        """Fill in the folders of the shelves that the preset names, else of those of the project, else usual ones."""
        project = self._work.session.project
        try:
            shelves = (*user_shelves(), *project.shelves)
        except ShadowError as error:
            self._work.problem.emit(sentence(error))
            shelves = project.shelves
        wanted, usual = preset.proxies, self._usual
        for name, role, edit, folder in (
            (preset.originals.shelf, "originals", self.originals, usual.originals),
            (wanted.shelf if wanted is not None else "", "proxies", self.proxies, usual.proxies),
            (preset.originals.second_shelf, "second copies", self.second, usual.second),
        ):
            shelf = (shelf_for(name, role, shelves) if name else None) or project.footage.shelf_of_role(role)
            root = shelf.root if shelf is not None else folder
            edit.setText(str(root) if root is not None else "")

    def request(self, source: Path, chosen: Preset | None = None) -> IngestRequest | None:
        """What the button would run on a source."""
        preset = chosen or self.chosen_preset()
        if preset is None:
            return None
        if self.unnamed():
            self._work.problem.emit(self.unnamed())
            return None
        return IngestRequest(source, folder_in(self.originals), folder_in(self.proxies), preset, self.targets().second)

    # What would be done

    def targets(self) -> TypedFolders:
        """Where files go, as it is typed."""
        second = folder_in(self.second) if self.second.text().strip() else None
        originals, proxies = (
            folder_in(edit) if edit.text().strip() else Path("/") for edit in (self.originals, self.proxies)
        )
        return TypedFolders(originals, proxies, second)

    def show_room(self, size: int, free: int, one_drive: frozenset[Path]) -> None:
        """``size``: bytes to copy; ``free``: bytes there; ``one_drive``: folders on the drive of second copies."""
        preset = self.chosen_preset()
        both = f"\n{ONE_DRIVE}" if preset is not None and self._first(preset) in one_drive else ""
        if preset is None or preset.originals.do == "leave":
            set_look(self.room, "quiet")
            self.room.setText(f"Originals stay in place.{both}")
            return
        set_look(self.room, "quiet" if size <= free else "warn")
        enough = "" if size <= free else "  Not enough free space."
        self.room.setText(f"{words.gigabytes(size)} to copy, {words.gigabytes(free)} free there.{enough}{both}")

    def _first(self, preset: Preset) -> Path | None:
        """The folder whose files are copied again, where it is one of those that are typed."""
        if preset.originals.second_copy:
            return self.targets().originals
        made = preset.proxies
        if made is None or not made.second_copy or made.place == "project":
            return None
        beside = self.targets().originals if preset.originals.do == "copy" else None
        return self.targets().proxies if made.place == "shelf" else beside

    def show_places(self, source: str, listing: SourceListing) -> None:
        """Where the first file and its proxy will lie, as real paths."""
        preset = self.chosen_preset()
        if preset is None or not listing.files:
            self.goes.setText("")
            return
        file = next((f for f in listing.files if f.kind == "video"), listing.files[0])
        number = list(listing.files).index(file) + 1
        context = Context(Path(source), self._work.session.project.name, preset.name)
        values = token_values(file, number, context, None)
        below = original_places(file, preset.originals, values)[0][1]
        lines = []
        if preset.originals.do == "copy":
            lines.append(f"{Path(file.path).name} goes to {folder_in(self.originals) / below}")
        wanted = preset.proxies
        if wanted is not None and file.kind in ("video", "sequence"):
            root = folder_in(self.originals if wanted.place == "beside" else self.proxies)
            if wanted.place == "project":
                root = self._work.session.path.parent / wanted.folder
            kept = below if preset.originals.do == "copy" else file.path
            lines.append(f"its proxy to {root / proxy_place(kept, wanted, values, False)}")
        if needs_probe(preset):
            lines.append("Reel, camera and time are filled in once each file is read.")
        self.goes.setText("\n".join(lines))

    def show_running(self, running: bool) -> None:
        """Whether the chosen source is being ingested: then nothing can be changed for it."""
        self.start.setVisible(not running)
        for field in (self.originals, self.proxies, self.second, self.preset):
            field.setEnabled(not running)


def _uses(preset: Preset) -> tuple[bool, bool, bool]:
    """Whether a preset needs a folder for originals, for proxies, for second copies."""
    copying = preset.originals.do == "copy"
    again = preset.originals.second_copy or (preset.proxies is not None and preset.proxies.second_copy)
    return copying, preset.proxies is not None and preset.proxies.place == "shelf", again


def _quiet(name: str = "quiet") -> QLabel:
    label = QLabel("")
    label.setObjectName(name)
    label.setWordWrap(True)
    return label


def folder_in(edit: QLineEdit) -> Path:
    """The folder that is typed."""
    return typed_path(edit.text()).absolute()


def path_edit(name: str) -> QLineEdit:
    """A field for a folder."""
    edit = QLineEdit()
    edit.setAccessibleName(name)
    edit.setToolTip(f"{name}: type a folder, or choose one")
    return edit
