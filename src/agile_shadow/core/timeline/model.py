"""A timeline as a value: tracks of blocks, markers, settings."""

from __future__ import annotations

import math
import secrets
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from typing import Literal

from ..time import timecode_at
from .effects import NO_COLOUR, PLAIN, Colour, Move, Placement, Title

Side = Literal["originals", "proxies"]
Kind = Literal["picture", "sound"]
ENDLESS = 1_000_000_000  # frames: handles of what has no footage to run out of (titles, stills)


def new_id() -> str:
    """A short identity that is new."""
    return secrets.token_hex(6)


@dataclass(frozen=True, slots=True)
class Dissolve:
    """How a block takes over from the one before it: frames before and after the cut between them."""

    before: int
    after: int

    @property
    def length(self) -> int:
        """Frames."""
        return self.before + self.after


@dataclass(frozen=True, slots=True)
class Effects:
    """What is done to a block beyond its place in time.

    ``gain`` in decibels; ``fade_in`` and ``fade_out`` in frames, of picture and sound alike; ``move``: a slow movement
    of its picture; ``keep_pitch``: sound at another speed keeps its pitch.
    """

    placement: Placement = PLAIN
    colour: Colour = NO_COLOUR
    gain: float = 0.0
    fade_in: int = 0
    fade_out: int = 0
    move: Move | None = None
    keep_pitch: bool = False

    def placed(self, frame: int, length: int) -> Placement:
        """Where the picture is at a frame after the start of a block of ``length`` frames."""
        if self.move is None:
            return self.placement
        return self.move.placed(self.placement, self.move.part(frame, length))


NO_EFFECTS = Effects()


@dataclass(frozen=True, slots=True)
class Block:
    """A stretch of a clip on a track, or a title.

    ``start`` and ``length`` in frames of the timeline; ``source_start`` in seconds after the clip's first frame, exact,
    is what its first frame shows; ``room`` is the clip's whole length in seconds, so that a trim knows where the
    footage ends (0: it never does, as with titles and stills). ``speed``: seconds of the clip a second, negative for
    reverse. Blocks with the same ``link`` belong together; ``pin`` overrides the switch.
    """

    clip: str
    start: int
    length: int
    source_start: Fraction
    room: Fraction
    speed: Fraction = Fraction(1)
    link: str = ""
    dissolve: Dissolve | None = None
    effects: Effects = NO_EFFECTS
    pin: Side | None = None
    title: Title | None = None
    id: str = field(default_factory=new_id)

    @property
    def end(self) -> int:
        """The frame after the last one."""
        return self.start + self.length

    def moment(self, frame: int, rate: Fraction) -> Fraction:
        """Seconds of the clip that show at a frame of the timeline."""
        return self.source_start + (frame - self.start) * self.speed / rate if self.room else self.source_start

    def handles(self, rate: Fraction) -> tuple[int, int]:
        """Frames of the timeline for which there is footage before the first and after the last frame of the block."""
        if not self.room:
            return ENDLESS, ENDLESS
        step = abs(self.speed) / rate
        below = math.floor(self.source_start / step)
        above = math.ceil((self.room - self.source_start) / step) - 1
        return (below, above - self.length + 1) if self.speed > 0 else (above, below - self.length + 1)

    def at(self, start: int) -> Block:
        """The same block elsewhere in time."""
        return self if start == self.start else moved((self,), start - self.start)[0]


class _Open:
    """A block that is being made: the same slots, not frozen. Setting them here takes a third of the time of going
    round the frozen class, and one edit may move thousands."""

    __slots__ = Block.__slots__
    clip: str
    start: int
    length: int
    source_start: Fraction
    room: Fraction
    speed: Fraction
    link: str
    dissolve: Dissolve | None
    effects: Effects
    pin: Side | None
    title: Title | None
    id: str


def moved(blocks: Iterable[Block], by: int) -> list[Block]:
    """The same blocks so many frames later."""
    if not by:
        return list(blocks)
    row: list[Block] = []
    for block in blocks:
        new = _Open()
        new.clip = block.clip
        new.start = block.start + by
        new.length = block.length
        new.source_start = block.source_start
        new.room = block.room
        new.speed = block.speed
        new.link = block.link
        new.dissolve = block.dissolve
        new.effects = block.effects
        new.pin = block.pin
        new.title = block.title
        new.id = block.id
        new.__class__ = Block  # type: ignore[assignment]
        row.append(new)  # type: ignore[arg-type]
    return row


