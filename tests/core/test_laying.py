"""Sound recorded apart, laid under the picture by both clocks and by the sound itself."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from benchmarks.zoo.drawing import Drawn, Voice, bed, draw
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.compositing import Mixer
from agile_shadow.core.matching.lag import Lag, LagRequest, lag_of, place_in
from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.pairs import FileRef, Original
from agile_shadow.core.playback import TimelineProgram
from agile_shadow.core.presets import Preset
from agile_shadow.core.project import Clip, Project, load_project, new_project
from agile_shadow.core.project.laying import Lead, lay, leads_by_timecode
from agile_shadow.core.switch import Choice
from agile_shadow.core.timeline import Timeline, append, cut, with_speed
from agile_shadow.core.upkeep.laying import asked_for, decided
from tests.footage import ingest

RATE = 48_000
EARLY = 41_237  # samples that the recorder ran before the camera
TEN = 10 * 3600


def quiet(done: float) -> None:
    pass


def record(path: Path, samples: np.ndarray, began: Fraction | None, ixml: bool = False) -> Path:
    """A mono wave file; ``began``: seconds since midnight."""
    options = {"write_bext": "1"} if began is not None and not ixml else {}
    with av.open(str(path), "w", format="wav", options=options) as out:
        if options:
            out.metadata["time_reference"] = str(round(began * RATE))
        stream = out.add_stream("pcm_s24le", rate=RATE, layout="mono")
        whole = (np.clip(samples, -1, 1) * (2**31 - 1)).astype(np.int32).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(whole, format="s32", layout="mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE, 0, Fraction(1, RATE)
        out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    if ixml and began is not None:
        high, low = divmod(round(began * RATE), 2**32)
        text = (
            f"<BWFXML><SPEED><TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>{high}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>"
            f"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>{low}</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO></SPEED></BWFXML>"
        ).encode()
        text += b" " * (len(text) % 2)
        data = bytearray(path.read_bytes() + b"iXML" + len(text).to_bytes(4, "little") + text)
        data[4:8] = (len(data) - 8).to_bytes(4, "little")
        path.write_bytes(data)
    return path


@pytest.fixture(scope="module")
def shot(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A card: a camera's clip with its own sound, a recorder's file of the same moment, and one of another."""
    card = tmp_path_factory.mktemp("laying") / "Card"
    card.mkdir()
    how = Drawn("mov", options={"preset": "ultrafast"}, voices=(Voice(layout="mono"),), timecode="10:00:05:00")
    draw(how, card / "CAM_1")
    heard = bed(Voice(layout="mono"), 2.0)[0]
    rng = np.random.default_rng(3)
    around = rng.standard_normal(RATE * 5).astype(np.float32) * 0.01
    around[EARLY : EARLY + len(heard)] += heard * 0.5
    record(card / "REC_1.wav", around, TEN + 5 - Fraction(EARLY, RATE) + Fraction(1, 60))  # its clock is a bit off
    record(card / "REC_2.wav", rng.standard_normal(RATE * 4).astype(np.float32) * 0.1, Fraction(TEN + 600))
    return card


@pytest.fixture
def project(shot: Path, tmp_path: Path) -> Project:
    ingest(shot, tmp_path / "p.otio", Preset(name="Plain", proxies=None))
    found = load_project(tmp_path / "p.otio")
    clip = next(one for one in found.clips if one.name == "CAM_1")
    found = found.with_timeline_settings_of(clip)
    return found.but(timeline=append(found.timeline, clip.piece(Fraction(6, 25), Fraction(1))))


def block_of(project: Project) -> str:
    return project.timeline.pictures[0].blocks[0].id


def listened(project: Project, chosen: list[str]) -> tuple[list[Lead], str]:
    asked = asked_for(project, chosen)
    return decided(asked, [lag_of(one.listen, quiet) if one.listen is not None else None for one in asked])


@pytest.mark.parametrize("ixml", [False, True])
def test_a_recording_says_when_it_began(tmp_path: Path, ixml: bool) -> None:
    began = Fraction(5_000_000_000, RATE) if ixml else TEN + Fraction(12_345, RATE)
    info = probe(record(tmp_path / "a.wav", np.ones(RATE, np.float32) * 0.1, began, ixml))
    assert info.since_midnight == began
    assert MediaInfo.from_json(info.to_json()) == info == MediaInfo.from_json(info.to_brief_json())
    assert probe(record(tmp_path / "b.wav", np.ones(RATE, np.float32) * 0.1, None)).since_midnight is None


