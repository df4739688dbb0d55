"""Points that tell a frame from the one before, and proxies that stand still at them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from agile_shadow.core.media.telling import (
    FINE_HIGH,
    FINE_WIDE,
    POINTS,
    moved,
    packed_points,
    points_of,
    unpacked_points,
)
from agile_shadow.core.proof.places import REACH, Seen
from agile_shadow.core.proof.signed import _points_tell
from agile_shadow.core.proof.standing import standing

SIZE = FINE_HIGH, FINE_WIDE


def scene(at: int, level: int = 60) -> np.ndarray:
    """A bright square that moves two points a frame over an even ground."""
    picture = np.full(SIZE, level, np.uint8)
    picture[20:32, 10 + 2 * at : 22 + 2 * at] = 200
    return picture


@given(arrays(np.uint8, st.tuples(st.integers(2, 5), st.just(FINE_HIGH), st.just(FINE_WIDE))))
@settings(max_examples=20, deadline=None)
def test_points_are_those_that_changed_most_and_are_packed_without_loss(frames: np.ndarray) -> None:
    points = [points_of(frames[at - 1] if at else None, frame) for at, frame in enumerate(frames)]
    assert (unpacked_points(packed_points(points)) == np.stack(points)).all()
    for at in range(1, len(frames)):
        step = np.abs(frames[at].astype(int) - frames[at - 1]).ravel()
        where, values = points[at][:, 0], points[at][:, 1]
        assert sorted(step[where]) == sorted(step)[-POINTS:] and (np.diff(where.astype(int)) > 0).all()
        assert (values >> 8 == frames[at - 1].ravel()[where]).all()
        assert (values & 255 == frames[at].ravel()[where]).all()


def test_nothing_tells_the_first_frame_or_one_that_is_like_the_one_before() -> None:
    for points in (points_of(None, scene(0)), points_of(scene(0), scene(0)), points_of(scene(0), scene(0) + 1)):
        assert np.isnan(moved(points, scene(0), scene(3)))


@pytest.mark.parametrize(("before", "now", "expected"), [
    (0, 1, 1.0), (0, 0, 0.0), (1, 1, 0.0), (1, 0, -1.0),
])  # fmt: skip
def test_a_proxy_moves_as_its_original_does_or_stands(before: int, now: int, expected: float) -> None:
    assert moved(points_of(scene(0), scene(1)), scene(before), scene(now)) == pytest.approx(expected)


def test_a_look_scales_it_and_digits_that_run_over_some_points_do_not_hide_that_it_stands() -> None:
    points = points_of(scene(0), scene(1))
    graded = [(0.5 * scene(at) + 30).astype(np.uint8) for at in (0, 1)]
    assert moved(points, *graded) == pytest.approx(0.5, abs=0.02)
    digits = [scene(0), scene(0)]
    digits[0][20:23], digits[1][20:23] = 16, 235  # a quarter of the rows in which it moves
    assert moved(points, *digits) == 0.0


def moves(count: int = 60, **others: float) -> np.ndarray:
    found = np.tile([0.7, 0.8, 0.75, 0.85], count // 4).astype(np.float32)
    found[0] = np.nan
    for name, value in others.items():
        found[int(name[1:])] = value
    return found


def test_a_step_at_which_it_stands_is_suspected() -> None:
    assert standing(moves(), 0, made=True) == []
    assert standing(moves(_20=0.02), 5, made=True) == [25]
    assert standing(moves(_20=0.5), 5, made=False) == []


def test_of_many_only_the_clearest_are_looked_at() -> None:
    many = {f"_{at}": 0.02 * at / 60 for at in range(4, 20)}
    assert standing(moves(**many), 0, made=True) == [4, 5]
    assert standing(moves(**many), 0, made=False) == [4, 5, 6]


def test_where_nothing_is_known_or_everything_stands_nothing_is_suspected() -> None:
    hardly = 0.1 * moves(_20=-9.0)  # packed hard: it stands still nearly everywhere
    nothing = np.full(60, np.nan, np.float32)
    for odd in (nothing, np.zeros(60, np.float32), hardly, moves()[:8], np.zeros(0, np.float32)):
        assert standing(odd, 0, made=True) == [] == standing(odd, 0, made=False)


def seen_off(way: float) -> tuple[Seen, np.ndarray]:
    """A frame whose proxy goes so much of the way to the next one, and what is off of it."""
    rng = np.random.default_rng(5)
    right = rng.uniform(60, 180, (40, 60)).astype(np.float32)
    step = np.zeros((40, 60), np.float32)
    step[5:20, 5:20] = 30
    around = np.stack([right + shift * step for shift in range(-REACH, REACH + 1)])
    return Seen(0, around, np.ones(2 * REACH + 1, np.bool_), right + way * step), way * step


@pytest.mark.parametrize(("way", "beside", "made", "told"), [
    (0.62, 0.3, True, True), (0.5, 0.1, True, False), (0.62, 0.5, True, False),
    (0.85, 0.1, False, True), (0.7, 0.1, False, False), (0.85, 0.6, False, False), (1.6, 0.1, False, False),
])  # fmt: skip
def test_a_frame_shows_its_neighbour_only_if_it_goes_far_and_others_do_not(
    way: float, beside: float, made: bool, told: bool
) -> None:
    both = [seen_off(way if at == 4 else beside) for at in range(9)]
    rest = np.stack([off for _seen, off in both])
    assert _points_tell([seen for seen, _off in both], 4, 1, lambda levels: levels, rest, made) == told