@dataclass(frozen=True)
class Track:
    """Blocks one after another; they never overlap. ``off``: not seen, or not heard. A locked track does not change."""

    kind: Kind
    name: str
    blocks: tuple[Block, ...] = ()
    locked: bool = False
    off: bool = False
    id: str = field(default_factory=new_id)

    @cached_property
    def _starts(self) -> list[int]:
        return [block.start for block in self.blocks]

    @cached_property
    def by_id(self) -> dict[str, Block]:
        """The blocks by their identity."""
        return {block.id: block for block in self.blocks}

    @cached_property
    def by_link(self) -> dict[str, list[Block]]:
        """Blocks that belong to others, by their link."""
        links: dict[str, list[Block]] = {}
        for block in self.blocks:
            if block.link:
                links.setdefault(block.link, []).append(block)
        return links

    @cached_property
    def is_delicate(self) -> bool:
        """Whether any block has a dissolve or a fade, which an edit beside it may shorten."""
        return any(block.dissolve is not None or block.effects is not NO_EFFECTS for block in self.blocks)

    @property
    def end(self) -> int:
        """The frame after the last block."""
        return self.blocks[-1].end if self.blocks else 0

    def place_at(self, frame: int) -> int:
        """Number of the last block that begins at or before a frame, -1 for none."""
        return bisect_right(self._starts, frame) - 1

    def first_from(self, frame: int) -> int:
        """Number of the first block that begins at or after a frame; that of all blocks where none does."""
        return bisect_left(self._starts, frame)

    def first_in(self, frame: int) -> int:
        """Number of the first block that shows at a frame or begins after it."""
        number = self.place_at(frame)
        return number if number >= 0 and frame < self.blocks[number].end else number + 1

    def block_at(self, frame: int) -> Block | None:
        """The block that shows at a frame, or None in a gap."""
        number = self.place_at(frame)
        return self.blocks[number] if number >= 0 and frame < self.blocks[number].end else None

    def between(self, start: int, end: int) -> Iterator[Block]:
        """Blocks with at least one frame from ``start`` to before ``end``."""
        number = max(0, self.place_at(start))
        while number < len(self.blocks) and self.blocks[number].start < end:
            if self.blocks[number].end > start:
                yield self.blocks[number]
            number += 1

    def before(self, block: Block) -> Block | None:
        """The block that ends where this one begins."""
        number = self.place_at(block.start) - 1
        touching = number >= 0 and self.blocks[number].end == block.start
        return self.blocks[number] if touching else None

    def after(self, block: Block) -> Block | None:
        """The block that begins where this one ends."""
        number = self.place_at(block.start) + 1
        touching = number < len(self.blocks) and self.blocks[number].start == block.end
        return self.blocks[number] if touching else None


@dataclass(frozen=True, slots=True)
class Marker:
    """A note at a frame."""

    frame: int
    note: str = ""
    id: str = field(default_factory=new_id)


def first_tracks() -> tuple[Track, ...]:
    """What a new timeline has."""
    return Track("picture", "Picture 1"), Track("sound", "Sound 1")


@dataclass(frozen=True)
class Timeline:
    """Tracks in one row of frames. ``rate`` is 0 until the first clip gives rate and frame size (pixels).

    ``tracks``: picture tracks first, the lowest first, then sound tracks. ``mark_in`` and ``mark_out`` are the first
    and the last frame of a marked stretch. ``start``: number of frame 0 in timecode, ``drop``: counted as drop-frame.
    ``shape``: how footage of another shape lies in the frame, one of SHAPES. ``sound_rate``: samples a second of its
    films' sound, one of SOUND_RATES.
    """

    name: str = "Timeline 1"
    rate: Fraction = Fraction(0)
    width: int = 0
    height: int = 0
    tracks: tuple[Track, ...] = field(default_factory=first_tracks)
    markers: tuple[Marker, ...] = ()
    mark_in: int | None = None
    mark_out: int | None = None
    start: int = 0
    drop: bool = False
    shape: str = "fit"
    sound_rate: int = 48_000
    id: str = field(default_factory=new_id)

    def timecode(self, frame: int) -> str:
        """The timecode of a frame."""
        return timecode_at(self.start + frame, self.rate or Fraction(25), self.drop)

    @property
    def length(self) -> int:
        """Frames from 0 to the end of the last block."""
        return max((track.end for track in self.tracks), default=0)

    @property
    def blocks(self) -> Iterator[Block]:
        """All blocks, track by track."""
        return (block for track in self.tracks for block in track.blocks)

    @property
    def pictures(self) -> tuple[Track, ...]:
        """The picture tracks, the lowest first."""
        return tuple(track for track in self.tracks if track.kind == "picture")

    @property
    def sounds(self) -> tuple[Track, ...]:
        """The sound tracks."""
        return tuple(track for track in self.tracks if track.kind == "sound")

    def block(self, identity: str) -> Block | None:
        """The block of that identity, if there is one."""
        return next((found for track in self.tracks if (found := track.by_id.get(identity)) is not None), None)

    def track(self, identity: str) -> Track | None:
        """The track of that identity, if there is one."""
        return next((track for track in self.tracks if track.id == identity), None)

    def track_of(self, block: str) -> Track | None:
        """The track a block lies on."""
        return next((track for track in self.tracks if block in track.by_id), None)

    def linked(self, block: Block) -> tuple[Block, ...]:
        """The other blocks that belong to one."""
        if not block.link:
            return ()
        return tuple(one for track in self.tracks for one in track.by_link.get(block.link, ()) if one.id != block.id)

    def with_tracks(self, *changed: Track) -> Timeline:
        """With tracks in the place of those of the same identity."""
        new = {track.id: track for track in changed}
        return replace(self, tracks=tuple(new.get(track.id, track) for track in self.tracks))

    def checked(self) -> Timeline:
        """Itself; raises ValueError when blocks overlap, are out of order, empty, or outside their footage."""
        for track in self.tracks:
            end = 0
            for block in track.blocks:
                if block.start < end or block.length < 1 or not block.speed or block.source_start < 0:
                    raise ValueError(f"block {block.id} overlaps another or is empty")
                if self.rate <= 0 or min(block.handles(self.rate)) < 0:
                    raise ValueError(f"block {block.id} reaches beyond its footage")
                end = block.end
        if len({block.id for block in self.blocks}) != sum(len(track.blocks) for track in self.tracks):
            raise ValueError("two blocks have the same identity")
        return self
