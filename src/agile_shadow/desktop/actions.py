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
    Command("position", "Type a position: a timecode, +12, -12", "Playing", ("P",)),
    Command("loop", "Play again and again, or once", "Playing", ("R",)),
    Command("zoom", "Picture: whole, 100, 200, 400 %", "Playing", ("Z",)),
    Command("detail", "Detail while playing: full, half, quarter, eighth", "Playing", ("Alt+D",)),
    Command("safe", "Safe areas", "Playing", ("S",)),
    Command("full", "Picture on the full screen", "Playing", ("F11",)),
    Command("mark_in", "Mark in", "Marking", ("I",)),
    Command("mark_out", "Mark out", "Marking", ("O",)),
    Command("unmark", "Take the marks away", "Marking", ("U",)),
    Command("append", "Put the marked range at the end of the timeline", "Footage", ("Ctrl+Return",)),
    Command(
        "insert", "Put the marked range in at the playhead; the rest moves later", "Footage", ("Ctrl+Shift+Return",)
    ),
    Command("overwrite", "Lay the marked range over what is at the playhead", "Footage", ("Ctrl+Alt+Return",)),
    Command("exchange", "Put it in the place of the block under the playhead", "Footage", ("Ctrl+Alt+Shift+Return",)),
    Command("choose", "Choose the block under the playhead; again for the next track", "Choosing", ("B",)),
    Command("choose_more", "Choose it as well", "Choosing", ("Shift+B",)),
    Command("choose_all", "Choose all blocks", "Choosing", ("Ctrl+A",)),
    Command("choose_none", "Choose none", "Choosing", ("Ctrl+Shift+A",)),
    Command("settings", "Settings of the chosen block", "Choosing", ("E",)),
    Command("previous_cut", "To the cut before", "Choosing", ("PgUp",)),
    Command("next_cut", "To the next cut", "Choosing", ("PgDown",)),
    Command("cut", "Cut at the playhead", "Timeline", ("/",)),
    Command("lift", "Lift the chosen blocks, or the marked stretch: a gap stays", "Timeline", ("Shift+Delete",)),
    Command("remove", "Remove them and close up", "Timeline", ("Delete",)),
    Command("close_gap", "Close the gap at the playhead", "Timeline", ("Ctrl+Delete",)),
    Command("begin_here", "Let the block under the playhead begin here", "Timeline", ("Alt+I",)),
    Command("end_here", "Let the block under the playhead end here", "Timeline", ("Alt+O",)),
    Command("roll_here", "Roll the nearest cut to the playhead", "Timeline", ("Alt+R",)),
    Command("slip_back", "Slip: show footage a frame earlier", "Timeline", ("F5",)),
    Command("slip_on", "Slip: show footage a frame later", "Timeline", ("F6",)),
    Command("slide_back", "Slide the block a frame earlier over its neighbours", "Timeline", ("F7",)),
    Command("slide_on", "Slide it a frame later", "Timeline", ("F8",)),
    Command("earlier", "Move the block one place earlier", "Timeline", ("Ctrl+Left",)),
    Command("later", "Move the block one place later", "Timeline", ("Ctrl+Right",)),
    Command("move_back", "Move the chosen blocks a frame earlier", "Timeline", ("Ctrl+Shift+Left",)),
    Command("move_on", "Move them a frame later", "Timeline", ("Ctrl+Shift+Right",)),
    Command("move_up", "Move them a track up", "Timeline", ("Ctrl+Shift+Up",)),
    Command("move_down", "Move them a track down", "Timeline", ("Ctrl+Shift+Down",)),
    Command("dissolve", "Dissolve at the nearest cut, or take it away", "Timeline", ("X",)),
    Command("fade", "Fade in or out at the nearer end of the block, or take it away", "Timeline", ("Shift+X",)),
    Command("title", "Put a title at the playhead", "Timeline", ("T",)),
    Command("link", "Let the chosen blocks belong together, or part them", "Timeline", ("Ctrl+K",)),
    Command("in_step", "Bring the block back into step with what belongs to it", "Timeline", ("Shift+K",)),
    Command("lay_sound", "Lay sound recorded apart under the chosen blocks", "Timeline", ("Alt+K",)),
    Command("pin_block", "Pin the chosen blocks to the other side, or let them follow again", "Timeline", ("Alt+Q",)),
    Command("copy", "Copy the chosen blocks", "Timeline", ("Ctrl+C",)),
    Command("cut_out", "Copy and lift them", "Timeline", ("Ctrl+X",)),
    Command("paste", "Lay the copy down at the playhead", "Timeline", ("Ctrl+V",)),
    Command("paste_in", "Put the copy in; the rest moves later", "Timeline", ("Ctrl+Shift+V",)),
    Command("note", "Put a note at the playhead", "Timeline", ("N",)),
    Command("next_note", "To the next note", "Timeline", ("Shift+N",)),
    Command("snapping", "Dragged edges catch on others, or not", "Timeline", ("G",)),
    Command("bake", "Bake the marked stretch, or the chosen block, so that it plays", "Timeline", ("Ctrl+B",)),
    Command("unbake", "Take the baked picture at the playhead away", "Timeline", ("Ctrl+Shift+B",)),
    Command("hand_up", "Take the track above in hand: new footage goes there", "Tracks", ("Ctrl+Up",)),
    Command("hand_down", "Take the track below in hand", "Tracks", ("Ctrl+Down",)),
    Command("lock", "Lock or unlock the track in hand", "Tracks", ("Ctrl+L",)),
    Command("off", "Hide or mute the track in hand, or not", "Tracks", ("H",)),
    Command("picture_track", "Add a picture track", "Tracks", ("Ctrl+Alt+P",)),
    Command("sound_track", "Add a sound track", "Tracks", ("Ctrl+Alt+S",)),
    Command("remove_track", "Remove the track in hand", "Tracks", ("Ctrl+Shift+Delete",)),
    Command("new_timeline", "New timeline", "Tracks", ("Ctrl+Alt+N",)),
    Command("next_timeline", "To the next timeline", "Tracks", ("Ctrl+PgDown",)),
    Command("closer", "Zoom in", "Timeline in sight", ("Ctrl++", "Ctrl+=")),
    Command("wider", "Zoom out", "Timeline in sight", ("Ctrl+-",)),
    Command("all", "Show the whole timeline", "Timeline in sight", ("Ctrl+0",)),
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


TIMELINE_AREAS = ("Footage", "Choosing", "Timeline", "Tracks")  # have a meaning in the timeline only


def keys_of(identity: str) -> str:
    """The first key of a command, for a tooltip."""
    return next(command.keys[0] for command in COMMANDS if command.id == identity)
