from .arriving import ENDINGS, Arrived, ArrivedTrack, Event, ReadRequest, read_arrived
from .differences import Difference, block_names, compare_timelines, with_differences
from .handing import KINDS, HandedOver, HandOver, Kind, hand_over, what_is_left_out
from .home import EventMatch, HomeRequest, as_timeline, files_named, match_events, read_and_match
from .keeping import keep_edit_lists, lists_folder
from .opening import Opened, Opening, keep_opened, open_as_project, open_in_worker
from .plain import Half

__all__ = [
    "ENDINGS",
    "KINDS",
    "Arrived",
    "ArrivedTrack",
    "Difference",
    "Event",
    "EventMatch",
    "Half",
    "HandOver",
    "HandedOver",
    "HomeRequest",
    "Kind",
    "Opened",
    "Opening",
    "ReadRequest",
    "as_timeline",
    "block_names",
    "compare_timelines",
    "files_named",
    "hand_over",
    "keep_edit_lists",
    "keep_opened",
    "lists_folder",
    "match_events",
    "open_as_project",
    "open_in_worker",
    "read_and_match",
    "read_arrived",
    "what_is_left_out",
    "with_differences",
]