@pytest.mark.parametrize("text", ["99999999999999999999", "-5", "1e9", "0"])
def test_a_time_of_no_day_is_none(tmp_path: Path, text: str) -> None:
    path = record(tmp_path / "a.wav", np.ones(RATE, np.float32) * 0.1, Fraction(1), ixml=True)
    low = b"<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>48000<"
    path.write_bytes(path.read_bytes().replace(low, low[:-6] + text.encode() + b"<"))
    assert probe(path).since_midnight in (None, Fraction(0))
    info = probe(path)
    with pytest.raises(ValueError, match="no day"):
        MediaInfo.from_json({**info.to_json(), "since_midnight": "-3/2"})


def test_clock_and_sound_together_lay_it_to_the_sample(project: Project) -> None:
    leads, told = listened(project, [block_of(project)])
    assert leads == [Lead(block_of(project), leads[0].recording, Fraction(EARLY, RATE))]
    assert "1 by timecode and sound, to the sample" in told
    laid = lay(project, leads)
    sound = laid.timeline.sounds[1].blocks[0]
    picture = laid.timeline.pictures[0].blocks[0]
    assert (sound.start, sound.length, sound.link) == (0, 25, picture.link)
    assert sound.source_start == Fraction(EARLY, RATE) + Fraction(6, 25)
    laid.timeline.checked()
    mixed = _heard(laid, sound.clip)
    click = round((0.6 - 0.24) * RATE)
    assert int(np.argmax(np.abs(mixed[:, 0]) > 0.3)) == pytest.approx(click, abs=1)


def _heard(project: Project, only: str) -> np.ndarray:
    """What the timeline sounds like where one recording is all that is heard."""
    paths = {clip.id: project.path(clip.original.file) for clip in project.clips}
    program = TimelineProgram.of(project)
    clip = project.clip(only)
    assert clip is not None
    mixer = Mixer(program, lambda layer: Choice("original", clip, paths[only]) if layer.block.clip == only else None)
    try:
        return mixer.read(0, RATE)
    finally:
        mixer.close()


def test_the_clock_alone_lays_what_cannot_be_heard(project: Project) -> None:
    asked = asked_for(project, [block_of(project)])
    assert [one.by_clock for one in asked] == [Fraction(EARLY, RATE) - Fraction(1, 60)]
    leads, told = decided(asked, [None])
    assert leads[0].seconds == asked[0].by_clock and "1 by timecode alone" in told
    assert leads == leads_by_timecode(project, [block_of(project)])


def test_without_a_clock_the_sound_finds_it(project: Project) -> None:
    clips = tuple(
        replace(clip, original=replace(clip.original, info=replace(clip.original.info, start_timecode=None)))
        for clip in project.clips
    )
    project = project.but(clips=clips)
    asked = asked_for(project, [block_of(project)])
    assert len(asked) == 2 and all(one.by_clock is None for one in asked)
    leads, told = listened(project, [block_of(project)])
    assert [lead.seconds for lead in leads] == [Fraction(EARLY, RATE)] and "1 by sound" in told


def test_nothing_is_laid_where_nothing_says_where(project: Project) -> None:
    asked = [replace(one, by_clock=None) for one in asked_for(project, [block_of(project)])]
    leads, told = decided(asked, [None])
    assert not leads and "No recording was found for 1 selected block" in told
    rivals = [replace(asked[0], recording="one"), replace(asked[0], recording="two")]
    assert not decided(rivals, [Lag(Fraction(1), 0.8), Lag(Fraction(2), 0.75)])[0]
    assert decided(rivals, [Lag(Fraction(1), 0.8), Lag(Fraction(2), 0.6)])[0][0].recording == "one"


