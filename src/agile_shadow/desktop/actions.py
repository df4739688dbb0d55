"""All commands in one table: menus, keys, the list of keys and the search come from it."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import Protocol
from weakref import WeakKeyDictionary

PLACE_NAMES = ("Presets", "Ingest", "Pairs", "Timeline", "Export", "Storage")
EVERYWHERE = frozenset(range(len(PLACE_NAMES)))
_PAIRS, _TIMELINE = 2, 3
_AREAS = {
    "Playing": frozenset({_PAIRS, _TIMELINE}), "Marking": frozenset({_PAIRS, _TIMELINE}),
    "Footage": frozenset({_TIMELINE}), "Selection": frozenset({_TIMELINE}), "Timeline": frozenset({_TIMELINE}),
    "Moving and trimming": frozenset({_TIMELINE}),
    "Tracks": frozenset({_TIMELINE}), "Timeline view": frozenset({_PAIRS, _TIMELINE}), "Pairs": frozenset({_PAIRS}),
    "Clip": frozenset({_PAIRS, _TIMELINE}),
}  # fmt: skip


@dataclass(frozen=True)
class Command:
    """One command: ``keys`` it comes with, in Qt's notation; ``area``: the group it is listed under; ``button``: of
    one that presses a button of a place, the place's number and the way to the button from it."""

    id: str
    title: str
    area: str
    keys: tuple[str, ...] = ()
    button: tuple[int, str] | None = None

    @property
    def places(self) -> frozenset[int]:
        """Numbers of the places in which it has a meaning."""
        return EVERYWHERE if self.button is not None else _AREAS.get(self.area, EVERYWHERE)


