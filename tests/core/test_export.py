"""The film comes from the originals, frame for frame what the timeline says."""

import os
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from agile_shadow.core.compositing import picture_of
from agile_shadow.core.errors import ExportError, ShadowError
from agile_shadow.core.film import final_check, make_film, plain_film
from agile_shadow.core.media import FrameReader, SoundReader, probe, to_bgra
from agile_shadow.core.presets import Mark, Preset, Proxies
from agile_shadow.core.project import Project, load_project
from agile_shadow.core.timeline import Timeline, append
from tests.conftest import own_copy
from tests.effects import with_everything
from tests.footage import NUMBERS, codes, ingest, refusal

CUT = (("A001C002", 3, 12), ("PCK_0007", 10, 20), ("00004", 0, 10))


@pytest.fixture(scope="module")
def marked(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Ingested once, with a large mark on every proxy."""
    marks = Proxies(scale=Fraction(1, 2), codec="h264", marks=(Mark(text="PROXY", size=0.5, x=0.5, y=0.5),))
    project = tmp_path_factory.mktemp("marked") / "film" / "p.otio"
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(project.parent.parent / "profile"))
        ingest(drawn_card, project, Preset(name="Marked", proxies=marks))
    return project


@pytest.fixture
def project(marked: Path, tmp_path: Path) -> Project:
    project = load_project(own_copy(marked, tmp_path / "film")).but(showing="proxies")
    for name, first, count in CUT:
        clip = next(clip for clip in project.clips if clip.name == name)
        project = project.with_timeline_settings_of(clip)
        rate = clip.original.info.frame_rate
        line = append(project.timeline, clip.piece(first / rate, Fraction(count) / rate))
        project = project.but(timeline=line)
    return project


def expected() -> list[tuple[int, int]]:
    """50 frames per second fall onto 25: every other one."""
    return [
        *((NUMBERS["A001C002"], 3 + n) for n in range(12)),
        *((NUMBERS["PCK_0007"], 10 + 2 * n) for n in range(10)),
        *((NUMBERS["00004"], n) for n in range(10)),
    ]


def quiet(done: float) -> None:
    pass


@pytest.mark.parametrize("ending", [".mp4", ".mov"])
def test_the_film_has_the_frames_of_the_timeline_from_the_originals(
    project: Project, tmp_path: Path, ending: str
) -> None:
    out = tmp_path / f"film{ending}"
    result = make_film(plain_film(project, out), quiet)
    assert [source.blocks for source in final_check(project).sources] == [1, 1, 1]  # with their sound, once each
    assert codes(out) == expected()
    info = probe(out)
    assert (info.width, info.height, info.frames) == (960, 540, 32) and info.audio_channels == 2
    assert result.seconds == Fraction(32, 25)
    originals = {project.path(clip.original.file) for clip in project.clips}
    assert set(result.sources) <= originals and len(result.sources) == 3
    clip = next(clip for clip in project.clips if clip.name == "A001C002")
    path = project.path(clip.original.file)
    assert path is not None
    with FrameReader(out) as film, FrameReader(path) as original:
        mine, theirs = (
            f.reformat(format="gray").to_ndarray().astype(float) for f in (film.frame(4), original.frame(7))
        )
    assert np.abs(mine[:540] - theirs[:540]).mean() < 3  # all the original's detail and grain, not the proxy's
    made = project.path(clip.proxies[0].file)
    assert made is not None
    with FrameReader(made) as proxy:
        marked = proxy.frame(7).reformat(960, 540, format="gray").to_ndarray().astype(float)
    assert np.abs(marked - theirs[:540]).mean() > 10  # the proxy bears a large mark, the film does not
    sound = SoundReader(out).read(0, 48_000)
    loud = int(np.argmax(np.abs(sound[:, 0]) > 0.1))
    assert abs(loud - 48_000 * 22 // 25) < 200  # the clunk of frame 0 of the last block


def test_a_missing_or_changed_original_is_refused_with_its_shelf(project: Project, tmp_path: Path) -> None:
    clip = next(clip for clip in project.clips if clip.name == "PCK_0007")
    path = project.path(clip.original.file)
    assert path is not None
    os.utime(path)
    assert final_check(project).ready and final_check(project).warnings
    data = bytearray(path.read_bytes())
    data[-1] ^= 1
    path.write_bytes(data)
    assert "checksum differs" in refusal(lambda: make_film(plain_film(project, tmp_path / "f.mp4"), quiet))
    path.unlink()
    said = refusal(lambda: make_film(plain_film(project, tmp_path / "f.mp4"), quiet))
    assert str(path) in said and "Boathouse" in said and "missing" in said
    assert not (tmp_path / "f.mp4").exists()


def test_the_film_never_takes_the_name_of_footage(project: Project, tmp_path: Path) -> None:
    for clip in project.clips:
        path = project.path(clip.original.file)
        assert path is not None
        if path.suffix.lower() in (".mp4", ".mov"):
            before = path.read_bytes()
            with pytest.raises(ShadowError, match="footage"):
                make_film(plain_film(project, path), quiet)
            assert path.read_bytes() == before
    with pytest.raises(ExportError):
        make_film(plain_film(project, tmp_path / "film.wmx"), quiet)
    with pytest.raises(ExportError):
        make_film(plain_film(project.but(timeline=Timeline(rate=Fraction(25))), tmp_path / "f.mp4"), quiet)


def test_the_film_shows_every_effect_as_the_player_does(project: Project, tmp_path: Path) -> None:
    project = with_everything(project, frames=4)
    line = replace(project.timeline, width=480, height=270)  # smaller pictures, drawn the same way
    project = project.but(timeline=line)
    result = make_film(plain_film(project, tmp_path / "film.mov"), quiet)
    assert result.frames == line.length
    with FrameReader(result.path) as reader:
        for frame in range(0, line.length, 3):
            shown = picture_of(project, line, frame, (line.width, line.height), "originals").pixels
            made = to_bgra(reader.frame(frame), line.width, line.height)
            assert np.abs(made.astype(int) - shown)[..., :3].mean() < 3
