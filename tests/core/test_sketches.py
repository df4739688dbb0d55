"""Sketches: key frames of originals that have no proxy yet, to be looked through at once and never taken for more."""

from __future__ import annotations

import io
import os
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_shadow.core.compositing import Compositor, Window, picture_steps, sketched
from agile_shadow.core.errors import MediaError
from agile_shadow.core.ingest import Sketching, wants_sketch
from agile_shadow.core.jobs import Inline
from agile_shadow.core.log import cache_folder
from agile_shadow.core.media import FrameReader, likeness, to_bgra
from agile_shadow.core.media import sketch as sketch_module
from agile_shadow.core.media.sequence import status
from agile_shadow.core.media.signature import has_signature
from agile_shadow.core.media.sketch import (
    MOST,
    SIZE,
    Sketch,
    SketchRequest,
    has_sketch,
    keep_sketch,
    kept_sketch,
    make_sketch,
)
from agile_shadow.core.playback import ClipProgram
from agile_shadow.core.project import Project, load_project
from agile_shadow.core.storage.outside import keep_to_limit
from agile_shadow.core.switch import Presence
from agile_shadow.core.timeline import Title, add_title
from tests.core.test_playback import Watched, code, named
from tests.drawn import draw
from tests.footage import NUMBERS


def quiet(done: float) -> None:
    pass


def grey_frame(jpeg: bytes) -> int:
    """The number of the frame of a drawn clip (``values`` of tests.drawn), counted within a round of 54."""
    grey = float(np.asarray(Image.open(io.BytesIO(jpeg)).convert("L")).mean())
    return round((grey - 19) / 4)


def test_a_sketch_has_a_key_frame_a_second_at_its_own_time(tmp_path: Path) -> None:
    path, done = draw(tmp_path / "x.mov", 250), list[float]()
    sketch = make_sketch(SketchRequest(path), done.append)
    frames = [round(seconds * 25) for seconds in sketch.times]
    assert frames[0] == 0 and all(one % 8 == 0 for one in frames) and len(frames) in (10, 11)
    assert all(15 < later - one <= 40 for one, later in pairwise(frames))
    assert [grey_frame(one) for one in sketch.pictures] == [one % 54 for one in frames]
    assert done == sorted(done) and 0 < done[-1] <= 1 and sketch.length == pytest.approx(10, abs=0.05)
    assert kept_sketch(path) == sketch and has_sketch(path)


@pytest.mark.parametrize("name", ["A001C002.MOV", "00004.MTS", "VID_20261012_093142.mp4", "AIR_0012.MOV"])
def test_each_picture_is_the_frame_of_its_time_upright_and_in_shape(drawn_card: Path, name: str) -> None:
    path = next(drawn_card.rglob(name))
    sketch = make_sketch(SketchRequest(path), quiet)
    with FrameReader(path) as reader:
        for seconds, data in zip(sketch.times, sketch.pictures, strict=True):
            picture = np.asarray(Image.open(io.BytesIO(data)).convert("L"), np.float32)
            high, wide = picture.shape
            number = reader.index.frame_at(Fraction(seconds).limit_denominator(90_000))
            assert number in reader.index.keys and abs(float(reader.index.seconds(number)) - seconds) < 1e-3
            frame = reader.frame(number)
            turned = frame.rotation % 180 != 0
            assert (wide > high) != turned and wide <= SIZE[0] and high <= SIZE[1]
            assert likeness.ssim(picture, to_bgra(frame, wide, high)[..., 1].astype(np.float32)) > 0.8


def test_short_files_show_all_their_key_frames_and_sparse_ones_are_decoded_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    decoded: list[int | None] = []
    shown = sketch_module._shown
    monkeypatch.setattr(sketch_module, "_shown", lambda stream, one: (decoded.append(one.pts), shown(stream, one))[1])
    short = make_sketch(SketchRequest(draw(tmp_path / "short.mov", 30)), quiet)
    assert [round(seconds * 25) for seconds in short.times] == [0, 8, 16, 24] and len(decoded) == 4


