"""A timeline as a value."""

from __future__ import annotations

import secrets
from dataclasses import dataclass, field
from fractions import Fraction


def new_id() -> str:
    """A short identity that is new."""
    return secrets.token_hex(6)


@dataclass(frozen=True)
class Block:
    """A stretch of a clip on the track, with its sound.

    ``start`` and ``length`` in frames of the timeline; ``source_start`` in seconds after the clip's first frame, exact;
    ``room`` is the clip's whole length in seconds, so that a trim knows where the footage ends.
    """

    clip: str
    start: int
    length: int
    source_start: Fraction
    room: Fraction
    id: str = field(default_factory=new_id)

    @property
    def end(self) -> int:
        """The frame after the last one."""
        return self.start + self.length


@dataclass(frozen=True)
class Timeline:
    """One video track with its sound. ``rate`` is 0 until the first clip gives rate and frame size (pixels).

    ``blocks`` are in order of start and never overlap.
    """

    name: str = "Timeline 1"
    rate: Fraction = Fraction(0)
    width: int = 0
    height: int = 0
    blocks: tuple[Block, ...] = ()

    @property
    def length(self) -> int:
        """Frames from 0 to the end of the last block."""
        return self.blocks[-1].end if self.blocks else 0

    def block(self, identity: str) -> Block | None:
        """The block of that identity, if there is one."""
        return next((block for block in self.blocks if block.id == identity), None)

    def checked(self) -> Timeline:
        """Itself; raises ValueError when blocks overlap, are out of order, empty, or outside their footage."""
        end = 0
        for block in self.blocks:
            if block.start < end or block.length < 1 or block.source_start < 0:
                raise ValueError(f"block {block.id} overlaps another or is empty")
            if self.rate <= 0 or block.source_start + Fraction(block.length - 1) / self.rate >= block.room:
                raise ValueError(f"block {block.id} reaches beyond its footage")
            end = block.end
        return self
