"""What happened in the world: clips and their files, proofs, shelves, reports, baked stretches. Never undone."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Any

from ..pairs import FileRef, Original, Proof, Proxy
from ..shelves import Shelf
from ..timeline import ClipPiece, Side, new_id

_STILL = Fraction(5)  # seconds


@dataclass(frozen=True)
class Clip:
    """One shot: its original, proxies, sidecars. ``source`` is where it was found; ``pin`` overrides the switch.
    ``tags`` are words of the user's own, in order.

    As a project shows it, after the decisions of its cut; the footage itself knows no pins and tags, and all files.
    """

    id: str
    name: str
    original: Original
    proxies: tuple[Proxy, ...] = ()
    sidecars: tuple[FileRef, ...] = ()
    pin: Side | None = None
    source: str = ""
    tags: tuple[str, ...] = ()

    @property
    def length(self) -> Fraction:
        """Seconds."""
        return self.original.info.duration

    def piece(self, first: Fraction | None = None, length: Fraction | None = None) -> ClipPiece:
        """A stretch of the clip for a timeline (default: all of it): ``first`` and ``length`` in seconds.

        A still has no length of its own: five seconds of it.
        """
        info = self.original.info
        still = info.kind == "still"
        first = Fraction(0) if still or first is None else first
        whole = _STILL if still else info.duration - first
        return ClipPiece(
            clip=self.id,
            room=Fraction(0) if still else info.duration,
            first=first,
            length=whole if length is None else length,
            picture=info.kind != "sound",
            sound=bool(info.audio),
        )

    def with_proxy(self, proxy: Proxy) -> Clip:
        """With one more proxy, which comes last and is the one in use."""
        return replace(self, proxies=(*(one for one in self.proxies if one.file != proxy.file), proxy))


_indexes: list[tuple[tuple[Clip, ...], dict[str, int]]] = []  # of the rows of clips looked at last


def places_of(clips: tuple[Clip, ...]) -> dict[str, int]:
    """Where each clip stands in the row, by identity: made once for a row, which most changes leave as it is."""
    for known, index in tuple(_indexes):
        if known is clips:
            return index
    index = {clip.id: place for place, clip in enumerate(clips)}
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

    @property
    def place(self) -> tuple[str, Side, int, int]:
        """Which stretch it is."""
        return self.timeline, self.side, self.start, self.end


@dataclass(frozen=True)
class Footage:
    """``chosen_preset``: name of the one chosen for an ingest. ``bake_room``: bytes that all bakes may take when what
    came late is baked by itself, 0 where it is not. ``hidden``: clips that have files or proofs which are
    only shown by a cut that chose them. ``unknown`` keeps what a newer version wrote and this one has no name for."""

    id: str
    shelves: tuple[Shelf, ...] = ()
    clips: tuple[Clip, ...] = ()
    reports: tuple[dict[str, Any], ...] = ()
    bakes: tuple[Bake, ...] = ()
    chosen_preset: str = ""
    bake_room: int = 0
    hidden: frozenset[str] = frozenset()
    unknown: dict[str, Any] = field(default_factory=dict)

    def clip(self, identity: str) -> Clip | None:
        """The clip of that identity, if there is one."""
        place = places_of(self.clips).get(identity)
        return None if place is None else self.clips[place]

    @cached_property
    def _shelves_by_id(self) -> dict[str, Shelf]:
        return {shelf.id: shelf for shelf in self.shelves}

    def shelf(self, identity: str) -> Shelf | None:
        """The shelf of that identity, if there is one."""
        return self._shelves_by_id.get(identity)

    def with_clip(self, clip: Clip) -> Footage:
        """With a clip added, or replaced where its identity is known."""
        place = places_of(self.clips).get(clip.id)
        if place is None:
            return replace(self, clips=(*self.clips, clip))
        return replace(self, clips=(*self.clips[:place], clip, *self.clips[place + 1 :]))

    def with_change(self, identity: str, change: Callable[[Clip], Clip]) -> Footage:
        """With one clip changed; the same where it is not there, or nothing changed."""
        clip = self.clip(identity)
        after = clip if clip is None else change(clip)
        return self if after is None or after is clip else self.with_clip(after)

    def with_hidden(self, identity: str) -> Footage:
        """With a clip known to have more than it shows."""
        return self if identity in self.hidden else replace(self, hidden=self.hidden | {identity})

    def with_proof(self, identity: str, file: FileRef, proof: Proof) -> Footage:
        """With a proof kept with its file. One of another offset is shown where a cut chose that offset."""

        def proven(clip: Clip) -> Clip:
            return _changed_proxy(clip, file, lambda proxy: proxy.with_proof(proof))

        now = self.with_change(identity, proven)
        clip = now.clip(identity)
        known = next((one for one in clip.proxies if one.file == file), None) if clip is not None else None
        return now if known is None or known.offset == proof.stamp.offset else now.with_hidden(identity)

    def without_proofs(self, clips: Iterable[str]) -> Footage:
        """With the proofs of some clips' proxies forgotten, so that they are made again."""
        now = self
        for identity in clips:
            now = now.with_change(identity, lambda clip: replace(
                clip, proxies=tuple(proxy.with_proof(None) for proxy in clip.proxies)
            ))  # fmt: skip
        return now

    def without_proxy(self, identity: str, file: FileRef) -> Footage:
        """Without a file that is gone."""
        return self.with_change(identity, lambda clip: replace(
            clip, proxies=tuple(one for one in clip.proxies if one.file != file)
        ))  # fmt: skip

    def with_shelf(self, name: str, role: str, root: Path) -> tuple[Footage, Shelf]:
        """With a shelf for a folder and role; the one there is when it is known already."""
        for shelf in self.shelves:
            if shelf.root == root and shelf.role == role:
                return self, shelf
        shelf = Shelf(new_id(), name, role, root)
        return replace(self, shelves=(*self.shelves, shelf)), shelf

    def with_shelf_replaced(self, shelf: Shelf) -> Footage:
        """With a shelf of the same identity in place of the one there is; added where there is none."""
        if shelf.id not in self._shelves_by_id:
            return replace(self, shelves=(*self.shelves, shelf))
        if self._shelves_by_id[shelf.id] == shelf:
            return self
        return replace(self, shelves=tuple(shelf if old.id == shelf.id else old for old in self.shelves))

    def without_shelf(self, identity: str) -> Footage:
        """Without a shelf."""
        return replace(self, shelves=tuple(one for one in self.shelves if one.id != identity))

    def shelf_of_role(self, role: str) -> Shelf | None:
        """The shelf for new files of a role: the one that was chosen last. A source whose originals stay is none."""
        left = {clip.original.file.shelf for clip in self.clips if self._stays(clip)} if role == "originals" else set()
        return next((one for one in reversed(self.shelves) if one.role == role and one.id not in left), None)

    def _stays(self, clip: Clip) -> bool:
        shelf = self.shelf(clip.original.file.shelf)
        return shelf is not None and clip.source == str(shelf.root / clip.original.file.path)

    def with_shelf_chosen(self, role: str, root: Path) -> Footage:
        """With a folder as the shelf for new files of a role, the last of its role. Nothing is made on a drive."""
        known = next((one for one in self.shelves if one.role == role and one.root == root), None)
        chosen = known or Shelf(new_id(), root.name or str(root), role, root, made=False)
        if self.shelf_of_role(role) == chosen:
            return self
        used = {clip.original.file.shelf for clip in self.clips}
        kept = (one for one in self.shelves if one != chosen and (one.made or one.role != role or one.id in used))
        return replace(self, shelves=(*kept, chosen))

    def with_shelf_moved(self, moved: Shelf) -> Footage:
        """With one shelf at another place; whatever else is known of it, and of other shelves, stays. The same where
        the shelf is not there any more."""
        known = self._shelves_by_id.get(moved.id)
        if known is None:
            return self
        return self.with_shelf_replaced(replace(known, root=moved.root, volume=moved.volume, below=moved.below))

    def together_with(self, other: Footage) -> Footage:
        """With what another version of the same project has besides: clips, their files, shelves."""
        now = self
        for shelf in other.shelves:
            if now.shelf(shelf.id) is None:
                now = now.with_shelf_replaced(shelf)
        for clip in other.clips:
            mine = now.clip(clip.id)
            if mine is None:
                now = now.with_clip(clip)
            else:
                known = {proxy.file for proxy in mine.proxies}
                more = [replace(one, by_itself=False) for one in clip.proxies if one.file not in known]
                if more:
                    now = now.with_clip(replace(mine, proxies=(*mine.proxies, *more))).with_hidden(clip.id)
        return now


def _changed_proxy(clip: Clip, file: FileRef, change: Callable[[Proxy], Proxy]) -> Clip:
    return replace(clip, proxies=tuple(change(one) if one.file == file else one for one in clip.proxies))
