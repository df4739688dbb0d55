"""What to run: a preset, a source, and the folders of the shelves."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..drives import is_one_folder
from ..errors import ShadowError
from ..presets import Preset
from ..presets.library import parse_preset
from ..project import Project
from ..shelves import Shelf, shelf_for, user_shelves, would_share_a_drive

ONE_DRIVE = "The second copies go onto the same drive as the first: if it fails, both are lost."


@dataclass(frozen=True)
class Roots:
    """The folders of a run's shelves. ``proxies`` is None where they go beside the originals or none are made;
    ``first``: where the files lie that are copied again to ``second``, originals before proxies."""

    originals: Path
    copied: bool
    proxies: Path | None
    second: Path | None
    first: Path | None = None

    def written(self) -> list[Path]:
        """Those that are written to."""
        own = [self.originals] if self.copied else []
        return [*own, *(root for root in (self.proxies, self.second) if root is not None)]

    @property
    def both_on_one_drive(self) -> bool:
        """Whether the second copies would be lost with the drive of the first; False where that cannot be told."""
        return self.first is not None and self.second is not None and would_share_a_drive(self.first, self.second)


@dataclass(frozen=True)
class IngestRequest:
    """What to run: folders of the source and of the shelves, and the preset. ``second``: for second copies.

    ``only``: paths below the source, where not all of it is meant.
    """

    source: Path
    originals: Path
    proxies: Path
    preset: Preset
    second: Path | None = None
    only: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Plain values for the job store."""
        return {
            "source": str(self.source),
            "originals": str(self.originals),
            "proxies": str(self.proxies),
            "second": str(self.second) if self.second is not None else None,
            "preset": self.preset.to_json(),
            "only": list(self.only),
        }

    @classmethod
    def from_json(cls, values: dict[str, Any]) -> IngestRequest:
        """The inverse of :meth:`to_json`."""
        source, originals, proxies = (Path(values[key]) for key in ("source", "originals", "proxies"))
        second = Path(values["second"]) if values.get("second") else None
        only = tuple(str(path) for path in values.get("only", ()))
        return cls(source, originals, proxies, parse_preset(values["preset"]), second, only)

    @property
    def needs_second(self) -> bool:
        """Whether the preset makes second copies."""
        made = self.preset.proxies is not None and self.preset.proxies.second_copy
        return self.preset.originals.second_copy or made

    def roots(self, project_folder: Path) -> Roots:
        """The folders that this run uses; ``project_folder`` holds the project file."""
        copied = self.preset.originals.do == "copy"
        wanted = self.preset.proxies
        proxies = None
        if wanted is not None and wanted.place == "shelf":
            proxies = self.proxies
        elif wanted is not None and wanted.place == "project":
            proxies = project_folder / wanted.folder
        second = self.second if self.needs_second else None
        originals = self.originals if copied else self.source
        first = originals if self.preset.originals.second_copy else proxies or originals
        return Roots(originals, copied, proxies, second, first if second is not None else None)

    def refuse_if_unsafe(self, project_folder: Path) -> None:
        """Raises ShadowError where copies or proxies would land on the source or among the originals' names."""
        roots = self.roots(project_folder)
        source, originals = self.source.resolve(), roots.originals.resolve()
        for written in roots.written():
            if not written.is_absolute() or written == Path("/"):
                raise ShadowError("is no folder for a shelf", written, "Name the whole path of a folder.")
        if self.needs_second and self.second is None:
            raise ShadowError("no shelf for second copies was named", None, "Name one, or change the preset.")
        for root, what in (
            (roots.originals if roots.copied else None, "the originals shelf"),
            (roots.proxies, "the proxies shelf"),
            (roots.second, "the shelf for second copies"),
        ):
            if root is not None and root.resolve().is_relative_to(source):
                raise ShadowError(f"{what} is on the source", root, "Choose another folder.")
        first = (roots.originals, roots.proxies or roots.originals)
        if roots.second is not None and any(is_one_folder(roots.second, root) for root in first):
            raise ShadowError("the second copies would be where the first ones are", roots.second, "Choose another.")
        wanted = self.preset.proxies
        same = roots.proxies is not None and roots.proxies.resolve() == originals
        if same and wanted is not None and wanted.name_pattern == "{name}":
            raise ShadowError(
                "the proxies would get the folders and names of the originals",
                roots.proxies,
                "Choose another folder.",
            )


@dataclass(frozen=True)
class NamedFolders:
    """Folders that were named by hand; None: the shelf that the preset means."""

    originals: Path | None = None
    proxies: Path | None = None
    second: Path | None = None


def request_for(source: Path, preset: Preset, project: Project, named: NamedFolders) -> IngestRequest:
    """A request whose folders are those named, else those of the shelves that the preset means.

    Shelves are looked for among the project's and then the user's. Raises ShadowError when one is needed and not known.
    """
    shelves = (*user_shelves(), *project.shelves)
    originals, wanted = preset.originals, preset.proxies
    first = named.originals or _folder(
        originals.shelf, "originals", shelves, originals.do == "copy", "the originals shelf"
    )
    on_shelf = wanted is not None and wanted.place == "shelf"
    proxies = named.proxies or _folder(
        wanted.shelf if wanted is not None else "", "proxies", shelves, on_shelf, "the proxies shelf"
    )
    again = originals.second_copy or (wanted is not None and wanted.second_copy)
    second = named.second or _folder(originals.second_shelf, "second copies", shelves, again, "the second copies")
    nowhere = source.absolute()  # never used: the preset writes nothing there
    return IngestRequest(source.absolute(), first or nowhere, proxies or nowhere, preset, second)


def _folder(wanted: str, role: str, shelves: tuple[Shelf, ...], needed: bool, what: str) -> Path | None:
    shelf = shelf_for(wanted, role, shelves)
    if shelf is not None:
        return shelf.root
    if not needed:
        return None
    name = f' named "{wanted}"' if wanted else ""
    raise ShadowError(f"there is no shelf{name} for {what}", None, "Name a folder for it, or make the shelf first.")
