"""Which stretches of a timeline came late while they played: heard picture by picture, kept by stretch."""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from ..project import Project
from ..timeline import Side, Timeline
from .baking import bake_bytes, bake_states, bakes_on_disk, stretch_digest
from .clock import Loop, in_loop

_LONGEST = 10  # seconds of a stretch
_FEW = 5  # late frames that are nothing to speak of
_PART = 0.1  # of the frames that were played

Place = tuple[str, Side, int, int]


@dataclass(frozen=True)
class LateStretch:
    """Frames ``start`` to before ``end`` of a timeline, of which ``late`` frames were not on screen in their time when
    ``played`` of them were last to be seen. ``side``: where the switch stood; ``digest``: what was drawn."""

    timeline: str
    side: Side
    start: int
    end: int
    digest: str
    late: int
    played: int

    @property
    def place(self) -> Place:
        """Which stretch it is."""
        return self.timeline, self.side, self.start, self.end


def stretch_at(line: Timeline, frame: int) -> tuple[int, int]:
    """The stretch around a frame in which no picture track comes to a cut; long ones in parts of at most 10 s."""
    start, end = 0, max(frame + 1, line.length)
    for track in line.pictures:
        if track.off:
            continue
        here = track.block_at(frame)
        number = track.place_at(frame)
        if here is not None:
            start, end = max(start, here.start), min(end, here.end)
            continue
        if number >= 0:
            start = max(start, track.blocks[number].end)
        if number + 1 < len(track.blocks):
            end = min(end, track.blocks[number + 1].start)
    parts = math.ceil((end - start) / max(1, math.floor(_LONGEST * line.rate)))
    edges = [start + (end - start) * number // parts for number in range(parts + 1)]
    return next((a, b) for a, b in itertools.pairwise(edges) if a <= frame < b)


class Lateness:
    """Of one player; for its thread. Only playing forward at the film's own pace counts."""

    def __init__(self) -> None:
        self._known: dict[Place, LateStretch] = {}
        self._marks: dict[int, bool] = {}  # frames seen since it was last settled: whether each was late
        self._next: int | None = None  # the first tick not accounted for
        self._loop: Loop | None = None

    @property
    def stretches(self) -> tuple[LateStretch, ...]:
        """Those that came late, the worst first."""
        return tuple(sorted(self._known.values(), key=lambda one: -one.late))

    def begin(self, tick: int, loop: Loop | None) -> None:
        """It plays from a tick on."""
        self._next, self._loop = tick, loop

    def picture(self, tick: int, clock_tick: int) -> None:
        """A picture came on screen when the clock stood at ``clock_tick``; what was passed over before it was late."""
        if self._next is None:
            return
        in_time = clock_tick <= tick
        self._mark(range(self._next, tick if in_time else clock_tick), True)
        if in_time and tick >= self._next:
            self._mark((tick,), False)
        self._next = max(self._next, tick + 1 if in_time else clock_tick)

    def end(self, clock_tick: int) -> None:
        """It stands: what was to be seen until now and was not, was late."""
        if self._next is not None:
            self._mark(range(self._next, clock_tick), True)
        self._next = None

    def _mark(self, ticks: Iterable[int], late: bool) -> None:
        for tick in ticks:
            self._marks[in_loop(tick, self._loop)] = late

    def settle(self, project: Project) -> None:
        """Add up what was seen of the project's open timeline. The next playing of a stretch counts in place of this
        one, unless it saw too little of it."""
        marks, self._marks = self._marks, {}
        for start, end, frames in _by_stretch(project.timeline, marks):
            late = sum(marks[frame] for frame in frames)
            place: Place = (project.timeline.id, project.showing, start, end)
            if late > max(_FEW, _PART * len(frames)):
                known, digest = self._known.get(place), stretch_digest(project, start, end)
                if known is None or known.digest != digest or late >= known.late or 2 * len(frames) >= end - start:
                    self._known[place] = LateStretch(*place, digest, late, len(frames))
            elif 2 * len(frames) >= end - start:
                self._known.pop(place, None)


def _by_stretch(line: Timeline, marks: dict[int, bool]) -> Iterator[tuple[int, int, list[int]]]:
    frames = [frame for frame in sorted(marks) if 0 <= frame < line.length]
    while frames:
        start, end = stretch_at(line, frames[0])
        inside = [frame for frame in frames if frame < end]
        yield start, end, inside
        frames = frames[len(inside) :]


def worth_baking(project: Project, known: Iterable[LateStretch], room: int) -> Iterator[LateStretch]:
    """Of what came late, what a bake would help now: of the open timeline as it is and the side that is shown, not
    baked yet, and within ``room`` bytes; in the order given."""
    line = project.timeline
    used = [state.bake for state in bake_states(project) if state.used]
    for one in known:
        if (one.timeline, one.side) != (line.id, project.showing) or one.end > line.length:
            continue
        if any(bake.start <= one.start and one.end <= bake.end for bake in used):
            continue
        if bake_bytes(line, one.end - one.start) <= room and stretch_digest(project, one.start, one.end) == one.digest:
            yield one


def next_to_bake(project: Project, known: Iterable[LateStretch], tried: Collection[str]) -> LateStretch | None:
    """The worst that is worth baking, within the room that the project gives; ``tried``: digests that are left out.
    Touches drives."""
    room = project.footage.bake_room - bakes_on_disk(project)
    return next((one for one in worth_baking(project, known, room) if one.digest not in tried), None)
