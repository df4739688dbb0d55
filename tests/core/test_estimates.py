"""Headroom, estimates, forecasts and trials on real small footage."""

from __future__ import annotations

import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from agile_shadow.core.estimates import (
    CandidatesRequest,
    HeadroomRequest,
    Measurements,
    Sample,
    estimate,
    headroom_of,
    kept_headroom,
    kinds_of,
    measure_candidates,
    measure_headroom,
    needs_proxy,
    run_trial,
    stretch,
    trial_requests,
    usual_kinds,
)
from agile_shadow.core.estimates.weights import fixed_frame_bytes
from agile_shadow.core.ingest import forecast, samples_of
from agile_shadow.core.media import probe
from agile_shadow.core.media.likeness import ssim
from agile_shadow.core.media.sequence import status
from agile_shadow.core.presets import Preset, Proxies, find_preset
from agile_shadow.core.proxies import ProxyRequest, make_proxy, proxy_pixels
from agile_shadow.core.proxies.encoders import ENCODERS
from agile_shadow.core.proxies.pace import Pace, _Clocks, told
from agile_shadow.stand_ins import CLIPS
from agile_shadow.stand_ins.card import CUT_OFF
from tests.conftest import hashes
from tests.footage import here, refusal

SMALL = "Small files, quarter size"
BETTER = "Better picture, half size"
EVERYDAY = "Everyday, quarter size"


def quiet(done: float) -> None:
    pass


def sample(path: Path) -> Sample:
    return Sample(path, probe(path), *status(path))


@pytest.mark.parametrize("codec", ["dnxhr-lb", "h264", "prores-proxy", "mjpeg"])
def test_bytes_frames_and_pixels_are_as_foretold(codec: str, drawn_card: Path, tmp_path: Path) -> None:
    preset = Preset(name="x", proxies=Proxies(codec=codec, scale=Fraction(1, 2)))  # type: ignore[arg-type]
    samples = [sample(drawn_card / CLIPS[number].path) for number in (2, 3, 6)]
    before = hashes(drawn_card)
    told = forecast(samples, preset, Measurements(tmp_path / "m.sqlite"), 3)
    for one, clip in told.clips:
        assert preset.proxies is not None and clip.bytes is not None
        made = make_proxy(ProxyRequest(one.path, tmp_path / f"{one.path.stem}.mov", preset.proxies), quiet)
        assert (made.info.width, made.info.height) == clip.pixels and made.info.frames == clip.frames
        assert clip.bytes.value == pytest.approx(made.path.stat().st_size, rel=0.15)
    assert hashes(drawn_card) == before and told.total_seconds is not None


def test_what_is_not_measured_is_said_to_be_so(drawn_card: Path, tmp_path: Path) -> None:
    kept = Measurements(tmp_path / "m.sqlite")
    one = sample(drawn_card / CLIPS[6].path)
    (kind,) = kinds_of([one])
    fixed, other = (
        estimate(kind, Preset(name="x", proxies=Proxies(codec=codec, scale=Fraction(1, 2))), kept)  # type: ignore[arg-type]
        for codec in ("dnxhr-lb", "h264")
    )
    assert fixed.hour_after is not None and fixed.hour_after.basis == "exact"
    assert (other.hour_after, other.work, other.headroom_before, other.headroom_after) == (None, None, None, None)
    limited = estimate(kind, Preset(name="x", proxies=Proxies(codec="h264", megabits=8)), kept)
    assert limited.hour_after is not None and limited.hour_after.basis == "at most"
    needed = estimate(kind, Preset(name="x", proxies=Proxies(make="where-needed")), kept)
    assert needed.made is None
    for usual in usual_kinds():
        shown = estimate(usual, find_preset(EVERYDAY), kept)
        assert shown.pixels is not None and shown.work is None and shown.hour_after is not None


def test_a_proxy_heavier_than_its_original_is_warned_of(drawn_card: Path, tmp_path: Path) -> None:
    (kind,) = kinds_of([sample(drawn_card / CLIPS[2].path)])
    heavy = estimate(kind, Preset(name="x", proxies=Proxies(codec="dnxhr-sq", scale=Fraction(1))), Measurements())
    assert any("heavier than the original" in note for note in heavy.notes)


