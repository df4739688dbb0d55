"""The project as one immutable value; an edit makes a new one that shares what did not change."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

from ..errors import ShelfError
from ..media import as_form
from ..pairs import FileRef, Original, Proxy
from ..presets import Preset
from ..shelves import Shelf
from ..timeline import Block, Piece, Side, Timeline, new_id

_STILL = Fraction(5)  # seconds


@dataclass(frozen=True)
class Clip:
    """One shot: its original, proxies, sidecars. ``pin`` overrides the switch; ``source`` is where it was found."""

    id: str
    name: str
    original: Original
    proxies: tuple[Proxy, ...] = ()
    sidecars: tuple[FileRef, ...] = ()
    pin: Side | None = None
    source: str = ""

    @property
    def length(self) -> Fraction:
        """Seconds."""
        return self.original.info.duration

    def piece(self, first: Fraction | None = None, length: Fraction | None = None) -> Piece:
        """A stretch of the clip for a timeline (default: all of it): ``first`` and ``length`` in seconds.

        A still has no length of its own: five seconds of it.
        """
        info = self.original.info
        still = info.kind == "still"
        first = Fraction(0) if still or first is None else first
        whole = _STILL if still else info.duration - first
        return Piece(
            clip=self.id,
            room=Fraction(0) if still else info.duration,
            first=first,
            length=whole if length is None else length,
            picture=info.kind != "sound",
            sound=bool(info.audio),
        )


_indexes: list[tuple[tuple[Clip, ...], dict[str, Clip]]] = []  # of the rows of clips looked at last


def _indexed(clips: tuple[Clip, ...]) -> dict[str, Clip]:
    """Clips by identity: an edit of the timeline leaves the row of clips as it is, and its index with it."""
    for known, index in tuple(_indexes):
        if known is clips:
            return index
    index = {clip.id: clip for clip in clips}
    _indexes[:] = [(clips, index), *_indexes[:3]]
    return index


@dataclass(frozen=True)
class Bake:
    """Frames ``start`` to before ``end`` of a timeline, drawn into a throw-away file.

    ``side``: where the switch stood; ``digest``: what it was drawn from.
    """

    timeline: str
    start: int
    end: int
    side: Side
    digest: str
    file: FileRef


@dataclass(frozen=True)
class Project:
    """The whole document. ``preset`` is the standing one; ``by_itself``: it runs on whatever is brought in.
    ``timeline`` is the one that is open, ``others`` the rest. ``chosen_preset``: name of the one chosen for an ingest.

    ``unknown`` keeps what a newer version wrote and this one has no name for."""

    id: str
    name: str
    shelves: tuple[Shelf, ...] = ()
    clips: tuple[Clip, ...] = ()
    timeline: Timeline = field(default_factory=Timeline)
    others: tuple[Timeline, ...] = ()
    showing: Side = "originals"
    preset: Preset | None = None
    by_itself: bool = False
    reports: tuple[dict[str, Any], ...] = ()
    bakes: tuple[Bake, ...] = ()
    chosen_preset: str = ""
    unknown: dict[str, Any] = field(default_factory=dict)

    @cached_property
    def _clips_by_id(self) -> dict[str, Clip]:
        return _indexed(self.clips)

    @cached_property
    def _shelves_by_id(self) -> dict[str, Shelf]:
        return {shelf.id: shelf for shelf in self.shelves}

    def clip(self, identity: str) -> Clip | None:
        """The clip of that identity, if there is one."""
        return self._clips_by_id.get(identity)

    def shelf(self, identity: str) -> Shelf | None:
        """The shelf of that identity, if there is one."""
        return self._shelves_by_id.get(identity)

    def path(self, file: FileRef) -> Path | None:
        """Where a file lies on this machine; None without its shelf. Raises ShelfError for a path that leaves it."""
        shelf = self.shelf(file.shelf)
        return as_form(shelf.resolve(file.path), file.form) if shelf is not None else None

    def place(self, file: FileRef) -> Path | None:
        """Like :meth:`path`, by name only: for the interface thread. Whoever opens the file asks :meth:`path`."""
        shelf = self.shelf(file.shelf)
        return as_form(shelf.locate(file.path), file.form) if shelf is not None else None

    def place_or_none(self, file: FileRef) -> Path | None:
        """:meth:`place`, and None also for a path that leads out of its shelf, as a received file may name one."""
        try:
            return self.place(file)
        except ShelfError:
            return None

    def side_of(self, clip: Clip, block: Block | None = None) -> Side:
        """What is to be shown of a clip: the pin of its block, else its own, else the switch."""
        return (block.pin if block is not None else None) or clip.pin or self.showing

    @property
    def timelines(self) -> tuple[Timeline, ...]:
        """All timelines, by name."""
        return tuple(sorted((self.timeline, *self.others), key=lambda line: (line.name.casefold(), line.id)))

    @cached_property
    def used_clips(self) -> frozenset[str]:
        """Clips that any timeline shows or plays."""
        return frozenset(block.clip for line in (self.timeline, *self.others) for block in line.blocks)

    def with_open(self, identity: str) -> Project:
        """With another timeline open; the same where there is none of that identity."""
        chosen = next((line for line in self.others if line.id == identity), None)
        if chosen is None:
            return self
        rest = tuple(line for line in self.others if line.id != identity)
        return replace(self, timeline=chosen, others=(*rest, self.timeline))

    def with_new_timeline(self, copy: bool = False) -> Project:
        """With one more timeline, which is open now: empty with the same settings, or a copy of the open one."""
        names = {line.name for line in self.timelines}
        name = next(text for n in range(1, 10_000) if (text := f"Timeline {n}") not in names)
        old = self.timeline
        new = replace(old, name=name, id=new_id()) if copy else Timeline(name, old.rate, old.width, old.height)
        return replace(self, timeline=new, others=(*self.others, old))

    def without_timeline(self) -> Project:
        """Without the open timeline; another one is open then. The last one stays."""
        if not self.others:
            return self
        return replace(self, timeline=self.others[-1], others=self.others[:-1])

    def with_clip(self, clip: Clip) -> Project:
        """With a clip added, or replaced where its identity is known."""
        if clip.id in self._clips_by_id:
            return replace(self, clips=tuple(clip if old.id == clip.id else old for old in self.clips))
        return replace(self, clips=(*self.clips, clip))

    def with_shelf(self, name: str, role: str, root: Path) -> tuple[Project, Shelf]:
        """With a shelf for a folder and role; the one there is when it is known already."""
        for shelf in self.shelves:
            if shelf.root == root and shelf.role == role:
                return self, shelf
        shelf = Shelf(new_id(), name, role, root)
        return replace(self, shelves=(*self.shelves, shelf)), shelf

    def with_shelf_replaced(self, shelf: Shelf) -> Project:
        """With a shelf of the same identity in place of the one there is; added where there is none."""
        if shelf.id not in self._shelves_by_id:
            return replace(self, shelves=(*self.shelves, shelf))
        if self._shelves_by_id[shelf.id] == shelf:
            return self
        return replace(self, shelves=tuple(shelf if old.id == shelf.id else old for old in self.shelves))

    def shelf_of_role(self, role: str) -> Shelf | None:
        """The shelf for new files of a role: the one that was chosen last. A source whose originals stay is none."""
        left = {clip.original.file.shelf for clip in self.clips if self._stays(clip)} if role == "originals" else set()
        return next((one for one in reversed(self.shelves) if one.role == role and one.id not in left), None)

    def _stays(self, clip: Clip) -> bool:
        shelf = self.shelf(clip.original.file.shelf)
        return shelf is not None and clip.source == str(shelf.root / clip.original.file.path)

    def with_shelf_chosen(self, role: str, root: Path) -> Project:
        """With a folder as the shelf for new files of a role, the last of its role. Nothing is made on a drive."""
        known = next((one for one in self.shelves if one.role == role and one.root == root), None)
        chosen = known or Shelf(new_id(), root.name or str(root), role, root, made=False)
        if self.shelf_of_role(role) == chosen:
            return self
        used = {clip.original.file.shelf for clip in self.clips}
        kept = (one for one in self.shelves if one != chosen and (one.made or one.role != role or one.id in used))
        return replace(self, shelves=(*kept, chosen))

    def with_shelf_moved(self, moved: Shelf) -> Project:
        """With one shelf at another place; whatever else is known of it, and of other shelves, stays. The same where
        the shelf is not there any more."""
        known = self._shelves_by_id.get(moved.id)
        if known is None:
            return self
        return self.with_shelf_replaced(replace(known, root=moved.root, volume=moved.volume, below=moved.below))

    def with_timeline_settings_of(self, clip: Clip) -> Project:
        """Rate and frame size of the timeline from a first clip's original; unchanged once they are set."""
        info = clip.original.info
        if self.timeline.rate or not info.frame_rate:
            return self
        timeline = replace(
            self.timeline,
            rate=info.frame_rate,
            width=info.display_width // 2 * 2,
            height=info.display_height // 2 * 2,
        )
        return replace(self, timeline=timeline)


def new_project(name: str) -> Project:
    """An empty project."""
    return Project(id=new_id(), name=name)