COMMANDS = (
    Command("switch", "Switch between originals and proxies", "The switch", ("Q",)),
    Command("pin", "Pin the clip to the other side, or unpin it", "The switch", ("Shift+Q",)),
    Command("play", "Play or stop", "Playing", ("Space",)),
    Command("backward", "Play backward; again for faster", "Playing", ("J",)),
    Command("stop", "Stop", "Playing", ("K",)),
    Command("forward", "Play forward; again for faster", "Playing", ("L",)),
    Command("back_1", "One frame back", "Playing", ("Left",)),
    Command("on_1", "One frame forward", "Playing", ("Right",)),
    Command("back_10", "Ten frames back", "Playing", ("Shift+Left",)),
    Command("on_10", "Ten frames forward", "Playing", ("Shift+Right",)),
    Command("first", "To the first frame", "Playing", ("Home",)),
    Command("last", "To the last frame", "Playing", ("End",)),
    Command("position", "Type a position: a timecode, +12, -12", "Playing", ("P",)),
    Command("loop", "Loop on or off", "Playing", ("R",)),
    Command("zoom", "Zoom of the picture: fit, 100%, 200%, 400%", "Playing", ("Z",)),
    Command("detail", "Detail while playing: full, half, quarter, eighth", "Playing", ("Alt+D",)),
    Command("safe", "Safe areas", "Playing", ("S",)),
    Command("full", "Picture on the full screen", "Playing", ("F11",)),
    Command("mark_in", "Mark in", "Marking", ("I",)),
    Command("mark_out", "Mark out", "Marking", ("O",)),
    Command("unmark", "Clear marks", "Marking", ("U",)),
    Command("append", "Append the marked range at the end of the timeline", "Footage", ("Ctrl+Return",)),
    Command(
        "insert", "Insert the marked range at the playhead; later blocks move", "Footage", ("Ctrl+Shift+Return",)
    ),
    Command("overwrite", "Overwrite at the playhead with the marked range", "Footage", ("Ctrl+Alt+Return",)),
    Command("exchange", "Replace the block under the playhead, keeping its length", "Footage",
            ("Ctrl+Alt+Shift+Return",)),
    Command("choose", "Select the block under the playhead; again for the next track", "Selection", ("B",)),
    Command("choose_more", "Add the block under the playhead to the selection", "Selection", ("Shift+B",)),
    Command("choose_all", "Select all blocks", "Selection", ("Ctrl+A",)),
    Command("choose_none", "Select nothing", "Selection", ("Ctrl+Shift+A",)),
    Command("settings", "Settings of the selected block", "Selection", ("E",)),
    Command("previous_cut", "To the previous cut", "Selection", ("PgUp",)),
    Command("next_cut", "To the next cut", "Selection", ("PgDown",)),
    Command("cut", "Split at the playhead", "Timeline", ("/",)),
    Command("lift", "Lift the selected blocks, or the marked range: a gap stays", "Timeline", ("Shift+Delete",)),
    Command("remove", "Remove the selected blocks and close the gap", "Timeline", ("Delete",)),
    Command("close_gap", "Close the gap at the playhead", "Timeline", ("Ctrl+Delete",)),
    Command("begin_here", "Ripple-trim the block's start to the playhead", "Moving and trimming", ("Alt+I",)),
    Command("end_here", "Ripple-trim the block's end to the playhead", "Moving and trimming", ("Alt+O",)),
    Command("roll_here", "Roll the nearest cut to the playhead", "Moving and trimming", ("Alt+R",)),
    Command("slip_back", "Slip: show footage a frame earlier", "Moving and trimming", ("F5",)),
    Command("slip_on", "Slip: show footage a frame later", "Moving and trimming", ("F6",)),
    Command("slide_back", "Slide the block a frame earlier over its neighbours", "Moving and trimming", ("F7",)),
    Command("slide_on", "Slide the block a frame later over its neighbours", "Moving and trimming", ("F8",)),
    Command("earlier", "Move the block before the one before it", "Moving and trimming", ("Ctrl+Left",)),
    Command("later", "Move the block after the one after it", "Moving and trimming", ("Ctrl+Right",)),
    Command("move_back", "Move the selected blocks a frame earlier", "Moving and trimming", ("Ctrl+Shift+Left",)),
    Command("move_on", "Move the selected blocks a frame later", "Moving and trimming", ("Ctrl+Shift+Right",)),
    Command("move_up", "Move the selected blocks a track up", "Moving and trimming", ("Ctrl+Shift+Up",)),
    Command("move_down", "Move the selected blocks a track down", "Moving and trimming", ("Ctrl+Shift+Down",)),
    Command("dissolve", "Add or remove a dissolve at the nearest cut", "Timeline", ("X",)),
    Command("fade", "Add or remove a fade at the nearer end of the block", "Timeline", ("Shift+X",)),
    Command("title", "Add a title at the playhead", "Timeline", ("T",)),
    Command("link", "Link or unlink the selected blocks", "Timeline", ("Ctrl+K",)),
    Command("in_step", "Bring the selected block back into sync", "Timeline", ("Shift+K",)),
    Command("lay_sound", "Add separately recorded sound under the selected blocks", "Timeline", ("Alt+K",)),
    Command("pin_block", "Pin the selected blocks to the other side, or unpin them", "Timeline", ("Alt+Q",)),
    Command("copy", "Copy the selected blocks", "Timeline", ("Ctrl+C",)),
    Command("cut_out", "Copy and lift the selected blocks", "Timeline", ("Ctrl+X",)),
    Command("paste", "Paste at the playhead, overwriting", "Timeline", ("Ctrl+V",)),
    Command("paste_in", "Paste at the playhead, inserting", "Timeline", ("Ctrl+Shift+V",)),
    Command("note", "Add a note at the playhead", "Timeline", ("N",)),
    Command("next_note", "To the next note", "Timeline", ("Shift+N",)),
    Command("snapping", "Turn snapping on or off", "Timeline", ("G",)),
    Command("bake", "Bake the marked range, or the selected blocks, so that it plays", "Timeline", ("Ctrl+B",)),
    Command("unbake", "Remove the bake at the playhead", "Timeline", ("Ctrl+Shift+B",)),
    Command("bake_late", "Bake by itself what played late…", "Timeline"),
    Command("hand_up", "Make the track above active: new footage goes there", "Tracks", ("Ctrl+Up",)),
    Command("hand_down", "Make the track below active", "Tracks", ("Ctrl+Down",)),
    Command("lock", "Lock or unlock the active track", "Tracks", ("Ctrl+L",)),
    Command("off", "Hide, mute or restore the active track", "Tracks", ("H",)),
    Command("picture_track", "Add a picture track", "Tracks", ("Ctrl+Alt+P",)),
    Command("sound_track", "Add a sound track", "Tracks", ("Ctrl+Alt+S",)),
    Command("remove_track", "Remove the active track", "Tracks", ("Ctrl+Shift+Delete",)),
    Command("new_timeline", "New timeline", "Tracks", ("Ctrl+Alt+N",)),
    Command("next_timeline", "To the next timeline", "Tracks", ("Ctrl+PgDown",)),
    Command("closer", "Zoom in", "Timeline view", ("Ctrl++", "Ctrl+=")),
    Command("wider", "Zoom out", "Timeline view", ("Ctrl+-",)),
    Command("all", "Show the whole timeline", "Timeline view", ("Ctrl+0",)),
    Command("to_pair", "Show the clip's pair in Pairs", "Clip", ("F",)),
    Command("to_use", "Go to the next use of the clip on a timeline", "Clip", ("Shift+F",)),
    Command("to_card", "Show the card that the clip came from", "Clip"),
    Command("show_original", "Show the original in the file manager", "Clip"),
    Command("show_proxy", "Show the proxy in the file manager", "Clip"),
    Command("sights", "Pictures and waveforms on blocks on or off", "Timeline", ("Shift+G",)),
    Command("look", "Next view of the pair: one picture, divided, alternating, difference", "Pairs", ("D",)),
    Command("divider_left", "Move the divider to the left", "Pairs", ("Alt+Left",)),
    Command("divider_right", "Move the divider to the right", "Pairs", ("Alt+Right",)),
    Command("pan_left", "Move a zoomed picture: to its left", "Pairs", ("Alt+Shift+Left",)),
    Command("pan_right", "Move a zoomed picture: to its right", "Pairs", ("Alt+Shift+Right",)),
    Command("pan_up", "Move a zoomed picture: to its top", "Pairs", ("Alt+Shift+Up",)),
    Command("pan_down", "Move a zoomed picture: to its bottom", "Pairs", ("Alt+Shift+Down",)),
    Command("undo", "Undo", "Project", ("Ctrl+Z",)),
    Command("redo", "Redo", "Project", ("Ctrl+Shift+Z",)),
    Command("save", "Save now (saving is also automatic)", "Project", ("Ctrl+S",)),
    Command("new_project", "New project…", "Project", ("Ctrl+N",)),
    Command("open_project", "Open project…", "Project", ("Ctrl+O",)),
    Command("new_from_template", "New project from template…", "Project"),
    Command("save_template", "Save as template…", "Project"),
    Command("quit", "Quit", "Project", ("Ctrl+Q",)),
    Command("save_preset", "Save the preset", "Presets", button=(0, "save")),
    Command("trial", "Run a trial…", "Presets", button=(0, "trial")),
    Command("standing", "Set as standing preset", "Presets", button=(0, "use")),
    Command("ingest", "Ingest the selected sources", "Ingest", button=(1, "card.start")),
    Command("add_source", "Add a folder as a source…", "Ingest", button=(1, "sources.add")),
    Command("watch", "Watch a folder, or stop watching it…", "Ingest", button=(1, "sources.watch")),
    Command("tags", "Tags of the selected pairs…", "Pairs", ("Shift+T",)),
    Command("find_pairs", "Find files to pair…", "Pairs", button=(2, "find_pairs")),
    Command("find_missing", "Find missing files…", "Pairs", button=(2, "find_files")),
    Command("film", "Make the film", "Export", button=(4, "card.start")),
    Command("check_film", "Check the originals again", "Export", button=(4, "check_panel.look_again")),
    Command("hand_over", "Hand over the cut…", "Export", button=(4, "hand_over")),
    Command("bring_home", "Bring a timeline home…", "Export", button=(4, "bring_home")),
    Command("add_shelf", "Add a shelf…", "Storage", button=(5, "add")),
    Command("look_shelves", "Refresh the shelves", "Storage", button=(5, "again")),
    Command("place_1", "Go to Presets", "Window", ("Alt+1",)),
    Command("place_2", "Go to Ingest", "Window", ("Alt+2",)),
    Command("place_3", "Go to Pairs", "Window", ("Alt+3",)),
    Command("place_4", "Go to Timeline", "Window", ("Alt+4",)),
    Command("place_5", "Go to Export", "Window", ("Alt+5",)),
    Command("place_6", "Go to Storage", "Window", ("Alt+6",)),
    Command("search", "Search commands, clips, places and settings", "Window", ("Ctrl+F",)),
    Command("menu", "Open the menu", "Window", ("F10",)),
    Command("jobs", "Open or close the jobs drawer", "Window", ("Ctrl+J",)),
    Command("theme", "Dark or light theme", "Window", ("Ctrl+T",)),
    Command("keys", "Keyboard shortcuts", "Help", ("F1",)),
    Command("guide", "Guide", "Help", ("Shift+F1",)),
    Command("what", "What is this place for?", "Help", ("Ctrl+F1",)),
    Command("first_steps", "First steps…", "Help"),
    Command("demo", "Open the demo project", "Help"),
    Command("about", "About Agile Shadow", "Help"),
)

