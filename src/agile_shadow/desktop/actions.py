"""All commands in one table: menus, keys and the list of keys come from it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """One command: ``keys`` in Qt's notation, ``area`` the group it is listed under."""

    id: str
    title: str
    area: str
    keys: tuple[str, ...]


COMMANDS = (
    Command("switch", "Flip the switch: originals or proxies", "The switch", ("Q",)),
    Command("pin", "Pin the clip to the other side, or let it follow the switch again", "The switch", ("Shift+Q",)),
    Command("play", "Play or stop", "Playing", ("Space",)),
    Command("backward", "Play backward; again for faster", "Playing", ("J",)),
    Command("stop", "Stop", "Playing", ("K",)),
    Command("forward", "Play forward; again for faster", "Playing", ("L",)),
    Command("back_1", "One frame back", "Playing", ("Left",)),
    Command("on_1", "One frame on", "Playing", ("Right",)),
    Command("back_10", "Ten frames back", "Playing", ("Shift+Left",)),
    Command("on_10", "Ten frames on", "Playing", ("Shift+Right",)),
    Command("first", "To the first frame", "Playing", ("Home",)),
    Command("last", "To the last frame", "Playing", ("End",)),
    Command("mark_in", "Mark in", "Marking", ("I",)),
    Command("mark_out", "Mark out", "Marking", ("O",)),
    Command("unmark", "Take the marks away", "Marking", ("U",)),
    Command("append", "Put the marked range at the end of the timeline", "Timeline", ("Ctrl+Return",)),
    Command("insert", "Put the marked range in at the playhead", "Timeline", ("Ctrl+Shift+Return",)),
    Command("cut", "Cut at the playhead", "Timeline", ("/",)),
    Command("remove", "Remove the block and close up", "Timeline", ("Delete",)),
    Command("begin_here", "Let the block under the playhead begin here", "Timeline", ("Alt+I",)),
    Command("end_here", "Let the block under the playhead end here", "Timeline", ("Alt+O",)),
    Command("earlier", "Move the block one place earlier", "Timeline", ("Ctrl+Left",)),
    Command("later", "Move the block one place later", "Timeline", ("Ctrl+Right",)),
    Command("closer", "Zoom in", "Timeline", ("Ctrl++", "Ctrl+=")),
    Command("wider", "Zoom out", "Timeline", ("Ctrl+-",)),
    Command("all", "Show the whole timeline", "Timeline", ("Ctrl+0",)),
    Command("look", "Look at the pair the next way: one picture, divided, taking turns, difference", "Pairs", ("D",)),
    Command("divider_left", "Move the divider to the left", "Pairs", ("Alt+Left",)),
    Command("divider_right", "Move the divider to the right", "Pairs", ("Alt+Right",)),
    Command("pan_left", "Move a zoomed picture: to its left", "Pairs", ("Alt+Shift+Left",)),
    Command("pan_right", "Move a zoomed picture: to its right", "Pairs", ("Alt+Shift+Right",)),
    Command("pan_up", "Move a zoomed picture: to its top", "Pairs", ("Alt+Shift+Up",)),
    Command("pan_down", "Move a zoomed picture: to its bottom", "Pairs", ("Alt+Shift+Down",)),
    Command("undo", "Undo", "Project", ("Ctrl+Z",)),
    Command("redo", "Redo", "Project", ("Ctrl+Shift+Z",)),
    Command("save", "Save now (it is saved by itself as well)", "Project", ("Ctrl+S",)),
    Command("place_1", "Go to Presets", "Places", ("Alt+1",)),
    Command("place_2", "Go to Ingest", "Places", ("Alt+2",)),
    Command("place_3", "Go to Pairs", "Places", ("Alt+3",)),
    Command("place_4", "Go to Timeline", "Places", ("Alt+4",)),
    Command("place_5", "Go to Export", "Places", ("Alt+5",)),
    Command("place_6", "Go to Storage", "Places", ("Alt+6",)),
    Command("jobs", "Open or close the jobs drawer", "Places", ("Ctrl+J",)),
    Command("theme", "Ink or paper", "Places", ("Ctrl+T",)),
    Command("keys", "List of all keys", "Places", ("F1",)),
)


def keys_of(identity: str) -> str:
    """The first key of a command, for a tooltip."""
    return next(command.keys[0] for command in COMMANDS if command.id == identity)
