"""Decoding with less work while playing: what passes by may be softer, what stands never is."""

from __future__ import annotations

import threading
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from agile_shadow.core.compositing import Compositor, Window, sketched
from agile_shadow.core.compositing import compositor as compositor_module
from agile_shadow.core.errors import MediaError
from agile_shadow.core.media import FrameReader, to_bgra
from agile_shadow.core.media.lightening import Light, light_at
from agile_shadow.core.playback import ClipProgram
from agile_shadow.core.project import Project, load_project
from agile_shadow.core.switch import Presence, choose
from agile_shadow.stand_ins import read_code
from tests.core.test_playback import Watched, code, named
from tests.core.test_sketches import picture_of_sketch
from tests.footage import NUMBERS
from tests.pairs import leave

FRAMES = 40
LEVELS = np.arange(FRAMES) * 5 + 20


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """The same moving picture in several codecs, frame k as bright as level k of LEVELS; with frames in between that
    nothing refers to."""
    folder, made = tmp_path_factory.mktemp("light"), {}
    rng = np.random.default_rng(3)
    grain, groups = rng.integers(-18, 18, (144, 256)), "keyint=12:bframes=2:b-adapt=0"
    codecs = {
        "h264": ("libx264", "yuv420p", {"preset": "medium", "crf": "34", "x264-params": f"{groups}:b-pyramid=none"}),
        "hevc": ("libx265", "yuv420p", {"preset": "fast", "crf": "34",
                                        "x265-params": f"{groups}:b-pyramid=0:log-level=0"}),
        "mjpeg": ("mjpeg", "yuvj420p", {}), "jpeg2000": ("jpeg2000", "yuv420p", {}),
        "prores": ("prores_ks", "yuv422p10le", {}),
    }  # fmt: skip
    for name, (encoder, pixels, options) in codecs.items():
        made[name] = folder / f"{name}.mov"
        with av.open(str(made[name]), "w") as out:
            stream = out.add_stream(encoder, rate=25, options=options)
            stream.width, stream.height, stream.pix_fmt = 256, 144, pixels
            for number in range(FRAMES):
                picture = np.clip(LEVELS[number] + np.roll(grain, 3 * number, 1), 0, 255).astype(np.uint8)
                out.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="gray").reformat(format=pixels)))
            out.mux(stream.encode(None))
    return made


def greys(path: Path, light: Light) -> list[Any]:
    with FrameReader(path, light=light) as reader:
        return [reader.frame(number).to_ndarray(format="gray").astype(int) for number in range(FRAMES)]


def brightest(picture: Any) -> int:
    """Which of the drawn frames a picture is."""
    return int(np.abs(LEVELS - picture.mean()).argmin())


@pytest.mark.parametrize("codec", ["h264", "hevc"])
def test_without_the_loop_filter_every_frame_is_itself_and_softly_off(clips: dict[str, Path], codec: str) -> None:
    whole, light = greys(clips[codec], Light.WHOLE), greys(clips[codec], Light.UNSMOOTHED)
    assert [brightest(one) for one in whole] == [brightest(one) for one in light] == list(range(FRAMES))
    off = [np.abs(one - other).mean() for one, other in zip(whole, light, strict=True)]
    assert 0 < max(off) < 6


