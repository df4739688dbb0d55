"""The project as one immutable value of two: its footage and its cut. An edit makes a new one that shares the rest."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from ..errors import ShelfError
from ..media import as_form
from ..pairs import FileRef, Original
from ..presets import Preset
from ..shelves import Shelf
from ..timeline import Block, Side, Timeline, new_id
from .cut import Cut, Decision, shown, tidy_tags
from .footage import Bake, Clip, Footage, places_of


@dataclass(frozen=True)
class Project:
    """The whole document: what happened in the world, what the user decided, and both together as it is shown.

    Large: half of its methods are values of the two under one name: who shows them need not know which has them.
    """

    footage: Footage
    cut: Cut

    @property
    def id(self) -> str:
        """Its identity, which stays when it is renamed."""
        return self.footage.id

    @property
    def name(self) -> str:
        """Its name."""
        return self.cut.name

    @property
    def shelves(self) -> tuple[Shelf, ...]:
        """Its storage places."""
        return self.footage.shelves

    @property
    def reports(self) -> tuple[dict[str, Any], ...]:
        """Of its ingests, oldest first."""
        return self.footage.reports

    @property
    def bakes(self) -> tuple[Bake, ...]:
        """Stretches that lie drawn on disk."""
        return self.footage.bakes

    @property
    def timeline(self) -> Timeline:
        """The one that is open."""
        return self.cut.timeline

    @property
    def others(self) -> tuple[Timeline, ...]:
        """The timelines that are not open."""
        return self.cut.others

    @property
    def showing(self) -> Side:
        """Where the switch stands."""
        return self.cut.showing

    @property
    def preset(self) -> Preset | None:
        """The standing one."""
        return self.cut.preset

    @cached_property
    def clips(self) -> tuple[Clip, ...]:
        """The clips as the cut's decisions have them."""
        return shown(self.footage, self.cut)

    def clip(self, identity: str) -> Clip | None:
        """The clip of that identity, if there is one."""
        place = places_of(self.footage.clips).get(identity)
        return None if place is None else self.clips[place]

    def shelf(self, identity: str) -> Shelf | None:
        """The shelf of that identity, if there is one."""
        return self.footage.shelf(identity)

    def but(self, **values: Any) -> Project:
        """With some values of its footage or its cut in place of those it has. Raises TypeError for a name of neither.
        """
        decided = {name: value for name, value in values.items() if name in _DECIDED}
        found = {name: value for name, value in values.items() if name not in _DECIDED}
        footage = replace(self.footage, **found) if found else self.footage
        return Project(footage, replace(self.cut, **decided) if decided else self.cut)

    def is_same(self, other: Project | None) -> bool:
        """Whether it is the other one and not merely equal: a look at two objects, whatever their size."""
        return other is not None and self.footage is other.footage and self.cut is other.cut

    def with_decision(self, clip: str, decision: Decision) -> Project:
        """With another decision about a clip."""
        return Project(self.footage, self.cut.with_decision(clip, decision))

    def with_original(self, clip: str, original: Original) -> Project:
        """With another file as a clip's original, or the same file elsewhere."""
        known = self.footage.clip(clip)
        if known is None:
            return self
        return self.with_decision(clip, self.cut.decision(clip).with_original(original, known.original.file))

    def with_pin(self, clip: str, pin: Side | None) -> Project:
        """With a clip pinned to a side, or following the switch."""
        return self.with_decision(clip, replace(self.cut.decision(clip), pin=pin))

    def with_tags(self, clip: str, tags: Iterable[str]) -> Project:
        """With a clip's tags: each once, without regard to case, in the order of the alphabet."""
        return self.with_decision(clip, replace(self.cut.decision(clip), tags=tidy_tags(tags)))

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
        return self.but(timeline=chosen, others=(*rest, self.timeline))

    def with_new_timeline(self, copy: bool = False) -> Project:
        """With one more timeline, which is open now: empty with the same settings, or a copy of the open one."""
        names = {line.name for line in self.timelines}
        name = next(text for n in range(1, 10_000) if (text := f"Timeline {n}") not in names)
        old = self.timeline
        new = replace(old, name=name, id=new_id()) if copy else Timeline(name, old.rate, old.width, old.height)
        return self.but(timeline=new, others=(*self.others, old))

    def without_timeline(self) -> Project:
        """Without the open timeline; another one is open then. The last one stays."""
        if not self.others:
            return self
        return self.but(timeline=self.others[-1], others=self.others[:-1])

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
        return self.but(timeline=timeline)


def new_project(name: str) -> Project:
    """An empty project."""
    return Project(Footage(new_id()), Cut(name))


_DECIDED = frozenset(field.name for field in fields(Cut))
