"""The presets there are, and what can be done with them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QInputDialog,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ....core.errors import ShadowError, sentence
from ....core.installing import PRESET_ENDING
from ....core.library import Entry, free_name
from ....core.presets import (
    Preset,
    describes,
    import_preset,
    read_library,
    remove_preset,
    rename_preset,
    save_preset,
)
from ...choosing import ask_file, ask_new_file


class LibraryList(QWidget):
    """``picked`` gives the chosen preset; ``told`` a sentence about what was done or could not be."""

    picked = Signal(object)
    told = Signal(str, bool)

    def __init__(self) -> None:
        super().__init__()
        self._entries: dict[str, Entry[Preset]] = {}
        self._own: Preset | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        title = QLabel("Presets")
        title.setObjectName("part")
        layout.addWidget(title)
        self.list = QListWidget()
        self.list.setAccessibleName("Presets")
        self.list.setToolTip("Presets of yours and those supplied; select one to see and change it")
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(self._pick)
        layout.addWidget(self.list, 1)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.duplicate = QPushButton("Duplicate")
        self.duplicate.setToolTip("Save a copy of this preset under a new name")
        self.rename = QPushButton("Rename…")
        self.import_ = QPushButton("Import…")
        self.import_.setToolTip("Add a preset file to your presets")
        self.export = QPushButton("Export…")
        self.export.setToolTip("Write this preset into a file, to send or keep")
        self.remove = QPushButton("Remove")
        for number, (button, call) in enumerate(
            (
                (self.duplicate, self._duplicate),
                (self.rename, self._rename),
                (self.import_, self._import),
                (self.export, self._export),
                (self.remove, self._remove),
            )
        ):
            button.clicked.connect(call)
            button.setProperty("small", True)
            grid.addWidget(button, number // 2, number % 2)
        layout.addLayout(grid)

    def reload(self, own: Preset | None, wanted: str | None = None) -> None:
        """Read the library; ``own`` is the project's standing preset, which may lie in no file."""
        self._own = own
        library = read_library()
        self._entries = {entry.value.name: entry for entry in library.entries}
        names = sorted({*self._entries, *([own.name] if own is not None else [])}, key=str.casefold)
        with QSignalBlocker(self.list):
            self.list.clear()
            for name in names:
                self.list.addItem(self._item(name))
        for problem in library.problems:
            self.told.emit(problem, True)
        if names:
            self.choose(wanted or (own.name if own is not None else "Everyday, quarter size"))

    def _item(self, name: str) -> QListWidgetItem:
        standing = self._own is not None and self._own.name == name
        item = QListWidgetItem(f"{name}  (standing)" if standing else name)
        item.setData(Qt.ItemDataRole.UserRole, name)
        entry = self._entries.get(name)
        origin = "supplied" if entry is not None and entry.shipped else "your own"
        preset = self.named(name)
        item.setToolTip(f"{name} ({origin}): {describes(preset)}" if preset is not None else name)
        return item

    def choose(self, name: str) -> None:
        """Pick a preset by name, or the first."""
        rows = [n for n in range(self.list.count()) if self.list.item(n).data(Qt.ItemDataRole.UserRole) == name]
        with QSignalBlocker(self.list):
            self.list.setCurrentRow(rows[0] if rows else 0)
        self._pick()

    def named(self, name: str) -> Preset | None:
        """The preset of a name: the project's own copy goes before the library's."""
        if self._own is not None and self._own.name == name:
            return self._own
        entry = self._entries.get(name)
        return entry.value if entry is not None else None

    @property
    def names(self) -> list[str]:
        """All names."""
        return [self.list.item(number).data(Qt.ItemDataRole.UserRole) for number in range(self.list.count())]

    def current(self) -> Preset | None:
        """The chosen preset as it lies in its file."""
        item = self.list.currentItem()
        return self.named(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None

    def _pick(self) -> None:
        preset = self.current()
        if preset is None:
            return
        entry = self._entries.get(preset.name)
        own = entry is not None and not entry.shipped
        for button in (self.rename, self.remove):
            button.setEnabled(own)
            button.setToolTip("" if own else "Supplied presets cannot be changed. Duplicate it first.")
        self.picked.emit(preset)

    # What can be done

    def _duplicate(self) -> None:
        preset = self.current()
        if preset is not None:
            self._do(lambda: self._saved_again(preset))

    def _saved_again(self, preset: Preset) -> str:
        name = free_name(preset.name, self.names)
        save_preset(preset.model_copy(update={"name": name}))
        self.reload(self._own, name)
        return f"{name} is a copy of {preset.name}."

    def _rename(self) -> None:
        preset = self.current()
        if preset is None:
            return
        name, good = QInputDialog.getText(self, "Rename", f"New name of {preset.name}", text=preset.name)
        if good and name.strip():
            self._do(lambda: self._renamed(preset.name, name.strip()))

    def _renamed(self, old: str, new: str) -> str:
        rename_preset(old, new)
        self.reload(self._own, new)
        return f"{old} renamed to {new}."

    def _import(self) -> None:
        chosen = ask_file(self, "Import a preset", "Presets (*.json)")
        if chosen is not None:
            self.bring_in(chosen)

    def bring_in(self, path: Path) -> None:
        """Take a preset file into the library, and select it."""
        self._do(lambda: self._imported(path))

    def _imported(self, path: Path) -> str:
        preset = import_preset(path)
        self.reload(self._own, preset.name)
        return f"{preset.name} added to your presets."

    def _export(self) -> None:
        preset = self.current()
        if preset is None:
            return
        chosen = ask_new_file(self, "Export the preset", "Presets (*.json)", f"{preset.name}{PRESET_ENDING}")
        if chosen is not None:
            self._do(lambda: f"Written as {save_preset(preset, chosen)}.")

    def _remove(self) -> None:
        preset = self.current()
        if preset is not None:
            self._do(lambda: self._removed(preset.name))

    def _removed(self, name: str) -> str:
        remove_preset(name)
        self.reload(self._own)
        return f"{name} moved to the trash."

    def _do(self, work: object) -> None:
        try:
            text = work()  # type: ignore[operator]
        except ShadowError as error:
            self.told.emit(sentence(error), True)
        else:
            self.told.emit(text, False)
