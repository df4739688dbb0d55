"""Where tracks, frames and blocks lie in the timeline's widget."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF

from ....core.timeline import Block, Timeline, Track

RULER = 34
HEAD = 132  # width of the tracks' heads
PICTURE, SOUND, GAP = 56, 44, 3
EDGE = 7  # pixels at either end of a block that trim it
CORNER = 11  # pixels from the top of a block in which its fades are taken hold of
ROOMY = 48  # pixels from which a block has handles
LEAST, MOST = 0.005, 40.0  # pixels a frame


@dataclass
class Rows:
    """What is in sight: ``scale`` in pixels a frame, ``offset`` the first frame, ``top`` pixels scrolled down."""

    scale: float = 4.0
    offset: float = 0.0
    top: float = 0.0
    width: int = 600

    def x_of(self, frame: float) -> float:
        """Where a frame begins, in pixels."""
        return HEAD + (frame - self.offset) * self.scale

    def frame_at(self, x: float) -> int:
        """The frame at a place."""
        return max(0, int((x - HEAD) / self.scale + self.offset))

    def edge_at(self, x: float) -> int:
        """The edge between two frames that is nearest to a place."""
        return max(0, round((x - HEAD) / self.scale + self.offset))

    def zoom(self, factor: float, around: float) -> None:
        """More or fewer pixels a frame; the frame ``around`` stays where it is."""
        before = self.x_of(around)
        self.scale = min(MOST, max(LEAST, self.scale * factor))
        self.offset = max(0.0, around - (before - HEAD) / self.scale)

    def show_all(self, length: int) -> None:
        """A whole timeline in the width there is."""
        self.scale = min(MOST, max(LEAST, (self.width - HEAD - 12) / (max(25, length) * 1.04)))
        self.offset = 0.0

    def shows_all(self, length: int) -> bool:
        """Whether a timeline of so many frames is in sight from its first to its last frame."""
        return self.offset == 0 and self.x_of(length) <= self.width

    @staticmethod
    def order(line: Timeline) -> tuple[Track, ...]:
        """Tracks from the top down: the uppermost picture first, then the sounds."""
        return (*reversed(line.pictures), *line.sounds)

    def rects(self, line: Timeline) -> dict[str, QRectF]:
        """Where each track lies, its head included, by identity."""
        y, found = RULER + 6 - self.top, {}
        for track in self.order(line):
            high = PICTURE if track.kind == "picture" else SOUND
            found[track.id] = QRectF(0, y, self.width, high)
            y += high + GAP
        return found

    def height(self, line: Timeline) -> float:
        """Pixels of all tracks together."""
        return sum((PICTURE if track.kind == "picture" else SOUND) + GAP for track in line.tracks)

    def block_rect(self, line: Timeline, block: Block) -> QRectF:
        """Where a block is drawn."""
        track = line.track_of(block.id)
        row = self.rects(line)[track.id] if track is not None else QRectF()
        return self.in_row(row, block)

    def in_row(self, row: QRectF, block: Block) -> QRectF:
        """Where a block of a row is drawn."""
        return QRectF(self.x_of(block.start), row.y(), block.length * self.scale, row.height())

    def fade_handles(self, block: Block) -> tuple[float, float]:
        """Where the handles of a block's fades are, in pixels from the left."""
        left, right = self.x_of(block.start), self.x_of(block.end)
        first, last = block.effects.fade_in * self.scale, block.effects.fade_out * self.scale
        return left + max(float(EDGE), first), right - max(float(EDGE), last)

    def track_at(self, line: Timeline, y: float) -> Track | None:
        """The track at a height."""
        if y < RULER:
            return None
        rects = self.rects(line)
        return next((track for track in line.tracks if rects[track.id].top() <= y < rects[track.id].bottom()), None)

    def block_at(self, line: Timeline, point: QPointF) -> tuple[Block, str] | None:
        """The block at a place, and which part of it: ``start``, ``end``, ``body``, or the handle of a fade in one of
        its upper corners, ``fade in`` or ``fade out``."""
        track = self.track_at(line, point.y())
        if track is None or point.x() < HEAD:
            return None
        block = track.block_at(self.frame_at(point.x()))
        if block is None:
            return None
        left, right = self.x_of(block.start), self.x_of(block.end)
        if point.y() < self.rects(line)[track.id].y() + CORNER:
            for part, x in zip(("fade in", "fade out"), self.fade_handles(block), strict=True):
                if right - left > ROOMY and abs(point.x() - x) <= EDGE:
                    return block, part
        if right - left > 3 * EDGE:
            if point.x() < left + EDGE:
                return block, "start"
            if point.x() > right - EDGE:
                return block, "end"
        return block, "body"
