"""A part of the zoo of originals, through the whole program; all of it is gone through by the bench."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pytest
from benchmarks.zoo.checking import go_through
from benchmarks.zoo.drawing import CLICKS, PATCHES, Drawn, picture
from benchmarks.zoo.judging import away, number_in, off_colour, patches_in
from benchmarks.zoo.kinds import kinds
from benchmarks.zoo.planting import FAULTS, planted

SOME = {
    "containers": ("H.264 in avi", "MPEG-2 in mpg", "DNxHR SQ in mxf", "DV in mov"),
    "times": (
        "H.264, open groups in ts", "variable rate in mkv", "23.98 a second in mkv", "mp4 without edit list",
        "edit list, picture and timecode from frame 17 on", "a clock that begins at 3600 s in mkv",
    ),
    "colours": ("ProRes, BT.2020", "not tagged, 720 lines", "H.264 full range", "turned by 90"),
    "sound": (
        "channels in an order of their own", "a gap of 0.3 s at 0.7 in ts", "sound late by 0.25 s in mp4",
        "eight streams of one channel",
    ),
    "damage": (
        "libx264 in mkv cut off", "dnxhd in mxf cut off", "mp4 cut off", "mjpeg in mov scratched",
        "libx265 in mp4 scratched", "ffv1 in mkv scratched",
    ),
    "files": (
        "png from 1 with 1 digits", "dpx from 9990 with 4 digits", "named '100 %04d percent'",
        "193 x 144, smaller than any proxy",
    ),
}  # fmt: skip


@pytest.mark.parametrize("part", sorted(SOME))
def test_every_kind_is_right_or_told(part: str, tmp_path: Path) -> None:
    every = {kind.name: (number, kind) for number, kind in enumerate(kinds())}
    rows = go_through([every[name] for name in SOME[part]], tmp_path, every_codec=False)
    assert {row.kind.name: row.cells for row in rows if not row.is_right} == {}
    assert all(row.said for row in rows if row.kind.fate != "right")
    assert len(rows) == len(SOME[part]) and all(row.cells for row in rows)


def test_the_zoo_is_large_and_its_names_are_single() -> None:
    every = kinds()
    assert len(every) >= 150 and len({kind.name for kind in every}) == len(every)
    assert {kind.fate for kind in every} == {"right", "damaged", "refused"}


@pytest.mark.parametrize("fault", sorted(set(FAULTS) - {"none"}))
def test_a_fault_planted_into_the_maker_is_refused_by_the_proof(fault: str, tmp_path: Path) -> None:
    for seed, codec in ((1, "h264"), (2, "dnxhr-lb")):
        proof = planted(fault, seed, tmp_path, codec)
        assert proof.state in ("doubtful", "refused") and proof.reasons, (fault, seed, proof)


def test_the_same_pairs_without_a_fault_are_proven(tmp_path: Path) -> None:
    for seed, codec in ((1, "h264"), (2, "dnxhr-lb"), (3, "mjpeg")):
        proof = planted("none", seed, tmp_path, codec)
        assert proof.state == "proven" and not proof.reasons, proof


# The judge itself: a judge that says right to everything would find the zoo in order.


def test_the_judge_reads_what_was_drawn_and_nothing_else() -> None:
    rng = random.Random(1)
    for number in [0, 1, 2, 255, 511, *(rng.randrange(512) for _ in range(20))]:
        shown = picture(number, 512, 288)
        assert number_in(shown[..., 1]) == number
        assert number_in(np.roll(shown[..., 1], 200, axis=0)) != number or number in (0, 511)
    assert off_colour(patches_in(picture(7, 512, 288))) < 0.01
    other = picture(7, 512, 288).astype(int) + 9
    assert off_colour(patches_in(other)) > 5
    assert len(PATCHES) == 8 and Drawn().frames == len(Drawn().seconds)


@pytest.mark.parametrize("shift", [0, 10, -30, 200])
def test_the_judge_hears_where_clicks_are(shift: int) -> None:
    loudness = np.zeros(96_000, np.float32)
    for at in CLICKS:
        first = round(at * 48_000) + shift
        loudness[first : first + 48] = 0.9
    found = away(loudness, 48_000, CLICKS)
    assert [round(one, 1) for one in found] == [round(shift / 48 - 0.01, 1)] * 4
    assert away(loudness, 48_000, CLICKS[:3])[-1] == 998.0
    loudness[:10_000] = 0
    assert away(loudness, 48_000, CLICKS)[0] == 999.0
