"""The commands of the timeline: each by its name, for keys, buttons and menus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial

from ....core import timeline as edits
from ....core.project import Clip, Project
from ....core.timeline import Copied, Effects, Timeline, Title
from ...work import Work
from .at_hand import AtHand
from .view import TimelineView

_DISSOLVE = Fraction(1)  # seconds
_TITLE = Fraction(3)
_NUDGES = {
    "slip_on": ("Slip", edits.slip, 1), "slip_back": ("Slip", edits.slip, -1),
    "slide_on": ("Slide", edits.slide, 1), "slide_back": ("Slide", edits.slide, -1),
}  # fmt: skip


class CutCommands:
    """What the commands do to the open timeline: with the chosen blocks, at the playhead, on the tracks in hand.

    Large: one method for each thing that is done with the chosen.
    """

    def __init__(self, work: Work, view: TimelineView, tell: Callable[[str], None]) -> None:
        self._work = work
        self._view = view
        self._tell = tell
        self.hand = AtHand(work, view)
        self.copied: tuple[Copied, ...] = ()
        self.commands: dict[str, Callable[[], None]] = {
            "cut": self._cut, "lift": self._lift, "remove": self._remove, "close_gap": self._close_gap,
            "begin_here": lambda: self._trim("start"), "end_here": lambda: self._trim("end"), "roll_here": self._roll,
            "earlier": lambda: self._neighbour(-1), "later": lambda: self._neighbour(1),
            "move_on": lambda: self._move(1, 0), "move_back": lambda: self._move(-1, 0),
            "move_up": lambda: self._move(0, 1), "move_down": lambda: self._move(0, -1),
            "choose": lambda: self.hand.choose(False), "choose_more": lambda: self.hand.choose(True),
            "choose_all": self.hand.choose_all, "choose_none": lambda: self._view.choose(()),
            "hand_up": lambda: self.hand.step(-1), "hand_down": lambda: self.hand.step(1),
            "lock": lambda: self._flip("locked"), "off": lambda: self._flip("off"),
            "link": self._link, "lay_sound": self._lay_sound, "in_step": self._in_step,
            "dissolve": self._dissolve, "fade": self._fade,
            "title": self._title, "copy": self._copy, "cut_out": self._cut_out,
            "paste": lambda: self._paste(False), "paste_in": lambda: self._paste(True),
            "snapping": self._snapping, "sights": self._sights, "pin_block": self._pin_block,
            "picture_track": lambda: self._add_track("picture"), "sound_track": lambda: self._add_track("sound"),
            "remove_track": self._remove_track,
            **{name: partial(self._nudge, name) for name in _NUDGES},
        }  # fmt: skip

    def edit(self, label: str, change: Callable[[Timeline], Timeline]) -> None:
        """Change the timeline, one step. A ValueError becomes a sentence."""
        try:
            self._work.session.edit(label, lambda project: project.but(timeline=change(project.timeline)))
        except ValueError as error:
            self._tell(f"That cannot be done: {error}.")

    # Footage

    def place(self, how: str, clip: Clip, first: Fraction, length: Fraction) -> None:
        """Put a stretch of a clip (seconds) on the tracks in hand: ``append``, ``insert``, ``overwrite`` or
        ``exchange``; at the start of the marked stretch, else at the playhead."""
        piece = clip.piece(first, length)
        at = self.hand.line.mark_in if self.hand.line.mark_in is not None else self.hand.position
        here = self.hand.block_here()
        if how == "exchange" and here is None:
            self._tell("There is no block under the playhead to replace.")
            return

        def change(project: Project) -> Project:
            project = project.with_timeline_settings_of(clip)
            line = project.timeline
            if not line.rate:
                line = replace(line, rate=Fraction(25), width=1920, height=1080)
            targets = self.hand.targets(line)
            if how == "append":
                line = edits.append(line, piece, targets)
            elif how == "insert":
                line = edits.insert(line, piece, at, targets)
            elif how == "overwrite":
                line = edits.overwrite(line, piece, at, targets)
            elif here is not None:
                line = edits.exchange(line, piece, here.id)
            return project.but(timeline=line)

        titles = {"append": "Append", "insert": "Insert", "overwrite": "Overwrite", "exchange": "Replace a block"}
        before = self.hand.line
        self._work.session.edit(titles[how], change)
        if self.hand.line is before:
            self._tell("Nothing was added: the active tracks are locked, or do not take this kind of clip.")

    # Commands

    def _cut(self) -> None:
        chosen = {track.id for identity in self._view.chosen if (track := self.hand.line.track_of(identity)) is not None
                  and (b := track.block_at(self.hand.position)) is not None and b.id == identity}  # fmt: skip
        self.edit("Cut", lambda line: edits.cut(line, self.hand.position, chosen or None))

    def _lift(self) -> None:
        stretch, chosen = self.hand.stretch(), self._view.chosen
        if chosen:
            self.edit("Lift", lambda line: edits.lift(line, chosen))
        elif stretch is not None:
            self.edit("Lift", lambda line: edits.lift_stretch(line, *stretch))

    def _remove(self) -> None:
        stretch, chosen = self.hand.stretch(), self._view.chosen
        if chosen:
            self.edit("Remove", lambda line: edits.remove(line, chosen))
        elif stretch is not None:
            self.edit("Remove", lambda line: edits.remove_stretch(line, *stretch))

    def _close_gap(self) -> None:
        track = self._view.target("picture")
        if track is not None:
            self.edit("Close the gap", lambda line: edits.close_gap(line, track.id, self.hand.position))

    def _trim(self, edge: edits.Edge) -> None:
        block = self.hand.block_here()
        if block is not None:
            by = self.hand.position - block.start if edge == "start" else self.hand.position + 1 - block.end
            self.edit(f"Trim the {edge}", lambda line: edits.trim(line, block.id, edge, by))

    def _roll(self) -> None:
        block = self.hand.near()
        if block is not None:
            self.edit("Roll the cut", lambda line: edits.roll(line, block.id, self.hand.position - block.start))

    def _nudge(self, name: str) -> None:
        label, change, by = _NUDGES[name]
        block = self._view.selected
        if block is not None:
            self.edit(label, lambda line: change(line, block, by))

    def _neighbour(self, side: int) -> None:
        block = self._view.selected
        if block is not None:
            self.edit("Move", lambda line: edits.neighbour(line, block, side))

    def _move(self, by: int, tracks: int) -> None:
        chosen = self._view.chosen
        if not chosen:
            return
        block = self.hand.line.block(chosen[-1])
        track = self.hand.line.track_of(chosen[-1])
        if tracks and block is not None and track is not None and track.kind == "sound":
            tracks = -tracks  # sound tracks are counted downward
        self.edit("Move", lambda line: edits.move(line, chosen, by, tracks))

    def _flip(self, name: str) -> None:
        track = self.hand.track_in_hand()
        if track is not None:
            self._view.flip_track(track, name)

    def _lay_sound(self) -> None:
        chosen = self._view.chosen or {block.id for block in (self.hand.block_here(),) if block is not None}
        self._work.laying.lay(sorted(chosen))

    def _link(self) -> None:
        chosen = self._view.chosen
        if not chosen:
            return
        line = self.hand.line
        if any(line.linked(block) for identity in chosen if (block := line.block(identity)) is not None):
            self.edit("Unlink", lambda line: edits.unlinked(line, chosen))
        elif len(chosen) > 1:
            self.edit("Link", lambda line: edits.linked(line, chosen))
        else:
            self._tell("Select the blocks to link first: click one, then Ctrl+click the others.")

    def _in_step(self) -> None:
        block = self._view.selected
        if block is not None:
            self.edit("Bring into sync", lambda line: edits.in_step(line, block))

    def _dissolve(self) -> None:
        block = self.hand.near()
        if block is None:
            self._tell("A dissolve needs a cut: two blocks that touch on the active track.")
            return
        wanted = max(2, round(_DISSOLVE * self.hand.line.rate))
        length = 0 if block.dissolve is not None else edits.fitting_dissolve(self.hand.line, block.id, wanted)
        before = self.hand.line
        self.edit("Dissolve", lambda line: edits.with_dissolve(line, block.id, length))
        if length and self.hand.line is before:
            self._tell("No room for a dissolve: the clips have no frames beyond this cut. Trim them here first.")

    def _fade(self) -> None:
        block = self.hand.block_here()
        if block is None:
            return
        name = "fade_in" if self.hand.position - block.start < block.end - self.hand.position else "fade_out"
        length = 0 if getattr(block.effects, name) else max(2, round(_DISSOLVE * self.hand.line.rate / 2))
        group = [one.id for one in edits.whole(self.hand.line, [block.id])]

        def faded(effects: Effects) -> Effects:
            return replace(effects, fade_in=length) if name == "fade_in" else replace(effects, fade_out=length)

        self.edit("Fade", lambda line: edits.with_effects(line, group, faded))

    def _title(self) -> None:
        """On the uppermost picture track, or a new one above the track in hand where that is the only one."""
        line = self.hand.line
        if not line.rate:
            self._tell("The timeline has no frame rate yet. Add a clip first.")
            return
        length, at = max(1, round(_TITLE * line.rate)), self.hand.position

        def change(line: Timeline) -> Timeline:
            if len(line.pictures) == 1:
                line = edits.add_track(line, "picture")
            return edits.add_title(line, line.pictures[-1].id, at, length, Title())

        self.edit("Title", change)
        block = self.hand.line.pictures[-1].block_at(at)
        if block is not None and block.title is not None:
            self._view.select(block.id)
            self._view.opened.emit()

    def _copy(self) -> None:
        if self._view.chosen:
            self.copied = edits.copied(self.hand.line, self._view.chosen)

    def _cut_out(self) -> None:
        self._copy()
        chosen = self._view.chosen
        if chosen:
            self.edit("Cut out", lambda line: edits.lift(line, chosen))

    def _paste(self, insert: bool) -> None:
        if not self.copied:
            return
        pieces, at, targets = self.copied, self.hand.position, self._view.targets()
        before = self.hand.line
        self.edit("Paste", lambda line: edits.paste(line, pieces, at, targets.picture, targets.sound, insert))
        if self.hand.line is before:
            self._tell("There are not enough unlocked tracks above the active one for what was copied.")

    def _snapping(self) -> None:
        self._view.snapping = not self._view.snapping
        self._tell("Snapping is on." if self._view.snapping else "Snapping is off.")

    def _sights(self) -> None:
        self._view.shows_sights = not self._view.shows_sights
        self._view.update()
        shown = self._view.shows_sights
        self._tell(f"Pictures and waveforms on blocks are {'on' if shown else 'off'}.")

    def _pin_block(self) -> None:
        project, chosen = self._work.session.project, self._view.chosen
        block = self.hand.line.block(chosen[-1]) if chosen else None
        if block is not None:
            other: edits.Side = "originals" if project.showing == "proxies" else "proxies"
            pin = None if block.pin else other
            self.edit("Pin a block", lambda line: edits.with_pin(line, chosen, pin))

    def _add_track(self, kind: edits.Kind) -> None:
        self.edit(f"Add a {kind} track", lambda line: edits.add_track(line, kind))

    def _remove_track(self) -> None:
        track = self.hand.track_in_hand()
        if track is None:
            return
        before = self.hand.line
        self.edit(f"Remove {track.name}", lambda line: edits.remove_track(line, track.id))
        if self.hand.line is before:
            self._tell(f"{track.name} cannot be removed: it is locked, or the last of its kind.")
