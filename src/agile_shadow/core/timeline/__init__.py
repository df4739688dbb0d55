"""The timeline: blocks on a track, and the edits that turn one timeline into the next."""

from .edits import append, block_at, cut, insert, move, remove, trim_end, trim_start
from .model import Block, Timeline

__all__ = [
    "Block",
    "Timeline",
    "append",
    "block_at",
    "cut",
    "insert",
    "move",
    "remove",
    "trim_end",
    "trim_start",
]
