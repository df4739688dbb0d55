from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.media import fit_rectangle, proxy_size
from agile_shadow.core.media.geometry import TOLERANCE

CAMERAS = [
    (3840, 2160), (4096, 2160), (5312, 2988), (2704, 1520), (1920, 1080), (1080, 1920), (2160, 3840), (6144, 3160),
    (4608, 3164), (5760, 2880), (8192, 4320), (6048, 4032), (2048, 1152), (1280, 720), (4448, 3096), (3424, 2202),
    (1440, 1080), (2880, 2160), (5120, 2700), (4000, 3000), (1998, 1080), (2048, 858), (720, 576), (853, 480),
]  # fmt: skip
fractions = st.sampled_from([Fraction(1, n) for n in (1, 2, 3, 4, 6, 8)])


def exact_sizes(width: int, height: int, scale: Fraction) -> list[tuple[int, int]]:
    wanted = width * scale
    return [
        (w, w * height // width)
        for w in range(2, int(wanted * (1 + TOLERANCE)) + 2, 2)
        if abs(w - wanted) <= TOLERANCE * wanted and w * height % (2 * width) == 0
    ]


@given(st.one_of(st.sampled_from(CAMERAS), st.tuples(st.integers(64, 8192), st.integers(64, 8192))), fractions)
def test_exact_shape_where_an_even_size_near_the_wanted_one_has_it(size: tuple[int, int], scale: Fraction) -> None:
    width, height = size
    got = proxy_size(width, height, scale)
    assert got[0] % 2 == got[1] % 2 == 0
    exact = exact_sizes(width, height, scale)
    if exact:
        assert got in exact
        assert abs(got[0] - width * scale) == min(abs(w - width * scale) for w, _h in exact)


@pytest.mark.parametrize("size", CAMERAS)
@given(scale=fractions)
def test_cameras_are_met_within_a_thousandth_from_240_lines_up(size: tuple[int, int], scale: Fraction) -> None:
    got = proxy_size(*size, scale)
    if got[1] >= 240:
        assert abs(Fraction(*got) / Fraction(*size) - 1) <= Fraction(1, 1000)


def test_known_sizes() -> None:
    assert proxy_size(5312, 2988, Fraction(1, 4)) == (1312, 738)
    assert proxy_size(4096, 2160, Fraction(1, 4)) == (1024, 540)


@given(st.integers(1, 4000), st.integers(1, 4000), st.fractions(Fraction(1, 4), Fraction(4), max_denominator=300))
def test_a_fitted_rectangle_stays_inside_and_touches(width: int, height: int, aspect: Fraction) -> None:
    place = fit_rectangle(aspect, width, height)
    assert place.x >= 0 and place.x + place.width <= width
    assert place.y >= 0 and place.y + place.height <= height
    assert place.width == width or place.height == height
