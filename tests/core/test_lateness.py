"""What of a timeline came late, which of it is worth a bake, and bakes in the queue."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core import timeline as edits
from agile_shadow.core.desk import BakeRun, Desk
from agile_shadow.core.desk.baking import bake_values
from agile_shadow.core.errors import ProjectError, ShadowError
from agile_shadow.core.jobs import Inline, JobStore, Machine
from agile_shadow.core.pairs import FileRef
from agile_shadow.core.playback import (
    Lateness,
    LateStretch,
    bake_states,
    bakes_on_disk,
    next_to_bake,
    stretch_digest,
    worth_baking,
)
from agile_shadow.core.playback.baking import bake_bytes
from agile_shadow.core.playback.lateness import stretch_at
from agile_shadow.core.project import Bake, Footage, Project, ProjectSession, load_project, save_project
from agile_shadow.core.project.cut import Cut
from agile_shadow.core.timeline import Block, Colour, Timeline, Title, Track
from tests.until import until

RATE = Fraction(25)


def titles(*spans: tuple[int, int], off: bool = False) -> Track:
    blocks = tuple(Block("", start, end - start, Fraction(0), Fraction(0), title=Title(f"{start}"))
                   for start, end in spans)  # fmt: skip
    return Track("picture", "Picture", blocks, off=off)


def line_of(*tracks: Track) -> Timeline:
    return Timeline("Cut", RATE, 640, 360, tracks, id="line")


def project_of(line: Timeline) -> Project:
    return Project(Footage("p"), Cut("Film", line))


SPANS = st.lists(st.integers(0, 900), max_size=8, unique=True).map(
    lambda edges: [(a, b) for a, b in zip(sorted(edges)[::2], sorted(edges)[1::2], strict=False)]
)


@given(st.lists(st.tuples(SPANS, st.booleans()), max_size=3))
def test_stretches_lie_end_to_end_and_no_cut_lies_within_one(tracks: list[tuple[list[tuple[int, int]], bool]]) -> None:
    line = line_of(*(titles(*spans, off=off) for spans, off in tracks))
    seen = [track for track in line.pictures if not track.off]
    cuts = {edge for track in seen for block in track.blocks for edge in (block.start, block.end)}
    frame = 0
    while frame < line.length:
        start, end = stretch_at(line, frame)
        assert start == frame < end <= start + 250
        assert not any(start < cut < end for cut in cuts)
        assert all(stretch_at(line, inside) == (start, end) for inside in (start, (start + end) // 2, end - 1))
        frame = end
    assert frame == line.length


PICTURES = st.lists(st.tuples(st.integers(1, 4), st.integers(0, 3)), max_size=30)


@given(PICTURES, st.integers(0, 5), st.booleans())
def test_a_frame_was_late_when_it_was_not_to_be_seen_at_its_moment(
    pictures: list[tuple[int, int]], rest: int, looped: bool
) -> None:
    """Told picture by picture, against what was on screen at every tick of the clock."""
    loop = (10, 37) if looped else None
    lateness = Lateness()
    lateness.begin(10, loop)
    tick, clock, in_time = 9, 10, set()
    for step, behind in pictures:
        tick = max(tick + step, clock - behind)
        clock = max(clock, tick) + (behind if tick < clock else 0)
        lateness.picture(tick, clock)
        if clock == tick:
            in_time.add(tick)
    clock += 1 + rest
    lateness.end(clock)
    told = dict(lateness._marks)
    wanted = {10 + (one - 10) % 27 if looped else one: one not in in_time for one in range(10, clock)}
    assert told == wanted


def played(lateness: Lateness, project: Project, frames: range, late: set[int]) -> None:
    """Play some frames of a timeline, of which some come late."""
    lateness.begin(frames.start, None)
    for frame in frames:
        if frame not in late:
            lateness.picture(frame, frame)
    lateness.end(frames.stop)
    lateness.settle(project)


def test_a_stretch_counts_as_it_played_last(tmp_path: Path) -> None:
    project = project_of(line_of(titles((0, 100), (100, 200), (200, 300))))
    lateness = Lateness()
    played(lateness, project, range(300), {*range(20, 25), *range(110, 130), *range(210, 290)})
    assert [(one.start, one.end, one.late, one.played) for one in lateness.stretches] == [
        (200, 300, 80, 100), (100, 200, 20, 100),
    ]  # fmt: skip  # five of a hundred are nothing to speak of; the worst comes first
    played(lateness, project, range(200, 240), set())
    assert lateness.stretches[0].late == 80  # less than half of it was looked at
    played(lateness, project, range(200, 260), set())
    assert [one.start for one in lateness.stretches] == [100]
    other = project.but(showing="proxies" if project.showing == "originals" else "originals")
    played(lateness, other, range(100, 200), set())
    assert [one.start for one in lateness.stretches] == [100]  # the other side of the switch is another matter
    lateness.picture(150, 170)  # nothing plays: a frame that was sought
    lateness.settle(project)
    assert [one.late for one in lateness.stretches] == [20]


def test_worth_baking_is_what_shows_now_is_not_baked_and_has_room() -> None:
    line = line_of(titles((0, 100), (100, 200), (200, 300)))
    project = project_of(line)

    def late(start: int, **other: Any) -> LateStretch:
        digest = stretch_digest(project, start, start + 100)
        return replace(LateStretch("line", project.showing, start, start + 100, digest, 50, 100), **other)

    known = [late(200), late(0), late(100)]

    def starts(project: Project, known: list[LateStretch], room: int = 10**12) -> list[int]:
        return [one.start for one in worth_baking(project, known, room)]

    assert starts(project, known) == [200, 0, 100]
    assert starts(project, [late(0, timeline="another"), late(100, side="nothing"), late(200, end=500)]) == []
    moved = project.but(timeline=line_of(titles((0, 100), (105, 200), (200, 300))))
    assert starts(moved, known) == [200, 0]
    baked = Bake("line", 0, 100, project.showing, known[1].digest, FileRef("s", "baked 0123456789ab.mov"))
    assert starts(project.but(bakes=(baked,)), known) == [200, 100]
    assert starts(project.but(bakes=(replace(baked, digest="of before"),)), known) == [200, 0, 100]
    whole = bake_bytes(line, 100)
    assert whole > 100_000 and starts(project, known, whole - 1) == []
    assert starts(project, known, whole) == [200, 0, 100]
    giving = project.but(bake_room=whole)
    assert next_to_bake(giving, known, ()) == known[0]
    assert next_to_bake(giving, known, {known[0].digest}) == known[1]
    assert next_to_bake(project, known, ()) is None  # it does not say so


# In the queue


@pytest.fixture
def session(film: Path) -> Iterator[ProjectSession]:
    project = load_project(film)
    clip = next(one for one in project.clips if one.name == "A001C002")
    project = project.with_timeline_settings_of(clip)
    line = edits.append(edits.append(project.timeline, clip.piece()), clip.piece())
    save_project(project.but(timeline=line, showing="proxies"), film)
    session = ProjectSession.open(film)
    yield session
    session.close()


@pytest.fixture
def desk(session: ProjectSession) -> Iterator[Desk]:
    desk = Desk(session, JobStore(), machine=Machine(2))
    yield desk
    assert desk.close(30)


def ended(desk: Desk, run: BakeRun) -> str:
    until(lambda: run not in desk.runs)
    piece = run.board.pieces()[0]
    return f"{piece.state}: {piece.note}"


def test_a_bake_is_a_job_like_others_and_what_it_covers_goes(session: ProjectSession, desk: Desk) -> None:
    before = session.project
    first = desk.bake(0, 5)
    assert ended(desk, first) == "done: 5 frames"
    [one] = session.project.bakes
    file = session.project.path(one.file)
    assert file is not None and file.stat().st_size == bakes_on_disk(session.project)
    assert abs(file.stat().st_size / bake_bytes(before.timeline, 5) - 1) < 0.05
    second = desk.bake(3, 8)
    assert ended(desk, second) == "done: 5 frames"
    assert [(bake.start, bake.end) for bake in session.project.bakes] == [(3, 8)] and not file.exists()
    assert bake_states(session.project)[0].used
    assert session.undo_label is None


def test_what_was_changed_meanwhile_is_not_drawn(session: ProjectSession) -> None:
    desk = Desk(session, JobStore(), machine=Machine(2))
    values = bake_values(session, 0, 5, False)
    block = session.project.timeline.pictures[0].blocks[0]
    session.edit("Fade", lambda project: project.but(
        timeline=edits.with_effects(project.timeline, [block.id], lambda e: replace(e, colour=Colour(exposure=1.0)))
    ))  # fmt: skip
    JobStore().begin("bake", session.path, values)
    desk.go_on()
    until(lambda: not desk.runs)
    assert session.project.bakes == () and not JobStore().open_jobs(session.path)
    assert desk.close(30)


def test_a_bake_that_was_drawn_before_a_kill_is_taken_as_it_lies(session: ProjectSession, desk: Desk) -> None:
    values = bake_values(session, 0, 5, False)
    run = BakeRun(values, session, JobStore(), Machine(1, lambda *_about: Inline()))
    task, request = run.work(run.pieces()[0]) or (None, None)
    assert task is not None
    drawn = task(request, lambda done: None)
    before = os.stat(drawn)
    JobStore().begin("bake", session.path, values)
    desk.go_on()
    until(lambda: session.project.bakes)
    after = os.stat(drawn)
    assert (after.st_ino, after.st_mtime_ns) == (before.st_ino, before.st_mtime_ns)


def test_what_nobody_asked_for_gives_way_and_is_not_begun_again(session: ProjectSession, desk: Desk) -> None:
    run = desk.bake(0, 8, alone=True)
    run.hold(True)
    assert desk.bakes == [run] and desk.asked_for == [] and run.waits == "while you work"
    with pytest.raises(ShadowError, match="already"):
        desk.bake(0, 8)
    asked = desk.bake(8, 12)
    assert ended(desk, asked) == "done: 4 frames" and run in desk.runs  # what was asked for does not wait for it
    run.hold(False)
    assert ended(desk, run) == "done: 8 frames"
    run = desk.bake(12, 16, alone=True)
    run.hold(True)
    until(lambda: run.job is not None)
    assert desk.close(30)
    assert JobStore().open_jobs(session.path) == [] and len(session.project.bakes) == 2


def test_a_bake_that_a_person_holds_holds_up_no_other(session: ProjectSession, desk: Desk) -> None:
    first = desk.bake(0, 8)
    first.hold(True)  # so that it is not quicker than the wish
    [piece] = first.pieces()
    until(lambda: first.board.pieces())
    first.ask("bake", piece.path, "hold")
    until(lambda: first.held)
    first.hold(False)
    assert ended(desk, desk.bake(8, 12)) == "done: 4 frames" and first in desk.runs
    first.ask("bake", piece.path, "go on")
    assert ended(desk, first) == "done: 8 frames"


def test_what_nobody_asked_for_is_not_kept_when_it_plays_nowhere(session: ProjectSession) -> None:
    run = BakeRun(bake_values(session, 0, 5, True), session, JobStore(), Machine(1, lambda *_about: Inline()))
    piece = run.pieces()[0]
    task, request = run.work(piece) or (None, None)
    assert task is not None
    drawn = task(request, lambda done: None)
    block = session.project.timeline.pictures[0].blocks[0]
    session.edit("Fade", lambda project: project.but(
        timeline=edits.with_effects(project.timeline, [block.id], lambda e: replace(e, colour=Colour(exposure=1.0)))
    ))  # fmt: skip
    assert "not kept" in run.take(piece, drawn)
    assert not drawn.exists() and session.project.bakes == ()


@pytest.mark.parametrize("wrong", [{"start": -1}, {"side": "both"}, {"end": None}, {"path": 7}])
def test_a_bake_in_the_queue_that_is_none_ends_in_a_sentence(wrong: dict[str, Any], session: ProjectSession) -> None:
    desk = Desk(session, JobStore(), machine=Machine(2))
    JobStore().begin("bake", session.path, {**bake_values(session, 0, 5, False), **wrong})
    assert "cannot continue" in desk.go_on()[0] and desk.runs == []
    assert desk.close(30)


@pytest.mark.parametrize("room", [-1, 1.5, "20", True, None])
def test_the_room_for_bakes_is_kept_and_nonsense_refused(room: object, film: Path) -> None:
    project = load_project(film).but(bake_room=20 * 10**9)
    save_project(project, film)
    assert load_project(film).footage.bake_room == 20 * 10**9
    values = json.loads(film.read_text())
    next(iter(values["metadata"].values()))["bake_room"] = room
    film.write_text(json.dumps(values))
    with pytest.raises(ProjectError):
        load_project(film)
