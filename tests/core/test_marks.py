"""Marks on proxies: read back from the pixels."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.media import FrameReader, probe, to_bgra
from agile_shadow.core.presets import Mark, Proxies
from agile_shadow.core.proxies import MarkPainter, ProxyRequest, make_proxy, proxy_pixels
from agile_shadow.core.proxies.marks import Box, _Text
from agile_shadow.core.time import frame_of, timecode_at
from agile_shadow.stand_ins import CLIPS
from tests.core.test_originals_of_all_kinds import NTSC, Kind, draw

TIMECODE = Mark(kind="timecode", x=1, y=1, size=0.06)
NAME = Mark(kind="text", text="PROXY {name}", x=0, y=1, size=0.06)


def letters_in(luma: np.ndarray, box: Box, mark: Mark, length: int, size: tuple[int, int]) -> str:
    """The timecode in the pixels of a box: for each place the letter that looks most like it."""
    text = _Text("0" * length, mark, size)
    seen = luma[box.y : box.y + box.height, box.x : box.x + box.width].astype(float)
    read = ""
    for place in range(length):
        left = text.cell // 2 + place * text.cell
        cell = seen[:, left : left + text.cell]
        likeness = {
            letter: float(np.corrcoef(cell.ravel(), text._drawn(letter)[..., 0].ravel())[0, 1])
            for letter in "0123456789:;"
        }
        read += max(likeness, key=likeness.__getitem__)
    return read


@pytest.mark.parametrize("scale", [Fraction(1, n) for n in (1, 2, 3, 4, 6, 8)])
@pytest.mark.parametrize("number", [2, 5, 6])
def test_the_running_timecode_is_read_from_the_pixels_at_every_size(
    scale: Fraction, number: int, drawn_card: Path, tmp_path: Path
) -> None:
    original = drawn_card / CLIPS[number].path
    info = probe(original)
    wanted = Proxies(scale=scale, codec="h264", marks=(NAME, TIMECODE))
    size = proxy_pixels(info, wanted)
    assert size is not None
    if size[0] < 80:
        pytest.skip("eleven letters of nine points need 72 pixels; the full-size clip is never made as narrow")
    proxy = make_proxy(ProxyRequest(original, tmp_path / "p.mov", wanted, info, {"name": "A"}), lambda done: None).path
    _reads(proxy, info.start_timecode or "00:00:00:00", info.frame_rate, size, variable=info.variable_rate)


def _reads(proxy: Path, start: str, rate: Fraction, size: tuple[int, int], variable: bool = False) -> None:
    painter = MarkPainter((NAME, TIMECODE), {"name": "A"}, start, size)
    with FrameReader(proxy) as reader:
        for frame in (0, len(reader.index) // 2, len(reader.index) - 1):
            luma = to_bgra(reader.frame(frame), *size)[..., 1]
            count = int(reader.index.seconds(frame) * rate) if variable else frame
            expected = timecode_at(frame_of(start, rate) + count, rate, ";" in start)
            assert letters_in(luma, painter.boxes[1], TIMECODE, len(expected), size) == expected


def test_drop_frame_timecode_runs_over_the_left_out_numbers(tmp_path: Path) -> None:
    original = draw(Kind(rate=NTSC, timecode="00:00:59;20"), tmp_path / "original.mov")
    wanted = Proxies(scale=Fraction(1, 2), codec="h264", marks=(NAME, TIMECODE))
    proxy = make_proxy(ProxyRequest(original, tmp_path / "p.mov", wanted, None, {"name": "A"}), lambda done: None).path
    _reads(proxy, "00:00:59;20", NTSC, (320, 180))


def test_a_mark_is_as_bright_in_the_proxy_as_it_was_asked(tmp_path: Path) -> None:
    original = draw(Kind(), tmp_path / "original.mov")
    for codec in ("h264", "mjpeg", "prores-proxy"):
        wanted = Proxies(scale=Fraction(1, 2), codec=codec, marks=(Mark(text="M", size=0.4, opacity=1),))  # type: ignore[arg-type]
        proxy = make_proxy(ProxyRequest(original, tmp_path / f"{codec}.mov", wanted), lambda done: None).path
        with FrameReader(proxy) as reader:
            luma = to_bgra(reader.frame(5), 320, 180)[..., 1]
        box = MarkPainter(wanted.marks, {}, "", (320, 180)).boxes[0]
        inside = luma[box.y : box.y + box.height, box.x : box.x + box.width]
        assert inside.max() > 225


marks = st.builds(
    Mark, kind=st.sampled_from(["text", "timecode"]), text=st.just("{name} on {reel}"), x=st.floats(0, 1),
    y=st.floats(0, 1), size=st.floats(0.02, 0.5), opacity=st.floats(0.1, 1),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(marks, min_size=1, max_size=4), st.integers(16, 200), st.integers(16, 200))
def test_marks_stay_inside_the_picture(some: list[Mark], half_width: int, half_height: int) -> None:
    size = (half_width * 2, half_height * 2)
    painter = MarkPainter(some, {"name": "A001C001_261012_long_name"}, "10:00:00:00", size)
    for box in painter.boxes:
        assert box.x >= 0 and box.y >= 0 and box.x + box.width <= size[0] and box.y + box.height <= size[1]
    picture = np.full((size[1], size[0], 4), 90, np.uint8)
    painter.paint_pixels(picture, "10:00:00:01")
    assert (picture[..., 0] != 90).any()
