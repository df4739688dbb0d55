"""Slow movements of a picture, and what titles can look like."""

import json
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from agile_shadow.core import timeline as edits
from agile_shadow.core.compositing import picture_of, picture_steps
from agile_shadow.core.compositing.lettering import rolled, title_picture
from agile_shadow.core.errors import ProjectError
from agile_shadow.core.film import make_film, plain_film
from agile_shadow.core.media import FrameReader
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.timeline import Block, Effects, Move, Placement, Timeline, Title
from tests.effects import luma, named, reduced
from tests.footage import ingest

SMALL = (338, 190)
PUSH = Effects(Placement(scale=1.1), move=Move(x=0.06, y=-0.04, scale=1.7, opacity=0.8))
_part = st.floats(-1, 1)
_moves = st.builds(
    Move, x=_part, y=_part, scale=st.floats(0.1, 5), opacity=st.floats(0, 1), ease=st.booleans(),
    begin=st.integers(-30, 30), length=st.integers(0, 60),
)  # fmt: skip


@pytest.fixture(scope="module")
def film(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Project:
    """A project with one block that is pushed into, 50 frames long."""
    folder = tmp_path_factory.mktemp("pushed")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        ingest(drawn_card, folder / "p.otio")
    project = load_project(folder / "p.otio")
    clip = named(project, "PCK_0007")
    line = edits.append(project.with_timeline_settings_of(clip).timeline, clip.piece(Fraction(0), Fraction(1)))
    line = edits.with_effects(line, [line.pictures[0].blocks[0].id], lambda _old: PUSH)
    return project.but(timeline=line)


def placements(line: Timeline) -> list[Placement]:
    return [picture_steps(line, frame)[0][0].placement for frame in range(line.length)]


@given(_moves, st.integers(1, 39), st.integers(1, 39))
def test_a_cut_through_a_movement_changes_no_frame_of_it(move: Move, first: int, second: int) -> None:
    block = Block("clip", 0, 40, Fraction(0), Fraction(9), effects=Effects(Placement(scale=0.7, x=0.1), move=move))
    line = edits.add_track(Timeline(rate=Fraction(25)), "picture")
    line = line.with_tracks(replace(line.pictures[0], blocks=(block,)))
    whole = placements(line)
    parted = placements(edits.cut(edits.cut(line, first), second))
    for one, other in zip(whole, parted, strict=True):
        assert (one.x, one.y, one.scale, one.opacity) == pytest.approx((other.x, other.y, other.scale, other.opacity))


@given(_moves)
def test_a_movement_goes_one_way_from_its_first_placement_to_its_last(move: Move) -> None:
    effects = Effects(Placement(scale=0.5, y=0.2, rotation=12, left=0.1), move=replace(move, begin=0, length=0))
    way = [effects.placed(frame, 20) for frame in range(20)]
    assert way[0] == effects.placement
    last = (way[-1].x, way[-1].y, way[-1].scale, way[-1].opacity)
    assert last == pytest.approx((move.x, move.y, move.scale, move.opacity))
    assert {(one.rotation, one.left) for one in way} == {(12, 0.1)}
    steps = np.diff([one.scale for one in way])
    assert (steps >= -1e-12).all() or (steps <= 1e-12).all()
    if move.ease and abs(move.scale - 0.5) > 0.1:
        assert abs(steps[0]) < abs(steps).max() / 2 and abs(steps[-1]) < abs(steps).max() / 2


def test_a_push_in_is_the_same_on_both_sides_and_in_the_film(film: Project, tmp_path: Path) -> None:
    line = film.timeline
    assert line.length == 50
    full = (line.width, line.height)
    out = tmp_path / "pushed.mp4"
    make_film(plain_film(film, out), lambda _done: None)
    seen = []
    with FrameReader(out) as reader:
        for frame in range(50):
            original = reduced(picture_of(film, line, frame, full, "originals").pixels, SMALL)
            proxy = luma(picture_of(film, line, frame, SMALL, "proxies").pixels)
            made = reader.frame(frame).to_ndarray(format="bgra", width=SMALL[0], height=SMALL[1])
            assert ssim(original, proxy) >= 0.95 and ssim(original, luma(made)) >= 0.95, frame
            seen.append(original)
    assert ssim(seen[0], seen[-1]) < 0.8  # it went somewhere
    still = edits.with_effects(line, [line.pictures[0].blocks[0].id], lambda e: replace(
        e, placement=Placement(0.06, -0.04, 1.7, opacity=0.8), move=None))  # fmt: skip
    assert ssim(seen[-1], reduced(picture_of(film, still, 49, full, "originals").pixels, SMALL)) > 0.999


def test_movements_and_titles_come_back_from_the_file_and_nonsense_does_not(film: Project, tmp_path: Path) -> None:
    line = edits.add_track(film.timeline, "picture")
    title = Title("Ferry", colour="#00ff80", edge="none", align="centre", roll=True)
    line = edits.add_title(line, line.pictures[1].id, 5, 20, title)
    project = film.but(timeline=line)
    save_project(project, tmp_path / "p.otio")
    assert load_project(tmp_path / "p.otio").timeline == line
    text = (tmp_path / "p.otio").read_text()
    for good, bad in (('"scale": 1.7', '"scale": 0'), ("#00ff80", "red"), ('"edge": "none"', '"edge": "glow"'),
                      ('"scale": 1.7', '"scale": 1e999')):  # fmt: skip
        assert good in text
        (tmp_path / "bad.otio").write_text(text.replace(good, bad))
        with pytest.raises(ProjectError):
            load_project(tmp_path / "bad.otio")
    plain = edits.with_effects(film.timeline, [film.timeline.pictures[0].blocks[0].id], lambda _old: Effects())
    save_project(film.but(timeline=plain), tmp_path / "plain.otio")
    assert "move" not in json.dumps(json.loads((tmp_path / "plain.otio").read_text()))  # as it was written before


def inked(title: Title) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    return title_picture(title, (480, 270))


def columns(opacity: NDArray[np.float32]) -> tuple[int, int]:
    across = np.flatnonzero(opacity.max(axis=0) > 0.5)
    return int(across[0]), int(across[-1])


def test_titles_have_the_colour_edge_and_alignment_asked_for() -> None:
    colours, opacity = inked(Title("WWW", "bold", 0.3, "centre", "#20c040", "none"))
    assert np.abs(colours[opacity > 0.98].astype(int) - (0x20, 0xC0, 0x40)).max() <= 3
    none = float(opacity.sum())
    outlined, shadowed = (inked(Title("WWW", "bold", 0.3, "centre", edge=edge))[1] for edge in ("outline", "shadow"))
    assert outlined.sum() > none * 1.1 and shadowed.sum() > none * 1.05
    right_below = shadowed[2:, 2:].sum() - inked(Title("WWW", "bold", 0.3, "centre", edge="none"))[1][2:, 2:].sum()
    assert right_below > 0
    two = [inked(Title("WWWWWWWW\ni", size=0.2, spot="centre", edge="none", align=align))[1][140:] for align in
           ("left", "centre", "right")]  # fmt: skip
    starts = [columns(one)[0] for one in two]
    assert starts[0] < starts[1] - 20 < starts[2] - 40
    old = inked(Title("Ferry"))
    assert np.array_equal(inked(Title("Ferry", align="as the position"))[0], old[0])
    for wrong in (Title(colour="#12345"), Title(edge="glow"), Title(align="middle")):
        with pytest.raises(ValueError, match="no such title"):
            wrong.checked()


def test_a_roll_comes_from_below_and_leaves_above() -> None:
    title = Title("one\ntwo\nthree", size=0.2, spot="centre", roll=True)
    middle = []
    for part in (0.0, 0.25, 0.5, 0.75, 1.0):
        opacity = rolled(title, (480, 270), part)[1]
        assert opacity.shape == (270, 480)
        rows = np.flatnonzero(opacity.max(axis=1) > 0.5)
        middle.append(float(rows.mean()) if len(rows) else None)
    assert middle[0] is None and middle[-1] is None
    assert middle[1] is not None and middle[3] is not None and middle[1] > 135 > middle[3]
    assert middle[2] == pytest.approx(135, abs=12)
    half = rolled(title, (240, 135), 0.5)[1]
    assert ssim(half.astype(np.float32) * 255, (rolled(title, (480, 270), 0.5)[1].reshape(135, 2, 240, 2)
                .mean(axis=(1, 3)) * 255).astype(np.float32)) > 0.9  # fmt: skip


@pytest.mark.parametrize("part", [0.3, 0.5, 0.71])
def test_a_reduced_title_is_the_large_one_seen_from_further_away(part: float) -> None:
    title = Title("one\ntwo\nthree", size=0.12, spot="centre", colour="#ffd080", edge="shadow", roll=True)
    for small, large in (
        (rolled(title, (480, 270), part), rolled(title, (1920, 1080), part)),
        (title_picture(title, (480, 270)), title_picture(title, (1920, 1080))),
    ):
        laid = large[0] * large[1][..., None]
        wanted = laid.reshape(270, 4, 480, 4, 3).mean(axis=(1, 3))
        assert np.abs(small[0] * small[1][..., None] - wanted).max() < 2.5
        assert np.abs(small[1] - large[1].reshape(270, 4, 480, 4).mean(axis=(1, 3))).max() < 2 / 255
        assert wanted.max() > 200


def test_a_title_changes_the_picture_where_it_stands_and_nowhere_else(film: Project) -> None:
    line = edits.add_track(film.timeline, "picture")
    titled = edits.add_title(line, line.pictures[1].id, 5, 20, Title("Ferry", "bold", 0.2, "lower left"))
    for deep in (False, True):
        plain, with_it = (
            picture_of(film, one, 10, (480, 270), "originals", deep).pixels.astype(int) for one in (line, titled)
        )
        apart = np.abs(with_it - plain).max(axis=2) > 0
        opacity = title_picture(Title("Ferry", "bold", 0.2, "lower left"), (480, 270))[1]
        assert apart[opacity > 0.9].all() and not apart[opacity == 0].any()
        empty = edits.add_title(line, line.pictures[1].id, 5, 20, Title(" ", "bold", 0.2, "lower left"))
        assert np.array_equal(picture_of(film, empty, 10, (480, 270), "originals", deep).pixels.astype(int), plain)
