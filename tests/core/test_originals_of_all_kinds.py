"""Originals of every kind, made here, turned into proxies and read back: frames, times, timecode, shape, channels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from agile_shadow.core.media import FrameReader, MediaInfo, probe, read_index, to_bgra
from agile_shadow.core.media.probe import open_media
from agile_shadow.core.presets import CODECS, Attached, Mark, Proxies, attach
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.stand_ins.code_strip import cells_for, read_code

FILM, NTSC = Fraction(24000, 1001), Fraction(30000, 1001)


@dataclass(frozen=True)
class Kind:
    """How an original is encoded."""

    width: int = 640
    height: int = 360
    rate: Fraction = Fraction(25)
    codec: str = "libx264"
    pixels: str = "yuv420p"
    timecode: str | None = None
    channels: tuple[str, ...] = ()
    aspect: Fraction = Fraction(1)
    options: tuple[tuple[str, str], ...] = ()
    rotated: bool = False
    variable: bool = False
    interlaced: bool = False
    frames: int = 26


KINDS = {
    "interlaced": Kind(720, 576, aspect=Fraction(16, 15), interlaced=True,
                       options=(("flags", "+ildct+ilme"), ("x264-params", "tff=1"))),
    "portrait by its rotation flag": Kind(rotated=True),
    "variable rate": Kind(variable=True, channels=("mono",)),
    "anamorphic": Kind(960, 540, aspect=Fraction(4, 3)),
    "film rate with timecode": Kind(rate=FILM, timecode="01:00:12:05"),
    "drop-frame timecode": Kind(rate=NTSC, timecode="00:00:59;20"),
    "eight channels": Kind(channels=("mono",) * 8),
    "eight in one stream": Kind(channels=("7.1",)),
    "no sound": Kind(),
    "10 bit": Kind(codec="libx265", pixels="yuv422p10le", options=(("x265-params", "log-level=none"),)),
    "with alpha": Kind(codec="prores_ks", pixels="yuva444p10le", options=(("profile", "4444"),)),
}  # fmt: skip


def pixels_of(kind: Kind, number: int) -> np.ndarray:
    """RGB (height, width, 3): a slope, with the frame's number as a strip of cells."""
    picture = np.zeros((kind.height, kind.width, 3), np.uint8)
    picture[:] = np.linspace(30, 220, kind.width)[None, :, None]
    picture[:, :, 2] = 60 + 2 * number
    upright = np.rot90(picture, -1) if kind.rotated else picture
    height, width = upright.shape[:2]
    strip = max(4, height // 30 // 2 * 2)
    edges = np.linspace(0, width, 25).round().astype(int)
    for cell, left, right in zip(cells_for(9, number), edges, edges[1:], strict=False):
        upright[:strip, left:right] = 235 if cell else 16
    return np.ascontiguousarray(np.rot90(upright, 1) if kind.rotated else upright)


def draw(kind: Kind, path: Path) -> Path:
    with av.open(str(path), "w", format="mov") as container:
        stream = container.add_stream(kind.codec, rate=kind.rate, options=dict(kind.options))
        stream.width, stream.height, stream.pix_fmt = kind.width, kind.height, kind.pixels
        stream.codec_context.sample_aspect_ratio = kind.aspect
        ticks = Fraction(1, 90_000) if kind.variable else 1 / kind.rate
        stream.codec_context.time_base = stream.time_base = ticks
        stream.codec_context.color_primaries = stream.codec_context.color_trc = stream.codec_context.colorspace = 1
        if kind.rotated:
            stream.set_display_rotation(-90)
        if kind.timecode:
            stream.metadata["timecode"] = kind.timecode
        sounds = [container.add_stream("pcm_s24le", rate=48_000, layout=layout) for layout in kind.channels]
        for number in range(kind.frames):
            frame = av.VideoFrame.from_ndarray(pixels_of(kind, number), format="rgb24")
            frame = frame.reformat(format=kind.pixels, dst_colorspace="itu709")
            frame.pts = number * 3600 + number % 3 * 500 if kind.variable else number
            frame.time_base = ticks
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)
        for order, sound in enumerate(sounds):
            tone(container, sound, order, kind)
    return path


