"""What the strip says of clips is the same however it came to it: counted anew, or from what was known before."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import cast

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule
from PySide6.QtCore import QObject, QTimer
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from agile_shadow.core.media import MediaInfo
from agile_shadow.core.pairs import FileRef, Original, Proxy
from agile_shadow.core.project import Clip, Project, new_project
from agile_shadow.core.switch import Presence
from agile_shadow.desktop import showing
from agile_shadow.desktop.measuring import Measurements, Measuring
from agile_shadow.desktop.places.pairs import pair_list
from agile_shadow.desktop.places.pairs.pair_list import PairList
from agile_shadow.desktop.places.pairs.rows import (
    COLUMNS,
    GROUPINGS,
    Group,
    Pair,
    RowOrder,
    Surroundings,
    arranged,
    changed_in_place,
)
from agile_shadow.desktop.showing import Counts
from agile_shadow.desktop.turns import Turns

NUMBERS = st.integers(0, 11)


class NothingMeasured(QObject):
    """Knows the headroom of no clip."""

    kept = Measurements()


def some_project() -> Project:
    """Twelve clips on two shelves, two of them sound."""
    project = new_project("Counts")
    footage, here = project.footage.with_shelf("Boathouse", "originals", Path("/boathouse"))
    footage, _light = footage.with_shelf("Laptop", "proxies", Path("/laptop"))
    clips = []
    for number in range(12):
        info = MediaInfo("sound" if number > 9 else "video", "mov", 100, Fraction(1))
        original = Original(FileRef(here.id, f"A{number:03d}.mov"), info, 100, 0)
        clips.append(Clip(f"c{number}", f"A{number:03d}", original))
    return project.but(shelves=footage.shelves, clips=tuple(clips))


class CountsModel(RuleBasedStateMachine):
    """Proxies come and go, files are missed and found, the switch is flipped, clips are pinned and removed."""

    @initialize()
    def begin(self) -> None:
        self.project, self.presence, self.counts = some_project(), Presence(), Counts()
        self.parent, self.measuring = QObject(), cast(Measuring, NothingMeasured())
        self.pairs = PairList(self.measuring, self.parent)

    def _clip(self, number: int) -> Clip:
        return self.project.clips[number % len(self.project.clips)]

    @rule(number=NUMBERS)
    def a_proxy_is_made(self, number: int) -> None:
        clip, shelf = self._clip(number), self.project.footage.shelf_of_role("proxies")
        assert shelf is not None
        proxy = Proxy(FileRef(shelf.id, f"{clip.name}.mov"), MediaInfo("video", "mov", 10, Fraction(1)), 10, 0)
        made = replace(clip, proxies=(proxy,))
        self.project = self.project.but(clips=tuple(made if one is clip else one for one in self.project.clips))

    @rule(number=NUMBERS, shelf=st.sampled_from(["/boathouse", "/laptop"]), present=st.booleans())
    def a_file_is_looked_at(self, number: int, shelf: str, present: bool) -> None:
        self.presence.tell(Path(shelf) / f"{self._clip(number).name}.mov", present)

    @rule(shelf=st.sampled_from(["/boathouse", "/laptop"]))
    def a_shelf_goes(self, shelf: str) -> None:
        self.presence.only_missing(f"{shelf}/{clip.name}.mov" for clip in self.project.clips)

    @rule()
    def all_is_there_again(self) -> None:
        self.presence.look_again()

    @rule(side=st.sampled_from(["originals", "proxies"]))
    def the_switch(self, side: str) -> None:
        self.project = self.project.but(showing=side)

    @rule(number=NUMBERS, pin=st.sampled_from([None, "originals", "proxies"]))
    def a_pin(self, number: int, pin: str | None) -> None:
        self.project = self.project.with_pin(self._clip(number).id, pin)  # type: ignore[arg-type]

    @rule(number=NUMBERS)
    def a_clip_goes(self, number: int) -> None:
        if len(self.project.clips) > 1:
            gone = self._clip(number)
            self.project = self.project.but(clips=tuple(one for one in self.project.clips if one is not gone))

    @invariant()
    def it_is_what_a_fresh_count_says(self) -> None:
        if hasattr(self, "counts"):
            assert self.counts.text(self.project, self.presence) == Counts().text(self.project, self.presence)

    @invariant()
    def rows_are_what_a_fresh_list_has(self) -> None:
        if hasattr(self, "counts"):
            fresh = PairList(self.measuring, self.parent)
            assert self.pairs.pairs(self.project, self.presence) == fresh.pairs(self.project, self.presence)
            assert self.pairs.waiting(self.project, self.presence) == fresh.waiting(self.project, self.presence)


TestCounts = CountsModel.TestCase
TestCounts.settings = settings(max_examples=100, stateful_step_count=30, deadline=None)


def test_one_proxy_more_is_one_clip_to_look_at_though_a_file_is_missing(monkeypatch: pytest.MonkeyPatch) -> None:
    looked: list[str] = []
    real = showing.choose

    def counted(project: Project, clip: Clip, presence: Presence) -> object:
        looked.append(clip.id)
        return real(project, clip, presence)

    monkeypatch.setattr(showing, "choose", counted)
    model = CountsModel()
    model.begin()
    model.presence.tell(Path("/boathouse/A003.mov"), False)
    assert model.counts.text(model.project, model.presence) == "9 on originals, 0 have a proxy, 1 missing"
    looked.clear()
    model.a_proxy_is_made(5)
    assert "1 has a proxy" in model.counts.text(model.project, model.presence) and looked == ["c5"]


def test_one_proxy_more_is_one_row_made_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    made: list[str] = []
    real = pair_list.pair_of

    def counted(clip: Clip, around: Surroundings, headroom: float | None) -> Pair:
        made.append(clip.id)
        return real(clip, around, headroom)

    monkeypatch.setattr(pair_list, "pair_of", counted)
    model = CountsModel()
    model.begin()
    before = model.pairs.pairs(model.project, model.presence)
    made.clear()
    model.a_proxy_is_made(5)
    after = model.pairs.pairs(model.project, model.presence)
    assert made == ["c5"] and [n for n in range(12) if after[n] is not before[n]] == [5]


def test_what_need_not_be_called_at_once_is_called_once_each_in_a_turn_of_its_own(qtbot: QtBot) -> None:
    called: list[str] = []
    parent = QObject()
    turns = Turns(parent)
    turn = QTimer(parent)  # tells the turns apart: it is due in each of them
    turn.timeout.connect(lambda: called.append("|"))
    turns.later("one", lambda: called.append("an old one"))
    turns.later("two", lambda: called.append("two"))
    turns.later("one", lambda: (called.append("one"), turn.start(0))[0])
    assert called == []
    qtbot.waitUntil(lambda: "two" in called)
    turn.stop()
    assert called[0] == "one" and "|" in called[: called.index("two")]
    called = [one for one in called if one != "|"]
    assert called == ["one", "two"]
    turns.later("three", lambda: called.append("three"))
    turns.end()
    turns.later("four", lambda: called.append("four"))
    QTest.qWait(100)  # longer than either would have waited
    assert called == ["one", "two"]


def test_a_fault_in_one_turn_does_not_take_the_next(qtbot: QtBot) -> None:
    called: list[str] = []
    parent = QObject()
    turns = Turns(parent)

    def fails() -> None:
        raise ValueError("planted")

    with qtbot.captureExceptions() as caught:
        turns.later("one", fails)
        turns.later("two", lambda: called.append("two"))
        qtbot.waitUntil(lambda: called == ["two"])
    assert [str(one[1]) for one in caught] == ["planted"]


def some_pairs() -> list[Pair]:
    project = some_project()
    clips = [replace(clip, original=replace(clip.original, size=10**9 * (7 * n % 12))) for n, clip in
             enumerate(project.clips)]  # fmt: skip
    around = Surroundings.of(project, Presence())
    return [pair_list.pair_of(clip, around, n % 5 / 2) for n, clip in enumerate(clips)]


@pytest.mark.parametrize("column", range(len(COLUMNS)))
@pytest.mark.parametrize("backward", [False, True])
def test_rows_are_ordered_by_what_their_column_says(column: int, backward: bool) -> None:
    pairs = some_pairs()
    rows = RowOrder(pairs).by(column, backward)
    keys = [COLUMNS[column].sort_key(pair) for pair in rows]
    assert keys == sorted(keys, reverse=backward)
    assert sorted(pair.clip.id for pair in rows) == sorted(pair.clip.id for pair in pairs)


def test_groups_say_how_many_clips_they_hold_and_how_large() -> None:
    rows = arranged(some_pairs(), "", 0, next(n for n, (name, _of) in enumerate(GROUPINGS) if name == "by shelf"))
    assert [row.title for row in rows if isinstance(row, Group)] == ["Boathouse: 12 clips, 66.0 GB"]
    assert len(rows) == 13


def test_only_rows_of_the_same_clips_are_put_in_their_places() -> None:
    one = some_pairs()
    other = [*one]
    other[3] = replace(one[3], used=True)
    assert changed_in_place(one, one) == []
    assert changed_in_place(one, other) == [3]
    assert changed_in_place(one, [*other[:3], *other[4:]]) is None  # one went
    assert changed_in_place(one, [one[1], one[0], *one[2:]]) is None  # two moved
    assert changed_in_place([Group("a"), *one], [Group("a"), *one]) is None  # headings are made anew