def test_what_lies_there_is_replaced_and_locked_tracks_are_left(project: Project) -> None:
    leads, _told = listened(project, [block_of(project)])
    once = lay(project, leads)
    assert lay(once, leads).timeline.sounds[1].blocks[0].source_start == once.timeline.sounds[1].blocks[0].source_start
    assert len(list(lay(once, leads).timeline.blocks)) == len(list(once.timeline.blocks))
    locked = once.but(timeline=once.timeline.with_tracks(replace(once.timeline.sounds[1], locked=True)))
    assert lay(locked, leads).timeline.sounds[1].blocks == once.timeline.sounds[1].blocks
    slow = project.but(timeline=with_speed(project.timeline, block_of(project), Fraction(1, 2)))
    assert asked_for(slow, [block_of(slow)]) == []


@given(lead=st.fractions(-2, 6, max_denominator=RATE), at=st.integers(1, 24))
def test_a_recording_is_heard_at_its_own_time_wherever_the_block_is_cut(lead: Fraction, at: int) -> None:
    project = _made(lead)
    line = cut(project.timeline, at)
    project = project.but(timeline=line)
    blocks = project.timeline.pictures[0].blocks
    laid = lay(project, [Lead(block.id, "recording", lead) for block in blocks])
    laid.timeline.checked()
    picture = {frame: b.moment(frame, line.rate) for b in blocks for frame in range(b.start, b.end)}
    heard = 0
    for track in laid.timeline.sounds:
        for block in track.blocks:
            for frame in range(block.start, block.end) if block.clip == "recording" else ():
                assert block.moment(frame, line.rate) == picture[frame] + lead
                heard += 1
    length = Fraction(5)
    assert heard == sum(1 for t in picture.values() if t + lead >= 0 and t + lead + 1 / line.rate <= length)


def _made(lead: Fraction) -> Project:
    """A block of one second, 6 frames into its clip, and a recording of five seconds."""
    picture = MediaInfo("video", "mov", 1, Fraction(2), frame_rate=Fraction(25), frames=50, width=16, height=16,
                        display_width=16, display_height=16)  # fmt: skip
    sound = MediaInfo("sound", "wav", 1, Fraction(5))
    clips = tuple(
        Clip(name, name, Original(FileRef("shelf", name), info, 1, 1))
        for name, info in (("camera", picture), ("recording", sound))
    )
    line = replace(Timeline(), rate=Fraction(25), width=16, height=16)
    line = append(line, replace(clips[0].piece(Fraction(6, 25), Fraction(1)), sound=False))
    return new_project("made").but(clips=clips, timeline=line)


def test_the_place_of_a_sound_is_found_in_noise() -> None:
    rng = np.random.default_rng(1)
    around = rng.standard_normal(20_000).astype(np.float32)
    wanted = around[7_003:9_003] * 0.2 + rng.standard_normal(2_000).astype(np.float32) * 0.05 + 3
    at, likeness = place_in(around, wanted)
    assert at == 7_003 and likeness > 0.9
    assert place_in(np.zeros(5_000, np.float32), wanted)[1] == 0.0


def test_tones_that_fit_again_and_again_say_nothing(shot: Path, tmp_path: Path) -> None:
    moments = np.arange(RATE * 3) / RATE
    tones = np.sin(2 * np.pi * 440 * moments).astype(np.float32) * 0.3
    first, second = record(tmp_path / "a.wav", tones, None), record(tmp_path / "b.wav", tones, None)
    assert lag_of(LagRequest(first, second, 0.5, 1.5, Fraction(0)), quiet) is None
    camera = next(shot.glob("CAM*"))
    expected = Fraction(EARLY, RATE)
    found = [
        lag_of(LagRequest(camera, shot / "REC_1.wav", 0.2, 1.5, expected + off), quiet) for off in (0, Fraction(1, 2))
    ]
    assert (
        found[0] is not None and found[0].seconds == expected and found[1] is None
    )  # beyond what two clocks may be apart


def test_silence_and_missing_files_are_told_apart(shot: Path, tmp_path: Path) -> None:
    silent = record(tmp_path / "silent.wav", np.zeros(RATE * 3, np.float32), None)
    camera = next(shot.glob("CAM*"))
    assert lag_of(LagRequest(camera, silent, 0.0, 1.5, Fraction(0)), quiet) is None
    assert lag_of(LagRequest(camera, silent, 0.0, 1.5), quiet) is None
    info = probe(camera)
    assert info.start_timecode == "10:00:05:00"
