"""A picture moved, sized, turned and cropped by hand; and small pictures along a file."""

import io
import math
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_shadow.core.compositing.handling import EDGES, Held
from agile_shadow.core.errors import MediaError
from agile_shadow.core.media.strip import StripRequest, strip
from agile_shadow.core.timeline import Placement
from tests.drawn import draw

_unit = st.floats(0.05, 0.95)
_placements = st.builds(
    Placement, x=st.floats(-0.4, 0.4), y=st.floats(-0.4, 0.4), scale=st.floats(0.2, 3), rotation=st.floats(-179, 179),
    left=st.floats(0, 0.4), right=st.floats(0, 0.4), top=st.floats(0, 0.4), bottom=st.floats(0, 0.4),
)  # fmt: skip
_held = st.builds(Held, _placements, st.floats(0.4, 2.5), st.floats(0.5, 2.4), st.floats(0.8, 1.6))


def test_a_picture_as_it_falls_fills_the_frame() -> None:
    assert Held(Placement(), 16 / 9, 16 / 9).corners() == ((0, 0), (1, 0), (1, 1), (0, 1))
    bars = Held(Placement(), 4 / 3, 16 / 9).corners()
    assert bars[0] == pytest.approx((0.125, 0)) and bars[2] == pytest.approx((0.875, 1))
    turned = Held(Placement(rotation=90), 1.0, 2.0).corners()
    assert turned[0] == pytest.approx((0.75, 0)) and turned[1] == pytest.approx((0.75, 1))


@given(_held, _unit, _unit, _unit, _unit)
def test_what_is_taken_hold_of_follows_the_hand(held: Held, x: float, y: float, to_x: float, to_y: float) -> None:
    moved = Held(held.moved((x, y), (to_x, to_y), free=True), held.aspect, held.frame_aspect, held.enlarged)
    for before, after in zip(held.corners(), moved.corners(), strict=True):
        assert (after[0] - before[0], after[1] - before[1]) == pytest.approx((to_x - x, to_y - y), abs=1e-9)
    whole = Held(Placement(held.placement.x, held.placement.y, held.placement.scale, held.placement.rotation),
                 held.aspect, held.frame_aspect, held.enlarged)  # fmt: skip
    corner, middle = whole.corners()[2], (0.5 + whole.placement.x, 0.5 + whole.placement.y)
    twice = (2 * corner[0] - middle[0], 2 * corner[1] - middle[1])
    sized = Held(whole.sized(corner, twice), held.aspect, held.frame_aspect, held.enlarged)
    assert sized.corners()[2] == pytest.approx(twice, abs=1e-6)
    quarter = whole.turned((middle[0] + 0.1, middle[1]), (middle[0], middle[1] + 0.1))
    assert math.isclose((quarter.rotation - whole.placement.rotation) % 360, 90, abs_tol=1e-6)
    assert round(whole.turned(corner, (x, y), stepped=True).rotation) % 15 == 0


@given(_held, st.sampled_from(EDGES), _unit, _unit)
def test_an_edge_goes_where_it_is_dragged_and_never_past_the_other(held: Held, edge: str, x: float, y: float) -> None:
    placement = held.cropped(edge, (x, y))
    placement.checked()
    assert placement.left + placement.right < 1 and placement.top + placement.bottom < 1
    before, after = held.placement, placement
    assert {name for name in EDGES if getattr(before, name) != getattr(after, name)} <= {edge}
    again = Held(placement, held.aspect, held.frame_aspect, held.enlarged)
    middle = again.middles()[EDGES.index(edge)]
    assert again.cropped(edge, middle) == placement or math.isclose(
        getattr(again.cropped(edge, middle), edge), getattr(placement, edge), abs_tol=1e-6
    )


@given(_held)
def test_its_middle_is_on_it_and_far_away_is_not(held: Held) -> None:
    corners = held.corners()
    inside = (sum(x for x, _y in corners) / 4, sum(y for _x, y in corners) / 4)
    assert held.contains(inside)
    assert not held.contains((inside[0] + 50, inside[1])) and not held.contains((inside[0], inside[1] - 50))


def test_near_the_middle_it_catches() -> None:
    held = Held(Placement(x=0.1, y=-0.1), 1.5, 1.5)
    caught = held.moved((0.5, 0.5), (0.403, 0.596))
    assert (caught.x, caught.y) == (0, 0)
    assert held.moved((0.5, 0.5), (0.403, 0.596), free=True).x == pytest.approx(0.003)


def test_a_strip_shows_a_file_from_its_beginning_to_its_end(tmp_path: Path) -> None:
    path = tmp_path / "x.mov"
    draw(path, 50)
    done: list[float] = []
    pictures = strip(StripRequest(path, 5), done.append)
    assert 2 <= len(pictures) <= 5 and len({data for _place, data in pictures}) == len(pictures)
    assert [place for place, _data in pictures] == sorted({place for place, _data in pictures})
    for _place, data in pictures:
        assert max(Image.open(io.BytesIO(data)).size) <= 192
    for bad in (b"", b"no film" * 100):
        (tmp_path / "bad.mov").write_bytes(bad)
        with pytest.raises(MediaError):
            strip(StripRequest(tmp_path / "bad.mov"), done.append)
    with pytest.raises(MediaError):
        strip(StripRequest(tmp_path / "gone.mov"), done.append)
