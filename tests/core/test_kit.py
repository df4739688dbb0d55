"""Travel kits: made, carried, cut with, brought up to date, brought home; and the merging of two cuts by cases."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.errors import Cancelled, ShadowError
from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.kit import KIT_FILE, KitRequest, make_kit, merge_cuts, open_kit, plan_kit, read_kit
from agile_shadow.core.media import probe
from agile_shadow.core.project import Cut, Project, ProjectSession, load_project, save_project
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.timeline import Block, Marker, Timeline, Track, append
from tests.core.test_storage import quiet
from tests.footage import here, preset

BLOCK = Block(id="x", clip="c", start=0, length=10, source_start=Fraction(0), room=Fraction(100))


def line(*blocks: tuple[str, int, int], name: str = "Cut", **values: object) -> Timeline:
    row = tuple(replace(BLOCK, id=key, start=start, length=length) for key, start, length in blocks)
    tracks = (Track("picture", "Picture 1", row, id="p"), Track("sound", "Sound 1", id="s"))
    return replace(Timeline(name, Fraction(25), 320, 180, tracks, id="t"), **values)  # type: ignore[arg-type]


def shape(one: Timeline) -> list[tuple[str, int, int]]:
    return [(block.id, block.start, block.length) for block in one.pictures[0].blocks]


A, B, C, D = ("a", 0, 10), ("b", 10, 10), ("c", 20, 10), ("d", 30, 10)
# (what began, here, on the road, what comes of it, how many are asked for)
CASES = {
    "nothing changed": ([A, B], [A, B], [A, B], [A, B], 0),
    "only there: trimmed": ([A, B], [A, B], [("a", 0, 6), B], [("a", 0, 6), B], 0),
    "only here: trimmed": ([A, B], [("a", 0, 6), B], [A, B], [("a", 0, 6), B], 0),
    "each another block": ([A, B, C], [("a", 0, 6), B, C], [A, B, ("c", 20, 4)], [("a", 0, 6), B, ("c", 20, 4)], 0),
    "the same on both": ([A, B], [("a", 0, 6), B], [("a", 0, 6), B], [("a", 0, 6), B], 0),
    "the same block otherwise": ([A, B], [("a", 0, 6), B], [("a", 0, 8), B], [("a", 0, 6), B], 1),
    "added there": ([A], [A], [A, D], [A, D], 0),
    "added on both, apart": ([A], [A, C], [A, D], [A, C, D], 0),
    "added on both, one over the other": ([A], [A, ("e", 20, 20)], [A, D], [A, ("e", 20, 20)], 1),
    "removed there": ([A, B, C], [A, B, C], [A, C], [A, C], 0),
    "removed there, changed here": ([A, B], [A, ("b", 12, 10)], [A], [A, ("b", 12, 10)], 1),
    "removed here, changed there": ([A, B], [A], [A, ("b", 12, 10)], [A], 1),
    "removed on both": ([A, B], [A], [A], [A], 0),
    "moved there into what was added here": ([A, B], [A, B, C], [A, ("b", 22, 10)], [A, B, C], 1),
    "moved there, added here, apart": ([A, B], [A, B, C], [A, ("b", 40, 10)], [A, C, ("b", 40, 10)], 0),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_two_cuts_become_one_as_the_table_says(case: str) -> None:
    base, mine, theirs, wanted, asked = (line(*one) if isinstance(one, list) else one for one in CASES[case])
    merged = merge_cuts(Cut("p", base), Cut("p", mine), Cut("p", theirs))
    assert shape(merged.cut.timeline) == shape(wanted)
    assert len(merged.conflicts) == asked
    if asked:
        keys = [one.key for one in merged.conflicts]
        chosen = merge_cuts(Cut("p", base), Cut("p", mine), Cut("p", theirs), keys)
        assert shape(chosen.cut.timeline) == shape(theirs)
    if mine == base and theirs != base:
        assert merged.cut.timeline == theirs and merged.taken


def test_settings_markers_timelines_and_pins() -> None:
    base = line(A)
    mine = replace(base, markers=(Marker(3, "mine", "m1"),), width=640)
    theirs = replace(base, markers=(Marker(5, "theirs", "m2"),), name="Fine cut")
    other = replace(line(B), id="other", name="On the road")
    merged = merge_cuts(Cut("p", base), Cut("p", mine), Cut("p", theirs, (other,)))
    now = merged.cut.timeline
    assert (now.name, now.width, [one.note for one in now.markers]) == ("Fine cut", 640, ["mine", "theirs"])
    assert merged.cut.others == (other,) and not merged.conflicts
    left = replace(base, width=640)
    right = replace(base, width=1280)
    asked = merge_cuts(Cut("p", base), Cut("p", left), Cut("p", right))
    assert asked.cut.timeline.width == 640 and "width" in asked.conflicts[0].what
    keys = [asked.conflicts[0].key]
    assert merge_cuts(Cut("p", base), Cut("p", left), Cut("p", right), keys).cut.timeline.width == 1280
    gone = merge_cuts(Cut("p", base, (other,)), Cut("p", base, (other,)), Cut("p", base))
    assert gone.cut.others == () and "removed" in gone.taken[0]
    kept = merge_cuts(Cut("p", base, (other,)), Cut("p", base, (replace(other, name="more"),)), Cut("p", base))
    assert len(kept.cut.others) == 1 and len(kept.conflicts) == 1
    pin = Cut("p", base)
    pinned = pin.with_decision("c", replace(pin.decision("c"), pin="originals"))
    assert merge_cuts(pin, pin, pinned).cut.decision("c").pin == "originals"
    other_way = pin.with_decision("c", replace(pin.decision("c"), pin="proxies"))
    both = merge_cuts(pin, other_way, pinned)
    assert both.cut.decision("c").pin == "proxies" and len(both.conflicts) == 1


ROWS = st.lists(st.tuples(st.sampled_from("abcdef"), st.integers(0, 6), st.integers(1, 8)), max_size=5)


def laid(rows: list[tuple[str, int, int]]) -> Timeline:
    """Blocks one after another, gaps between them; each identity once."""
    at, blocks, seen = 0, [], set()
    for key, gap, length in rows:
        if key not in seen:
            seen.add(key)
            blocks.append((key, at + gap, length))
            at += gap + length
    return line(*blocks)


@settings(max_examples=200, deadline=None)
@given(ROWS, ROWS, ROWS)
def test_merging_never_loses_or_overlaps(one: object, two: object, three: object) -> None:
    base, mine, theirs = (laid(rows) for rows in (one, two, three))  # type: ignore[arg-type]
    merged = merge_cuts(Cut("p", base), Cut("p", mine), Cut("p", theirs))
    merged.cut.timeline.checked()
    old, left, right, now = ({block.id: block for block in side.pictures[0].blocks}
                             for side in (base, mine, theirs, merged.cut.timeline))  # fmt: skip
    assert set(now) <= set(left) | set(right)
    if not merged.conflicts:
        for key in {*left, *right}:
            changed_here, changed_there = left.get(key) != old.get(key), right.get(key) != old.get(key)
            assert now.get(key) == (right.get(key) if changed_there and not changed_here else left.get(key))
    if base == theirs:
        assert merged.cut.timeline == mine and not merged.conflicts
    assert shape(merge_cuts(Cut("p", base), Cut("p", mine), Cut("p", mine)).cut.timeline) == shape(mine)


# Real kits


def cut(project: Path, count: int = 2) -> Project:
    document = load_project(project)
    clips = [clip for clip in document.clips if clip.proxies]
    document = document.with_timeline_settings_of(clips[0])
    timeline = document.timeline
    for clip in clips[:count]:
        timeline = append(timeline, clip.piece())
    document = document.but(timeline=timeline)
    save_project(document, project)
    return document


def away(place: Path) -> list[Path]:
    """Everything at home is out of reach."""
    moved = []
    for name in ("Boathouse", "Laptop", "Attic", "Card"):
        (place / name).rename(place / f".{name} at home")
        moved.append(place / name)
    return moved


def back(place: Path) -> None:
    for name in ("Boathouse", "Laptop", "Attic", "Card"):
        (place / f".{name} at home").rename(place / name)


def test_a_kit_is_cut_with_elsewhere_and_comes_home(
    place: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = place / "film.otio"
    document = cut(home, 3)
    code, said, _text = here("kit", "make", place / "kit", "--project", home, "--dry-run")
    assert code == 0 and said["fits"] and said["bytes"] > 0 and not (place / "kit").exists()
    code, made, _text = here("kit", "make", place / "kit", "--project", home)
    assert code == 0 and made["bytes"] == said["bytes"] and not made["without"]
    shutil.move(place / "kit", tmp_path / "other user")
    kit = tmp_path / "other user"
    away(place)
    with monkeypatch.context() as other:
        other.setenv("AGILE_SHADOW_HOME", str(tmp_path / "clean profile"))
        code, said, _text = here("kit", "open", kit)
        assert code == 0
        session = ProjectSession.open(Path(said["project"]))
        road = session.project
        assert all(choose(road, clip, there(road)).kind in ("proxy", "original") for clip in road.clips)
        assert all(str(choose(road, clip, there(road)).path).startswith(str(kit)) for clip in road.clips)
        before = road.timeline.pictures[0].blocks
        session.edit("Trim", lambda project: project.but(
            timeline=project.timeline.with_tracks(replace(
                project.timeline.pictures[0],
                blocks=(replace(before[0], length=before[0].length - 5), *before[1:])
            ))
        ))  # fmt: skip
        shot = tmp_path / "Road card"
        shot.mkdir()
        source = next((place / ".Card at home").rglob("*.MTS"))
        data = bytearray(source.read_bytes())
        (shot / "ROAD_0001.MTS").write_bytes(bytes(data[: len(data) // 188 * 188 * 3 // 4 // 188 * 188]))
        IngestRun(IngestRequest(shot, kit / "From the road", kit / "Proxies", preset()), session, JobStore()).run()
        new = next(clip for clip in session.project.clips if clip.name == "ROAD_0001")
        session.edit("Append", lambda project: project.but(timeline=append(project.timeline, new.piece())))
        wanted = session.project.timeline
        session.close()
    back(place)
    mine = load_project(home)
    mine = mine.but(timeline=replace(mine.timeline, markers=(Marker(4, "at home"),)))
    save_project(mine, home)
    code, said, _text = here("kit", "home", kit, "--project", home, "--dry-run")
    assert code == 0 and said["clips"] == ["ROAD_0001"] and load_project(home).timeline == mine.timeline
    code, said, _text = here("kit", "home", kit, "--project", home)
    assert code == 0 and not said["conflicts"], said
    now = load_project(home)
    assert [block.length for block in now.timeline.pictures[0].blocks] == [
        block.length for block in wanted.pictures[0].blocks
    ]
    assert [one.note for one in now.timeline.markers] == ["at home"]
    came = next(clip for clip in now.clips if clip.name == "ROAD_0001")
    path = now.path(came.original.file)
    assert path is not None and path.is_relative_to(place / "Boathouse")
    assert path.read_bytes() == (shot / "ROAD_0001.MTS").read_bytes() and came.proxies
    assert {clip.id: clip for clip in now.clips if clip.id != came.id} == {clip.id: clip for clip in document.clips}
    assert now.reports[-1]["copied"] == 1 and now.reports[-1]["proved"] == 1
    code, again, _text = here("kit", "home", kit, "--project", home)
    assert code == 0 and not again["clips"] and load_project(home).timeline == now.timeline


def there(project: Project) -> Presence:
    presence = Presence()
    for clip in project.clips:
        for file in (clip.original.file, *(proxy.file for proxy in clip.proxies)):
            path = project.place(file)
            if path is not None:
                presence.tell(path, path.exists())
    return presence


def test_both_sides_changed_is_asked(place: Path) -> None:
    home = place / "film.otio"
    cut(home)
    make_kit(KitRequest(load_project(home), place / "kit"), quiet)
    road = open_kit(place / "kit")
    for path, by in ((home, 2), (road, 4)):
        document = load_project(path)
        row = document.timeline.pictures[0]
        first = replace(row.blocks[0], length=row.blocks[0].length - by)
        line_ = document.timeline.with_tracks(replace(row, blocks=(first, *row.blocks[1:])))
        save_project(document.but(timeline=line_), path)
    code, said, _text = here("kit", "home", place / "kit", "--project", home)
    assert code == 1 and len(said["conflicts"]) == 1
    mine = load_project(home).timeline.pictures[0].blocks[0].length
    code, said, _text = here("kit", "home", place / "kit", "--project", home, "--theirs", "all")
    assert code == 0 and load_project(home).timeline.pictures[0].blocks[0].length == mine - 2


def with_offset(project: Path, name: str, offset: int) -> None:
    document = load_project(project)
    clip = next(clip for clip in document.clips if clip.name == name)
    decided = document.cut.decision(clip.id).with_offset(clip.proxies[-1].file, offset)
    save_project(Project(document.footage, document.cut.with_decision(clip.id, decided)), project)


@pytest.mark.parametrize(("at_home", "theirs", "becomes", "asked"), [
    (0, False, 2, 0), (3, False, 3, 1), (3, True, 2, 1), (2, False, 2, 0),
])  # fmt: skip
def test_an_offset_set_on_the_road_comes_home_to_the_proxy_there(
    place: Path, at_home: int, theirs: bool, becomes: int, asked: int
) -> None:
    home = place / "film.otio"
    name = next(clip.name for clip in cut(home).clips if clip.proxies)
    make_kit(KitRequest(load_project(home), place / "kit"), quiet)
    with_offset(open_kit(place / "kit"), name, 2)
    if at_home:
        with_offset(home, name, at_home)
    code, said, _text = here("kit", "home", place / "kit", "--project", home, *(["--theirs", "all"] if theirs else []))
    assert len(said["conflicts"]) == asked and code == (1 if asked and not theirs else 0)
    (clip,) = [clip for clip in load_project(home).clips if clip.name == name]
    assert [proxy.offset for proxy in clip.proxies] == [becomes]
    assert clip.proxies[0].file.shelf in {shelf.id for shelf in load_project(home).shelves if shelf.name == "Laptop"}


def test_a_kit_is_brought_up_to_date_by_what_is_new_only(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    home = place / "film.otio"
    cut(home)
    code, said, _text = here("kit", "make", place / "kit", "--project", home, "--only-used")
    assert code == 0 and said["files"] == 2
    written = {path: path.stat().st_ino for path in (place / "kit").rglob("*.mov")}
    road = open_kit(place / "kit")
    document = load_project(road)
    save_project(document.but(timeline=replace(document.timeline, name="Cut on the road")), road)
    more = load_project(home)
    save_project(more.but(others=(replace(Timeline("New at home"), rate=Fraction(25)),)), home)
    code, said, _text = here("kit", "update", place / "kit", "--project", home)
    assert code == 0 and said["files"] > 2 and 0 < said["new_bytes"] < said["bytes"]
    assert {path: path.stat().st_ino for path in written} == written
    now = load_project(open_kit(place / "kit"))
    assert {one.name for one in now.timelines} == {"Cut on the road", "New at home"}
    assert len(now.clips) == len(load_project(home).clips)
    code, said, _text = here("kit", "home", place / "kit", "--project", home)
    assert code == 0 and not said["conflicts"]
    assert {one.name for one in load_project(home).timelines} == {"Cut on the road", "New at home"}


def test_a_kit_with_lighter_proxies_made_for_it(place: Path) -> None:
    home = place / "film.otio"
    document = cut(home)
    arguments = (place / "kit", "--project", home, "--only-used", "--preset", "Small files, quarter size")
    code, said, _text = here("kit", "make", *arguments)
    assert code == 0 and said["files"] == 2
    road = load_project(open_kit(place / "kit"))
    for clip in road.clips:
        made, own = clip.proxies[-1], document.clip(clip.id)
        assert own is not None and own.proxies[-1].file != made.file and made.made
        path = road.path(made.file)
        assert path is not None and path.is_relative_to(place / "kit")
        assert probe(path).frames == clip.original.info.frames
    stamps = {path: path.stat().st_ino for path in (place / "kit").rglob("*.mov")}
    code, said, _text = here("kit", "update", *arguments)
    assert code == 0 and said["new_bytes"] == 0
    assert {path: path.stat().st_ino for path in (place / "kit").rglob("*.mov")} == stamps


def test_an_update_that_breaks_off_leaves_a_kit_that_says_so(place: Path) -> None:
    home = place / "film.otio"
    document = cut(home)
    make_kit(KitRequest(document, place / "kit", only_used=True), quiet)
    assert read_kit(place / "kit").whole

    def stop(done: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        make_kit(KitRequest(document, place / "kit"), stop)
    assert not read_kit(place / "kit").whole
    code, said, _text = here("kit", "home", place / "kit", "--project", home)
    assert code == 1 and "unfinished" in said["error"]
    assert make_kit(KitRequest(document, place / "kit"), quiet).whole


def test_places_that_can_be_no_kit(place: Path, tmp_path: Path) -> None:
    document = cut(place / "film.otio")
    for folder in (place / "Laptop" / "kit", place / "Card"):
        with pytest.raises(ShadowError):
            make_kit(KitRequest(document, folder), quiet)
    make_kit(KitRequest(document, place / "kit"), quiet)
    with pytest.raises(ShadowError, match="another project"):
        make_kit(KitRequest(document.but(id="another"), place / "kit"), quiet)
    code, said, _text = here("kit", "make", place / "kit", "--project", place / "film.otio")
    assert code == 1 and "is a kit already" in said["error"]
    code, said, _text = here("kit", "home", place / "Laptop", "--project", place / "film.otio")
    assert code == 1 and "is no travel kit" in said["error"]
    shutil.rmtree(place / "Laptop")
    plan = plan_kit(KitRequest(document, tmp_path / "kit"))
    assert {name for name, _why in plan.without} == {clip.name for clip in document.clips if clip.proxies}


@pytest.mark.parametrize("lie", ["../../outside", "/etc", "a/../../b", "", "x\0y"])
def test_a_kit_that_leads_out_of_its_folder_is_refused(place: Path, lie: str) -> None:
    make_kit(KitRequest(cut(place / "film.otio"), place / "kit"), quiet)
    values = json.loads((place / "kit" / KIT_FILE).read_text())
    for change in ({"name": lie}, {"shelves": {"a": lie}}, {"files": [{**values["files"][0], "path": lie}]}):
        (place / "kit" / KIT_FILE).write_text(json.dumps({**values, **change}))
        with pytest.raises(ShadowError, match=r"cannot be used"):
            open_kit(place / "kit")


KILLED = """
import sys
from pathlib import Path
from agile_shadow.core.kit import KitRequest, make_kit
from agile_shadow.core.project import load_project
print("begun", flush=True)
make_kit(KitRequest(load_project(Path(sys.argv[1])), Path(sys.argv[2])), lambda done: print(done, flush=True))
print("done", flush=True)
"""


@pytest.mark.parametrize("seed", range(6))
def test_killed_while_it_is_made_it_is_whole_or_clearly_unfinished(place: Path, seed: int) -> None:
    cut(place / "film.otio")
    arguments = [sys.executable, "-c", KILLED, place / "film.otio", place / "kit"]
    process = subprocess.Popen(arguments, stdout=subprocess.PIPE, text=True, env={**os.environ})
    assert process.stdout is not None
    for _ in range(random.Random(seed).randrange(1, 9)):
        process.stdout.readline()
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    whole = (place / "kit" / KIT_FILE).is_file() and read_kit(place / "kit").whole
    if not whole:
        with pytest.raises(ShadowError):
            open_kit(place / "kit")
    if not (place / "kit" / KIT_FILE).is_file():
        shutil.rmtree(place / "kit", ignore_errors=True)
    kit = make_kit(KitRequest(load_project(place / "film.otio"), place / "kit"), quiet)
    assert kit.whole and not list((place / "kit").rglob("*.part"))
    road = load_project(open_kit(place / "kit"))
    assert all(choose(road, clip, there(road)).kind != "missing" for clip in road.clips)