BY_ID = {command.id: command for command in COMMANDS}
_own: dict[str, tuple[str, ...]] = {}
_tips: WeakKeyDictionary[HasTip, Callable[[], str]] = WeakKeyDictionary()


class HasTip(Protocol):
    """A widget."""

    def setToolTip(self, text: str, /) -> None: ...


def use_keys(own: dict[str, tuple[str, ...]]) -> None:
    """Have some commands use other keys than they come with; tooltips that name keys are written anew."""
    _own.clear()
    _own.update(own)
    for widget, text in list(_tips.items()):
        with suppress(RuntimeError):  # the widget is gone, and only its name is left
            widget.setToolTip(text())


def all_keys(identity: str) -> tuple[str, ...]:
    """The keys of a command, as the user has them."""
    return _own.get(identity, BY_ID[identity].keys)


def keys_of(identity: str) -> str:
    """The first key of a command, for a tooltip; "" when it has none."""
    return next(iter(all_keys(identity)), "")


def with_key(text: str, identity: str) -> str:
    """``text (key)``, or ``text`` when the command has no key."""
    return f"{text} ({keys_of(identity)})" if keys_of(identity) else text


def tip(widget: HasTip, text: Callable[[], str]) -> None:
    """Give a widget a tooltip that names keys, and write it anew when keys are changed."""
    _tips[widget] = text
    widget.setToolTip(text())
