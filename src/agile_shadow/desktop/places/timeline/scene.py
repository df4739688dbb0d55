"""What the timeline shows, for those who draw it."""

from __future__ import annotations

from dataclasses import dataclass, field

from ....core.project import Project
from ....core.switch import Choice, Presence, choose
from ....core.timeline import Block, Timeline
from .rows import Rows
from .sights import Sights


@dataclass
class BlockScene:
    """What is to be drawn."""

    project: Project
    line: Timeline
    rows: Rows
    presence: Presence
    sights: Sights
    selected: frozenset[str] = frozenset()
    targets: frozenset[str] = frozenset()
    caught: int | None = None
    baked: tuple[tuple[int, int, bool, str], ...] = ()  # first frame, end, whether it plays, in words
    kinds: dict[tuple[str, str | None], Choice] = field(default_factory=dict)
    shows_sights: bool = True  # pictures and waveforms on blocks

    def choice(self, block: Block) -> Choice | None:
        """What a block plays from; blocks of one clip with one pin are asked for once."""
        key = (block.clip, block.pin)
        known = self.kinds.get(key)
        if known is None:
            clip = self.project.clip(block.clip)
            if clip is None:
                return None
            known = self.kinds[key] = choose(self.project, clip, self.presence, None, block)
        return known
