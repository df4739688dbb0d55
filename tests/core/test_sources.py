"""What is found on a source, and what belongs together."""

import os
import pickle
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.ingest import read_source, settled, taken
from agile_shadow.core.ingest.belonging import owners_of
from agile_shadow.core.media import FrameReader, SoundReader, as_form, form_of, probe
from agile_shadow.core.media.joined import joined_name, parts_of
from agile_shadow.core.media.recording import is_joined
from agile_shadow.core.media.sequence import members
from agile_shadow.core.presets import Originals, Preset, Proxies, Takes
from agile_shadow.core.project import load_project
from tests.conftest import hashes
from tests.drawn import draw, values
from tests.footage import ingest

CHOSEN = Preset(name="T", proxies=Proxies(codec="h264", scale=Fraction(1, 2)))


def split_recording(folder: Path, clock: bool = True) -> None:
    """Three parts of 20, 20 and 7 frames; ``clock``: their file times continue as their timecode does."""
    for number, (frames, first, start) in enumerate(
        ((20, 0, "10:00:00:00"), (20, 20, "10:00:00:20"), (7, 40, "10:00:01:15"))
    ):
        path = draw(folder / f"CLP_{number + 7:04d}.MOV", frames, first, start, sound=True)
        with path.open("ab") as handle:  # parts that ran into the size limit are of one size
            handle.write(bytes(90_000 - path.stat().st_size if number < 2 else 0))
        os.utime(path, (1_700_000_000 + number * (1 if clock else 600),) * 2)


def test_a_split_recording_is_one_clip_with_all_its_frames(tmp_path: Path) -> None:
    split_recording(tmp_path / "Card" / "DCIM")
    before = hashes(tmp_path / "Card")
    project_file = tmp_path / "film" / "p.otio"
    report = ingest(tmp_path / "Card", project_file, CHOSEN)
    assert (report.found, report.copied, report.paired) == (1, 1, 1) and report.as_many_as_shot
    (clip,) = load_project(project_file).clips
    project = load_project(project_file)
    original, proxy = project.path(clip.original.file), project.path(clip.proxies[0].file)
    assert original is not None and proxy is not None
    assert clip.name == "CLP_0007" and proxy.name == "CLP_0007.mov"
    assert values(original) == values(proxy) == list(range(47))
    assert clip.original.info.start_timecode == clip.proxies[0].info.start_timecode == "10:00:00:00"
    with FrameReader(original) as reader:  # backwards over the joints, too
        assert [reader.frame(k).pts is not None for k in (46, 41, 40, 39, 20, 19, 0)] == [True] * 7
    assert SoundReader(original).read(48_000, 100).shape == (100, 2)
    assert hashes(tmp_path / "film" / "Boathouse") == before == hashes(tmp_path / "Card")
    assert ingest(tmp_path / "Card", project_file, CHOSEN) == report


def test_timecode_that_runs_on_from_clip_to_clip_does_not_join_them(tmp_path: Path) -> None:
    split_recording(tmp_path / "A", clock=False)
    split_recording(tmp_path / "B")
    listing = settled(tmp_path, read_source(tmp_path))
    assert [len(file.files) for file in listing.files] == [1, 1, 1, 3]
    apart = Preset(name="T", takes=Takes(join_parts=False), proxies=None)
    assert ingest(tmp_path / "B", tmp_path / "film" / "p.otio", apart).found == 3


@given(st.lists(st.from_regex(r"[A-Za-z0-9_ ]{1,12}", fullmatch=True), min_size=1, max_size=5))
def test_a_recording_is_named_by_its_files(stems: list[str]) -> None:
    names = [f"{stem}.MOV" for stem in stems]
    path = as_form(Path("/card") / joined_name(names), "parts")
    assert parts_of(path) == [Path("/card") / name for name in names]
    assert is_joined(path) and not is_joined(path.with_name(names[0])) and form_of(path.absolute()) == "parts"
    assert pickle.loads(pickle.dumps(path)) == path and is_joined(pickle.loads(pickle.dumps(path)))


@pytest.mark.parametrize("name", ["a + b.mov", "one.mov + two.mov", "SHOT_%04d.dpx", "x.mov"])
def test_what_a_file_is_is_never_read_from_its_name(name: str) -> None:
    path = Path("/card") / name
    assert parts_of(path) == members(path) == [path] and form_of(path) == "file"


