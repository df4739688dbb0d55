"""Drives that go, come back, or hang are noticed, and none keeps the others waiting."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import pytest

from agile_shadow.core import drives as machine
from agile_shadow.core.pairing.missing import missing_files
from agile_shadow.core.project import load_project
from agile_shadow.core.shelves import Attending, attending
from tests.core.test_queue import until


class Slow(machine.Drives):
    """Drives of which one does not answer while it hangs."""

    def __init__(self) -> None:
        self.hanging: Path | None = None
        self.free_again = threading.Event()

    def identity(self, folder: Path) -> tuple[int, int]:
        if folder == self.hanging:
            self.free_again.wait(30)
        return super().identity(folder)


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Iterator[Slow]:
    found = Slow()
    monkeypatch.setattr(attending, "drives", lambda: found)
    yield found
    found.free_again.set()


def test_what_goes_comes_and_hangs_is_told(tmp_path: Path, slow: Slow) -> None:
    one, two = tmp_path / "one", tmp_path / "two"
    one.mkdir()
    two.mkdir()
    told: list[frozenset[Path]] = []
    watching = Attending(lambda: told.append(watching.away), every=0.05, patience=0.3)
    try:
        watching.attend([one, two])
        until(lambda: told[-1:] == [frozenset()], 20)
        one.rename(tmp_path / "gone")
        until(lambda: told[-1] == {one} == watching.away, 20)
        (tmp_path / "gone").rename(one)
        until(lambda: told[-1] == frozenset() == watching.away, 20)
        slow.hanging = two
        until(lambda: told[-1] == {two} == watching.away, 20)
        one.rename(tmp_path / "gone")  # the other one is seen all the same
        until(lambda: told[-1] == {one, two} == watching.away, 20)
        slow.hanging = None
        slow.free_again.set()
        until(lambda: told[-1] == {one} == watching.away, 20)
        watching.attend([two])
        until(lambda: watching.away == frozenset(), 20)
    finally:
        watching.end()


def test_another_folder_at_the_same_place_is_told(tmp_path: Path) -> None:
    root = tmp_path / "shelf"
    root.mkdir()
    told = threading.Event()
    watching = Attending(told.set, every=0.05)
    try:
        watching.attend([root])
        until(told.is_set, 20)
        told.clear()
        root.rename(tmp_path / "other")
        root.mkdir()  # as an unmounted drive leaves it: between two looks
        until(lambda: told.is_set() and watching.away == frozenset(), 20)
    finally:
        watching.end()


def test_files_on_a_shelf_that_is_away_are_missing_without_touching_it(place: Path) -> None:
    project = load_project(place / "film.otio")
    assert missing_files(project) == []
    away = missing_files(project, frozenset({place / "Laptop"}))
    assert {one.part for one in away} == {"proxy"}
    assert len(away) == sum(len(clip.proxies) for clip in project.clips)