def test_a_long_file_has_no_more_pictures_than_are_looked_at(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("agile_shadow.core.media.sketch.MOST", 3)
    sketch = make_sketch(SketchRequest(draw(tmp_path / "x.mov", 250)), quiet)
    assert len(sketch.times) in (3, 4) and sketch.times[-1] > 6 and MOST >= 100


@given(st.lists(st.floats(0, 3600), min_size=1, max_size=50, unique=True), st.floats(0, 4000), st.integers(1, 30))
def test_the_picture_for_a_moment_is_the_last_one_before(times: list[float], moment: float, count: int) -> None:
    ordered = tuple(sorted(times))
    sketch = Sketch(ordered, tuple(str(one).encode() for one in ordered), ordered[-1] + 1)
    number = sketch.number_at(moment)
    assert number == 0 or ordered[number] <= moment + 1e-3
    assert number + 1 == len(ordered) or ordered[number + 1] > moment
    spread = sketch.spread(count)
    assert 1 <= len(spread) <= count and [place for place, _data in spread] == sorted(place for place, _data in spread)
    assert all(0 <= place <= 1 for place, _data in spread)
    assert Sketch.from_bytes(sketch.to_bytes()) == sketch


def test_what_is_no_media_has_no_sketch_and_leaves_none(tmp_path: Path) -> None:
    for bad in (b"", b"no film" * 100):
        (tmp_path / "bad.mov").write_bytes(bad)
        with pytest.raises(MediaError):
            make_sketch(SketchRequest(tmp_path / "bad.mov"), quiet)
    with pytest.raises((MediaError, OSError)):
        make_sketch(SketchRequest(tmp_path / "gone.mov"), quiet)
    cut = draw(tmp_path / "cut.mov", 130)
    cut.write_bytes(cut.read_bytes()[: cut.stat().st_size // 2])
    with pytest.raises(MediaError):
        make_sketch(SketchRequest(cut), quiet)
    assert not list((cache_folder() / "sketches").glob("*"))


def test_a_sketch_is_of_the_file_as_it_was_and_a_broken_one_is_none(tmp_path: Path, caplog: object) -> None:
    path = draw(tmp_path / "x.mov", 30)
    make_sketch(SketchRequest(path), quiet)
    (kept,) = (cache_folder() / "sketches").iterdir()
    whole = kept.read_bytes()
    for bad in (b"", whole[:100], whole[: len(whole) // 2], b"\0" * len(whole)):
        kept.write_bytes(bad)
        assert kept_sketch(path) is None
    kept.write_bytes(whole)
    assert kept_sketch(path) is not None
    draw(path, 31)
    assert kept_sketch(path) is None and not has_sketch(path)
    assert keep_to_limit(0) > 0 and not kept.exists()


def test_names_that_are_no_text_are_looked_for_like_others(tmp_path: Path) -> None:
    odd = tmp_path / os.fsdecode(b"\xff.mov")
    odd.write_bytes(b"x")
    assert not has_sketch(odd) and not has_signature(odd)
    keep_sketch(odd, Sketch((0.0,), (b"jpeg",), 1.0), *status(odd))
    assert has_sketch(odd) and kept_sketch(odd) == Sketch((0.0,), (b"jpeg",), 1.0)


# Which clips get one


@pytest.fixture
def unproxied(film: Path) -> Project:
    """A project of which two clips, A001C002 and 00004, have no proxies."""
    project = load_project(film)
    bare = [replace(clip, proxies=()) if clip.name in ("A001C002", "00004") else clip for clip in project.clips]
    return project.but(clips=tuple(bare))


class Row:
    """Sketches taken one by one, and who was told of."""

    def __init__(self) -> None:
        self.came: list[str] = []
        self.pool = Inline()
        self.rests = 0
        self.sketching = Sketching(self.pool, self.came.append, self._rested)

    def _rested(self) -> None:
        self.rests += 1

    def rest(self) -> None:
        """Until all that was asked for so far is over."""
        over = threading.Event()
        for _round in range(12):  # each sketch puts its end into the row of errands
            over.clear()
            self.sketching._errands.submit(over.set)
            assert over.wait(20)


@pytest.fixture
def row() -> Iterator[Row]:
    made = Row()
    yield made
    assert made.sketching.close(5)


def test_clips_without_a_proxy_get_one_and_nothing_is_taken_twice(unproxied: Project, row: Row) -> None:
    bare = [clip.id for clip in unproxied.clips if wants_sketch(clip)]
    assert [clip.name for clip in unproxied.clips if clip.id in bare] == [
        clip.name for clip in unproxied.clips if clip.original.info.kind == "video" and not clip.proxies
    ]
    assert {"A001C002", "00004"} <= {clip.name for clip in unproxied.clips if clip.id in bare} and len(bare) < 6
    row.sketching.want(unproxied)
    row.rest()
    assert row.came == bare and row.sketching.left == 0 and row.rests
    for clip in unproxied.clips:
        path = unproxied.path(clip.original.file)
        assert path is not None and has_sketch(path) == (clip.id in bare)
    row.sketching.want(unproxied.but(showing="proxies"))
    row.rest()
    assert row.came == bare
    again = Row()  # the next start: nothing is taken, and nobody is told of thousands that were there
    again.pool.pause()
    again.sketching.want(unproxied)
    again.rest()
    assert again.came == [] and again.sketching.left == 0 and again.rests and again.sketching.close(5)


def test_one_that_cannot_be_read_holds_up_nobody_and_is_asked_for_when_files_came_back(
    unproxied: Project, row: Row
) -> None:
    first, second = (clip for clip in unproxied.clips if clip.name in ("A001C002", "00004"))
    path = unproxied.path(first.original.file)
    assert path is not None
    path.rename(path.with_suffix(".away"))
    row.sketching.want(unproxied)
    row.rest()
    assert second.id in row.came and first.id not in row.came and row.sketching.left == 0
    path.with_suffix(".away").rename(path)
    row.sketching.want(unproxied)
    row.rest()
    assert first.id not in row.came
    row.sketching.again()
    row.rest()
    assert row.came[-1] == first.id and row.came.count(second.id) == 1


def test_a_clip_that_has_its_proxy_by_then_needs_none(film: Path, unproxied: Project, row: Row) -> None:
    row.pool.pause()  # what was handed over waits; the others are not handed over yet
    row.sketching.want(unproxied)
    row.rest()
    row.sketching.want(load_project(film))
    row.pool.resume()
    row.rest()
    assert row.sketching.left == 0 and len(row.came) == 1


def test_a_search_that_is_stopped_takes_no_sketch_with_it(unproxied: Project, row: Row) -> None:
    row.pool.pause()
    row.sketching.want(unproxied)
    row.rest()
    row.pool.cancel_all()  # as the search of pairs does, which has the same executor
    row.rest()
    wanted = [clip.id for clip in unproxied.clips if wants_sketch(clip)]
    assert row.sketching.left == len(wanted)
    row.pool.cancel_all()  # and once more: this one is given up, the others are not
    row.rest()
    row.pool.resume()
    row.rest()
    assert row.came == wanted[1:] and row.sketching.left == 0


def test_nothing_begins_after_the_end(unproxied: Project, row: Row) -> None:
    row.pool.pause()
    row.sketching.want(unproxied)
    row.rest()
    assert row.sketching.left > 0
    row.sketching.end()
    row.pool.resume()
    row.sketching.want(unproxied)
    assert row.came == [] and row.sketching.left <= 1


# What is seen of them


def picture_of_sketch(project: Project, name: str) -> None:
    path = project.path(named(project, name).original.file)
    assert path is not None
    make_sketch(SketchRequest(path), quiet)


def test_a_standing_frame_of_a_heavy_original_shows_its_key_frame_until_it_is_there(
    unproxied: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sketched, "_QUICK", 0.0)  # every file counts as slow
    picture_of_sketch(unproxied, "A001C002")
    watched = Watched()
    try:
        came: list[tuple[bool, str]] = []
        put = watched.player._handover.put
        monkeypatch.setattr(
            watched.player._handover, "put",
            lambda picture, asked: (asked.warm or came.append((picture.sketch, picture.mark)), put(picture, asked)),
        )  # fmt: skip
        watched.player.show(ClipProgram.of(named(unproxied, "A001C002")), unproxied, 7)
        picture = watched.picture()
        while picture.sketch:
            assert picture.file_frame == -1 and picture.pixels is not None
            picture = watched.picture()
        assert code(picture) == (NUMBERS["A001C002"], 7) and picture.mark == "ORIGINAL 960 x 540"
        assert [sketch for sketch, _mark in came] == [True, False] and came[0][1].startswith("ORIGINAL, KEY FRAME")
        came.clear()
        watched.player.show(ClipProgram.of(named(unproxied, "PCK_0007")), unproxied.but(showing="proxies"), 7)
        assert not watched.picture().sketch and [sketch for sketch, _mark in came] == [False]
    finally:
        watched.player.close()


def composed(project: Project, name: str, frame: int) -> Callable[[Compositor], object]:
    program = ClipProgram.of(named(project, name))
    return lambda compositor: compositor.sketched(
        project, program.steps(frame), program.aspect, Window.all_of((480, 270))
    )


def test_a_file_that_is_quick_or_has_none_shows_no_sketch(unproxied: Project) -> None:
    compositor = Compositor(Presence())
    try:
        assert composed(unproxied, "A001C002", 7)(compositor) is None
        picture_of_sketch(unproxied, "A001C002")
        picture_of_sketch(unproxied, "PCK_0007")
        proxy = unproxied.path(named(unproxied, "PCK_0007").proxies[0].file)
        assert proxy is not None
        make_sketch(SketchRequest(proxy), quiet)
        compositor = Compositor(Presence())
        seen = composed(unproxied, "A001C002", 7)(compositor)
        assert seen is not None and compositor.files.opened == {}
        assert composed(unproxied.but(showing="proxies"), "PCK_0007", 7)(compositor) is None  # its proxy is quicker
        program = ClipProgram.of(named(unproxied, "A001C002"))
        compositor.picture(unproxied, program.steps(7), program.aspect, Window.all_of((480, 270)))
        path = unproxied.path(named(unproxied, "A001C002").original.file)
        assert path is not None
        for steps in (0, 1, 2):
            assert not compositor._sketches.wanted(path, steps)
        for _time in range(30):
            compositor._sketches.tell(path, 9, 0.001)
        assert not compositor._sketches.wanted(path, 9)
        compositor._sketches.tell(path, 9, 1.0)
        assert compositor._sketches.wanted(path, 9)
    finally:
        compositor.close()


def test_a_title_alone_is_no_sketch(unproxied: Project) -> None:
    line = unproxied.with_timeline_settings_of(named(unproxied, "A001C002")).timeline
    line = add_title(line, line.pictures[0].id, 0, 20, Title("The Tern Ferry"))
    compositor = Compositor(Presence())
    try:
        assert compositor.sketched(unproxied, picture_steps(line, 3), Fraction(16, 9), Window.all_of((96, 54))) is None
    finally:
        compositor.close()


def test_a_sketch_is_placed_and_graded_as_the_frame_itself(unproxied: Project) -> None:
    clip = named(unproxied, "A001C002")
    path = unproxied.path(clip.original.file)
    assert path is not None
    grey = io.BytesIO()
    Image.fromarray(np.full((270, 480, 3), (200, 100, 50), np.uint8)).save(grey, "JPEG", quality=95)
    keep_sketch(path, Sketch((0.0,), (grey.getvalue(),), 1.0), *status(path))
    compositor = Compositor(Presence())
    program = ClipProgram.of(clip)
    try:
        square = compositor.sketched(unproxied, program.steps(3), Fraction(1), Window.all_of((200, 200)))
        assert square is not None and square.shown[0].file_frame == -1
        assert np.abs(square.pixels[100, 100, :3].astype(int) - (50, 100, 200)).max() < 6
        assert square.pixels[5, 100, :3].max() == 0  # bars above and below
    finally:
        compositor.close()
