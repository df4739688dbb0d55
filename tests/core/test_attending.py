"""Drives that go, come back, or hang are noticed, and none keeps the others waiting."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from agile_shadow.core import drives as machine
from agile_shadow.core.media import MediaInfo
from agile_shadow.core.media.joined import joined_name
from agile_shadow.core.pairs import FileRef, Original
from agile_shadow.core.project import Clip, Project, load_project, new_project
from agile_shadow.core.shelves import Attending, attending
from agile_shadow.core.switch import Presence
from agile_shadow.core.upkeep.missing import lost_files, missing_files, paths_below
from tests.until import until


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


@pytest.mark.parametrize("form", ["sequence", "parts"])
def test_a_recording_in_several_files_is_there_when_its_files_are(tmp_path: Path, form: str) -> None:
    shelf = tmp_path / "Boathouse"
    names = [f"S_{number:04d}.png" for number in range(3)] if form == "sequence" else ["a.mov", "b.mov"]
    for name in names:
        (shelf / "day 1" / name).parent.mkdir(parents=True, exist_ok=True)
        (shelf / "day 1" / name).write_bytes(b"x")
    footage, added = new_project("Film").footage.with_shelf("Boathouse", "originals", shelf)
    path = "day 1/S_%04d.png" if form == "sequence" else f"day 1/{joined_name(names)}"
    info = MediaInfo("video", "mov", 3, Fraction(1))
    clip = Clip("c", "S", Original(FileRef(added.id, path, form), info, 3, 1))  # type: ignore[arg-type]
    project = new_project("Film").but(shelves=footage.shelves, clips=(clip,))
    assert missing_files(project) == []
    for name in names:
        (shelf / "day 1" / name).unlink()
    assert [one.clip.id for one in missing_files(project)] == ["c"]


@pytest.mark.parametrize("path", ["../outside.mov", "a/../../outside.mov", "/outside.mov"])
def test_a_path_that_leads_out_of_its_shelf_is_nowhere(tmp_path: Path, path: str) -> None:
    (tmp_path / "outside.mov").write_bytes(b"x")
    footage, added = new_project("Film").footage.with_shelf("Boathouse", "originals", tmp_path / "Boathouse")
    (tmp_path / "Boathouse" / "a").mkdir(parents=True)
    clip = Clip("c", "S", Original(FileRef(added.id, path), MediaInfo("video", "mov", 1, Fraction(1)), 1, 1))
    project = new_project("Film").but(shelves=footage.shelves, clips=(clip,))
    assert [one.path for one in missing_files(project)] == [None]


def holding(root: Path, *paths: str) -> Project:
    """A project of clips whose originals lie at these paths below one shelf."""
    footage, shelf = new_project("Film").footage.with_shelf("Boathouse", "originals", root)
    info = MediaInfo("video", "mov", 1, Fraction(1))
    clips = tuple(Clip(f"c{n}", "S", Original(FileRef(shelf.id, path), info, 1, 1)) for n, path in enumerate(paths))
    return new_project("Film").but(shelves=footage.shelves, clips=clips)


@example("a//a")
@example("./a")
@example("a/.")
@example("")
@given(st.lists(st.sampled_from([".", "..", "", "a", "a.", ".a", "day 1", "A..mov"]), max_size=4).map("/".join))
def test_a_missing_file_is_named_as_its_place_is(path: str) -> None:
    for root in (Path("/not there"), Path("/")):
        project = holding(root, path)
        place = project.place_or_none(project.clips[0].original.file)
        named = str(place) if place is not None else None
        assert [lost.path for lost in lost_files(project, frozenset({root}))] == [named]
        assert paths_below(project, frozenset({Path("/")})) == ({named} if named else set())
        if root != Path("/"):
            assert [lost.path for lost in lost_files(project)] == [named]


def test_paths_below_are_those_of_shelves_that_lie_there(place: Path) -> None:
    project = load_project(place / "film.otio")
    proxies = {str(place / "Laptop" / proxy.file.path) for clip in project.clips for proxy in clip.proxies}
    assert proxies
    assert paths_below(project, frozenset({place / "Laptop"})) == proxies
    assert paths_below(project, frozenset({place / "Lap"})) == frozenset()
    assert paths_below(project, frozenset({place})) > proxies


def test_what_is_missing_counts_as_changed_only_when_it_is(monkeypatch: pytest.MonkeyPatch) -> None:
    now = [1_700_000_000.0]
    monkeypatch.setattr("time.time", lambda: now[0])
    presence = Presence()
    presence.only_missing(["/a", "/b"])
    first, version = presence.missing_since("/a"), presence.version
    now[0] += 3600
    presence.only_missing(["/b", "/a"])
    assert presence.version == version
    presence.only_missing(["/a", "/c"])
    assert presence.version == version + 1
    assert presence.missing_now() == {"/a", "/c"}
    assert presence.missing_since("/a") == first != presence.missing_since("/c") != ""
    assert presence.missing_since("/b") == ""
    presence.tell(Path("/a"), True)
    assert not presence.is_missing(Path("/a"))
    assert presence.is_missing(Path("/c"))
