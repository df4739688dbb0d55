"""The shelves of a run: made known to the project, their room, and the way from a file to its reference."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from ..errors import ShadowError, from_os_error
from ..files import remove_partials
from ..pairs import FileRef
from ..project import Project, ProjectSession
from ..shelves import Shelf, free_room, with_volume
from .known import Known
from .request import IngestRequest
from .source import SourceListing


class RunShelves:
    """For one run. Makes the folders that it writes to; ``originals`` and ``proxies`` are shelves of the project."""

    def __init__(self, request: IngestRequest, session: ProjectSession) -> None:
        self._request = request
        self._session = session
        self.roots = request.roots(session.path.parent)
        for folder in self.roots.written():
            try:
                folder.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise from_os_error(error, folder) from error
        self.remove_partials()

    def make_known(self) -> None:
        """Have the project know the shelves."""
        self.originals = self._shelf("originals", self.roots.originals)
        self.proxies = self.originals
        if self.roots.proxies is not None:
            self.proxies = self._shelf("proxies", self.roots.proxies)
        if self.roots.second is not None:
            self._shelf("second copies", self.roots.second)

    def remove_partials(self) -> None:
        """Remove half-made files of processes that have ended."""
        for folder in self.roots.written():
            with suppress(OSError):
                remove_partials(folder)

    def check_room(self, listing: SourceListing, known: Known) -> None:
        """Raises ShadowError when a drive has too little room for what is still to be copied."""
        if self._request.preset.originals.do != "copy":
            return
        roots = [self._request.originals]
        if self._request.preset.originals.second_copy and self._request.second is not None:
            roots.append(self._request.second)
        for root in roots:
            source = self._request.source
            needed = sum(
                file.size for file in listing.files
                if not known.lies_there(source / file.path, root / file.path, file.size)
            )  # fmt: skip
            free = free_room(root)
            if needed > free:
                raise ShadowError(
                    f"there is room for {free / 1e9:.1f} GB, and {needed / 1e9:.1f} GB are needed",
                    root,
                    "Free some room there or choose another shelf.",
                )

    def _shelf(self, role: str, root: Path) -> Shelf:
        root = root.absolute()
        name = root.name or str(root)
        found: list[Shelf] = []

        def add(project: Project) -> Project:
            if found:
                return project if project.shelf(found[0].id) else replace(project, shelves=(*project.shelves, found[0]))
            project, shelf = project.with_shelf(name, role, root)
            found.append(shelf)
            return project

        self._session.absorb(add)
        known = with_volume(found[0])
        self._session.absorb(lambda project: project.with_shelf_replaced(known))
        return known


def reference(shelf: Shelf, path: Path) -> FileRef:
    """A file on a shelf, as shelf and path below it."""
    return FileRef(shelf.id, path.absolute().relative_to(shelf.root).as_posix())
