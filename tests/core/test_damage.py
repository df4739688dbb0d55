"""Damaged and odd footage: what is told of it, by probing, by the report, by the proof, on the command line."""

from __future__ import annotations

import struct
from concurrent.futures import Future
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from benchmarks.zoo import patching
from benchmarks.zoo.drawing import CLICKS, Drawn, Voice, draw
from benchmarks.zoo.judging import clicks_in, see
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.compositing import Mixer
from agile_shadow.core.errors import ExportError, MediaError, ShadowError, WorkerDied
from agile_shadow.core.film import final_check, make_film, plain_film
from agile_shadow.core.ingest.board import Progress
from agile_shadow.core.ingest.copying import CopyRequest
from agile_shadow.core.ingest.source import read_source
from agile_shadow.core.jobs import WorkerPool
from agile_shadow.core.media import FrameIndex, MediaInfo, probe
from agile_shadow.core.media.asking import Question, tell
from agile_shadow.core.media.geometry import size_of_height
from agile_shadow.core.media.oddities import frames_in_words, gap_words
from agile_shadow.core.media.opening import open_media
from agile_shadow.core.media.origin import picture_origin
from agile_shadow.core.media.packets import Gap, packets_of
from agile_shadow.core.media.samples import samples_of
from agile_shadow.core.media.sequence import grouped, member_name
from agile_shadow.core.media.whole import damage_words, look_through
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.playback import TimelineProgram
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import Project, load_project
from agile_shadow.core.proof.colour import Coded, ColourPair, _told
from agile_shadow.core.proof.hearing import listen
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.proof.witness import frames_wrong, gap_ends, is_doubtful
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.core.proxies.sizes import proxy_pixels, shape_error
from agile_shadow.core.proxies.transcode import Transcode
from agile_shadow.core.switch import Choice
from agile_shadow.core.timeline import append
from tests.footage import here, ingest

FAST = {"preset": "ultrafast", "g": "12"}
HALF = Proxies(codec="h264", scale=Fraction(1, 2))


def quiet(done: float) -> None:
    pass


def info_of(width: int, height: int) -> MediaInfo:
    return MediaInfo(
        "video", "mov", 1, Fraction(1), width=width, height=height, display_width=width, display_height=height,
        frame_rate=Fraction(25), frames=25,
    )  # fmt: skip


def silence(path: Path, samples: int) -> Path:
    with av.open(str(path), "w") as out:
        stream = out.add_stream("pcm_s16le", rate=48_000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, samples), np.int16), layout="mono")
        frame.sample_rate = 48_000
        out.mux(stream.encode(frame))
    return path


# What is told


@pytest.mark.parametrize(
    ("ending", "codec", "pixels", "part"),
    [("mkv", "libx264", "yuv420p", 0.5), ("mxf", "mpeg2video", "yuv420p", 0.6), ("avi", "mpeg4", "yuv420p", 0.6)],
)
def test_a_file_that_is_cut_off_says_how_much_is_there(
    tmp_path: Path, ending: str, codec: str, pixels: str, part: float
) -> None:
    options = {"g": "12", "b": "6M"} if codec != "libx264" else FAST
    path = draw(Drawn(ending, codec, pixels, options=options), tmp_path / "whole")
    assert probe(path).damage == ""
    cut = patching.cut_off(part)(path)
    found = probe(cut)
    assert found.damage == f"cut off: {found.frames} of {'some ' if ending != 'avi' else ''}50 frames are there"
    assert 5 < found.frames < 45


def test_a_sound_file_that_is_cut_off_is_told_too(tmp_path: Path) -> None:
    path = silence(tmp_path / "a.wav", 96_000)
    assert probe(path).damage == ""
    cut = patching.cut_off(0.5)(path)
    assert probe(cut).damage == "cut off: a part of its sound is not there"


