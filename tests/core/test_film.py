"""Films: settings, what is made of them, the proof that finds what is wrong, and the certificate."""

from __future__ import annotations

import hashlib
import json
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import jsonschema
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from agile_shadow.core.compositing import Mixer, picture_of
from agile_shadow.core.errors import ExportError, ShadowError
from agile_shadow.core.film import (
    FILM_SETTINGS,
    FilmPicture,
    FilmRequest,
    FilmSettings,
    FilmSound,
    certificate_path,
    describes_film,
    estimate_film,
    film_schema,
    final_check,
    findings_of,
    make_film,
    page_path,
    plain_film,
    read_certificate,
    verify_film,
)
from agile_shadow.core.film.findings import gaps
from agile_shadow.core.film.loudness import LoudnessMeter
from agile_shadow.core.film.proof import sound_apart
from agile_shadow.core.film.sounding import envelope_of
from agile_shadow.core.log import cache_folder
from agile_shadow.core.media import FrameReader, SoundReader, probe
from agile_shadow.core.playback import TimelineProgram
from agile_shadow.core.presets import Mark, Preset
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.switch import Presence, choose
from agile_shadow.core.timeline import (
    Settings,
    Title,
    add_title,
    add_track,
    append,
    with_effects,
    with_settings,
    with_speed,
)
from agile_shadow.core.timeline.model import first_tracks
from tests.conftest import own_copy
from tests.drawn import LATE
from tests.effects import luma, named
from tests.footage import NUMBERS, codes, here, ingest
from tests.planted import dropped, exchanged, from_proxy, missing, repeated, writing

SMALL = {"width": 320, "height": 180}


def quiet(done: float) -> None:
    pass


@pytest.fixture
def project(filmed: Path) -> Project:
    return load_project(filmed)


def plain_cut(project: Project) -> Project:
    """Two clips one after the other, as they are."""
    line = replace(project.timeline, tracks=tuple(replace(track, blocks=()) for track in project.timeline.tracks[:1])
                   + project.timeline.sounds)  # fmt: skip
    line = replace(line, tracks=tuple(replace(track, blocks=()) for track in line.tracks))
    for name, first in (("A001C002", 3), ("00004", 0)):
        clip = named(project, name)
        line = append(line, clip.piece(Fraction(first, 25), Fraction(12, 25)))
    return project.but(timeline=line)


def small(**more: Any) -> FilmSettings:
    """Settings of a small viewing copy."""
    return FilmSettings(**{"name": "Small", "picture": FilmPicture(**SMALL), **more})


def seen_by_others(path: Path) -> list[str]:
    """The pictures of a film as another reader decodes them, where one is installed, else as the library alone does: a
    checksum each."""
    tool = shutil.which("ffmpeg")
    if tool is None:
        with av.open(str(path)) as film:
            return [hashlib.md5(frame.to_ndarray().tobytes()).hexdigest() for frame in film.decode(video=0)]
    command = [tool, "-v", "error", "-i", str(path), "-map", "0:v", "-f", "framemd5", "-"]
    lines = subprocess.run(command, capture_output=True, text=True, check=True).stdout.splitlines()
    return [line.rsplit(",", 1)[1].strip() for line in lines if line and not line.startswith("#")]


PICTURED = [entry.value.name for entry in FILM_SETTINGS.read().entries if entry.value.picture is not None]


def proven(project: Project, folder: Path, name: str, stretch: tuple[int, int]) -> Path:
    """A film of a stretch in a shipped setting, small: made, proven, and nothing half made beside it."""
    chosen = FILM_SETTINGS.find(name)
    assert chosen.picture is not None
    chosen = chosen.model_copy(update={"picture": chosen.picture.model_copy(update=SMALL)})
    out = folder / f"film{chosen.ending}"
    result = make_film(FilmRequest(project, out, chosen, *stretch), quiet)
    assert result.frames == (1 if chosen.file == "still" else stretch[1] - stretch[0])
    numbers = read_certificate(out).numbers
    assert numbers["frames_compared"] == result.frames and numbers["largest_difference"] < 2
    assert numbers["least_likeness"] > 0.95 and numbers["sound_off_ms"] == 0
    if chosen.file == "pictures":
        assert len(list(out.iterdir())) == result.frames
    if shutil.which("ffmpeg") and chosen.file != "pictures":  # of those each is read by others where it is used
        assert len(seen_by_others(out)) == result.frames
    assert not [one for one in folder.iterdir() if one.name.endswith(".part")]
    return out


