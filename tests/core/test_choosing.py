"""The row in which jobs wait for helpers, against a plain look at all of them."""

from __future__ import annotations

import itertools
from typing import Any

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from agile_shadow.core.helpers.choosing import Row
from agile_shadow.core.helpers.entries import SharedJob, Try
from agile_shadow.core.helpers.kinds import kind_of
from agile_shadow.core.proof.making import make_proven_proxy

KIND = kind_of(make_proven_proxy)


def entry(number: int, priority: int = 0, weight: float = 1.0, shared: bool = True) -> SharedJob:
    kind = KIND if shared else None
    return SharedJob(make_proven_proxy, None, lambda part: None, priority, number, weight=weight, kind=kind)


class RowModel(RuleBasedStateMachine):
    def __init__(self) -> None:
        super().__init__()
        self.row, self.all, self.numbers = Row(), dict[int, SharedJob](), itertools.count()

    @rule(priority=st.integers(-2, 2), weight=st.sampled_from([1.0, 2.0, 5.0]), shared=st.booleans())
    def comes(self, priority: int, weight: float, shared: bool) -> None:
        one = entry(next(self.numbers), priority, weight, shared)
        self.all[one.number] = one
        self.row.place(one)

    def _any(self, data: Any) -> SharedJob | None:
        return self.all[data.draw(st.sampled_from(sorted(self.all)))] if self.all else None

    @rule(data=st.data(), priority=st.integers(-2, 2))
    def preferred(self, data: Any, priority: int) -> None:
        if (one := self._any(data)) is not None:
            one.priority = priority
            self.row.place(one)

    @rule(data=st.data())
    def only_here_from_now_on(self, data: Any) -> None:
        if (one := self._any(data)) is not None:
            one.kind = None
            self.row.place(one)

    @rule(data=st.data(), what=st.sampled_from(["held", "cancelled"]))
    def held_or_not(self, data: Any, what: str) -> None:
        if (one := self._any(data)) is not None:
            setattr(one, what, not getattr(one, what))

    @rule(data=st.data())
    def begun_or_back(self, data: Any) -> None:
        if (one := self._any(data)) is not None:
            one.tries = [] if one.tries else [Try()]

    @rule(data=st.data())
    def ends(self, data: Any) -> None:
        if (one := self._any(data)) is not None:
            del self.all[one.number]
            self.row.drop(one)
            self.row.drop(one)  # again is harmless

    @invariant()
    def the_first_are_the_first(self) -> None:
        ready = [one for one in self.all.values() if one.waits and not (one.held or one.cancelled)]
        ready.sort(key=lambda one: (-one.priority, one.kind is not None, -one.weight, one.number))
        for count in (1, 3, 50):
            assert self.row.first(count) == ready[:count]


TestRowModel = RowModel.TestCase
TestRowModel.settings = settings(max_examples=100, stateful_step_count=40, deadline=None)


def test_only_as_many_are_looked_at_as_are_asked_for() -> None:
    looked = []

    class Counted(SharedJob):
        @property
        def waits(self) -> bool:
            looked.append(self.number)
            return True

    row = Row()
    for number in range(5000):
        row.place(Counted(make_proven_proxy, None, lambda part: None, 0, number, kind=KIND))
    assert [one.number for one in row.first(50)] == list(range(50)) and len(looked) <= 51