def tone(container: av.container.OutputContainer, sound: av.AudioStream, order: int, kind: Kind) -> None:
    samples = round(48_000 * kind.frames / kind.rate)
    level = 0.05 * (order + 1)
    wave = np.full((1, samples * sound.codec_context.layout.nb_channels), level, np.float32)
    frame = av.AudioFrame.from_ndarray(wave, format="flt", layout=sound.codec_context.layout.name)
    frame.sample_rate, frame.pts, frame.time_base = 48_000, 0, Fraction(1, 48_000)
    for packet in [*sound.encode(frame), *sound.encode(None)]:
        container.mux(packet)


def proxy_of(original: Path, settings: Proxies, **more: object) -> Path:
    target = original.with_name(f"proxy-{settings.codec}-{len(list(original.parent.iterdir()))}.mov")
    return make_proxy(ProxyRequest(original, target, settings, **more), lambda done: None).path  # type: ignore[arg-type]


def numbers(path: Path, info: MediaInfo) -> list[int | None]:
    with FrameReader(path) as reader:
        found = []
        for number in range(len(reader.index)):
            picture = to_bgra(reader.frame(number), info.display_width, info.display_height)
            code = read_code(picture[..., 1])
            found.append(code[1] if code else None)
    return found


@pytest.mark.parametrize("name", KINDS)
def test_a_proxy_of_each_kind_is_right(name: str, tmp_path: Path) -> None:
    kind = KINDS[name]
    original = draw(kind, tmp_path / "original.mov")
    for codec in ("h264", "dnxhr-lb"):
        proxy = proxy_of(original, Proxies(scale=Fraction(1, 2), codec=codec))  # type: ignore[arg-type]
        _is_right(kind, original, proxy)


def _is_right(kind: Kind, original: Path, proxy: Path) -> None:
    before, after = probe(original), probe(proxy)
    assert after.frames == before.frames == kind.frames
    assert numbers(proxy, after) == list(range(kind.frames))
    with open_media(original) as first, open_media(proxy) as second:
        assert read_index(original, first.streams.video[0]).same_times(read_index(proxy, second.streams.video[0]))
    assert after.frame_rate == before.frame_rate
    assert after.start_timecode == before.start_timecode == kind.timecode
    assert [stream.channels for stream in after.audio] == [stream.channels for stream in before.audio]
    shape = Fraction(kind.width, kind.height) * kind.aspect
    assert after.display_aspect == (1 / shape if kind.rotated else shape) == before.display_aspect
    assert after.pixel_aspect == 1 and after.rotation == 0 and not after.interlaced


def slope_cube(function: Callable[[np.ndarray], np.ndarray], side: int = 9) -> bytes:
    axis = np.linspace(0, 1, side)
    rows = [function(np.array([r, g, b])) for b in axis for g in axis for r in axis]
    return f"LUT_3D_SIZE {side}\n".encode() + b"\n".join(b"%f %f %f" % tuple(row) for row in rows) + b"\n"


def test_a_lut_is_baked_into_a_ten_bit_original(tmp_path: Path) -> None:
    (tmp_path / "swap.cube").write_bytes(slope_cube(lambda rgb: np.array([1 - rgb[0], rgb[1] * 0.5, rgb[2]])))
    original = draw(KINDS["10 bit"], tmp_path / "original.mov")
    settings = Proxies(scale=Fraction(1, 2), codec="prores-lt", lut=attach(tmp_path / "swap.cube"))
    with FrameReader(original) as first, FrameReader(proxy_of(original, settings)) as second:
        before, after = (to_bgra(reader.frame(20), 320, 180).astype(float) for reader in (first, second))
    area = np.s_[30:170, 10:310]
    assert np.abs(after[area][..., 2] - (255 - before[area][..., 2])).mean() < 4  # red is turned round
    assert np.abs(after[area][..., 1] - before[area][..., 1] / 2).mean() < 4
    assert np.abs(after[area][..., 0] - before[area][..., 0]).mean() < 4


