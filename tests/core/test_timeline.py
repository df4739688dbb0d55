from collections.abc import Callable
from dataclasses import FrozenInstanceError, fields, replace
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from agile_shadow.core import timeline as edits
from agile_shadow.core.project import Project, ProjectSession, new_project
from agile_shadow.core.timeline import Block, ClipPiece, Dissolve, Effects, Targets, Timeline, Title, Track
from agile_shadow.core.timeline.model import moved

RATE = Fraction(25)
ROOM = Fraction(8)
Edit = Callable[[Timeline], Timeline]


def piece(first: int = 0, frames: int = 10, clip: str = "clip", **sides: bool) -> ClipPiece:
    return ClipPiece(clip, ROOM, Fraction(first, 25), Fraction(frames, 25), **sides)


def start(*lengths: int) -> Timeline:
    line = edits.add_track(edits.add_track(Timeline(rate=RATE), "picture"), "sound")
    for number, length in enumerate(lengths):
        line = edits.append(line, piece(25, length, f"clip{number}"))
    return line


def shown(track: Track) -> list[tuple[str, Fraction] | None]:
    """What each frame shows, without asking the functions under test."""
    row: list[tuple[str, Fraction] | None] = [None] * track.end
    for block in track.blocks:
        for k in range(block.length):
            moved = k * block.speed / RATE if block.room else 0  # titles and stills show the same all the time
            row[block.start + k] = (block.clip, block.source_start + moved)
    return row


EDITS: dict[str, Callable[[Timeline, Block, int, int, int], Timeline]] = {
    "append": lambda line, b, at, by, n: edits.append(line, piece(at % 150, abs(by) + 1), targets(line, n)),
    "insert": lambda line, b, at, by, n: edits.insert(line, piece(at % 150, abs(by) + 1), at, targets(line, n)),
    "overwrite": lambda line, b, at, by, n: edits.overwrite(line, piece(at % 150, abs(by) + 1), at, targets(line, n)),
    "exchange": lambda line, b, at, by, n: edits.exchange(line, piece(at % 190, 9), b.id),
    "cut": lambda line, b, at, by, n: edits.cut(line, at),
    "remove": lambda line, b, at, by, n: edits.remove(line, [b.id]),
    "lift": lambda line, b, at, by, n: edits.lift(line, [b.id]),
    "remove stretch": lambda line, b, at, by, n: edits.remove_stretch(line, at, at + abs(by) + 1),
    "close gap": lambda line, b, at, by, n: edits.close_gap(line, line.tracks[n % 4].id, at),
    "trim": lambda line, b, at, by, n: edits.trim(line, b.id, "end" if n % 2 else "start", by, ripple=n > 1),
    "roll": lambda line, b, at, by, n: edits.roll(line, b.id, by),
    "slip": lambda line, b, at, by, n: edits.slip(line, b.id, by),
    "slide": lambda line, b, at, by, n: edits.slide(line, b.id, by),
    "move": lambda line, b, at, by, n: edits.move(line, [b.id], by, n - 2),
    "reorder": lambda line, b, at, by, n: edits.reorder(line, b.id, at),
    "paste": lambda line, b, at, by, n: edits.paste(
        line, edits.copied(line, [b.id]), at, line.tracks[0].id, line.tracks[2].id, insert=n > 1
    ),
    "speed": lambda line, b, at, by, n: edits.with_speed(line, b.id, Fraction(by or 4, 10), ripple=n > 1),
    "dissolve": lambda line, b, at, by, n: edits.with_dissolve(line, b.id, abs(by)),
    "fade": lambda line, b, at, by, n: edits.with_effects(
        line, [b.id], lambda effects: replace(effects, fade_in=abs(by), fade_out=n * 9)
    ),
    "title": lambda line, b, at, by, n: edits.add_title(line, line.tracks[1].id, at, abs(by), edits.Title()),
    "lock": lambda line, b, at, by, n: edits.with_track(line, line.tracks[n].id, locked=by > 0),
    "unlink": lambda line, b, at, by, n: edits.unlinked(line, [b.id]),
    "in step": lambda line, b, at, by, n: edits.in_step(line, b.id),
}