def test_files_belong_to_their_clip_in_usual_and_unknown_layouts() -> None:
    clips = [
        "PRIVATE/BDMV/STREAM/00001.MTS", "CONTENTS/VIDEO/0001AB.MXF", "XROOT/Clip/C0001.MXF", "A1/A1.mov", "x.mov",
        "DCIM/100/IMG_0001.MOV", "DCIM/100/IMG_0012.MOV",
    ]  # fmt: skip
    others = {
        "PRIVATE/BDMV/CLIPINF/00001.CPI": clips[0], "CONTENTS/CLIP/0001AB.XML": clips[1],
        "CONTENTS/ICON/0001AB.BMP2": clips[1], "XROOT/Clip/C0001M01.XML": clips[2], "XROOT/Thmb/C0001T01.DAT": clips[2],
        "A1/LENS.BIN": clips[3], "DCIM/100/IMG_0001.THM": clips[5], "DCIM/100/IMG_0012.THM": clips[6],
    }  # fmt: skip
    found = {
        path: owner for owner, paths in owners_of([*others, "notes.txt", "y.xml"], clips).items() for path in paths
    }
    assert found == others


def test_a_cameras_own_small_copy_is_paired_and_what_is_none_is_a_clip(tmp_path: Path) -> None:
    card = tmp_path / "Card"
    draw(card / "Clip" / "C0001.MOV", 20, size=(512, 288), timecode="01:00:00:00")
    draw(card / "Sub" / "C0001S03.MOV", 20, size=(64, 36), timecode="01:00:00:00")
    draw(card / "Clip" / "C0002.MOV", 20, size=(512, 288))
    draw(card / "Sub" / "C0002S03.MOV", 9, size=(64, 36))
    report = ingest(card, tmp_path / "film" / "p.otio", Preset(name="T", proxies=None))
    project = load_project(tmp_path / "film" / "p.otio")
    assert (report.found, report.small_copies) == (3, 1)
    paired = {clip.name: [proxy.info.width for proxy in clip.proxies] for clip in project.clips}
    assert paired == {"C0001": [64], "C0002": [], "C0002S03": []}
    assert hashes(tmp_path / "film" / "Boathouse") == hashes(card)
    listing = taken(settled(card, read_source(card)), Takes(small_copies=False))
    assert [problem.path for problem in listing.passed_over] == ["Sub/C0001S03.MOV"]


def test_the_same_bytes_twice_on_a_card_are_one_clip(tmp_path: Path) -> None:
    card = tmp_path / "Card"
    one = draw(card / "a" / "x.mov", 12)
    (card / "b").mkdir()
    (card / "b" / "again.mov").write_bytes(one.read_bytes())
    report = ingest(card, tmp_path / "film" / "p.otio", CHOSEN)
    assert (report.found, report.here_already, report.paired) == (2, 1, 2) and report.as_many_as_shot
    assert len(load_project(tmp_path / "film" / "p.otio").clips) == 1
    assert list(hashes(tmp_path / "film" / "Boathouse")) == ["a/x.mov"]


def test_names_that_are_no_text_are_told_and_the_rest_goes_on(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "x.mov", 5)
    Path(os.fsdecode(bytes(tmp_path / "Card") + b"/\xff.mov")).write_bytes(b"1")
    report = ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", CHOSEN)
    assert report.paired == 1 and "not valid text" in report.failed[0].reason


def test_recordings_go_where_the_preset_says(tmp_path: Path) -> None:
    split_recording(tmp_path / "Card")
    (tmp_path / "Card" / "CLP_0007.XML").write_text("<x/>")
    chosen = Preset(
        name="T", proxies=None,
        originals=Originals(folders="pattern", folder_pattern="{card}", name_pattern="{counter:2}_{name}"),
    )  # fmt: skip
    ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", chosen)
    assert sorted(hashes(tmp_path / "film" / "Boathouse")) == [
        "Card/01_CLP_0007.XML", "Card/01_CLP_0007_1.MOV", "Card/01_CLP_0007_2.MOV", "Card/01_CLP_0007_3.MOV",
    ]  # fmt: skip
    project = load_project(tmp_path / "film" / "p.otio")
    path = project.path(project.clips[0].original.file)
    assert path is not None and probe(path).frames == 47
