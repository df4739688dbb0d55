"""What the commands of the timeline mean: the chosen blocks, the block under the playhead, the tracks in hand."""

from __future__ import annotations

from ....core import timeline as edits
from ....core.timeline import Block, Targets, Timeline, Track
from ...work import Work
from .paint import marked
from .view import TimelineView


class AtHand:
    """Asked at the moment of a command."""

    def __init__(self, work: Work, view: TimelineView) -> None:
        self._work, self._view = work, view

    @property
    def line(self) -> Timeline:
        """The open timeline."""
        return self._work.session.project.timeline

    @property
    def position(self) -> int:
        """The playhead."""
        return self._view.position

    def block_here(self) -> Block | None:
        """The block that commands mean: of those under the playhead a chosen one, else that of the track in hand."""
        under = [block for track in self.line.tracks if (block := track.block_at(self.position)) is not None]
        chosen = [block for block in under if block.id in self._view.chosen]
        hand = self._view.target("picture")
        own = [block for block in under if hand is not None and self.line.track_of(block.id) is hand]
        return next(iter((*chosen, *own, *under)), None)

    def targets(self, line: Timeline) -> Targets:
        """The tracks in hand; of a timeline that has none of them, its first."""
        wanted = self._view.targets()
        known = {track.id for track in line.tracks}
        return wanted if {wanted.picture, wanted.sound} - {""} <= known else edits.first_targets(line)

    def stretch(self) -> tuple[int, int] | None:
        """The marked range, if there is one: its first frame, and the one after its last."""
        line = self.line
        return marked(line) if line.mark_in is not None or line.mark_out is not None else None

    def near(self) -> Block | None:
        """The block that begins at the cut nearest to the playhead, on the picture track in hand."""
        track = self._view.target("picture")
        return edits.cut_near(self.line, track.id, self.position) if track is not None else None

    def choose(self, more: bool) -> None:
        """The block under the playhead; asked again, the one on the next track."""
        under = [block.id for track in self._view.rows.order(self.line)
                 if (block := track.block_at(self.position)) is not None]  # fmt: skip
        if not under:
            return
        here = self.block_here()
        last = self._view.selected
        if last in under:
            chosen = under[(under.index(last) + 1) % len(under)]
        else:
            chosen = here.id if here is not None else under[0]
        others = tuple(one for one in self._view.chosen if one != chosen)
        self._view.choose((*others, chosen) if more else (chosen,))

    def choose_all(self) -> None:
        """Every block."""
        self._view.choose(tuple(block.id for block in self.line.blocks))

    def step(self, step: int) -> None:
        """Take the track below (1) or above (-1) in hand; round at the ends."""
        order = self._view.rows.order(self.line)
        last = self._view.target(self._in_hand)
        number = order.index(last) if last in order else 0
        track = order[(number + step) % len(order)]
        self._in_hand = track.kind
        self._view.take_in_hand(track)

    _in_hand: edits.Kind = "picture"

    def track_in_hand(self) -> Track | None:
        """The track that commands for a track mean."""
        return self._view.target(self._in_hand)

    def next_cut(self, side: int) -> int:
        """The next (1) or previous (-1) frame at which a block begins or ends."""
        edges = {edge for block in self.line.blocks for edge in (block.start, block.end)}
        ahead = [edge for edge in edges if (edge > self.position if side > 0 else edge < self.position)]
        last = max(0, self.line.length - 1)
        return min(last, min(ahead) if side > 0 else max(ahead)) if ahead else self.position
