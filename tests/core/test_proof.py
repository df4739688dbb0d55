"""The proof of a pair: what is right is never doubted, what is wrong is named."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from agile_shadow.core.media import probe
from agile_shadow.core.pairs import Proof, Stamp
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proof.hearing import compare
from agile_shadow.core.proof.prover import LETTERS_LEFT_OUT, ProveRequest, beside_sisters, prove
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.stand_ins.elsewhere import Derived, burnt, write_original, write_proxy
from tests.footage import here
from tests.pairs import clip, proved

PLAIN = Derived("p.mov", 0)


@pytest.mark.parametrize(
    "made",
    [
        PLAIN,
        replace(PLAIN, graded=2, burnt=True),
        replace(PLAIN, hard=True, packed_sound=True),
        replace(PLAIN, trim=11, tail=4, burnt=True, timecode=False),
        replace(PLAIN, graded=3, trim=5, packed_sound=True),
    ],
)
def test_right_pairs_are_proven_whatever_lies_over_the_picture(tmp_path: Path, made: Derived) -> None:
    proof = proved(tmp_path, clip(), made)
    assert (proof.state, proof.reasons) == ("proven", ()) and 0.6 < proof.likeness <= 1
    assert [frame for frame, _value in proof.curve] == sorted(frame for frame, _value in proof.curve)


@pytest.mark.parametrize("motion", ["objects", "pan", "handheld"])
@pytest.mark.parametrize("shift", [-1, 1])
def test_one_frame_off_is_seen_and_the_right_offset_named(tmp_path: Path, motion: str, shift: int) -> None:
    proof = proved(tmp_path, clip(motion=motion), replace(PLAIN, trim=9, shift=shift, graded=1))
    assert proof.state == "doubtful" and proof.better_offset == 9 + shift
    assert f"its picture is 1 frame {'early' if shift > 0 else 'late'}" in proof.reasons[0]


def test_one_key_frame_for_the_whole_clip_and_hard_packing_raise_no_doubt(tmp_path: Path) -> None:
    long = replace(PLAIN, group=250)
    assert proved(tmp_path / "right", clip(), long).state == "proven"
    assert proved(tmp_path / "late", clip(), replace(long, shift=-1)).better_offset == -1
    for motion in ("objects", "handheld"):
        hard = proved(tmp_path / motion, clip(motion=motion), replace(long, hard=True, burnt=True))
        assert hard.state in ("proven", "cannot tell") and hard.reasons == ()


def test_a_dropped_frame_is_found_where_it_is(tmp_path: Path) -> None:
    proof = proved(tmp_path, clip(motion="pan"), replace(PLAIN, dropped=40))
    assert proof.state == "doubtful" and proof.better_offset is None
    assert proof.reasons[0] == "its picture is 1 frame early from 01:00:01:15 on; probably a frame was left out"


def test_another_take_another_rate_and_exchanged_sound_are_named(tmp_path: Path) -> None:
    other = proved(tmp_path / "take", clip(), replace(PLAIN, stranger=clip(take=2)))
    assert other.state == "refused" and other.reasons[0] == "shows another picture than its original"
    assert "its sound is not the original's" in other.reasons
    sound = proved(tmp_path / "sound", clip(), replace(PLAIN, exchanged=True, packed_sound=True))
    assert (sound.state, sound.reasons) == ("doubtful", ("its sound channels 1 and 2 are exchanged",))
    original = write_original(clip(), tmp_path)
    fast = write_proxy(PLAIN, [clip(rate=Fraction(50))], tmp_path)
    proof = prove(ProveRequest(Half(original, probe(original)), Half(fast, probe(fast))), lambda done: None)
    assert proof.state == "refused" and "50 frames per second, its original at 25" in proof.reasons[0]


def test_a_nearly_still_scene_is_never_proven_nor_doubted(tmp_path: Path) -> None:
    for number, made in enumerate((PLAIN, replace(PLAIN, burnt=True), replace(PLAIN, hard=True, graded=0))):
        proof = proved(tmp_path / str(number), clip(motion="still"), made)
        assert proof.state == "cannot tell" and proof.reasons == () and "cannot tell" in proof.notes[0]


def counted(path: Path, seed: int, moves: bool) -> Half:
    """A clip with a running counter burnt in, its background and what moves in it chosen by ``seed``."""
    rng = np.random.default_rng(seed)
    texture = np.kron(rng.integers(60, 190, (40, 70)), np.ones((8, 8))).astype(np.uint8)[:288, :512]
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = 512, 288, "yuv420p"
        for number in range(60):
            picture = np.repeat(texture[:, :, None], 3, 2)
            x, y = (20 + (3 + seed) * number) % 440, 60 + 40 * seed
            if moves:
                picture[y : y + 40, x : x + 60] = np.roll(picture, 31 * seed, (0, 1))[y : y + 40, x : x + 60]
            shown = burnt(picture, f"10:00:{number // 25:02d}:{number % 25:02d}")
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(shown), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return Half(path, probe(path))


def quiet(done: float) -> None:
    pass


@pytest.mark.parametrize("codec", ["h264", "dnxhr-lb"])
@pytest.mark.parametrize("moves", [True, False])
def test_a_counter_burnt_in_is_no_evidence(tmp_path: Path, codec: str, moves: bool) -> None:
    own, other = (counted(tmp_path / f"{seed}.mp4", seed, moves) for seed in (1, 2))
    wanted = Proxies(codec=codec, scale=Fraction(1, 2))  # type: ignore[arg-type]
    made = make_proxy(ProxyRequest(own.path, tmp_path / "p.mov", wanted, own.info), quiet)
    proxy = Half(made.path, made.info)
    right = prove(ProveRequest(own, proxy), quiet)
    assert (right.state, right.reasons) == ("proven" if moves else "cannot tell", ())
    assert moves or "besides what is burnt in" in right.notes[0]
    assert not moves or LETTERS_LEFT_OUT in right.notes
    wrong = prove(ProveRequest(other, proxy), quiet)  # the same counter, another picture
    assert wrong.state == "refused" and wrong.reasons == ("shows another picture than its original",)


def test_a_likeness_far_below_its_sisters_is_a_doubt_where_letters_are_burnt_in() -> None:
    proof = Proof("proven", Stamp(1, 1, 1, 1, 0), notes=(LETTERS_LEFT_OUT,), likeness=0.92)
    sisters = [0.99, 0.985, 0.988, 0.991, 0.989]
    doubted = beside_sisters(proof, sisters)
    assert doubted.state == "doubtful" and doubted.reasons == (
        "its likeness of 0.92 is far below that of the clips beside it, 0.99",
    )
    assert beside_sisters(proof, sisters[:3]) == proof  # too few to stand out from
    assert beside_sisters(replace(proof, notes=()), sisters) == replace(proof, notes=())
    assert beside_sisters(replace(proof, likeness=0.97), sisters).state == "proven"
    assert beside_sisters(proof, [0.8, 0.99, 0.9, 0.95, 0.85]).state == "proven"  # they differ as much


def test_data_that_differs_is_said(tmp_path: Path) -> None:
    made = write_proxy(replace(PLAIN, trim=4), [clip()], tmp_path)
    original = write_original(clip(), tmp_path)
    halves = Half(original, probe(original)), Half(made, probe(made))
    proof = prove(ProveRequest(*halves, 3), lambda done: None)  # one frame off, by timecode and picture
    assert proof.state == "doubtful" and proof.better_offset == 4
    assert "its timecode starts at 01:00:00:04, and should at 01:00:00:03" in proof.reasons


def test_two_files_are_compared_from_the_command_line(tmp_path: Path) -> None:
    original = write_original(clip(), tmp_path)
    made = write_proxy(replace(PLAIN, trim=17, timecode=False), [clip()], tmp_path)
    status, answer, _said = here("compare", original, made)
    assert (status, answer["state"], answer["offset"]) == (0, "proven", 17)
    assert here("compare", original, made, "--offset", 16)[1]["state"] == "doubtful"


def test_sound_that_lags_or_is_missing_is_heard() -> None:
    rng = np.random.default_rng(1)
    sound = rng.normal(0, 0.1, (2, 32_000)).astype(np.float32)
    late = np.roll(sound, 800, axis=1)
    heard = compare([sound], [late], 1 / 25)
    assert heard is not None and heard.late == pytest.approx(0.1) and heard.wrong == ("its sound is 100 ms too late",)
    mute = sound.copy()
    mute[1] = 0
    heard = compare([sound], [mute], 1 / 25)
    assert heard is not None and heard.wrong == ("its sound channel 2 is silent where the original's is not",)
    moved = np.stack([sound[0], sound[0]])
    heard = compare([sound], [moved], 1 / 25)
    assert heard is not None and heard.wrong == ("its sound channel 2 is channel 1 of the original",)