def test_an_original_without_colour_tags_keeps_its_colours_at_a_small_size(tmp_path: Path) -> None:
    path = tmp_path / "untagged.mov"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "5"})
        stream.width, stream.height, stream.pix_fmt = 1280, 720, "yuv420p"
        green = np.zeros((720, 1280, 3), np.uint8)
        green[:] = (20, 200, 60)
        for _ in range(5):
            frame = av.VideoFrame.from_ndarray(green, format="rgb24").reformat(
                format="yuv420p", dst_colorspace="itu709"
            )
            frame.colorspace = 2
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)
    for codec in CODECS:
        settings = Proxies(scale=Fraction(1, 4), codec=codec.name)  # type: ignore[arg-type]
        with FrameReader(path) as first, FrameReader(proxy_of(path, settings)) as second:
            before, after = (to_bgra(reader.frame(2), 64, 36)[18, 32, :3].astype(int) for reader in (first, second))
        assert np.abs(before - after).max() <= 6 and abs(int(before[1]) - 200) <= 4, codec.name


def test_sound_is_kept_mixed_or_left_out(tmp_path: Path) -> None:
    original = draw(KINDS["eight channels"], tmp_path / "original.mov")
    mixed, silent = (
        probe(proxy_of(original, Proxies(codec="h264", scale=Fraction(1, 2), sound=sound)))  # type: ignore[arg-type]
        for sound in ("stereo", "none")
    )
    assert [stream.channels for stream in mixed.audio] == [2] and silent.audio == ()


@pytest.mark.parametrize("codec", ["h264", "h264-intra", "mjpeg"])
def test_a_data_rate_is_kept_to(codec: str, tmp_path: Path) -> None:
    noisy = tmp_path / "noisy.mov"
    random = np.random.default_rng(3)
    with av.open(str(noisy), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "10", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = 640, 360, "yuv420p"
        for _ in range(75):
            whole = random.integers(100, 140, (360, 640, 3), np.uint8)
            for packet in stream.encode(av.VideoFrame.from_ndarray(whole, format="rgb24")):
                container.mux(packet)
        for packet in stream.encode(None):
            container.mux(packet)
    settings = Proxies(scale=Fraction(1), codec=codec, megabits=10)  # type: ignore[arg-type]
    proxy = proxy_of(noisy, settings)
    assert 5e6 < proxy.stat().st_size * 8 / 3 < 12e6


def test_an_intra_proxy_can_be_entered_at_every_frame(tmp_path: Path) -> None:
    original = draw(Kind(), tmp_path / "original.mov")
    for codec, intra in (("h264-intra", True), ("h264", False), ("cineform", True), ("mjpeg", True)):
        with FrameReader(proxy_of(original, Proxies(scale=Fraction(1), codec=codec))) as reader:  # type: ignore[arg-type]
            assert reader.index.intra is intra


def test_a_part_is_made_for_a_trial(tmp_path: Path) -> None:
    original = draw(Kind(timecode="10:00:00:00", channels=("mono",)), tmp_path / "original.mov")
    part = proxy_of(original, Proxies(scale=Fraction(1, 2), codec="h264"), part=(12, 10))
    info = probe(part)
    assert numbers(part, info) == list(range(12, 22)) and info.start_timecode == "10:00:00:12"
    assert abs(sum(f.samples for f in av.open(str(part)).decode(audio=0)) - 48_000 * 10 / 25) <= 1


def test_a_picture_mark_lies_where_it_was_put(tmp_path: Path) -> None:
    red = av.VideoFrame.from_ndarray(np.full((40, 80, 3), (255, 0, 0), np.uint8), format="rgb24")
    red.to_image().save(tmp_path / "red.png")
    mark = Mark(kind="picture", picture=attach(tmp_path / "red.png"), x=1, y=0.5, size=0.2, opacity=1)
    assert isinstance(mark.picture, Attached)
    original = draw(Kind(), tmp_path / "original.mov")
    with FrameReader(proxy_of(original, Proxies(scale=Fraction(1, 2), codec="prores-lt", marks=(mark,)))) as reader:
        picture = to_bgra(reader.frame(3), 320, 180)
    assert (picture[90, 290, 2] > 220) and (picture[90, 290, 1] < 40)
    assert picture[90, 200, 1] > 60