def encoded_bytes(codec: str, width: int, height: int) -> int:
    """Of one frame as it comes out of the encoder."""
    encoder = ENCODERS[codec]
    with av.open(io.BytesIO(), "w", format="mov") as container:
        options = encoder.options(Fraction(25), Proxies(codec=codec))
        stream = container.add_stream(encoder.library, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = width, height, encoder.pixel_format
        blank = av.VideoFrame.from_ndarray(np.zeros((height, width), np.uint8), format="gray")
        return sum(packet.size for packet in (*stream.encode(blank.reformat(format=encoder.pixel_format)),
                                              *stream.encode(None)))  # fmt: skip


@settings(deadline=None, max_examples=30)
@given(st.sampled_from(["dnxhr-lb", "dnxhr-sq"]), st.integers(128, 960), st.integers(60, 540))
@example("dnxhr-lb", 128, 60)
@example("dnxhr-sq", 1920, 1080)
@example("dnxhr-lb", 480, 270)
def test_fixed_rates_are_those_of_the_encoder(codec: str, half_width: int, half_height: int) -> None:
    size = half_width * 2, half_height * 2
    assert fixed_frame_bytes(codec, *size) == encoded_bytes(codec, *size)
    assert fixed_frame_bytes("h264", 640, 360) is None


def test_headroom_is_measured_kept_and_lost_with_a_change(card: Path) -> None:
    path, kept = card / CLIPS[6].path, Measurements()
    assert kept_headroom(path, kept) is None
    first = headroom_of(path, kept)
    assert first.ratio > 0 and headroom_of(path, Measurements()) == first
    path.write_bytes(path.read_bytes() + b"x")
    assert kept_headroom(path, kept) is None
    proxy = make_proxy(ProxyRequest(path, card.parent / "p.mov", Proxies(scale=Fraction(1, 4))), quiet).path
    assert measure_headroom(HeadroomRequest(proxy), quiet).ratio > first.ratio


def clocks(wall: float, mine: float, everybody: float) -> _Clocks:
    return _Clocks(wall, mine, everybody)


ALONE = (clocks(10, 5, 100), clocks(14, 12, 107.2), 100, 0.2, 2)  # of 4 s on two processors 7 by itself, 0.2 by others


def test_the_making_tells_the_pace_of_decoding_where_nothing_else_had_a_part_in_it() -> None:
    began, ended, frames, waited, processors = ALONE
    assert told(*ALONE) == Pace(100, pytest.approx(3.8))
    for others in (
        (began, ended, 39, waited, processors), (began, clocks(10.4, 5.8, 100.8), frames, 0, processors),  # too little
        (began, ended, frames, 0.5, processors),  # it waited for the encoder
        (began, clocks(14, 12, 108), frames, waited, processors),  # others used the machine
        (began, clocks(14, 7, 102.2), frames, waited, processors),  # it stood still in between
    ):
        assert told(*others) is None


def test_a_pass_counts_its_frames_and_a_part_tells_nothing(card: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path, asked = card / CLIPS[0].path, Proxies(codec="mjpeg", scale=Fraction(1, 2))
    looks: list[_Clocks] = []

    def look() -> _Clocks:
        looks.append(clocks(1000.0 * len(looks), 900.0 * len(looks), 900.0 * len(looks)))
        return looks[-1]

    monkeypatch.setattr(_Clocks, "now", look)
    made = make_proxy(ProxyRequest(path, card.parent / "whole.mov", asked), quiet)
    assert made.pace is not None and made.pace.frames == made.original.frames - 1 and len(looks) == 2
    assert 900 < made.pace.seconds <= 1000
    asked_part = ProxyRequest(path, card.parent / "part.mov", asked, part=(5, 50))
    assert make_proxy(asked_part, quiet).pace is None
    monkeypatch.setattr(_Clocks, "now", lambda: 1 / 0)  # clocks that cannot be read cost no proxy
    made = make_proxy(ProxyRequest(path, card.parent / "again.mov", asked), quiet)
    assert made.pace is None and made.info.frames == made.original.frames
    monkeypatch.undo()
    one, two = _Clocks.now(), _Clocks.now()
    assert one.wall <= two.wall and one.mine <= two.mine and 0 < one.all <= two.all


@given(st.floats(0.05, 50), st.floats(0.1, 20), st.integers(16, 3000))
def test_need_follows_headroom_and_lines(headroom: float, limit: float, lines: int) -> None:
    (info,) = {kind.info for kind in usual_kinds() if kind.info.width == 3840 and kind.info.codec == "h264"}
    wanted = Proxies(make="where-needed", headroom_below=limit, larger_than=lines)
    assert needs_proxy(info, wanted, headroom) is (headroom < limit or lines < 2160)
    assert needs_proxy(info, wanted, None) is True
    assert needs_proxy(info, Proxies(), headroom) is True


def test_candidates_cover_the_usual_sizes_and_codecs(drawn_card: Path) -> None:
    path = drawn_card / CLIPS[7].path
    found = measure_candidates(CandidatesRequest(path), quiet)
    info = probe(path)
    for one in found:
        settings = Proxies(codec=one.codec, scale=Fraction(one.scale))  # type: ignore[arg-type]
        assert (one.width, one.height) == proxy_pixels(info, settings) and one.headroom > 0 and one.bytes_per_hour > 0
    light, heavy = (next(c for c in found if (c.codec, c.scale) == ("dnxhr-sq", s)) for s in ("1/4", "1/2"))
    assert light.bytes_per_hour < heavy.bytes_per_hour and light.headroom > heavy.headroom


def test_a_trial_compares_for_real(drawn_card: Path, tmp_path: Path) -> None:
    path = drawn_card / CLIPS[6].path
    presets = [
        Preset(name=name, proxies=Proxies(codec="h264", scale=scale, quality=quality))  # type: ignore[arg-type]
        for name, scale, quality in (("rough", Fraction(1, 4), "light"), ("fine", Fraction(1), "fine"))
    ]
    rough, fine = (run_trial(request, quiet) for request in trial_requests(path, presets, tmp_path, 0.4))
    assert 0.3 < rough.likeness < fine.likeness <= 1 and rough.bytes < fine.bytes
    assert rough.info.frames == fine.info.frames == 10 and rough.path.stat().st_size == rough.bytes
    assert "one to 4" in refusal(lambda: trial_requests(path, presets * 3, tmp_path, 1))
    assert "makes no proxies" in refusal(lambda: trial_requests(path, [Preset(name="n", proxies=None)], tmp_path, 1))


@given(st.floats(0.01, 100), st.integers(0, 400))
def test_a_stretch_lies_within_its_clip(seconds: float, at: int) -> None:
    (info,) = {kind.info for kind in usual_kinds() if kind.info.width == 5312}
    first, count = stretch(info, seconds, at)
    assert first >= 0 and first + count <= info.frames and count >= 1


def test_likeness_is_one_for_the_same_and_falls_with_noise() -> None:
    random = np.random.default_rng(1)
    picture = np.cumsum(random.normal(0, 2, (120, 160)), axis=1) + 120
    assert ssim(picture, picture) == pytest.approx(1)
    noisy, noisier = (ssim(picture, picture + random.normal(0, sigma, picture.shape)) for sigma in (3, 20))
    assert 1 > noisy > noisier > 0
    assert ssim(picture, np.roll(picture, 3, axis=1)) < 0.99
    with pytest.raises(ValueError, match="no likeness"):
        ssim(picture, picture[:60])


def test_the_command_line_tells_the_same(drawn_card: Path, tmp_path: Path) -> None:
    path = drawn_card / CLIPS[6].path
    status_, told, said = here("estimate", drawn_card / "MAIN_A001", "--preset", SMALL)
    assert status_ == 0 and "trying the preset" in said
    assert told["total"]["clips"] == 2 and told["total"]["bytes"] > 0 and told["total"]["seconds"] > 0
    assert {kind["proxy_width"] for kind in told["kinds"]} == {242, 258}
    assert here("estimate", path, "--preset", SMALL, "--no-measure")[1]["total"]["bytes"] > 0  # kept
    status_, tried, _said = here(
        "trial", path, "--preset", SMALL, "--preset", BETTER, "--seconds", 0.3
    )
    assert status_ == 0 and [one["preset"] for one in tried["trials"]] == [SMALL, BETTER]
    assert all(0 < one["likeness"] <= 1 and one["headroom"] > 0 for one in tried["trials"])
    status_, found, said = here("headroom", path, drawn_card / CUT_OFF)
    assert status_ == 1 and found["files"][0]["headroom"] > 0 and CUT_OFF in said
    anew = here("headroom", path, "--again")[1]["files"][0]
    assert anew != found["files"][0] and here("headroom", path)[1]["files"][0] == anew  # measured and kept anew
    assert samples_of(drawn_card / "STILLS", find_preset(EVERYDAY)) == ([], [])


def test_presets_on_the_command_line(tmp_path: Path) -> None:
    assert here("presets", "show", EVERYDAY)[1]["proxies"]["codec"] == "dnxhr-lb"
    assert here("presets", "schema")[1]["title"] == "Preset"
    assert here("presets", "duplicate", EVERYDAY)[1] == {"name": "Everyday, quarter size 2"}
    assert here("presets", "rename", "Everyday, quarter size 2", "Mine")[1] == {"name": "Mine"}
    assert here("presets", "export", "Mine", tmp_path / "m.json")[0] == 0
    broken = tmp_path / "broken.json"
    broken.write_text((tmp_path / "m.json").read_text().replace('"all"', '"loud"'))
    status_, told, said = here("presets", "check", tmp_path / "m.json", broken)
    assert status_ == 1 and len(told["good"]) == len(told["bad"]) == 1 and "proxies.sound" in said
    assert here("presets", "remove", EVERYDAY)[0] == 1  # came with the program
