"""The commands of the timeline: each by its name, for keys, buttons and menus."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial

from ....core import timeline as edits
from ....core.project import Clip, Project
from ....core.timeline import Block, Copied, Effects, Targets, Timeline, Title, Track
from ...work import Work
from .paint import marked
from .view import TimelineView

_DISSOLVE = Fraction(1)  # seconds
_TITLE = Fraction(3)
_NUDGES = {
    "slip_on": ("Slip", edits.slip, 1), "slip_back": ("Slip", edits.slip, -1),
    "slide_on": ("Slide", edits.slide, 1), "slide_back": ("Slide", edits.slide, -1),
}  # fmt: skip


class Doing:
    """What the commands do to the open timeline: with the chosen blocks, at the playhead, on the tracks in hand."""

    def __init__(self, work: Work, view: TimelineView, tell: Callable[[str], None]) -> None:
        self._work = work
        self._view = view
        self._tell = tell
        self.copied: tuple[Copied, ...] = ()
        self.commands: dict[str, Callable[[], None]] = {
            "cut": self._cut, "lift": self._lift, "remove": self._remove, "close_gap": self._close_gap,
            "begin_here": lambda: self._trim("start"), "end_here": lambda: self._trim("end"), "roll_here": self._roll,
            "earlier": lambda: self._neighbour(-1), "later": lambda: self._neighbour(1),
            "move_on": lambda: self._move(1, 0), "move_back": lambda: self._move(-1, 0),
            "move_up": lambda: self._move(0, 1), "move_down": lambda: self._move(0, -1),
            "choose": lambda: self._choose(False), "choose_more": lambda: self._choose(True),
            "choose_all": self._choose_all, "choose_none": lambda: self._view.choose(()),
            "hand_up": lambda: self._hand(-1), "hand_down": lambda: self._hand(1),
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

    # What is at hand

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
        at = self.line.mark_in if self.line.mark_in is not None else self.position
        here = self.block_here()
        if how == "exchange" and here is None:
            self._tell("There is no block under the playhead to replace.")
            return

        def change(project: Project) -> Project:
            project = project.with_timeline_settings_of(clip)
            line = project.timeline
            if not line.rate:
                line = replace(line, rate=Fraction(25), width=1920, height=1080)
            targets = self._targets(line)
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
        before = self.line
        self._work.session.edit(titles[how], change)
        if self.line is before:
            self._tell("Nothing was added: the active tracks are locked, or do not take this kind of clip.")

    def _targets(self, line: Timeline) -> Targets:
        wanted = self._view.targets()
        known = {track.id for track in line.tracks}
        return wanted if {wanted.picture, wanted.sound} - {""} <= known else edits.first_targets(line)

    # Commands

    def _cut(self) -> None:
        chosen = {track.id for identity in self._view.chosen if (track := self.line.track_of(identity)) is not None
                  and (b := track.block_at(self.position)) is not None and b.id == identity}  # fmt: skip
        self.edit("Cut", lambda line: edits.cut(line, self.position, chosen or None))

    def _stretch(self) -> tuple[int, int] | None:
        line = self.line
        return marked(line) if line.mark_in is not None or line.mark_out is not None else None

    def _lift(self) -> None:
        stretch, chosen = self._stretch(), self._view.chosen
        if chosen:
            self.edit("Lift", lambda line: edits.lift(line, chosen))
        elif stretch is not None:
            self.edit("Lift", lambda line: edits.lift_stretch(line, *stretch))

    def _remove(self) -> None:
        stretch, chosen = self._stretch(), self._view.chosen
        if chosen:
            self.edit("Remove", lambda line: edits.remove(line, chosen))
        elif stretch is not None:
            self.edit("Remove", lambda line: edits.remove_stretch(line, *stretch))

    def _close_gap(self) -> None:
        track = self._view.target("picture")
        if track is not None:
            self.edit("Close the gap", lambda line: edits.close_gap(line, track.id, self.position))

    def _trim(self, edge: edits.Edge) -> None:
        block = self.block_here()
        if block is not None:
            by = self.position - block.start if edge == "start" else self.position + 1 - block.end
            self.edit(f"Trim the {edge}", lambda line: edits.trim(line, block.id, edge, by))

    def _near(self) -> Block | None:
        track = self._view.target("picture")
        return edits.cut_near(self.line, track.id, self.position) if track is not None else None

    def _roll(self) -> None:
        block = self._near()
        if block is not None:
            self.edit("Roll the cut", lambda line: edits.roll(line, block.id, self.position - block.start))

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
        block = self.line.block(chosen[-1])
        track = self.line.track_of(chosen[-1])
        if tracks and block is not None and track is not None and track.kind == "sound":
            tracks = -tracks  # sound tracks are counted downward
        self.edit("Move", lambda line: edits.move(line, chosen, by, tracks))

    def _choose(self, more: bool) -> None:
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

    def _choose_all(self) -> None:
        self._view.choose(tuple(block.id for block in self.line.blocks))

    def _hand(self, step: int) -> None:
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

    def _flip(self, name: str) -> None:
        track = self.track_in_hand()
        if track is not None:
            self._view.flip_track(track, name)

    def _lay_sound(self) -> None:
        chosen = self._view.chosen or {block.id for block in (self.block_here(),) if block is not None}
        self._work.laying.lay(sorted(chosen))

    def _link(self) -> None:
        chosen = self._view.chosen
        if not chosen:
            return
        if any(self.line.linked(block) for identity in chosen if (block := self.line.block(identity)) is not None):
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
        block = self._near()
        if block is None:
            self._tell("A dissolve needs a cut: two blocks that touch on the active track.")
            return
        wanted = max(2, round(_DISSOLVE * self.line.rate))
        length = 0 if block.dissolve is not None else edits.fitting_dissolve(self.line, block.id, wanted)
        before = self.line
        self.edit("Dissolve", lambda line: edits.with_dissolve(line, block.id, length))
        if length and self.line is before:
            self._tell("No room for a dissolve: the clips have no frames beyond this cut. Trim them here first.")

    def _fade(self) -> None:
        block = self.block_here()
        if block is None:
            return
        name = "fade_in" if self.position - block.start < block.end - self.position else "fade_out"
        length = 0 if getattr(block.effects, name) else max(2, round(_DISSOLVE * self.line.rate / 2))
        group = [one.id for one in edits.whole(self.line, [block.id])]

        def faded(effects: Effects) -> Effects:
            return replace(effects, fade_in=length) if name == "fade_in" else replace(effects, fade_out=length)

        self.edit("Fade", lambda line: edits.with_effects(line, group, faded))

    def _title(self) -> None:
        """On the uppermost picture track, or a new one above the track in hand where that is the only one."""
        line = self.line
        if not line.rate:
            self._tell("The timeline has no frame rate yet. Add a clip first.")
            return
        length, at = max(1, round(_TITLE * line.rate)), self.position

        def change(line: Timeline) -> Timeline:
            if len(line.pictures) == 1:
                line = edits.add_track(line, "picture")
            return edits.add_title(line, line.pictures[-1].id, at, length, Title())

        self.edit("Title", change)
        block = self.line.pictures[-1].block_at(at)
        if block is not None and block.title is not None:
            self._view.select(block.id)
            self._view.opened.emit()

    def _copy(self) -> None:
        if self._view.chosen:
            self.copied = edits.copied(self.line, self._view.chosen)

    def _cut_out(self) -> None:
        self._copy()
        chosen = self._view.chosen
        if chosen:
            self.edit("Cut out", lambda line: edits.lift(line, chosen))

    def _paste(self, insert: bool) -> None:
        if not self.copied:
            return
        pieces, at, targets = self.copied, self.position, self._view.targets()
        before = self.line
        self.edit("Paste", lambda line: edits.paste(line, pieces, at, targets.picture, targets.sound, insert))
        if self.line is before:
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
        block = self.line.block(chosen[-1]) if chosen else None
        if block is not None:
            other: edits.Side = "originals" if project.showing == "proxies" else "proxies"
            pin = None if block.pin else other
            self.edit("Pin a block", lambda line: edits.with_pin(line, chosen, pin))

    def _add_track(self, kind: edits.Kind) -> None:
        self.edit(f"Add a {kind} track", lambda line: edits.add_track(line, kind))

    def _remove_track(self) -> None:
        track = self.track_in_hand()
        if track is None:
            return
        before = self.line
        self.edit(f"Remove {track.name}", lambda line: edits.remove_track(line, track.id))
        if self.line is before:
            self._tell(f"{track.name} cannot be removed: it is locked, or the last of its kind.")

    # Places to go

    def next_cut(self, side: int) -> int:
        """The next (1) or previous (-1) frame at which a block begins or ends."""
        edges = {edge for block in self.line.blocks for edge in (block.start, block.end)}
        ahead = [edge for edge in edges if (edge > self.position if side > 0 else edge < self.position)]
        last = max(0, self.line.length - 1)
        return min(last, min(ahead) if side > 0 else max(ahead)) if ahead else self.position