def test_what_is_odd_is_said_and_what_is_usual_is_not(tmp_path: Path) -> None:
    plain = draw(Drawn("mp4", options=FAST, voices=(Voice("aac", bit_rate=128_000),)), tmp_path / "plain")
    assert probe(plain).odd == ()
    holes = draw(Drawn("mkv", options=FAST, voices=(Voice(gaps=((0.7, 0.3),)),)), tmp_path / "holes")
    assert [text[:36] for text in probe(holes).odd] == ["its sound has a gap of 0.30 s at 0.7"]
    late = draw(Drawn("mkv", options=FAST, voices=(Voice(late=0.25),)), tmp_path / "late")
    assert probe(late).odd == ("its sound begins 0.25 s after its picture",)
    untagged = draw(Drawn("mkv", options=FAST, colours=(2, 2, 2, 1)), tmp_path / "untagged")
    assert probe(untagged).odd == ("its colours are not tagged: BT.601 is assumed",)
    times = tuple(Fraction(k * k, 1000) for k in range(5, 40))
    uneven = draw(Drawn("mkv", options=FAST, times=times), tmp_path / "uneven")
    assert "its frame rate is variable" in probe(uneven).odd
    edited = patching.edit_list([(30, 17)])(draw(Drawn("mp4", options=FAST), tmp_path / "edited"))
    assert "an edit list shows a part of what was recorded" in probe(edited).odd
    kept = probe(edited)
    assert MediaInfo.from_json(kept.to_json()) == kept == MediaInfo.from_json(kept.to_brief_json())


def test_gaps_and_frames_in_words() -> None:
    gaps = [Gap(Fraction(k), Fraction(1, 2)) for k in range(6)]
    said = gap_words(gaps, Fraction(2))
    assert said[0] == "its sound has a gap of 0.50 s at 0.00 s" and said[-1] == "its sound has 1 more gap"
    assert frames_in_words([7]) == "frame 7" and frames_in_words([1, 2, 9]) == "frames 1, 2 and 9"
    assert frames_in_words(list(range(4, 20))) == "16 frames, the first of them 4"
    assert damage_words((), 0) == "" and damage_words((3,), 2) == "frame 3 cannot be decoded whole"
    assert damage_words((), 1, 2) == "one packet cannot be decoded, and its sound cannot be decoded at 2 places"


def test_the_command_line_says_what_is_odd_and_what_is_damaged(tmp_path: Path) -> None:
    path = draw(Drawn("mov", "prores_ks", "yuv422p10le"), tmp_path / "a")
    assert here("probe", path)[0] == 0 and here("probe", "--whole", path)[1]["files"][0]["damage"] == ""
    patching.scratched((5, 9))(path)
    assert here("probe", path)[0] == 0  # the container is whole
    status, answer, _said = here("probe", "--whole", path)
    assert status == 1 and answer["files"][0]["damage"] == "frames 5 and 9 cannot be decoded whole"
    cut = patching.cut_off(0.5)(draw(Drawn("mkv", options=FAST), tmp_path / "b"))
    assert here("probe", cut)[0] == 1
    with pytest.raises(MediaError):
        tell(Question(tmp_path / "none.mov"), quiet)