def test_a_stretch_at_another_rate_shows_the_right_frames(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    chosen = small(file="mov", picture=FilmPicture(format="prores-422", rate=Fraction(50)))
    make_film(FilmRequest(project, tmp_path / "film.mov", chosen, 4, 16), quiet)
    wanted = [(NUMBERS["A001C002"], 3 + 4 + n // 2) for n in range(16)] + [(NUMBERS["00004"], n // 2) for n in range(8)]
    assert codes(tmp_path / "film.mov") == wanted


def test_a_film_of_another_shape_has_bars_and_square_pixels(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    chosen = small(file="mov", picture=FilmPicture(format="prores-422", width=640, height=640))
    make_film(FilmRequest(project, tmp_path / "film.mov", chosen, 0, 3), quiet)
    with FrameReader(tmp_path / "film.mov") as reader:
        grey = reader.frame(1).reformat(format="gray").to_ndarray()[:640, :640]
    assert grey[:130].max() < 20 and grey[-130:].max() < 20 and grey[150:490].max() > 100


def test_timecode_reel_and_colours_are_written(project: Project, tmp_path: Path) -> None:
    line = replace(plain_cut(project).timeline, start=90_000)
    for ending, chosen in ((".mov", "prores-422"), (".mxf", "dnxhr-sq")):
        settings_ = small(file=ending[1:], reel="FERRY1", picture=FilmPicture(format=chosen, **SMALL))
        make_film(FilmRequest(project.but(timeline=line), tmp_path / f"f{ending}", settings_, 10, 20), quiet)
        info = probe(tmp_path / f"f{ending}")
        assert info.start_timecode == "01:00:00:10" and info.frames == 10
        with av.open(str(tmp_path / f"f{ending}")) as container:
            assert container.streams.video[0].codec_context.colorspace == 1
    assert probe(tmp_path / "f.mov").reel == "FERRY1"


def test_sound_goes_out_as_a_mix_by_tracks_or_by_channels(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    second = replace(project.timeline.sounds[0], id="second", name="Sound 2")
    project = project.but(timeline=replace(project.timeline, tracks=(*project.timeline.tracks, second)))
    made = {}
    for channels in ("stereo", "tracks", "channels"):
        out = tmp_path / f"{channels}.mov"
        chosen = small(file="mov", sound=FilmSound(channels=channels),
                       picture=FilmPicture(format="prores-422", **SMALL))  # fmt: skip
        make_film(FilmRequest(project, out, chosen), quiet)
        made[channels] = [stream.channels for stream in probe(out).audio]
    assert made == {"stereo": [2], "tracks": [2, 2], "channels": [1, 1]}
    alone = FilmSettings(name="W", file="wav", sound=FilmSound(channels="channels", bits=16))
    make_film(FilmRequest(project, tmp_path / "alone.wav", alone), quiet)
    info = probe(tmp_path / "alone.wav")
    assert info.audio_channels == 2 and info.audio[0].bits == 16 and info.duration == Fraction(24, 25)


def test_sound_is_in_step_to_the_sample(project: Project, tmp_path: Path) -> None:
    make_film(FilmRequest(plain_cut(project), tmp_path / "film.mov", small(
        file="mov", picture=FilmPicture(format="prores-422", **SMALL))), quiet)  # fmt: skip
    heard = SoundReader(tmp_path / "film.mov").read(0, 48_000)
    loud = int(np.argmax(np.abs(heard[:, 0]) > 0.1))
    assert abs(loud - 48_000 * 12 // 25) < 48  # the clunk of frame 0 of the second block


def heard_by_others(path: Path) -> NDArray[np.float32]:
    """The sound of a film from its first picture on, as another reader decodes it, where one is installed: (samples, 2)
    at 48 kHz."""
    tool = shutil.which("ffmpeg")
    if tool is None:
        reader = SoundReader(path)
        return reader.read(0, round(probe(path).duration * 48_000))
    command = [tool, "-v", "error", "-i", str(path), "-map", "0:a:0", "-af", "aresample=async=1:first_pts=0",
               "-ac", "2", "-ar", "48000", "-f", "f32le", "-"]  # fmt: skip
    raw = subprocess.run(command, capture_output=True, check=True).stdout
    return np.frombuffer(raw, np.float32).reshape(-1, 2)


@pytest.mark.parametrize("name", ["Viewing copy", "ProRes 422 HQ", "DNxHR HQX, MXF", "For keeping, lossless"])
def test_sound_that_begins_late_begins_as_late_in_the_film(project: Project, tmp_path: Path, name: str) -> None:
    chosen = FILM_SETTINGS.find(name)
    assert chosen.picture is not None
    chosen = chosen.model_copy(update={"picture": chosen.picture.model_copy(update=SMALL)})
    block = project.timeline.pictures[0].blocks[-1]
    assert block.clip == named(project, "LATE_0001").id and block.source_start == Fraction(2, 25)
    out = tmp_path / f"film{chosen.ending}"
    make_film(FilmRequest(project, out, chosen, block.start - 4), quiet)
    heard = heard_by_others(out)[4 * 1920 :, 0]
    assert abs(int(np.argmax(np.abs(heard) > 0.1)) - (LATE - 2) * 1920) < 48  # a millisecond


@pytest.mark.parametrize(
    ("rate", "chosen", "written"),
    [(44_100, "ProRes 422 HQ", 44_100), (96_000, "For keeping, lossless", 96_000), (44_100, "Viewing copy", 44_100),
     (96_000, "Sound alone", 96_000), (96_000, "DNxHR SQ, MXF", 48_000)],
)  # fmt: skip
def test_films_have_the_sound_rate_of_their_timeline(
    project: Project, tmp_path: Path, rate: int, chosen: str, written: int
) -> None:
    now = Settings.of(project.timeline)
    line = with_settings(project.timeline, replace(now, sound_rate=rate))[0]
    save_project(project.but(timeline=line), tmp_path / "p.otio")
    line = load_project(tmp_path / "p.otio").timeline
    assert line.sound_rate == rate
    found = FILM_SETTINGS.find(chosen)
    small_ = found.picture.model_copy(update=SMALL) if found.picture is not None else None
    out = tmp_path / f"film{found.ending}"
    block = line.pictures[0].blocks[-1]
    request = FilmRequest(project.but(timeline=line), out, found.model_copy(update={"picture": small_}), block.start)
    result = make_film(request, quiet)
    with av.open(str(out)) as film:
        assert film.streams.audio[0].rate == written
        samples = sum(frame.samples for frame in film.decode(audio=0))
    assert abs(samples - round(request.seconds * written)) <= 2048
    heard = heard_by_others(out)[:, 0]
    assert abs(int(np.argmax(np.abs(heard) > 0.1)) - (LATE - 2) * 1920) < 48
    assert any("48 kHz" in note for note in result.notes) == (written != rate)
    assert read_certificate(out).numbers["sound_off_ms"] < 1
    with pytest.raises(ValueError, match="48,000"):
        replace(now, sound_rate=22_050).checked()


@pytest.mark.parametrize("speed", ["1", "2", "-1", "1/2"])
@pytest.mark.parametrize("keep", [False, True])
def test_a_mix_at_another_rate_is_the_same_sound(project: Project, speed: str, keep: bool) -> None:
    clip = named(project, "PCK_0007")
    line = replace(project.timeline, tracks=first_tracks())
    line = append(line, clip.piece(Fraction(0), Fraction(3, 5)))
    block = line.pictures[0].blocks[0]
    line = with_speed(line, block.id, Fraction(speed)) if speed != "1" else line
    sound = line.sounds[0].blocks[0].id
    line = with_effects(line, [sound], lambda old: replace(old, keep_pitch=keep))
    levels = []
    for rate in (48_000, 96_000, 44_100):
        mixer = Mixer(TimelineProgram(line), lambda layer: choose(project, clip, Presence(), layer.seconds),
                      sound_rate=rate)  # fmt: skip
        whole = mixer.read(0, round(line.length / line.rate * rate))
        mixer.close()
        levels.append(np.abs(whole[: len(whole) // 20 * 20]).mean(axis=1))
    seconds = [len(one) / rate for one, rate in zip(levels, (48_000, 96_000, 44_100), strict=True)]
    assert max(seconds) - min(seconds) < 0.01
    curves = [np.array([part.mean() for part in np.array_split(one, 40)]) for one in levels]
    assert curves[0].max() > 0.01
    for other in curves[1:]:
        assert np.corrcoef(curves[0], other)[0, 1] > 0.97 and other.mean() == pytest.approx(curves[0].mean(), rel=0.1)


def test_loudness_is_measured_and_brought_to_a_target(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    result = make_film(
        FilmRequest(project, tmp_path / "a.wav", FilmSettings(name="W", file="wav", sound=FilmSound(loudness=-27.0))),
        quiet,
    )
    assert result.loudness is not None and abs(result.loudness["integrated"] + 27) < 0.2
    assert result.notes and "before" in result.notes[0]
    meter = LoudnessMeter()
    meter.feed(SoundReader(result.path).read(0, 48_000 * 24 // 25))
    assert abs(meter.result().integrated + 27) < 0.2
    loud = make_film(
        FilmRequest(project, tmp_path / "b.wav", FilmSettings(name="W", file="wav", sound=FilmSound(loudness=-5.0))),
        quiet,
    )
    assert loud.loudness is not None and loud.loudness["true_peak"] <= -0.8 and "would go over" in loud.notes[1]


def test_a_tone_is_as_loud_as_the_standard_says() -> None:
    meter = LoudnessMeter()
    tone = 10 ** (-23 / 20) * np.sin(2 * np.pi * 1000 * np.arange(48_000 * 20) / 48_000)
    for first in range(0, len(tone), 9600):
        meter.feed(np.repeat(tone[first : first + 9600, None], 2, axis=1).astype(np.float32))
    found = meter.result()  # EBU Tech 3341, case 1
    assert abs(found.integrated + 23) <= 0.1 and abs(found.true_peak + 23) < 0.1 and found.range < 0.1
    assert LoudnessMeter().result().silent


def test_a_draft_says_that_it_is_one_everywhere(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    draft = make_film(FilmRequest(project, tmp_path / "draft.mp4", small(), draft=True), quiet)
    film = make_film(FilmRequest(project, tmp_path / "film.mp4", small()), quiet)
    proxies = {project.path(clip.proxies[-1].file) for clip in project.clips if clip.proxies}
    assert set(draft.sources) <= proxies and not set(film.sources) & proxies
    with av.open(str(draft.path)) as container:
        assert "DRAFT" in container.metadata["title"] and "proxies" in container.metadata["comment"]
    certificate = read_certificate(draft.path)
    assert certificate.draft and "DRAFT" in page_path(draft.path).read_text()
    assert draft.original_pace > 0 and draft.pace > 0
    with FrameReader(draft.path) as marked, FrameReader(film.path) as clean:
        for number in (0, 5, 23):
            one, other = (
                reader.frame(number).reformat(format="gray").to_ndarray()[:16, :160].astype(int)
                for reader in (marked, clean)
            )
            assert np.abs(one - other).mean() > 20


def test_a_draft_takes_the_original_where_its_proxy_is_gone(
    project: Project, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = plain_cut(project)
    clip = named(project, "00004")
    moved = replace(clip, proxies=(replace(clip.proxies[0], file=replace(clip.proxies[0].file, path="gone.mov")),))
    project = replace(project, footage=project.footage.with_clip(moved))
    draft = make_film(FilmRequest(project, tmp_path / "draft.mp4", small(), draft=True), quiet)
    assert project.path(clip.original.file) in draft.sources and draft.frames == 24


def test_marks_are_burned_in_where_asked(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    mark = Mark(kind="timecode", x=0.5, y=0.5, size=0.3)
    for format_, ending in (("png", ""), ("prores-422", ".mov")):
        chosen = small(file="pictures" if ending == "" else "mov", picture=FilmPicture(format=format_, **SMALL),
                       sound=None, marks=(mark,))  # fmt: skip
        made = make_film(FilmRequest(project, tmp_path / f"marked{ending}", chosen, 0, 2), quiet)
        first = sorted(made.path.iterdir())[0] if ending == "" else made.path
        with av.open(str(first)) as container:
            grey = next(container.decode(video=0)).reformat(format="gray").to_ndarray()[:180, :320]
        assert grey[80:100, 120:200].max() > 200 and grey[70:110, 100:220].min() < 60


PLANTED = {
    "repeated": lambda: writing(repeated(33)), "dropped": lambda: writing(dropped(21)),
    "missing": lambda: writing(missing(7)), "exchanged": lambda: writing(exchanged(8, 24, 30)),
    "late": lambda: writing(late=2 * 48_000 // 25), "proxy": lambda: from_proxy("AIR_0012"),
}  # fmt: skip


@pytest.mark.parametrize("fault", sorted(PLANTED))
def test_a_film_that_is_not_what_was_drawn_is_refused(project: Project, tmp_path: Path, fault: str) -> None:
    project = plain_cut(project) if fault in ("late",) else project
    if fault == "proxy":
        line = append(plain_cut(project).timeline, named(project, "AIR_0012").piece(Fraction(0), Fraction(1, 2)))
        project = project.but(timeline=line)
    with PLANTED[fault](), pytest.raises(ExportError, match="not taken"):
        make_film(FilmRequest(project, tmp_path / "film.mp4", small()), quiet)
    assert list(tmp_path.glob("*film*")) == []


@given(st.integers(-200, 200), st.integers(0, 3))
@settings(max_examples=40, deadline=None)
def test_the_step_of_sound_is_found_to_the_millisecond(late: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    noise = random.normal(0, 0.2, 48_000 * 6).astype(np.float32)
    noise *= np.repeat(random.random(6 * 25) > 0.6, 1920).astype(np.float32)  # heard and not, never in a rhythm
    drawn = envelope_of(noise[:, None])
    heard = envelope_of(np.roll(noise, late * 48)[:, None])
    found = sound_apart(heard, drawn)
    assert found is not None and abs(found - late) <= 1
    assert sound_apart(np.zeros(6000, np.float32), np.zeros(6000, np.float32)) is None


def test_the_certificate_is_true_and_verified(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    out = tmp_path / "film.mp4"
    make_film(FilmRequest(project, out, small()), quiet)
    certificate = read_certificate(out)
    first = certificate.originals[0]
    assert first.clip == "A001C002" and first.uses[0].film == (0, 11) and first.checksum_value
    assert first.uses[0].source == pytest.approx((3 / 25, 14 / 25))
    assert all(Path(one.path).exists() for one in certificate.originals)
    found = verify_film(out, originals=True)
    assert found.whole and all(not state for _one, state in found.originals)
    data = bytearray(out.read_bytes())
    data[len(data) // 2] ^= 1
    out.write_bytes(data)
    assert not verify_film(out).whole
    assert here("film", "verify", out)[0] == 1
    make_film(FilmRequest(project, out, small()), quiet)  # an older one is replaced, and its certificate
    assert here("film", "verify", out, "--originals")[0] == 0
    certificate_path(out).write_text('{"schema": "agile-shadow film certificate"}')
    with pytest.raises(ExportError, match="not a certificate"):
        verify_film(out)
    certificate_path(out).unlink()
    with pytest.raises(ExportError, match="no certificate"):
        verify_film(out)


def test_a_film_that_fails_leaves_nothing_and_an_older_one_stays(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    out = tmp_path / "film.mp4"
    make_film(FilmRequest(project, out, small()), quiet)
    before = out.read_bytes()
    with writing(repeated(5)), pytest.raises(ExportError):
        make_film(FilmRequest(project, out, small()), quiet)
    assert out.read_bytes() == before and verify_film(out).whole
    folder = tmp_path / "pictures"
    folder.mkdir()
    chosen = small(file="pictures", picture=FilmPicture(format="png", **SMALL), sound=None)
    with pytest.raises(ExportError, match="already"):
        make_film(FilmRequest(project, folder, chosen), quiet)
    assert list(folder.iterdir()) == []


@pytest.fixture
def movable(filmed: Path, tmp_path: Path) -> Project:
    """A project of its own, whose originals may be changed."""
    project = load_project(own_copy(filmed, tmp_path / "own"))
    return plain_cut(project.with_timeline_settings_of(named(project, "A001C002")))


@pytest.mark.parametrize("what", ["changed", "gone", "shelf"])
@pytest.mark.parametrize("when", [0.1, 0.9])
def test_an_original_that_does_not_stay_as_it_is_ends_the_film_with_a_sentence(
    movable: Project, tmp_path: Path, what: str, when: float
) -> None:
    path = movable.path(named(movable, "00004").original.file)
    shelf = movable.shelves[0].root
    assert path is not None
    done: list[str] = []

    def meddle(part: float) -> None:
        if part < when or done:
            return
        done.append(what)
        if what == "changed":
            with path.open("ab") as file:
                file.write(b"more")
        elif what == "gone":
            path.rename(path.with_suffix(".away"))
        else:
            shelf.rename(shelf.with_name("away"))

    with pytest.raises(ShadowError) as refused:
        make_film(FilmRequest(movable, tmp_path / "films" / "film.mp4", small()), meddle)
    assert (done and str(path) in str(refused.value)) or "not there" in str(refused.value)
    assert not list((tmp_path / "films").iterdir())
    with pytest.raises(ShadowError):  # and the next one is not even begun
        make_film(FilmRequest(movable, tmp_path / "films" / "film.mp4", small()), quiet)


FULL = ("ProRes 422", "Viewing copy", "DNxHR HQ, MXF", "Sound alone", "Numbered pictures, PNG")
_FULL = """
import resource, signal, sys
from pathlib import Path
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
from agile_shadow.core.film import FILM_SETTINGS, FilmRequest, make_film
from agile_shadow.core.project import load_project
project = load_project(Path(sys.argv[1]))
resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))
try:
    make_film(FilmRequest(project, Path(sys.argv[2]), FILM_SETTINGS.find(sys.argv[3])), lambda part: None)
except Exception as error:
    print(type(error).__name__, error)
"""


@pytest.mark.parametrize("name", FULL)
def test_a_drive_that_takes_no_more_ends_the_film_with_a_sentence(filmed: Path, tmp_path: Path, name: str) -> None:
    out = tmp_path / "films" / f"film{FILM_SETTINGS.find(name).ending}"
    said = subprocess.run([sys.executable, "-c", _FULL, str(filmed), str(out), name], capture_output=True, text=True)
    last = said.stdout.strip().splitlines()[-1]
    assert last.startswith("ExportError") and "film" in last and "Traceback" not in said.stderr, said
    assert list(out.parent.iterdir()) == []


def test_settings_that_do_not_go_together_are_refused_by_their_reason() -> None:
    wrong = (
        ({"file": "mp4", "picture": {"format": "prores-422"}}, "does not go into"),
        ({"file": "wav", "picture": {"format": "h264"}}, "sound alone"),
        ({"file": "mp4", "picture": None}, "only a WAV"),
        ({"file": "mov", "picture": {"format": "dnxhr-sq", "width": 64, "height": 64}}, "256 x 120"),
        ({"file": "mov", "picture": {"format": "prores-hq", "megabits": 5}}, "no data rate"),
        ({"file": "mov", "picture": {"format": "prores-hq", "quality": "fine"}}, "one quality"),
        ({"picture": {"width": 640}}, "both the width and the height"),
        ({"file": "pictures", "picture": {"format": "png"}, "sound": {}}, "no sound"),
        ({"wrong": 1}, "wrong"),
    )
    for values, words in wrong:
        with pytest.raises(ExportError, match=words):
            FILM_SETTINGS.parse({"schema": "agile-shadow film settings", "version": 1, "name": "X", **values})
    assert json.loads((Path(__file__).parents[2] / "docs" / "film.schema.json").read_text()) == film_schema()
    for entry in FILM_SETTINGS.read().entries:
        jsonschema.validate(json.loads(entry.path.read_text()), film_schema())
        assert describes_film(entry.value).endswith(".") and FILM_SETTINGS.parse(entry.value.to_json()) == entry.value


def test_what_cannot_be_encoded_here_is_said_before(project: Project, tmp_path: Path,
                                                    monkeypatch: pytest.MonkeyPatch) -> None:  # fmt: skip
    monkeypatch.setattr("agile_shadow.core.film.settings.can_encode", lambda library: library != "libx265")
    chosen = small(picture=FilmPicture(format="hevc"))
    with pytest.raises(ExportError, match="HEVC cannot be encoded here"):
        FilmRequest(project, tmp_path / "f.mp4", chosen).checked()
    for bad, words in (
        (FilmRequest(project, tmp_path / "f.mov", small()), "extension"),
        (FilmRequest(project, tmp_path / "f.mp4", small(), 5, 5), "no frame"),
        (FilmRequest(project, tmp_path / "f.mp4", small(), 0, 10_000), "no frame"),
    ):
        with pytest.raises(ExportError, match=words):
            bad.checked()


def test_the_final_check_tells_what_is_odd(project: Project) -> None:
    kinds = {one.kind for one in findings_of(project)}
    assert {"rates", "gaps"} <= kinds  # the last title comes after the last picture
    line = plain_cut(project).timeline
    row = line.pictures[0]
    apart = replace(row.blocks[1], start=row.blocks[1].start + 9)
    sound = line.sounds[0]
    moved = replace(sound.blocks[1], start=sound.blocks[1].start + 12)
    line = line.with_tracks(replace(row, blocks=(row.blocks[0], apart)))
    line = line.with_tracks(replace(sound, blocks=(sound.blocks[0], moved)))
    found = {one.kind: one for one in findings_of(project.but(timeline=line))}
    assert "9)" in found["gaps"].text and "3 frames out of step" in found["apart"].text
    assert list(gaps(line, 0, line.length)) == [(12, 21), (33, 36)]
    tiny, _told = with_settings(plain_cut(project).timeline, Settings(320, 180, Fraction(25)))
    assert any(one.kind == "smaller" and "960 x 540" in one.text for one in findings_of(project.but(timeline=tiny)))
    assert final_check(project.but(timeline=tiny)).ready


def test_footage_that_the_original_lacks_stands_against_the_film(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    row = project.timeline.pictures[0]
    beyond = replace(row.blocks[1], source_start=Fraction(30), room=Fraction(60))
    line = project.timeline.with_tracks(replace(row, blocks=(row.blocks[0], beyond)))
    project = project.but(timeline=line)
    assert not final_check(project).ready and findings_of(project)[0].stands_against
    with pytest.raises(ShadowError, match="does not have"):
        make_film(plain_film(project, tmp_path / "f.mp4"), quiet)
    assert final_check(project, 0, 10).ready  # the stretch before it


def test_the_command_line_makes_a_stretch_and_a_draft(filmed: Path, tmp_path: Path) -> None:
    own = tmp_path / "own.json"
    own.write_text(FILM_SETTINGS.text(small()))
    status, answer, _said = here(
        "export", "--project", filmed, "--out", tmp_path / "f.mp4", "--film", own, "--from", "00:00:00:10", "--to", "19"
    )
    assert status == 0 and answer["frames"] == 10 and answer["certificate"]
    status, answer, _said = here("export", "--project", filmed, "--out", tmp_path / "d.mp4", "--film", own, "--draft",
                                 "--to", "9")  # fmt: skip
    assert status == 0 and answer["draft"] and answer["frames"] == 10
    assert here("export", "--project", filmed, "--out", tmp_path / "d.mp4", "--from", "9", "--to", "3")[0] == 1
    assert here("films", "check", own)[0] == 0
    status, answer, _said = here("films", "list")
    assert status == 0 and "Viewing copy" in [one["name"] for one in answer["settings"]]


@pytest.fixture(autouse=True)
def no_leftovers(tmp_path: Path) -> Iterator[None]:
    """Nothing half-made is left behind by any of these."""
    yield
    assert [one.name for one in tmp_path.rglob("*.part")] == []


BARS = ((235, 235, 235), (235, 235, 16), (16, 235, 235), (16, 235, 16), (235, 16, 235), (235, 16, 16), (16, 16, 235),
        (16, 16, 16), (128, 128, 128))  # fmt: skip


def draw_bars(path: Path, codec: str, pixels: str, matrix: int, full: bool = False) -> Path:
    """Nine bars of colour, a second of them, tagged with their matrix (ITU-T H.273) and range."""
    wide, high = 90 * len(BARS), 180
    picture = np.repeat(np.array(BARS, np.uint8), 90, axis=0)[None].repeat(high, axis=0)
    with av.open(str(path), "w", format="mov") as out:
        stream = out.add_stream(codec, rate=25, options={"crf": "4"} if codec == "libx264" else {"profile": "4"})
        stream.width, stream.height, stream.pix_fmt = wide, high, pixels
        context = stream.codec_context
        context.colorspace, context.color_primaries, context.color_trc = matrix, 1, 1
        context.color_range = 2 if full else 1
        frame = av.VideoFrame.from_ndarray(picture, format="rgb24").reformat(
            format=pixels, dst_colorspace={1: 1, 6: 5}[matrix], src_color_range=2, dst_color_range=2 if full else 1
        )
        for number in range(12):
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def bars_seen(path: Path) -> list[list[float]]:
    """The mean colours of the bars as another reader shows them."""
    tool = shutil.which("ffmpeg")
    assert tool is not None
    command = [tool, "-v", "error", "-i", str(path), "-frames:v", "1", "-vf",
               "scale=in_range=auto:out_range=full:flags=accurate_rnd+full_chroma_int+full_chroma_inp",
               "-pix_fmt", "rgb24", "-f", "rawvideo", "-"]  # fmt: skip
    raw = np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.uint8)
    picture = raw.reshape(180, -1, 3).astype(float)
    return [picture[40:140, 90 * n + 25 : 90 * n + 65].mean(axis=(0, 1)).tolist() for n in range(len(BARS))]


@pytest.mark.skipif(not shutil.which("ffmpeg"), reason="no other reader is installed")
@pytest.mark.parametrize("source", ["bt709", "bt601", "full"])
def test_colour_bars_come_out_as_they_are_in_every_setting(tmp_path: Path, source: str) -> None:
    (tmp_path / "Card").mkdir()
    bars = draw_bars(tmp_path / "Card" / "BARS.mov", *{"bt709": ("prores_ks", "yuv444p10le", 1, False),
                                              "bt601": ("prores_ks", "yuv444p10le", 6, False),
                                              "full": ("libx264", "yuv444p", 1, True)}[source])  # fmt: skip
    ingest(bars.parent, tmp_path / "film" / "p.otio", Preset(name="Plain", proxies=None))
    project = load_project(tmp_path / "film" / "p.otio")
    clip = named(project, bars.stem)
    project = project.with_timeline_settings_of(clip)
    project = project.but(timeline=append(project.timeline, clip.piece(Fraction(0), Fraction(2, 25))))
    for name in PICTURED if source == "bt709" else ("Viewing copy", "DNxHR HQ, MOV", "One still"):
        chosen = FILM_SETTINGS.find(name)
        if chosen.marks:
            continue
        out = tmp_path / f"bars{chosen.ending}"
        made = make_film(FilmRequest(project, out, chosen), quiet).path
        seen = bars_seen(sorted(made.iterdir())[0] if made.is_dir() else made)
        worst = float(np.abs(np.array(seen) - np.array(BARS)).max())
        assert worst <= 2, (name, [[round(value) for value in one] for one in seen])
        shutil.rmtree(made) if made.is_dir() else made.unlink()


@pytest.mark.parametrize("count", [1, 2, 3, 17])
def test_a_very_short_film_has_decoding_times(project: Project, tmp_path: Path, count: int) -> None:
    """The encoder reads memory that nobody wrote where it has fewer frames than it holds back: one in a hundred such
    films could not be written."""
    cut, chosen = plain_cut(project), FILM_SETTINGS.find("Smaller viewing copy")
    assert chosen.picture is not None
    chosen = chosen.model_copy(update={"picture": chosen.picture.model_copy(update=SMALL)})
    for again in range(4):
        made = make_film(FilmRequest(cut, tmp_path / f"{again}.mp4", chosen, 0, count), quiet).path
        with av.open(str(made)) as film:
            times = [(packet.dts, packet.pts) for packet in film.demux(video=0) if packet.dts is not None]
        assert len(times) == count and all(dts is not None and dts <= pts for dts, pts in times)
        reordered = [dts for dts, _pts in times] != [pts for _dts, pts in times]
        assert reordered == (count > 16)  # longer ones are packed as before


@pytest.fixture(scope="module")
def shown(filmed: Path) -> NDArray[np.float64]:
    """Every picture of the cut with everything, as the compositor draws it, small and grey: (frames, 36, 64)."""
    project = load_project(filmed)
    line = project.timeline
    return np.stack([
        luma(picture_of(project, line, frame, (320, 180), "originals").pixels).reshape(36, 5, 64, 5).mean(axis=(1, 3))
        for frame in range(line.length)
    ])  # fmt: skip


def greys_seen(path: Path) -> np.ndarray:
    """Every picture of a film, small and grey, as another reader decodes them: (number, 36, 64), 0 to 255."""
    tool = shutil.which("ffmpeg")
    assert tool is not None
    numbered = path / f"{path.name}.%07d{next(path.iterdir()).suffix}" if path.is_dir() else path
    command = [tool, "-v", "error", "-i", str(numbered), "-map", "0:v", "-fps_mode", "passthrough", "-vf",
               "scale=64:36:flags=area:in_range=auto:out_range=full", "-pix_fmt", "rgb24" if path.is_dir() else "gray",
               "-f", "rawvideo", "-"]  # fmt: skip
    raw = np.frombuffer(subprocess.run(command, capture_output=True, check=True).stdout, np.uint8)
    if not path.is_dir():
        return raw.reshape(-1, 36, 64)
    return raw.reshape(-1, 36, 64, 3) @ np.array([0.2126, 0.7152, 0.0722])  # pictures hold R G B: BT.709, as shown


WHOLE = ("Viewing copy", "DNxHR HQ, MXF")  # of these all frames, of others a stretch


@pytest.mark.parametrize("name", PICTURED)
def test_every_shipped_setting_gives_a_film_that_is_proven_and_read_by_others(
    project: Project, shown: NDArray[np.float64], tmp_path: Path, name: str
) -> None:
    first, end = (0, project.timeline.length) if name in WHOLE else (20, 50)
    out = proven(project, tmp_path, name, (first, end))
    chosen = FILM_SETTINGS.find(name)
    if chosen.file == "still" or not shutil.which("ffmpeg"):
        return
    seen = greys_seen(out).astype(float)
    assert len(seen) == end - first
    room = 6 if chosen.marks else 3  # what is burned in is not in the pictures it is held against
    for number, one in enumerate(seen, first):
        apart = {other: float(np.abs(one - shown[other]).mean())
                 for other in (number - 1, number, number + 1) if 0 <= other < len(shown)}  # fmt: skip
        assert apart[number] < room and apart[number] <= min(apart.values()) + 0.3, (number, apart)


def test_what_is_hidden_or_muted_is_not_in_the_film(project: Project, tmp_path: Path) -> None:
    project = plain_cut(project)
    line = add_track(project.timeline, "picture")
    line = add_title(line, line.pictures[1].id, 2, 20, Title("HIDDEN", "bold", 0.5, "centre"))
    hidden = line.with_tracks(replace(line.pictures[1], off=True), replace(line.sounds[0], off=True))
    make_film(FilmRequest(project, tmp_path / "plain.mkv", lossless()), quiet)
    make_film(FilmRequest(project.but(timeline=hidden), tmp_path / "hidden.mkv", lossless()), quiet)
    make_film(FilmRequest(project.but(timeline=line), tmp_path / "shown.mkv", lossless()), quiet)
    plain, without, shown = (seen_by_others(tmp_path / f"{name}.mkv") for name in ("plain", "hidden", "shown"))
    assert plain == without and plain[2:22] != shown[2:22] and plain[:2] == shown[:2]
    assert not SoundReader(tmp_path / "hidden.mkv").read(0, 40_000).any()
    assert SoundReader(tmp_path / "plain.mkv").read(0, 40_000).any()
    assert {one.clip for one in read_certificate(tmp_path / "hidden.mkv").originals} == {"A001C002", "00004"}


def lossless() -> FilmSettings:
    """Settings of which every bit is known."""
    return small(file="mkv", picture=FilmPicture(format="ffv1", **SMALL))


def test_hostile_certificates_are_refused(project: Project, tmp_path: Path) -> None:
    out = tmp_path / "film.wav"
    make_film(FilmRequest(plain_cut(project), out, FilmSettings(name="W", file="wav")), quiet)
    good = certificate_path(out).read_text()
    for bad in ("", "[]", "{" * 5000, "\x00", good.replace('"version": 1', '"version": 9'),
                good.replace('"checksum": "xxh128"', '"checksum": "none"'), good[: len(good) // 2],
                json.dumps({**json.loads(good), "frames": -1}), json.dumps({**json.loads(good), "more": 1})
                ):  # fmt: skip
        certificate_path(out).write_text(bad)
        with pytest.raises(ExportError):
            verify_film(out, originals=True)
    elsewhere = json.loads(good)
    elsewhere["originals"][0]["path"] = "/dev/zero"
    certificate_path(out).write_text(json.dumps(elsewhere))
    found = verify_film(out, originals=True)
    assert found.whole and found.originals[0][1]


def test_an_estimate_is_of_the_right_order(project: Project, tmp_path: Path) -> None:
    for ending, chosen in ((".mov", small(file="mov", picture=FilmPicture(format="prores-422", **SMALL))),
                           (".wav", FilmSettings(name="W", file="wav"))):  # fmt: skip
        request = FilmRequest(project, tmp_path / f"film{ending}", chosen)
        guess = estimate_film(request, quiet)
        size = make_film(request, quiet).path.stat().st_size
        assert 0.5 < guess.size / size < 2 and guess.fits and guess.free > 0
        assert guess.pictures == (32 if ending == ".mov" else 0)
    assert not [one for one in cache_folder().iterdir() if one.name.startswith("film-")]