@pytest.mark.parametrize("codec", ["h264", "hevc"])
def test_what_nothing_refers_to_is_stood_for_by_the_next_and_nothing_is_sought(
    clips: dict[str, Path], codec: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    sought: list[int] = []
    seek = FrameReader._seek
    monkeypatch.setattr(FrameReader, "_seek", lambda self, number: (sought.append(number), seek(self, number))[1])
    numbers = [brightest(one) for one in greys(clips[codec], Light.THINNED)]
    assert sought == [0] and len(set(numbers)) < FRAMES - 8  # some were left out
    assert all(-2 <= shown - number <= 2 for number, shown in enumerate(numbers)) and numbers == sorted(numbers)
    with FrameReader(clips[codec], light=Light.THINNED) as reader:
        for number in (30, 5, FRAMES - 1, 0, 17):
            assert abs(brightest(reader.frame(number).to_ndarray(format="gray").astype(int)) - number) <= 2


def test_a_codec_that_has_nothing_to_leave_out_gives_the_same(clips: dict[str, Path]) -> None:
    for codec, lights in (("mjpeg", [Light.HALVED]), ("h264", [Light.HALVED]), ("prores", list(Light))):
        whole = greys(clips[codec], Light.WHOLE)
        for light in lights:
            assert all((one == other).all() for one, other in zip(whole, greys(clips[codec], light), strict=True))


@pytest.mark.parametrize(("codec", "light", "part"), [
    ("mjpeg", Light.UNSMOOTHED, 4), ("mjpeg", Light.THINNED, 4), ("jpeg2000", Light.HALVED, 2),
    ("jpeg2000", Light.THINNED, 4),
])  # fmt: skip
def test_a_smaller_picture_is_taken_from_a_frame_that_holds_one(
    clips: dict[str, Path], codec: str, light: Light, part: int
) -> None:
    small = greys(clips[codec], light)
    assert {one.shape for one in small} == {(144 // part, 256 // part)}
    assert [brightest(one) for one in small] == list(range(FRAMES))  # each frame, none in the place of another
    with FrameReader(clips[codec], light=light) as reader:
        assert [brightest(reader.frame(number).to_ndarray(format="gray")) for number in (30, 2, 39)] == [30, 2, 39]


def test_the_matrix_of_a_smaller_picture_is_that_of_the_whole(tmp_path: Path) -> None:
    path = tmp_path / "a.mov"  # says no matrix: BT.709 by its lines, and a quarter of them would be BT.601
    red = np.full((720, 64, 3), (200, 30, 30), np.uint8)
    with av.open(str(path), "w") as out:
        stream = out.add_stream("jpeg2000", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 720, "yuv422p"
        frame = av.VideoFrame.from_ndarray(red, format="rgb24").reformat(format="yuv422p", dst_colorspace="ITU709")
        out.mux([*stream.encode(frame), *stream.encode(None)])
    shown = []
    for light in (Light.WHOLE, Light.HALVED, Light.UNSMOOTHED):
        with FrameReader(path, light=light) as reader:
            shown.append(to_bgra(reader.frame(0), 16, 180).mean(axis=(0, 1))[:3])
    assert np.abs(shown[0] - shown[1]).max() < 1.5 and np.abs(shown[0] - shown[2]).max() < 1.5
    assert np.abs(shown[0] - (30, 30, 200)).max() < 4


def test_a_file_that_holds_no_smaller_picture_is_read_whole(
    clips: dict[str, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    real = FrameReader._decode_to

    def refuse(self: FrameReader, number: int, overtaken: Any) -> Any:
        if self._lines is not None:
            raise av.error.InvalidDataError(1, "reduction factor too large")
        return real(self, number, overtaken)

    monkeypatch.setattr(FrameReader, "_decode_to", refuse)
    assert {one.shape for one in greys(clips["jpeg2000"], Light.HALVED)} == {(144, 256)}
    (cut := clips["mjpeg"].with_name("cut.mov")).write_bytes(clips["mjpeg"].read_bytes()[:-9000])
    monkeypatch.undo()
    with pytest.raises(MediaError):
        greys(cut, Light.UNSMOOTHED)


@pytest.mark.parametrize("codec", ["mjpeg", "jpeg2000"])
def test_what_is_played_smaller_lies_where_the_whole_lies_and_what_stands_is_whole(
    codec: str, tmp_path: Path
) -> None:
    (tmp_path / "card").mkdir()
    waves = 128 + 100 * np.sin(np.arange(384) / 14)[None, :] * np.cos(np.arange(216) / 11)[:, None]
    with av.open(str(tmp_path / "card" / "A001.mov"), "w") as out:
        stream = out.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 384, 216, "yuv420p" if codec == "jpeg2000" else "yuvj420p"
        for _number in range(12):
            picture = av.VideoFrame.from_ndarray(waves.astype(np.uint8), format="gray")
            out.mux(stream.encode(picture.reformat(format=stream.pix_fmt)))
        out.mux(stream.encode(None))
    leave(tmp_path / "card", tmp_path / "film.otio")
    project = load_project(tmp_path / "film.otio").but(showing="originals")
    program, window = ClipProgram.of(project.clips[0]), Window.all_of((64, 36))
    compositor = Compositor(Presence(), limit=9)
    try:
        pictures = [
            compositor.picture(project, program.steps(7), program.aspect, window, light=light).pixels.astype(int)
            for light in (Light.WHOLE, Light.THINNED)
        ]
        assert opened(compositor) == {"A001": {Light.WHOLE, Light.UNSMOOTHED}}
        compositor.files.device_of = lambda info: "a device"
        choice = choose(project, project.clips[0], Presence(), Fraction(0))
        assert compositor.files.how(choice, Light.THINNED) == (Light.WHOLE, "a device")
    finally:
        compositor.close()
    whole, small = (one[4:-4, 4:-4, 1] for one in pictures)
    off = {
        (axis, by): float(np.abs(whole - np.roll(pictures[1], by, axis)[4:-4, 4:-4, 1]).mean())
        for axis in (0, 1) for by in (-1, 1)
    }  # fmt: skip
    assert min(off.values()) > 1.5 * np.abs(whole - small).mean() and abs(whole.mean() - small.mean()) < 4


def test_what_may_be_left_out_at_which_detail() -> None:
    one, half, quarter, eighth = (Fraction(1, part) for part in (1, 2, 4, 8))
    for detail in (one, half, quarter, eighth):
        assert light_at(detail, Fraction(0)) == Light.WHOLE
    assert light_at(one, one) == light_at(one, -one) == Light.WHOLE
    assert light_at(half, one) == light_at(half, -one) == Light.HALVED
    assert light_at(quarter, one) == light_at(quarter, -one) == light_at(eighth, -one) == Light.UNSMOOTHED
    assert light_at(eighth, one) == Light.THINNED


@pytest.fixture
def project(film: Path) -> Project:
    return load_project(film)


def opened(compositor: Compositor) -> dict[str, set[Light]]:
    """The files open, by name, and what their decoding leaves out."""
    found: dict[str, set[Light]] = {}
    for file in compositor.files._files:
        found.setdefault(file.path.stem, set()).add(file.light)
    return found


def test_only_originals_of_such_codecs_are_lightened(project: Project) -> None:
    compositor, window = Compositor(Presence(), limit=9), Window.all_of((240, 136))
    try:
        for side in ("originals", "proxies"):
            for name in ("A001C002", "PCK_0007", "00004"):  # HEVC, H.264, interlaced H.264
                program = ClipProgram.of(named(project, name))
                shown = project.but(showing=side)  # type: ignore[arg-type]
                compositor.picture(shown, program.steps(5), program.aspect, window, light=Light.UNSMOOTHED)
            if side == "originals":
                assert opened(compositor) == {
                    "A001C002": {Light.UNSMOOTHED}, "PCK_0007": {Light.UNSMOOTHED}, "00004": {Light.WHOLE},
                }  # fmt: skip
                compositor.close()
        assert all(lights == {Light.WHOLE} for lights in opened(compositor).values()) and opened(compositor)
    finally:
        compositor.close()


def test_a_picture_that_stands_after_playing_lightly_is_the_whole_one(project: Project) -> None:
    watched = Watched()
    try:
        player = watched.player
        player.show(ClipProgram.of(named(project, "A001C002")), project, 0)
        watched.picture()
        player.see(replace(player.view, detail=Fraction(1, 8)))
        player.play()
        tick = threading.Event()
        while (picture := player.take_due()) is None or picture.frame < 3:
            tick.wait(0.003)
        lights = {file.light for file in player.lanes._by_side["originals"]._compositor.files._files}
        assert Light.THINNED in lights
        player.stop()
        stood = watched.picture()
        while stood.pixels is None or stood.sketch or stood.pixels.shape[0] < 300:
            stood = watched.picture()
        assert stood.frame == player.position and code(stood) == (NUMBERS["A001C002"], stood.frame)
        plain = Compositor(Presence())
        program = ClipProgram.of(named(project, "A001C002"))
        wanted = plain.picture(project, program.steps(stood.frame), program.aspect, player.window())
        plain.close()
        assert (stood.pixels == wanted.pixels).all()
    finally:
        watched.player.close()


def test_no_key_frame_covers_the_frame_that_playing_stopped_at(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sketched, "_QUICK", 0.0)  # every file counts as slow
    picture_of_sketch(project, "A001C002")
    watched = Watched()
    try:
        player, came = watched.player, []
        player.show(ClipProgram.of(named(project, "A001C002")), project, 0)
        while watched.picture().sketch:
            pass
        player.play()
        tick = threading.Event()
        while (picture := player.take_due()) is None or picture.frame < 3:
            tick.wait(0.003)
        monkeypatch.setattr(type(player), "position", picture.frame)  # the clock stands where the picture is
        put = player._handover.put
        monkeypatch.setattr(player._handover, "put", lambda one, asked: (came.append((one, asked)), put(one, asked))[1])
        player.stop()
        while watched.picture().frame != picture.frame:
            pass
        standing = [one.sketch for one, asked in came if not asked.speed and not asked.warm]
        assert standing == [False]
        came.clear()
        player.seek(picture.frame)  # not from playing: its key frame comes first
        monkeypatch.setattr(type(player), "position", picture.frame + 5)
        player.seek(picture.frame + 5)
        while watched.picture().sketch:
            pass
        assert any(one.sketch for one, _asked in came)
    finally:
        watched.player.close()


@pytest.mark.parametrize("speed", [4, -1])
def test_shuttling_over_a_heavy_original_shows_its_key_frames_and_decodes_nothing(
    project: Project, speed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sketched, "_QUICK", 0.0)
    picture_of_sketch(project, "A001C002")
    clip = named(project, "A001C002")
    program = ClipProgram.of(clip)
    watched = Watched()
    try:
        player, decoded = watched.player, []
        player.show(program, project, program.length - 1 if speed < 0 else 0)
        while watched.picture().sketch:
            pass
        frame = FrameReader.frame
        monkeypatch.setattr(
            FrameReader, "frame", lambda self, *rest: (decoded.append(self.path), frame(self, *rest))[1]
        )
        monkeypatch.setattr(player.lanes._by_side["originals"]._compositor.paces, "ratio", lambda path: 0.4)
        player.play(Fraction(speed))
        tick, seen = threading.Event(), []
        while not player.at_end():
            if (picture := player.take_due()) is not None:
                seen.append(picture)
            tick.wait(0.003)
        assert seen and all(one.sketch and one.mark == "ORIGINAL, KEY FRAME" for one in seen)
        assert project.path(clip.original.file) not in decoded
        frames = [one.frame for one in seen]
        assert frames == sorted(frames, reverse=speed < 0)
        assert all(read_code(one.pixels[..., 1]) is not None for one in seen if one.pixels is not None)
    finally:
        watched.player.close()


def test_at_its_own_speed_or_where_decoding_keeps_up_frames_are_decoded(
    project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sketched, "_QUICK", 0.0)
    picture_of_sketch(project, "A001C002")
    program, compositor = ClipProgram.of(named(project, "A001C002")), Compositor(Presence())

    def seen(speed: int, pace: float | None) -> bool:
        """Of a file that was opened, whose frames need others."""
        monkeypatch.setattr(compositor.paces, "ratio", lambda path: pace)
        window = Window.all_of((240, 136))
        return compositor.sketched(project, program.steps(5), program.aspect, window, Fraction(speed)) is not None

    compositor.picture(project, program.steps(5), program.aspect, Window.all_of((240, 136)))
    (file,) = compositor.files._files
    assert seen(4, 3.9) and not seen(4, 4.1) and not seen(2, 3.0) and seen(-1, 9.0)
    assert not seen(4, None), "a file that was not played yet is decoded, and found out about"
    monkeypatch.setattr(type(file.reader.index), "intra", True)
    assert not seen(8, 2.1) and seen(8, 1.9), "of frames that stand alone only those are decoded that are shown"
    compositor.close()


def test_what_a_frame_is_shown_from_is_asked_once(
    project: Project, film: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []

    def counted(project: Project, *more: Any) -> Any:
        asked.append(project.showing)
        return choose(project, *more)

    monkeypatch.setattr(compositor_module, "choose", counted)
    program, presence = ClipProgram.of(named(project, "PCK_0007")), Presence()
    compositor, window = Compositor(presence, limit=9), Window.all_of((240, 136))
    try:
        def kind(shown: Project) -> str:
            compositor.sketched(shown, program.steps(5), program.aspect, window)
            drawn = compositor.picture(shown, program.steps(5), program.aspect, window)
            return drawn.shown[0].choice.kind

        proxies = project.but(showing="proxies")
        assert kind(proxies) == kind(proxies) == "proxy" and asked == ["proxies"]
        assert kind(project.but(showing="originals")) == "original" and len(asked) == 2
        proxy = project.place_or_none(named(project, "PCK_0007").proxies[-1].file)
        assert proxy is not None and kind(proxies) == "proxy"
        presence.tell(proxy, False)
        assert kind(proxies) == "original", "it went meanwhile"
        presence.tell(proxy, True)
        assert kind(proxies) == "proxy"
        for frame in range(300):
            compositor.sketched(proxies, program.steps(frame % program.length), program.aspect, window)
        assert len(compositor._chosen) <= 65
    finally:
        compositor.close()
