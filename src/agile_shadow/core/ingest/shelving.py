"""The shelves of a run: known by their drives, their room, and the way from a file to its reference."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from ..amounts import amount
from ..below import Anchor
from ..errors import ShadowError
from ..files import remove_partials
from ..media import form_of
from ..pairs import FileRef
from ..project import Footage, ProjectSession
from ..shelves import (
    KnownFile,
    Shelf,
    free_room,
    open_again,
    open_root,
    put_mark_and_remember,
    with_volume,
)
from .known import Known
from .request import IngestRequest
from .source import SourceListing


class RunShelves:
    """For one run. ``originals`` and ``proxies`` are shelves of the project once they were made known.

    A root that nobody knows yet is made; one that was there once never is: without its drive that would fill the
    system's.
    """

    def __init__(self, request: IngestRequest, session: ProjectSession) -> None:
        self._request = request
        self._session = session
        self.roots = request.roots(session.path.parent)
        self._anchors: dict[Path, Anchor] = {}

    def open(self) -> None:
        """Find (or make) the folders that are written to. Raises ShelfGone for one whose drive is away."""
        for root in self.roots.written():
            if root not in self._anchors:
                self._anchors[root] = self._opened(root)
        self.remove_partials()

    def _opened(self, root: Path) -> Anchor:
        return open_root(root, self._session.project.shelves, self._some_files(root))

    def _some_files(self, root: Path) -> list[KnownFile]:
        """A few originals that should lie there."""
        project = self._session.project
        here = {shelf.id for shelf in project.shelves if shelf.root == root}
        refs = [clip.original for clip in project.clips if clip.original.file.shelf in here][:3]
        return [KnownFile(one.file.path, one.size) for one in refs if one.file.form == "file"]

    def anchor(self, root: Path) -> Anchor:
        """What identifies a root that is written to. Raises ShelfGone."""
        if root not in self._anchors:
            self._anchors[root] = self._opened(root)
        return self._anchors[root]

    def anchors(self, roots: Iterable[Path]) -> tuple[Anchor, ...]:
        """The same of several."""
        return tuple(self.anchor(root) for root in roots)

    def gone(self) -> Path | None:
        """A root that is not what it was: its drive was taken away. None while all are there."""
        return next((root for root, anchor in self._anchors.items() if not anchor.holds()), None)

    def renew(self) -> None:
        """Take roots whose drive has come again, maybe under another number. Raises ShelfGone while one is away."""
        for root, anchor in list(self._anchors.items()):
            if not anchor.holds():
                self._anchors[root] = open_again(root, self._session.project.shelves, self._some_files(root))

    def make_known(self) -> None:
        """Have the project know the shelves, and the shelves bear their mark."""
        self.originals = self._shelf("originals", self.roots.originals, self.roots.copied)
        self.proxies = self.originals
        if self.roots.proxies is not None:
            self.proxies = self._shelf("proxies", self.roots.proxies, True)
        if self.roots.second is not None:
            self._shelf("second copies", self.roots.second, True)

    def remove_partials(self) -> None:
        """Remove half-made files of processes that have ended."""
        for root, anchor in self._anchors.items():
            if anchor.holds():
                with suppress(OSError):
                    remove_partials(root)

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
                if not known.lies_there(file.at(source), root / file.path, file.size)
            )  # fmt: skip
            free = free_room(root)
            if needed > free:
                raise ShadowError(
                    f"{amount(free)} are free, and {amount(needed)} are needed",
                    root,
                    "Free some space there or choose another shelf.",
                )

    def _shelf(self, role: str, root: Path, written: bool) -> Shelf:
        root = root.absolute()
        name = root.name or str(root)
        found: list[Shelf] = []

        def add(footage: Footage) -> Footage:
            footage, shelf = footage.with_shelf(name, role, root)
            found.append(shelf)
            return footage

        self._session.absorb(add)
        if written:
            put_mark_and_remember(found[0], self.anchor(root))
        known = replace(with_volume(found[0]), made=True)
        self._session.absorb(lambda footage: footage.with_shelf_replaced(known))
        return known


def reference(shelf: Shelf, path: Path) -> FileRef:
    """A file on a shelf, as shelf and path below it."""
    return FileRef(shelf.id, path.absolute().relative_to(shelf.root).as_posix(), form_of(path))