def test_probing_ends_in_a_sentence_when_the_reader_dies(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = draw(Drawn("mkv", options=FAST, frames=5), tmp_path / "a")

    def died(self: WorkerPool, *arguments: Any, **named: Any) -> Future[Any]:
        future: Future[Any] = Future()
        future.set_exception(WorkerDied("the worker process ended without an answer"))
        return future

    monkeypatch.setattr(WorkerPool, "submit", died)
    status, answer, said = here("probe", path)
    assert status == 1 and "Traceback" not in said
    assert "stopped the process that read it" in answer["failed"][0]["reason"]


@pytest.mark.parametrize("part", [0.31, 0.47, 0.6])
def test_a_stream_that_begins_in_the_middle_is_no_damage(tmp_path: Path, part: float) -> None:
    options = {"g": "12", "bf": "2", "preset": "veryfast", "x264-params": "open-gop=1", "sc_threshold": "0"}
    how = Drawn("ts", options=options, voices=(Voice("aac", bit_rate=128_000),))
    path = draw(how, tmp_path / "a")
    data = path.read_bytes()
    path.write_bytes(data[int(len(data) * part) // 188 * 188 :])
    info = probe(path)
    assert info.damage == "" and 10 < info.frames < 40
    made = make_proxy(ProxyRequest(path, tmp_path / "p.mov", HALF, info), quiet)
    assert made.original.damage == "" and made.info.frames == info.frames == len(look_through(path).times)
    seen = see(made.path)
    assert list(seen.numbers) == list(range(50 - info.frames, 50))
    proof = prove(ProveRequest(Half(path, info), Half(made.path, made.info)), quiet)
    assert proof.state == "proven", proof
    clicks = tuple(at for at in (one - (50 - info.frames) / 25 for one in CLICKS) if 0.1 < at < info.frames / 25 - 0.1)
    assert clicks and max(map(abs, clicks_in(made.path, clicks))) < 1.6


# The ingest


def test_damaged_footage_is_copied_proved_and_needs_you(tmp_path: Path) -> None:
    card = tmp_path / "Card"
    card.mkdir()
    draw(Drawn("mp4", options=FAST), card / "good")
    for name, how in (("hurt", Drawn("mp4", options=FAST)), ("lost", Drawn("mov", "cfhd", "yuv422p10le"))):
        patching.scratched()(draw(how, card / name))
    patching.cut_off(0.5)(draw(Drawn("mkv", options=FAST), card / "short"))
    (card / "good.mp4").touch()
    counted: list[Progress] = []
    report = ingest(
        card, tmp_path / "film" / "p.otio", Preset(name="Small", proxies=HALF),
        then=lambda run: counted.append(run.progress()),
    )  # fmt: skip
    assert [(one.copied, one.proved) for one in counted] == [(4, 4)] and counted[0].failed  # in place though damaged
    reasons = {one.path: (one.reason, one.step) for one in report.failed}
    assert sorted(reasons) == ["hurt.mp4", "lost.mov", "short.mkv"]
    assert all("damaged" in reason and step == "show" for reason, step in reasons.values())
    assert "frames 20 and 40 cannot be decoded whole" in reasons["hurt.mp4"][0]
    assert (report.found, report.copied, report.proved, report.paired) == (4, 4, 4, 3)
    assert not report.as_many_as_shot and report.one_number() == "1 of 4 clips complete; 3 need attention"
    states = {row.path: row.state for row in report.rows}
    assert states == {"good.mp4": "paired", **dict.fromkeys(("hurt.mp4", "lost.mov", "short.mkv"), "needs attention")}
    clips = {clip.name: clip.original.info for clip in load_project(tmp_path / "film" / "p.otio").clips}
    assert clips["hurt"].damage and clips["short"].damage and clips["lost"].damage and not clips["good"].damage
    again = ingest(card, tmp_path / "film" / "p.otio", Preset(name="Small", proxies=HALF))
    assert sorted(one.path for one in again.failed) == sorted(reasons) and again.proved == 4


def test_a_file_that_ends_its_readers_is_named_copied_and_proved(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    card = tmp_path / "Card"
    card.mkdir()
    for name in ("calm", "killer"):
        draw(Drawn("mov", options=FAST, frames=20 + len(name)), card / name)
    submit, opened = WorkerPool.submit, []

    def deadly(self: WorkerPool, task: Any, request: Any, *more: Any, **named: Any) -> Future[Any]:
        path = getattr(request, "place", None) or getattr(request, "path", None)
        if path is None or path.name != "killer.mov" or getattr(request, "closed", False):
            return submit(self, task, request, *more, **named)
        opened.append(request)
        future: Future[Any] = Future()
        future.set_exception(WorkerDied("the worker process ended without an answer"))
        return future

    monkeypatch.setattr(WorkerPool, "submit", deadly)
    report = ingest(card, tmp_path / "film" / "p.otio", Preset(name="Small", proxies=HALF))
    assert [one.path for one in report.failed] == ["killer.mov"] and report.failed[0].step == "show"
    assert "twice a process ended while it read this file" in report.failed[0].reason
    assert (report.copied, report.proved) == (2, 2)
    assert sum(isinstance(request, CopyRequest) for request in opened) == 2
    assert (tmp_path / "film" / "Boathouse" / "killer.mov").read_bytes() == (card / "killer.mov").read_bytes()


@pytest.mark.parametrize("fault", [MediaError("has no frame"), av.error.InvalidDataError(1, "odd")])
def test_what_the_strict_decoder_refuses_is_made_leniently(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fault: Exception
) -> None:
    path = draw(Drawn("mov", "mjpeg", "yuvj420p", frames=12), tmp_path / "a")
    run = Transcode.run

    def strictly(self: Transcode) -> None:
        if self._strict:
            raise fault
        run(self)

    monkeypatch.setattr(Transcode, "run", strictly)
    made = make_proxy(ProxyRequest(path, tmp_path / "p.mov", HALF, probe(path)), quiet)
    assert made.info.frames == 12 and made.original.damage == ""
    other = draw(Drawn("mov", options=FAST, frames=12), tmp_path / "b")  # a decoder that says what it makes up
    with pytest.raises(ShadowError):
        make_proxy(ProxyRequest(other, tmp_path / "q.mov", HALF, probe(other)), quiet)


def test_an_original_smaller_than_any_proxy_is_calm(tmp_path: Path) -> None:
    card = tmp_path / "Card"
    card.mkdir()
    draw(Drawn("mkv", "ffv1", "yuv444p", 193, 144, frames=10), card / "tiny")
    proxies = Proxies(codec="dnxhr-lb", scale=Fraction(1, 4))
    report = ingest(card, tmp_path / "film" / "p.otio", Preset(name="Small", proxies=proxies))
    assert report.all_well and report.as_many_as_shot and report.no_proxy_needed == 1
    assert report.rows[0].note == "needs no proxy: it is smaller than any in DNxHR LB"


def test_thumbnails_of_cameras_go_along_with_their_clip(tmp_path: Path) -> None:
    for below in ("THMBNL/C0001T01.JPG", "CLIP/C0001.MP4", "STILLS/C0002.JPG"):
        (tmp_path / below).parent.mkdir(exist_ok=True)
        (tmp_path / below).write_bytes(b"x")
    listing = read_source(tmp_path)
    assert [file.path for file in listing.files] == ["CLIP/C0001.MP4", "STILLS/C0002.JPG"]
    assert listing.files[0].sidecars == ("THMBNL/C0001T01.JPG",)


@pytest.fixture
def muted(tmp_path: Path) -> tuple[Project, Path]:
    """A project cut from one clip whose sound is overwritten in its middle."""
    card = tmp_path / "Card"
    card.mkdir()
    how = Drawn("mp4", options=FAST, voices=(Voice("aac", bit_rate=160_000),))
    patching.mute()(draw(how, card / "a"))
    ingest(card, tmp_path / "film" / "p.otio", Preset(name="None", proxies=None))
    project = load_project(tmp_path / "film" / "p.otio")
    clip = project.clips[0]
    path = project.path(clip.original.file)
    assert path is not None
    project = project.with_timeline_settings_of(clip)
    return project.but(timeline=append(project.timeline, clip.piece(Fraction(0), Fraction(2)))), path


def test_a_film_is_not_made_with_silence_where_its_original_sounds(
    muted: tuple[Project, Path], tmp_path: Path
) -> None:
    project, path = muted
    with pytest.raises(ExportError, match=r"a part of its sound cannot be decoded.*Mute its blocks") as caught:
        make_film(plain_film(project, tmp_path / "film.mp4"), quiet)
    assert caught.value.path == path and not (tmp_path / "film.mp4").exists()
    line = project.timeline
    off = project.but(timeline=line.with_tracks(replace(line.sounds[0], off=True)))
    assert make_film(plain_film(off, tmp_path / "film.mp4"), quiet).seconds == 2


def test_silence_that_stands_for_sound_is_told_once(muted: tuple[Project, Path]) -> None:
    project, path = muted
    told: list[tuple[Path, str]] = []
    clip = project.clips[0]
    program = TimelineProgram.of(project)
    mixer = Mixer(program, lambda layer: Choice("original", clip, path), lambda *one: told.append(one))
    try:
        whole = mixer.read(0, 96_000)
    finally:
        mixer.close()
    assert told == [(path, "a part of its sound cannot be decoded")]
    assert np.abs(whole[:9_600]).max() > 0.01 and not np.abs(whole[44_000:52_000]).any()
    gone: list[tuple[Path, str]] = []
    missing = path.with_name("gone.mp4")
    mixer = Mixer(program, lambda layer: Choice("original", clip, missing), lambda *one: gone.append(one))
    assert not mixer.read(0, 4_800).any() and [one for one, _why in gone] == [missing]


def test_the_final_check_says_what_is_damaged(muted: tuple[Project, Path]) -> None:
    project, _path = muted
    clip = project.clips[0]
    hurt = replace(clip, original=replace(clip.original, info=replace(clip.original.info, damage="frame 3 is lost")))
    assert final_check(project).sources[0].note == ""
    whole = project.but(clips=(hurt, *project.clips[1:]))
    assert final_check(whole).sources[0].note == "it is damaged: frame 3 is lost"


# Packets, times, samples


def test_a_file_is_read_through_once_and_again_when_it_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = draw(Drawn("mkv", options=FAST, voices=(Voice(),)), tmp_path / "a")
    opened: list[Path] = []
    monkeypatch.setattr(
        "agile_shadow.core.media.packets.open_media", lambda path: (opened.append(path), open_media(path))[1]
    )
    first = packets_of(path, 0)
    assert len(first.times) == 50 and first.keys[0] and first.shown.all() and not first.gaps and not first.damaged
    assert packets_of(path, 0) is first and len(opened) == 1
    patching.cut_off(0.5)(path)
    assert len(packets_of(path, 0).times) < 50 and len(opened) == 2


@given(
    times=st.lists(st.integers(1, 90), min_size=2, max_size=40),
    base=st.sampled_from([Fraction(1, 1000), Fraction(1, 25), Fraction(1, 90_000), Fraction(1001, 24_000)]),
)
def test_every_frame_is_found_at_its_own_time_and_after_it(times: list[int], base: Fraction) -> None:
    index = FrameIndex(np.cumsum(times), np.arange(1), base)
    for number in range(len(index)):
        assert index.frame_at(index.seconds(number)) == number
    for number, step in enumerate(times[1:]):
        assert index.frame_at(index.seconds(number) + base * Fraction(step, 2)) in (number, number + 1)


def test_times_rounded_to_milliseconds_show_the_frames_of_the_rate() -> None:
    rate = Fraction(24_000, 1001)
    index = FrameIndex(np.array([round(k / rate * 1000) for k in range(500)]), np.arange(1), Fraction(1, 1000))
    assert [index.frame_at(k / rate) for k in range(500)] == list(range(500))


@pytest.mark.parametrize("layout", ["mono", "5.1", "7.1", "hexadecagonal"])
@pytest.mark.parametrize("packed", [False, True])
def test_samples_are_a_row_a_channel_however_many(layout: str, packed: bool) -> None:
    channels = len(av.AudioLayout(layout).channels)
    values = np.arange(channels * 64, dtype=np.float32).reshape(channels, 64)
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(values.T).reshape(1, -1), format="flt", layout=layout)
    frame.sample_rate = 48_000
    if not packed:
        frame = av.AudioResampler(format="fltp").resample(frame)[0]
    assert np.array_equal(samples_of(frame), values)


@pytest.mark.parametrize("labels", [(1, 2, 3, 4, 5, 6, 33, 34), (1, 3, 2, 4, 6, 5, 34, 33), (1, 2) * 4])
def test_channels_in_an_order_of_their_own_do_not_end_the_process(tmp_path: Path, labels: tuple[int, ...]) -> None:
    path = draw(Drawn("mov", options=FAST, voices=(Voice(layout="7.1"),), frames=25), tmp_path / "a")
    patching.own_channel_order(labels)(path)
    status, answer, _said = here("probe", path)  # in a worker: were it to die, this one would not
    assert status == 0 and answer["files"][0]["audio_channels"] == 8
    with open_media(path) as container:
        assert all("(" not in stream.codec_context.layout.name for stream in container.streams.audio)
        assert sum(frame.samples for frame in container.decode(audio=0)) == 48_000


def test_the_picture_begins_where_its_first_frame_is_shown(tmp_path: Path) -> None:
    for ending, begin in (("ts", 7), ("mkv", 3), ("mp4", 0)):
        path = draw(Drawn(ending, options=FAST, begin=Fraction(begin), frames=15), tmp_path / ending)
        with open_media(path) as container:
            first = next(container.decode(video=0))
        assert abs(float(picture_origin(path)) - first.time) < 0.002 and first.time >= begin


# The witness


def test_the_witness_counts_what_the_decoder_gives(tmp_path: Path) -> None:
    path = patching.edit_list([(33, 17)])(draw(Drawn("mp4", options=FAST), tmp_path / "a"))
    info = probe(path)
    made = make_proxy(ProxyRequest(path, tmp_path / "p.mov", HALF, info), quiet)
    original, proxy = Half(path, info), Half(made.path, made.info)
    assert is_doubtful(original) and frames_wrong(original, proxy, 0) == []
    assert len(look_through(path).times) == 33
    short = Half(path, replace(info, frames=30))
    assert frames_wrong(short, proxy, 0) == ["decoding its original gives 33 frames, and 30 were taken"]


def test_only_doubtful_or_light_originals_are_decoded_for_it(tmp_path: Path) -> None:
    large = replace(info_of(3840, 2160), frames=50)
    path = draw(Drawn("mov", options=FAST), tmp_path / "a")
    assert not is_doubtful(Half(path, large))
    assert is_doubtful(Half(path, replace(large, variable_rate=True)))
    assert is_doubtful(Half(path, replace(large, damage="cut off")))
    assert is_doubtful(Half(path, replace(large, frames=49)))  # the index says other than the container
    stream = draw(Drawn("ts", options=FAST), tmp_path / "b")
    assert is_doubtful(Half(stream, large))


def test_sound_after_a_gap_is_listened_to_by_itself(tmp_path: Path) -> None:
    path = draw(Drawn("mkv", options=FAST, voices=(Voice(gaps=((0.7, 0.3),)),)), tmp_path / "a")
    info = probe(path)
    ends = gap_ends(Half(path, info))
    assert len(ends) == 1 and abs(ends[0] - 1.024) < 0.03
    closed = draw(Drawn("mkv", options=FAST, voices=(Voice(),)), tmp_path / "b")
    assert gap_ends(Half(closed, probe(closed))) == []
    same = listen(path, path, Fraction(0), Fraction(2), 0.04, ends)
    assert same is not None and same.wrong == ()


@pytest.mark.parametrize(("said", "true"), [(1, 6), (6, 1), (9, 1), (1, 9)])
def test_a_wrong_matrix_is_told_from_the_colours(said: int, true: int) -> None:
    rng = np.random.default_rng(1)
    colours = rng.uniform(20, 230, (3, 18, 32)).astype(np.float32)
    coded = _coded(colours, true)
    told = _told([ColourPair(Coded(colours, True), 1, coded, said)], said, "its container says")
    assert told.startswith("its colours are coded by BT.") and "though its container says BT." in told
    assert _told([ColourPair(Coded(colours, True), 1, coded, true)], true, "its container says") == ""
    grey = np.repeat(colours[:1], 3, axis=0)
    assert _told([ColourPair(Coded(grey, True), 1, _coded(grey, true), said)], said, "its container says") == ""


def _coded(colours: np.ndarray, matrix: int) -> Coded:
    red, blue = {1: (0.2126, 0.0722), 6: (0.299, 0.114), 9: (0.2627, 0.0593)}[matrix]
    r, g, b = colours
    y = red * r + (1 - red - blue) * g + blue * b
    return Coded(np.stack([y, (b - y) / (2 - 2 * blue), (r - y) / (2 - 2 * red)]), False)


# Sequences and sizes


@given(
    first=st.integers(0, 100_050), count=st.integers(1, 120), digits=st.integers(1, 6),
    others=st.lists(st.sampled_from(["x.png", "shot_7a.png", "other_0001.png", "shot_%04d.png"]), unique=True),
)  # fmt: skip
def test_numbers_that_grow_a_digit_stay_one_sequence(first: int, count: int, digits: int, others: list[str]) -> None:
    names = [f"shot_{number:0{digits}d}.png" for number in range(first, first + count)]
    found = grouped([*reversed(names), *others])
    least = len(names[0]) - len("shot_.png")
    assert found[f"shot_%0{least}d.png"] == names
    assert all(member_name(f"shot_%0{least}d.png", first + k) == name for k, name in enumerate(names))


def test_sequences_of_other_digits_stay_apart() -> None:
    names = ["a_08.png", "a_09.png", "a_010.png", "a_011.png", "a_98.png", "a_100.png"]
    found = grouped(names)
    assert found["a_%02d.png"] == ["a_08.png", "a_09.png", "a_98.png"]
    assert found["a_%03d.png"] == ["a_010.png", "a_011.png", "a_100.png"]


@given(
    width=st.integers(320, 8192).map(lambda one: one * 2), height=st.integers(180, 4320).map(lambda one: one * 2),
    lines=st.integers(60, 1080).map(lambda one: one * 2),
)  # fmt: skip
def test_a_fixed_height_is_what_was_asked_within_the_shape(width: int, height: int, lines: int) -> None:
    info = info_of(width, height)
    size = size_of_height(info, lines)
    exact = lines * width / height
    if min(abs(round(exact / 2) * 2 / exact - 1), 1) <= 0.003 - 1e-9:
        assert size[1] == lines
    assert size[0] % 2 == 0 == size[1] % 2 and abs(size[1] - lines) <= 0.04 * lines + 2


@pytest.mark.parametrize(
    ("size", "codec", "settings", "wanted"),
    [
        ((3840, 2160), "h264", {"height": 240}, (426, 240)), ((4096, 2160), "h264", {"height": 360}, (682, 360)),
        ((1440, 1080), "h264", {"height": 360}, (480, 360)), ((1080, 1920), "h264", {"height": 360}, (202, 360)),
        ((640, 272), "dnxhr-lb", {"scale": Fraction(1, 4)}, (320, 136)),
        ((640, 272), "h264", {"height": 540}, (640, 272)),
        ((193, 144), "dnxhr-lb", {"scale": Fraction(1, 4)}, None),
    ],
)  # fmt: skip
def test_sizes_of_the_issue(
    size: tuple[int, int], codec: str, settings: dict[str, Any], wanted: tuple[int, int] | None
) -> None:
    chosen = Proxies(codec=codec, **{"scale": None, **settings})  # type: ignore[arg-type]
    assert proxy_pixels(info_of(*size), chosen) == wanted
    if wanted is not None:
        assert shape_error(wanted, info_of(*size)) < 0.003


def test_scene_linear_pictures_are_shown_through_a_curve(tmp_path: Path) -> None:
    for number in range(6):
        context = av.CodecContext.create("exr", "w")
        context.width, context.height, context.pix_fmt, context.time_base = 64, 36, "gbrpf32le", Fraction(1, 25)
        frame = av.VideoFrame(64, 36, "gbrpf32le")
        for plane in frame.planes:
            plane.update(np.full((36, plane.line_size // 4), 0.2140, np.float32).tobytes())
        frame.pts = 0
        data = b"".join(bytes(one) for one in (*context.encode(frame), *context.encode(None)))
        (tmp_path / f"s_{number:04d}.exr").write_bytes(data)
    listing = read_source(tmp_path)
    assert [file.path for file in listing.files] == ["s_%04d.exr"]
    path = listing.files[0].at(tmp_path)
    assert "scene-linear" in probe(path).odd[0]
    with open_media(path) as container:
        shown = next(container.decode(video=0)).reformat(format="rgb24").to_ndarray()
    assert abs(int(shown[18, 32, 0]) - 128) <= 2  # 0.214 of white is half of what is coded (IEC 61966-2-1)


@pytest.mark.parametrize("harm", [b"", b"iXML\xff\xff\xff\xff", b"iXML" + struct.pack("<I", 10)])
def test_a_wave_file_with_a_hostile_chunk_is_probed(tmp_path: Path, harm: bytes) -> None:
    path = silence(tmp_path / "a.wav", 4_800)
    path.write_bytes(path.read_bytes() + harm)
    assert probe(path).since_midnight is None