def targets(line: Timeline, n: int) -> Targets:
    return Targets(line.pictures[n % 2].id, line.sounds[n // 2].id if n < 3 else "")


steps = st.lists(
    st.tuples(
        st.sampled_from(sorted(EDITS)), st.integers(0, 99), st.integers(0, 200), st.integers(-40, 40), st.integers(0, 3)
    ),
    max_size=25,
)


def do(line: Timeline, step: tuple[str, int, int, int, int]) -> Timeline:
    name, which, at, by, n = step
    blocks = list(line.blocks)
    chosen = blocks[which % len(blocks)] if blocks else Block("none", 0, 1, Fraction(0), ROOM)
    return EDITS[name](line, chosen, at, by, n)


def same(line: Timeline) -> list[Any]:
    return [[(b.id, b.start, b.length, b.source_start) for b in track.blocks] for track in line.tracks]


_NEIGHBOURS_OF_ONE_LINK = [("append", 0, 0, 0, 0)] * 2 + [
    ("overwrite", 0, 1, 0, 0), ("remove", 1, 0, 0, 0), ("slide", 0, 0, 1, 0),
]  # fmt: skip


@settings(max_examples=300, deadline=None)
@given(steps)
@example(_NEIGHBOURS_OF_ONE_LINK)
def test_no_sequence_of_edits_breaks_a_timeline(todo: list[tuple[str, int, int, int, int]]) -> None:
    line = start(30, 40, 20)
    for step in todo:
        before = line
        line = do(line, step).checked()  # no overlap, no block beyond its footage, no identity twice
        for old, new in zip(before.tracks, line.tracks, strict=True):
            if old.locked and step[0] != "lock":
                assert old == new  # a locked track does not change
            if step[0] == "cut":
                assert shown(new) == shown(old)
        lengths = {block.id: block.length for block in before.blocks}
        if step[0] == "slip":
            assert lengths == {block.id: block.length for block in line.blocks}
        if step[0] == "roll":
            assert line.length == before.length
        for track in line.tracks:
            for number, block in enumerate(track.blocks):
                if block.dissolve is not None:
                    left = track.blocks[number - 1]
                    assert left.end == block.start and left.handles(RATE)[1] >= block.dissolve.after
                    assert block.handles(RATE)[0] >= block.dissolve.before
        _in_step_or_marked(line)


def _in_step_or_marked(line: Timeline) -> None:
    """Linked sound and picture show the same moment of the clip in the same frame, or the loss is told."""
    for block in line.blocks:
        for other in line.linked(block) if len(line.linked(block)) == 1 else ():
            kinds = {track.kind for one in (block, other) if (track := line.track_of(one.id)) is not None}
            if len(kinds) == 2 and block.clip == other.clip and block.room and block.speed == other.speed:
                apart = (other.moment(block.start, RATE) - block.source_start) * RATE / block.speed
                assert edits.out_of_step(line, block) == round(apart)


@settings(max_examples=100, deadline=None)
@given(steps)
def test_undoing_all_gives_back_the_first_document(todo: list[tuple[str, int, int, int, int]]) -> None:
    first = new_project("p").but(timeline=start(30, 40, 20))
    session = ProjectSession.__new__(ProjectSession)
    session.begin(first)
    for step in todo:
        session.edit(step[0], lambda project, step=step: project.but(timeline=do(project.timeline, step)))
    last: Project = session.project
    while session.undo_label is not None:
        session.undo()
    assert session.project == first and session.project.is_same(first)
    while session.redo_label is not None:
        session.redo()
    assert session.project.is_same(last)


@settings(max_examples=100, deadline=None)
@given(st.integers(0, 90), st.integers(1, 40), st.booleans())
def test_inserting_and_removing_the_same_time_leaves_all_as_it_was(at: int, frames: int, split: bool) -> None:
    line = start(30, 40, 20)
    if split:
        line = edits.cut(line, at)
    there = edits.insert(line, piece(0, frames, "new"), at)
    new = [block.id for block in there.blocks if block.clip == "new"]
    assert there.length == line.length + frames
    assert [shown(t) for t in edits.remove(there, new).tracks] == [shown(t) for t in line.tracks]


def clips(track: Track) -> list[tuple[str, int, int]]:
    return [(block.clip[-1], block.start, block.end) for block in track.blocks]


def test_each_edit_does_what_its_name_says() -> None:
    line = start(10, 20, 30)
    picture, sound = line.pictures[0], line.sounds[0]
    first, second, third = picture.blocks
    assert clips(picture) == clips(sound) == [("0", 0, 10), ("1", 10, 30), ("2", 30, 60)]

    def rows(after: Timeline) -> list[tuple[str, int, int]]:
        changed = [track for track in after.tracks if track.id in (picture.id, sound.id)]
        assert clips(changed[0]) == clips(changed[1])  # sound goes with its picture
        return clips(changed[0])

    assert rows(edits.lift(line, [second.id])) == [("0", 0, 10), ("2", 30, 60)]
    assert rows(edits.remove(line, [second.id])) == [("0", 0, 10), ("2", 10, 40)]
    assert rows(edits.close_gap(edits.lift(line, [second.id]), picture.id, 15)) == [("0", 0, 10), ("2", 10, 40)]
    assert rows(edits.trim(line, second.id, "end", -5)) == [("0", 0, 10), ("1", 10, 25), ("2", 25, 55)]
    assert rows(edits.trim(line, second.id, "end", -5, ripple=False)) == [("0", 0, 10), ("1", 10, 25), ("2", 30, 60)]
    later = edits.trim(line, second.id, "start", 5)
    assert rows(later) == [("0", 0, 10), ("1", 10, 25), ("2", 25, 55)]
    assert later.block(second.id).source_start == Fraction(30, 25)  # type: ignore[union-attr]
    assert rows(edits.roll(line, second.id, 4)) == [("0", 0, 14), ("1", 14, 30), ("2", 30, 60)]
    assert rows(edits.slide(line, second.id, 4)) == [("0", 0, 14), ("1", 14, 34), ("2", 34, 60)]
    slipped = edits.slip(line, second.id, 4)
    assert rows(slipped) == rows(line) and slipped.block(second.id).source_start == Fraction(29, 25)  # type: ignore[union-attr]
    assert rows(edits.slip(line, second.id, -1000)) == rows(line)
    assert edits.slip(line, second.id, -1000).block(second.id).source_start == 0  # type: ignore[union-attr]
    assert rows(edits.overwrite(line, piece(0, 10, "clipX"), 5)) == [
        ("0", 0, 5), ("X", 5, 15), ("1", 15, 30), ("2", 30, 60),
    ]  # fmt: skip
    assert rows(edits.reorder(line, third.id, 0)) == [("2", 0, 30), ("0", 30, 40), ("1", 40, 60)]
    assert rows(edits.neighbour(line, first.id, 1)) == [("1", 0, 20), ("0", 20, 30), ("2", 30, 60)]
    assert rows(edits.exchange(line, piece(50, 1, "clipY"), second.id)) == [("0", 0, 10), ("Y", 10, 30), ("2", 30, 60)]
    faster = edits.with_speed(line, second.id, Fraction(2))
    assert rows(faster) == [("0", 0, 10), ("1", 10, 20), ("2", 20, 50)]
    assert rows(edits.with_speed(faster, second.id, Fraction(1))) == rows(line)
    backward = edits.with_speed(line, second.id, Fraction(-1))
    assert shown(backward.pictures[0])[10:30] == shown(picture)[10:30][::-1]
    up = edits.move(line, [second.id], 3, 1)
    assert clips(up.pictures[1]) == [("1", 13, 33)] and clips(up.sounds[0])[1:] == [("1", 13, 33), ("2", 33, 60)]


def test_time_taken_out_lets_what_began_before_it_stay() -> None:
    line = start(10, 20, 30)
    _first, second, _third = line.pictures[0].blocks
    music = piece(0, 50, "music", picture=False)
    line = edits.overwrite(line, music, 0, Targets("", line.sounds[1].id))
    line = edits.add_title(line, line.pictures[1].id, 15, 10, edits.Title())
    line = edits.add_title(line, line.pictures[1].id, 40, 10, edits.Title("later"))
    line = edits.add_marker(edits.add_marker(line, 20, "in"), 45, "after")
    gone = edits.remove(line, [second.id])
    assert clips(gone.sounds[1]) == [("c", 0, 50)]
    assert [(b.start, b.end, b.title and b.title.text) for b in gone.pictures[1].blocks] == [(20, 30, "later")]
    assert [marker.frame for marker in gone.markers] == [10, 25]
    locked = edits.with_track(line, line.pictures[1].id, locked=True)
    assert edits.remove(locked, [second.id]).pictures[1] == locked.pictures[1]


def test_a_loss_of_step_is_told_and_mended() -> None:
    line = start(10, 20, 30)
    sound = line.sounds[0].blocks[1]
    alone = edits.with_track(line, line.pictures[0].id, locked=True)
    moved = edits.move(alone, [sound.id], 3)
    assert [edits.out_of_step(moved, block) for block in moved.pictures[0].blocks] == [0, -3, 0]
    assert edits.out_of_step(moved, moved.block(sound.id) or sound) == 3
    slipped = edits.slip(alone, sound.id, 2)  # it stays where it is and plays something else
    late = edits.out_of_step(slipped, slipped.block(sound.id) or sound)
    assert abs(late) == 2 and edits.out_of_step(slipped, slipped.pictures[0].blocks[1]) == -late
    mended = edits.in_step(moved, sound.id)
    assert all(edits.out_of_step(mended, block) == 0 for block in mended.blocks)


def test_a_dissolve_needs_footage_on_both_sides() -> None:
    line = edits.append(Timeline(rate=RATE), piece(0, 100, "a"))
    line = edits.append(line, piece(195, 5, "b"))  # the last five frames of its clip
    second = edits.with_dissolve(line, line.pictures[0].blocks[1].id, 20).pictures[0].blocks[1]
    assert second.dissolve == edits.Dissolve(15, 5)
    whole = edits.append(Timeline(rate=RATE), piece(0, 200, "a"))
    whole = edits.append(whole, piece(0, 200, "b"))
    assert edits.with_dissolve(whole, whole.pictures[0].blocks[1].id, 20).pictures[0].blocks[1].dissolve is None


@given(st.integers(0, 60), st.integers(2, 60), st.integers(2, 60), st.integers(0, 60), st.integers(2, 40))
def test_a_dissolve_that_fits_is_centred_and_takes_no_whole_block(
    end: int, left: int, right: int, begin: int, wanted: int
) -> None:
    line = edits.append(Timeline(rate=RATE), ClipPiece("a", Fraction(left + end, 25), Fraction(0), Fraction(left, 25)))
    second = ClipPiece("b", Fraction(begin + right, 25), Fraction(begin, 25), Fraction(right, 25))
    line = edits.append(line, second)
    block = line.pictures[0].blocks[1].id
    length = edits.fitting_dissolve(line, block, wanted)
    assert 0 < length <= max(wanted, 2)
    made = edits.with_dissolve(line, block, length).pictures[0].blocks[1].dissolve
    if made is not None and min(begin, end, left // 2, right // 2, wanted // 2) >= 1:
        assert made.before == made.after <= min(left, right) / 2
    elif made is not None:
        assert made.length <= max(1, min(left, right) // 2)


EVERYTHING = Block("c1", 40, 20, Fraction(1, 3), Fraction(9), Fraction(-2), "pair", Dissolve(3, 4), Effects(gain=-6.0),
                   "proxies", Title("Low tide"), "b1")  # fmt: skip


@given(st.integers(-40, 10**9))
def test_a_block_elsewhere_in_time_is_the_same_in_all_else(by: int) -> None:
    for one in (EVERYTHING, Block("c2", 90, 1, Fraction(0), Fraction(1))):
        there, = moved([one], by)
        assert there == replace(one, start=one.start + by) and type(there) is Block and hash(there) == hash(
            replace(one, start=one.start + by))  # fmt: skip
        assert one.at(one.start + by) == there and {field.name for field in fields(Block)} == set(Block.__slots__)
        with pytest.raises(FrozenInstanceError):
            there.start = 1  # type: ignore[misc]


def test_what_cannot_be_is_refused() -> None:
    line = start(10, 20)
    track = line.pictures[0]
    with pytest.raises(ValueError):
        line.with_tracks(replace(track, blocks=(track.blocks[0], track.blocks[1].at(5)))).checked()
    with pytest.raises(ValueError):
        edits.with_speed(line, track.blocks[0].id, Fraction(0))
    with pytest.raises(ValueError):
        edits.with_effects(line, [track.blocks[0].id], lambda e: replace(e, placement=edits.Placement(left=1.5)))
