from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.playback import TimelineProgram
from agile_shadow.core.timeline import Timeline, append, cut, insert, move, remove, trim_end, trim_start

ROOM = Fraction(8)
steps = st.lists(
    st.tuples(
        st.sampled_from(["append", "insert", "cut", "remove", "move", "trim_start", "trim_end"]),
        st.integers(0, 300),
        st.integers(-40, 40),
    ),
    max_size=25,
)


def do(line: Timeline, step: tuple[str, int, int]) -> Timeline:
    name, place, by = step
    chosen = line.blocks[place % len(line.blocks)].id if line.blocks else "none"
    if name in ("append", "insert"):
        args = ("clip", ROOM, Fraction(place % 100, 25), Fraction(abs(by) + 1, 25))
        return append(line, *args) if name == "append" else insert(line, min(place, line.length), *args)
    if name == "cut":
        return cut(line, place)
    if name == "remove":
        return remove(line, chosen)
    if name == "move":
        return move(line, chosen, place)
    return (trim_start if name == "trim_start" else trim_end)(line, chosen, by)


def shown(line: Timeline) -> list[Fraction | None]:
    program = TimelineProgram(line)
    return [point.seconds if (point := program.at(frame)) else None for frame in range(line.length)]


@given(steps)
def test_no_edit_leaves_an_overlap_a_gap_or_a_block_beyond_its_footage(todo: list[tuple[str, int, int]]) -> None:
    line = Timeline(rate=Fraction(25))
    for step in todo:
        before = line
        line = do(line, step).checked()
        assert None not in shown(line)
        if step[0] == "cut":
            assert shown(line) == shown(before)
        if step[0] == "move":
            assert sorted(b.id for b in line.blocks) == sorted(b.id for b in before.blocks)
            assert line.length == before.length


def three() -> Timeline:
    line = Timeline(rate=Fraction(25))
    for number in range(3):
        line = append(line, f"clip{number}", ROOM, Fraction(number), Fraction(1))
    return line


def test_each_edit_does_what_its_name_says() -> None:
    line = three()
    first, second, third = line.blocks
    assert (line.length, second.start, third.source_start) == (75, 25, 2)
    parted = insert(line, 30, "new", ROOM, Fraction(0), Fraction(2, 5))
    assert [b.clip for b in parted.blocks] == ["clip0", "clip1", "new", "clip1", "clip2"]
    assert parted.blocks[3].source_start == 1 + Fraction(5, 25)
    assert [b.clip for b in move(line, third.id, 0).blocks] == ["clip2", "clip0", "clip1"]
    assert [b.clip for b in remove(line, first.id).blocks] == ["clip1", "clip2"]
    later = trim_start(line, second.id, 10).blocks[1]
    assert (later.start, later.length, later.source_start) == (25, 15, 1 + Fraction(10, 25))
    assert trim_end(line, second.id, 1000).blocks[1].length == 7 * 25


def test_a_timeline_that_overlaps_is_refused() -> None:
    line = three()
    with pytest.raises(ValueError):
        replace(line, blocks=(line.blocks[0], replace(line.blocks[1], start=10))).checked()
