"""The timeline: tracks of blocks, and the edits that turn one timeline into the next."""

from .changes import (
    FASTEST,
    SLOWEST,
    add_marker,
    add_title,
    add_track,
    changed,
    cut_near,
    fitting_dissolve,
    in_step,
    linked,
    out_of_step,
    remove_marker,
    remove_track,
    unlinked,
    with_dissolve,
    with_effects,
    with_marks,
    with_pin,
    with_speed,
    with_title,
    with_track,
)
from .copying import Copied, copied, paste
from .edits import (
    Piece,
    Targets,
    append,
    close_gap,
    cut,
    exchange,
    first_targets,
    insert,
    lift,
    lift_stretch,
    overwrite,
    remove,
    remove_stretch,
    whole,
)
from .effects import (
    ALIGNMENTS,
    EDGES,
    FACES,
    NEW_TITLE,
    NO_COLOUR,
    PLAIN,
    SHAPES,
    SPOTS,
    Colour,
    Move,
    Placement,
    Title,
)
from .model import NO_EFFECTS, Block, Dissolve, Effects, Kind, Marker, Side, Timeline, Track, new_id
from .moving import move, neighbour, reorder
from .settings import SOUND_RATES, Settings, first_timecode, with_settings
from .trims import Edge, roll, slide, slip, trim

__all__ = [
    "ALIGNMENTS", "EDGES", "FACES", "FASTEST", "NEW_TITLE", "NO_COLOUR", "NO_EFFECTS", "PLAIN", "SHAPES", "SLOWEST",
    "SOUND_RATES", "SPOTS", "Block", "Colour", "Copied", "Dissolve", "Edge", "Effects", "Kind", "Marker", "Move",
    "Piece", "Placement", "Settings", "Side", "Targets", "Timeline", "Title", "Track", "add_marker", "add_title",
    "add_track", "append", "changed", "close_gap", "copied", "cut", "cut_near", "exchange", "first_targets",
    "first_timecode", "fitting_dissolve", "in_step", "insert", "lift", "lift_stretch", "linked", "move",
    "neighbour", "new_id", "out_of_step", "overwrite", "paste", "remove", "remove_marker", "remove_stretch",
    "remove_track", "reorder", "roll", "slide", "slip", "trim", "unlinked", "whole", "with_dissolve",
    "with_effects", "with_marks", "with_pin", "with_settings", "with_speed", "with_title", "with_track",
]  # fmt: skip
