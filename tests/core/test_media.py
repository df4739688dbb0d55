"""Originals as probed, and proxies frame for frame their originals."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from agile_shadow.core.errors import MediaError, ProxyError
from agile_shadow.core.media import SAMPLE_RATE, FrameReader, SoundReader, probe, read_index
from agile_shadow.core.media import index as index_module
from agile_shadow.core.media import opening as opening_module
from agile_shadow.core.media.probe import open_media
from agile_shadow.core.presets import CODECS, Proxies
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.stand_ins import CLIPS, ClipPlan
from agile_shadow.stand_ins.card import CUT_OFF, EMPTY, NOTE
from tests.drawn import draw
from tests.footage import code_in, codes, refusal

BY_SCENE = {plan.path: plan for plan in CLIPS}


def make(original: Path, target: Path, codec: str = "h264", scale: Fraction = Fraction(1, 2)) -> Path:
    settings = Proxies(scale=scale, codec=codec)
    return make_proxy(ProxyRequest(original, target, settings), lambda done: None).path


@pytest.mark.parametrize("plan", CLIPS, ids=lambda plan: Path(plan.path).stem)
def test_proxy_of_each_camera_is_frame_for_frame_its_original(plan: ClipPlan, drawn_card: Path, tmp_path: Path) -> None:
    original = drawn_card / plan.path
    proxy = make(original, tmp_path / "proxy.mov")
    before, after = probe(original), probe(proxy)
    assert codes(proxy) == codes(original) == [(plan.number, frame) for frame in range(before.frames)]
    assert (after.start_timecode, after.reel) == (before.start_timecode, before.reel)
    assert after.start_timecode == plan.timecode
    assert after.audio_channels == before.audio_channels
    assert after.display_aspect == pytest.approx(before.display_aspect, rel=0.004)
    assert not after.interlaced and after.rotation == 0
    with open_media(original) as first, open_media(proxy) as second:
        assert read_index(original, first.streams.video[0]).same_times(read_index(proxy, second.streams.video[0]))


@pytest.mark.parametrize("codec", [codec.name for codec in CODECS])
def test_each_codec_keeps_frames_shape_and_brightness(codec: str, drawn_card: Path, tmp_path: Path) -> None:
    plan = CLIPS[6]
    proxy = make(drawn_card / plan.path, tmp_path / "proxy.mov", codec)
    assert codes(proxy, 5) == [(plan.number, frame) for frame in range(0, 25, 5)]
    with FrameReader(drawn_card / plan.path) as original, FrameReader(proxy) as made:
        means = [
            reader.frame(7).reformat(width=64, height=36, format="gray").to_ndarray().mean()
            for reader in (original, made)
        ]
    assert abs(means[0] - means[1]) < 4


def test_any_frame_is_reached_in_any_order(drawn_card: Path) -> None:
    for plan in (CLIPS[3], CLIPS[2], CLIPS[7]):
        with FrameReader(drawn_card / plan.path) as reader:
            wanted = [20, 3, 4, 0, len(reader.index) - 1, 11]
            assert [code_in(reader, number) for number in wanted] == [(plan.number, number) for number in wanted]


def test_variable_rate_and_interlaced_and_rotation_are_recognised(drawn_card: Path) -> None:
    phone, camcorder, aerial = (probe(drawn_card / CLIPS[n].path) for n in (2, 3, 5))
    assert phone.variable_rate and phone.rotation == 90 and phone.display_height > phone.display_width
    assert camcorder.interlaced and camcorder.frame_rate == 25
    assert aerial.frame_rate == Fraction(24000, 1001) and aerial.audio_channels == 0


def test_sound_of_the_proxy_is_the_originals_at_the_same_moment(drawn_card: Path, tmp_path: Path) -> None:
    for plan in (CLIPS[0], CLIPS[3], CLIPS[6]):
        proxy = make(drawn_card / plan.path, tmp_path / f"{plan.number}.mov")
        first, second = (SoundReader(path).read(0, SAMPLE_RATE // 2) for path in (drawn_card / plan.path, proxy))
        assert np.abs(first).max() > 0.1
        assert np.abs(first - second).max() < 0.02
        loud = int(np.argmax(np.abs(first[:, 0]) > 0.1))
        assert loud < SAMPLE_RATE * 0.06  # the clunk comes with the lamp of frame 0


def test_what_is_not_whole_is_refused_in_one_sentence(drawn_card: Path, tmp_path: Path) -> None:
    assert "0 bytes" in refusal(lambda: probe(drawn_card / EMPTY))
    for path in (drawn_card / CUT_OFF, drawn_card / NOTE, tmp_path / "gone.mov", tmp_path):
        with pytest.raises(MediaError) as caught:
            probe(path)
        assert str(path) in str(caught.value)
    whole = (drawn_card / CLIPS[5].path).read_bytes()
    (tmp_path / "half.mov").write_bytes(_index_first(drawn_card / CLIPS[5].path, tmp_path)[: len(whole) // 2])
    assert "cut off" in refusal(lambda: probe(tmp_path / "half.mov"))


def _index_first(path: Path, folder: Path) -> bytes:
    """The file with its index before its frames, so that a cut loses frames only."""
    out = folder / "index_first.mov"
    with av.open(str(path)) as source, av.open(str(out), "w", options={"movflags": "faststart"}) as target:
        stream = target.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    return out.read_bytes()


def test_a_proxy_never_replaces_a_file_and_leaves_nothing_half_made(drawn_card: Path, tmp_path: Path) -> None:
    target = tmp_path / "proxy.mov"
    target.write_text("somebody's")
    with pytest.raises(ProxyError):
        make(drawn_card / CLIPS[0].path, target)
    assert target.read_text() == "somebody's"
    with pytest.raises(MediaError):
        make(drawn_card / CUT_OFF, tmp_path / "other.mov")
    assert [path.name for path in tmp_path.iterdir() if path.is_file()] == ["proxy.mov"]


@pytest.mark.parametrize("opening", [open_media, FrameReader, probe])
def test_a_file_that_goes_while_it_is_opened_is_said_to_be_gone_not_damaged(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, opening: Any
) -> None:
    path = draw(tmp_path / "a.mov", 12)
    with monkeypatch.context() as meanwhile:
        looked = opening_module._refuse_empty
        meanwhile.setattr(opening_module, "_refuse_empty", lambda part, several: (looked(part, several), part.unlink()))
        with pytest.raises(MediaError, match="not there"):
            opening(path)
    draw(path, 12)
    with monkeypatch.context() as meanwhile:
        table = index_module._from_table
        meanwhile.setattr(index_module, "_from_table", lambda path, stream: (path.unlink(), table(path, stream))[1])
        if opening is not open_media:
            with pytest.raises(MediaError, match="not there"):
                opening(path)
