"""What the benches say of the machine they ran on."""

from __future__ import annotations

from types import SimpleNamespace

import psutil
import pytest
from benchmarks.others import Meanwhile, taken


def times(user: float, steal: float, idle: float = 0.0) -> SimpleNamespace:
    return SimpleNamespace(user=user, nice=0.0, system=1.0, idle=idle, iowait=idle, steal=steal)


@pytest.mark.parametrize(
    ("user", "steal", "idle", "part"), [(30, 10, 0, 0.25), (30, 10, 900, 0.25), (40, 0, 0, 0.0), (0, 0, 50, 0.0)]
)
def test_what_others_took_is_a_part_of_what_was_wanted(user: float, steal: float, idle: float, part: float) -> None:
    assert taken(times(5, 2), times(5 + user, 2 + steal, idle)) == pytest.approx(part)


def test_a_system_that_does_not_tell_counts_as_undisturbed() -> None:
    assert taken(SimpleNamespace(user=1.0, system=1.0), SimpleNamespace(user=5.0, system=1.0)) == 0.0


def test_it_is_said_only_where_it_is_much(monkeypatch: pytest.MonkeyPatch) -> None:
    now = [times(0, 0)]
    monkeypatch.setattr(psutil, "cpu_times", lambda: now[0])
    meanwhile = Meanwhile()
    now[0] = times(99, 1)
    assert meanwhile.words() == "0 s"
    now[0] = times(60, 40)
    assert meanwhile.words() == "0 s; other guests of the host took 40% of its processors' time"
