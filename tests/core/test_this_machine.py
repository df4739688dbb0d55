"""What is kept outside the shelves, its limit, and the projects of this machine."""

from __future__ import annotations

import os
import shutil
import time
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.desk import Desk
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.log import cache_folder, config_folder
from agile_shadow.core.project import ProjectSession, load_project, save_project
from agile_shadow.core.storage.answers import FRESH, KeptAnswer, age_words, answer_words
from agile_shadow.core.storage.outside import (
    DEFAULT_LIMIT,
    keep_to_limit,
    limit,
    look_at_projects,
    set_limit,
    stores,
)
from agile_shadow.core.storage.pace import pace_of_making
from tests.until import until


def kept(name: str, size: int, used: float) -> Path:
    path = cache_folder() / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(b"x" * size)
    os.utime(path, (used, used))
    return path


def test_what_was_used_longest_ago_goes_first_until_the_limit_is_kept() -> None:
    now = time.time()
    files = [kept(f"{'posters' if n % 2 else 'waves'}/{n}.bin", 8192, now - n * 3600) for n in range(6)]
    hidden, other = kept("posters/.half.part", 8192, 0), kept("demo/card.mov", 50_000, 0)
    set_limit(3 * 8192)
    assert limit() == 3 * 8192
    assert keep_to_limit() == 3 * 8192
    assert [path.exists() for path in files] == [True] * 3 + [False] * 3
    assert hidden.exists() and other.exists()
    assert keep_to_limit() == 0
    assert keep_to_limit(0) == 3 * 8192 and not any(path.exists() for path in files)


def test_the_limit_is_kept_by_itself_while_a_project_is_open(tmp_path: Path) -> None:
    old, new = kept("posters/old.jpg", 8192, 1000.0), kept("posters/new.jpg", 8192, time.time())
    set_limit(8192)
    session = ProjectSession.open(tmp_path / "p.otio")
    desk = Desk(session, JobStore())
    try:
        desk.minding.begin()
        until(lambda: not old.exists(), 20)
        assert new.exists()
    finally:
        assert desk.close(20)
        session.close()


@pytest.mark.parametrize("text", ["", "[]", "{}", '{"limit": -1}', '{"limit": "x"}', '{"limit": 1e99}', "\0"])
def test_a_limit_that_cannot_be_read_is_the_usual_one(text: str) -> None:
    (config_folder() / "storage.json").write_text(text)
    assert limit() == DEFAULT_LIMIT


def test_links_in_the_cache_are_not_followed(tmp_path: Path) -> None:
    mine = tmp_path / "mine.jpg"
    mine.write_bytes(b"a picture of mine" * 1000)
    folder = cache_folder() / "posters"
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "link.jpg").symlink_to(mine)
    keep_to_limit(0)
    assert mine.read_bytes().startswith(b"a picture")


def test_stores_are_counted(place: Path) -> None:
    kept("posters/a.jpg", 8192, time.time())
    found = {one.name: one for one in stores(place / "film.otio")}
    assert found["Posters"].files == 1 and found["Posters"].room == 8192 and found["Posters"].limited
    assert found["Earlier saves of this project"].files >= 1
    assert found["Memory of jobs and measurements"].room > 0


def test_projects_of_this_machine_and_what_they_share(place: Path) -> None:
    project = load_project(place / "film.otio")
    save_project(project.but(name="twin", clips=project.footage.clips[:2]), place / "twin.otio")
    (place / "broken.otio").write_text("no project")
    for name in ("twin.otio", "empty.otio"):
        ProjectSession.open(place / name).close()
    shutil.copy(place / "empty.otio", place / "gone.otio")
    ProjectSession.open(place / "gone.otio").close()
    (place / "gone.otio").unlink()
    (place / "empty.otio").write_text("damaged since")
    found = {one.path.name: one for one in look_at_projects(project, place / "film.otio")}
    assert found["film.otio"].clips == len(project.clips) and found["film.otio"].shared == 0
    pairs = sum(1 + len(clip.proxies) for clip in project.clips[:2])
    assert found["twin.otio"].shared == pairs
    assert found["gone.otio"].problem == "not there" and found["empty.otio"].problem
    sizes = {name: size for name, _folder, size in found["film.otio"].shelves}
    assert sizes["Boathouse"] == sum(clip.original.size for clip in project.clips)


def test_the_pace_of_making_again_is_that_of_what_was_made_here(place: Path) -> None:
    project = load_project(place / "film.otio")
    pieces = JobStore().pieces(project=place / "film.otio")
    pace = pace_of_making(project, pieces)
    videos = [clip for clip in project.clips if clip.proxies]
    own = {piece.source: piece.elapsed() for piece in pieces if piece.kind == "proxy"}
    assert all(pace(clip) in own.values() for clip in videos)
    only = pace_of_making(project, [piece for piece in pieces if piece.source.endswith(Path(videos[0].source).name)])
    guessed = only(videos[1])
    assert guessed is not None and guessed > 0
    assert pace_of_making(project, [])(videos[0]) is None


@settings(max_examples=100, deadline=None)
@given(st.floats(0, 10**9))
def test_an_age_is_always_told_and_only_a_young_answer_lets_wipe(age: float) -> None:
    kept = KeptAnswer(0.0, True, "May be wiped", (), (), "/card", ())
    good, words = answer_words(kept, now=age)
    assert good == (age <= FRESH) and age_words(age) in words
    assert not answer_words(kept, "something changed", age)[0] and not answer_words(None, now=age)[0]
    assert not answer_words(replace(kept, good=False), now=age)[0]
