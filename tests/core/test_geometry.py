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
    (4096, 2304), (4096, 1716), (3996, 2160), (6016, 3384), (6144, 3456), (7680, 4320), (8192, 4608), (5952, 3140),
    (5952, 3968), (6000, 4000), (4240, 2832), (3328, 2790), (4320, 3024), (2944, 2160), (3200, 1800), (3168, 2160),
    (2688, 1512), (2720, 2040), (3000, 3000), (2880, 2880), (4032, 3024), (3024, 4032), (2400, 1080), (1080, 2340),
    (2532, 1170), (1170, 2532), (1728, 3072), (720, 1280), (640, 480), (768, 576), (1024, 768), (960, 540),
    (2560, 1440), (3440, 1440), (1600, 1200), (5472, 3078), (3997, 2161), (1279, 719),
]  # fmt: skip
STRETCHED = [  # stored size and the shape of a pixel: anamorphic lenses, old formats
    (1440, 1080, Fraction(4, 3)), (720, 576, Fraction(16, 15)), (720, 576, Fraction(64, 45)),
    (720, 480, Fraction(8, 9)), (720, 480, Fraction(32, 27)), (1280, 1080, Fraction(3, 2)), (2880, 2160, Fraction(2)),
    (3424, 2202, Fraction(13, 10)), (4448, 3096, Fraction(2)), (960, 720, Fraction(4, 3)),
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


@pytest.mark.parametrize(("width", "height", "pixel"), [(*size, Fraction(1)) for size in CAMERAS] + STRETCHED)
def test_the_display_aspect_is_exact_where_it_can_be_else_the_nearest(width: int, height: int, pixel: Fraction) -> None:
    """Against trying all even sizes near the wanted one."""
    aspect = Fraction(width, height) * pixel
    for scale in (Fraction(1, n) for n in (1, 2, 3, 4, 6, 8)):
        got = proxy_size(round(width * pixel), height, scale, aspect)
        high, wide = height * scale, height * scale * aspect
        near = [
            (w, h)
            for h in range(2, int(high * (1 + TOLERANCE)) + 1, 2)
            if abs(h - high) <= TOLERANCE * high
            for w in (2 * int(h * aspect / 2), 2 * int(h * aspect / 2) + 2)
            if w > 0 and abs(w - wide) <= TOLERANCE * wide
        ]
        least = min((abs(Fraction(w, h) / aspect - 1) for w, h in near), default=None)
        error = abs(Fraction(*got) / aspect - 1)
        if least is not None:
            assert got in near and error == least
        if got[1] >= 240:
            assert error <= Fraction(1, 1000)


def test_known_sizes() -> None:
    assert proxy_size(5312, 2988, Fraction(1, 4)) == (1312, 738)
    assert proxy_size(4096, 2160, Fraction(1, 4)) == (1024, 540)


@given(st.integers(1, 4000), st.integers(1, 4000), st.fractions(Fraction(1, 4), Fraction(4), max_denominator=300))
def test_a_fitted_rectangle_stays_inside_and_touches(width: int, height: int, aspect: Fraction) -> None:
    place = fit_rectangle(aspect, width, height)
    assert place.x >= 0 and place.x + place.width <= width
    assert place.y >= 0 and place.y + place.height <= height
    assert place.width == width or place.height == height
