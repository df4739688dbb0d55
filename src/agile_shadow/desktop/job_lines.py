"""Rows of the jobs drawer: what runs, what waits, what ended."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..core.jobs import Piece
from ..core.time import clock_text

_RANK = {"running": 0, "waiting": 1, "failed": 2, "cancelled": 3, "done": 4}
_WORDS = {"copy": "Copy", "proxy": "Proxy of", "second copy": "Second copy of", "film": "Film",
          "bake": "Bake of", "keep": "Reading of"}  # fmt: skip


@dataclass(frozen=True)
class JobLine:
    """One row of the jobs drawer.

    ``fraction`` from 0 to 1; ``state`` in words; ``piece``: the job in the queue, with the run it belongs to.
    """

    job: str
    title: str
    detail: str
    fraction: float
    state: str
    active: bool
    speed: str = ""
    left: str = ""
    tip: str = ""
    piece: Piece | None = None


def order_of(piece: Piece) -> tuple[int, int]:
    """What runs comes first, then what waits, in the order in which it will be done."""
    return _RANK[piece.state], -piece.priority


def piece_line(piece: Piece) -> JobLine:
    """The row of a job in the queue."""
    left, speed = (piece.remaining(), piece.speed()) if piece.begun else (None, None)
    per_second = piece.kind in ("proxy", "film", "bake")
    pace = "" if speed is None else f"{speed:.1f}x" if per_second else f"{speed / 1e6:.0f} MB/s"
    tip = f"From {piece.source}\nto {piece.target}\n{piece.settings}"
    return JobLine(
        "queued", f"{_WORDS.get(piece.kind, piece.kind)} {piece.path}", piece.note or piece.settings,
        1.0 if piece.state == "done" else piece.part, piece.state_words(), piece.active, pace,
        clock_text(left) if left is not None else "", f"{tip}\n{piece.note}".strip(), piece,
    )  # fmt: skip


class PieceLines:
    """Rows of jobs, four times a second of thousands: the one of a job that stands still is made once."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, str, str], tuple[Piece, JobLine]] = {}

    def of(self, pieces: Iterable[Piece]) -> list[JobLine]:
        """What runs first, then what waits, then what ended."""
        return [self._line(piece) for piece in sorted(pieces, key=order_of)]

    def _line(self, piece: Piece) -> JobLine:
        key = piece.run, piece.kind, piece.path
        known = self._known.get(key)
        if known is not None and known[0] is piece and piece.state != "running":
            return known[1]
        line = piece_line(piece)
        self._known[key] = piece, line
        return line
