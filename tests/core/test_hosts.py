"""Helpers on hosts of their own: network namespaces with addresses, the shelves mounted at other paths in each.

What is asked of every scene: the same files bit for bit, the same report, nothing left, however a helper is disturbed.
``./shadow bench helpers`` plays each many times at random moments.
"""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import pytest
from benchmarks.hosts import play, why_not

pytestmark = [pytest.mark.skipif(bool(why_not()), reason=why_not()), pytest.mark.timeout(400)]


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A card that is small, and still takes helpers some seconds."""
    from agile_shadow.stand_ins import draw_card

    card = tmp_path_factory.mktemp("hosts card") / "Card"
    draw_card(card, shrink=4, seconds=Fraction(2))
    return card


@pytest.fixture(scope="module")
def hosts(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Where the hosts have their drives; what a calm ingest made is kept there."""
    return tmp_path_factory.mktemp("hosts")


@pytest.mark.parametrize("kind", ["killed", "unplugged and another drive", "scheduler killed"])
def test_whatever_happens_to_a_helper_files_and_report_are_those_without_helpers(
    hosts: Path, clips: Path, kind: str
) -> None:
    found = play(kind, hosts, clips)
    assert found["differ"] == [] and found["same_report"] and found["left"] == [], found
    assert found["in_time"] and found["files"] > 15 and found["helped"] >= 1, found


def test_a_film_by_a_helper_is_the_one_made_here_also_where_the_helper_is_killed(hosts: Path, clips: Path) -> None:
    found = play("film", hosts, clips)
    assert found["films"] == 1 and found["originals"] == 1 and found["left"] == [], found
    assert found["said"] == [False, True, False] and found["helped"] == 1, found
    assert not any(found["paths"]), "the certificate names the files of the machine that asked"


def test_only_helpers_that_were_invited_and_not_sent_away_come_in_and_only_to_work(hosts: Path, clips: Path) -> None:
    found = play("doors", hosts, clips)
    assert len(found["listening"]) == 1, "the scheduler, with certificates, and nothing else"
    assert min(found["nice"]) > 0, "whoever works at a machine goes before what it does for others"
    for who in ("sent away", "other suite", "nobody"):
        assert json.loads(found[who])["connect"].startswith("refused"), found
    for who in ("helper", "at the helper"):
        calls = json.loads(found[who])
        assert len(calls) == 6 and all(answer.startswith("refused") for answer in calls.values()), found
    assert found["still there"] == 1, "a helper that misbehaves cannot end the scheduler or another's work"
