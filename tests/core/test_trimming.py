"""Only what the cut uses, with handles: packets copied, every frame the original's, the cut and its film unchanged."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.media import FrameReader, probe
from agile_shadow.core.presets import Proxies
from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.proof.prover import prove
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.core.storage import trimming
from agile_shadow.core.storage.carrying import CarryRequest, carry
from agile_shadow.core.storage.trimming import used_seconds
from agile_shadow.core.timeline import Dissolve, Timeline, Track, append, with_speed
from agile_shadow.core.upkeep.proving import due, prove_request
from tests.conftest import own_copy
from tests.core.test_kit import BLOCK
from tests.core.test_storage import one_byte, quiet
from tests.drawn import draw
from tests.effects import named
from tests.footage import NUMBERS, codes, here, ingest, preset

HANDLES = 3


@pytest.fixture(scope="module")
def shot(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two clips of codecs whose frames stand alone, one in groups of eight; parts of them are cut, at other speeds."""
    folder = tmp_path_factory.mktemp("shot")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        for name, codec in (("A001C002", "dnxhr-lb"), ("A001C001", "prores-lt")):
            settings = Proxies(codec=codec, scale=Fraction(1))
            source = next(drawn_card.rglob(f"{name}.*"))
            make_proxy(ProxyRequest(source, folder / "Card" / f"{name}.MOV", settings), quiet)
        draw(folder / "Card" / "GROUPS.MOV", 60, 30, timecode="01:00:00:00", sound=True)
        ingest(folder / "Card", folder / "film" / "p.otio", preset("mjpeg"))
    document = load_project(folder / "film" / "p.otio")
    document = document.with_timeline_settings_of(named(document, "A001C002"))
    line = document.timeline
    for name, first, speed in (("A001C002", 8, 1), ("A001C001", 9, Fraction(1, 2)), ("A001C001", 12, -1)):
        clip = named(document, name)
        line = append(line, clip.piece(Fraction(first, 25), Fraction(5, 25)))
        if speed != 1:
            line = with_speed(line, line.pictures[0].blocks[-1].id, Fraction(speed))
    save_project(document.but(timeline=line), folder / "film" / "p.otio")
    return folder / "film" / "p.otio"


@pytest.fixture
def project(shot: Path, tmp_path: Path) -> Path:
    return own_copy(shot, tmp_path / "film")


def film_codes(project: Path, out: Path) -> list[tuple[int, int] | None]:
    code, said, text = here("export", "--project", project, "--out", out)
    assert code == 0, (said, text)
    return codes(out)


def test_the_cut_and_its_film_are_the_same_from_files_that_hold_only_what_is_used(
    project: Path, tmp_path: Path
) -> None:
    wanted = film_codes(project, tmp_path / "before.mov")
    before = load_project(project)
    code, said, _text = here("collect", project, tmp_path / "drive", "--handles", HANDLES)
    assert code == 0 and sorted(said["cut"]) == ["A001C001", "A001C002"], said
    there = load_project(Path(said["project"]))
    for name in said["cut"]:
        clip, whole = named(there, name), named(before, name)
        path, source = there.path(clip.original.file), before.path(whole.original.file)
        assert path is not None and source is not None and path.stat().st_size < source.stat().st_size
        assert clip.original.info == probe(path) and clip.original.checksum_value
        first = {"A001C002": 8, "A001C001": 9}[name] - HANDLES
        assert clip.original.info.frames < whole.original.info.frames
        assert_same_frames(path, source, first)
        (proxy,), (light,) = clip.proxies, whole.proxies
        light_there, light_here = there.path(proxy.file), before.path(light.file)
        assert light_there is not None and light_here is not None and proxy.offset == 0 and proxy.state == "paired"
        assert_same_frames(light_there, light_here, first)
    assert here("keep", "Boathouse", "--project", said["project"])[0] == 0
    assert film_codes(Path(said["project"]), tmp_path / "after.mov") == wanted
    assert wanted[:5] == [(NUMBERS["A001C002"], 8 + number) for number in range(5)]
    with FrameReader(tmp_path / "before.mov") as one, FrameReader(tmp_path / "after.mov") as other:
        for number in range(len(wanted)):
            frames = one.frame(number), other.frame(number)
            pictures = [frame.reformat(format="gray").to_ndarray().astype(int) for frame in frames]
            assert abs(pictures[0] - pictures[1]).mean() < 0.5
    certificate = json.loads(next(tmp_path.glob("after*.json")).read_text())
    assert all(str(tmp_path / "drive") in one["path"] for one in certificate["originals"])


def assert_same_frames(path: Path, source: Path, first: int) -> None:
    with FrameReader(path) as cut, FrameReader(source) as whole:
        for number in range(len(cut.index)):
            frames = cut.frame(number), whole.frame(first + number)
            pixels = [frame.reformat(format="rgb24").to_ndarray() for frame in frames]
            assert (pixels[0] == pixels[1]).all()


def test_timecode_begins_where_it_was_and_pairs_are_proven_anew(project: Path, tmp_path: Path) -> None:
    there = carry(CarryRequest(load_project(project), tmp_path / "drive", True, handles=HANDLES), quiet).project
    clip, whole = named(there, "A001C002"), named(load_project(project), "A001C002")
    assert whole.original.info.start_timecode == "10:14:20:05"
    assert clip.original.info.start_timecode == clip.proxies[0].info.start_timecode == f"10:14:20:{5 + 8 - HANDLES:02d}"
    pairs, _cannot = due(there)
    assert {one.clip.name for one in pairs} == {"A001C001", "A001C002"}, "the whole file's proof is not this one's"
    proofs = [prove(prove_request(there, one), quiet) for one in pairs]
    assert {one.state for one in proofs} == {"proven"}, [one.reasons for one in proofs]


def test_what_cannot_be_shown_to_be_the_same_goes_along_whole(
    project: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(trimming, "_alike", lambda one, other: one.pts % 2 == 7)
    before = load_project(project)
    done = carry(CarryRequest(before, tmp_path / "drive", True, handles=0), quiet)
    assert done.cut == () and any("frame" in why for _name, why in done.whole), done.whole
    for clip in done.project.clips:
        path, source = done.project.path(clip.original.file), before.path(clip.original.file)
        assert path is not None and source is not None and path.read_bytes() == source.read_bytes()
    assert done.project.timeline == before.timeline and not list((tmp_path / "drive").rglob("*.part"))


def test_an_original_that_was_damaged_since_is_refused(project: Path, tmp_path: Path) -> None:
    document = load_project(project)
    path = document.path(named(document, "A001C002").original.file)
    assert path is not None
    one_byte(path, random.Random(1))
    code, said, _text = here("collect", project, tmp_path / "drive", "--handles", 0)
    assert code == 1 and "bytes that were ingested" in said["error"] and "A001C002" in said["error"]
    assert not list((tmp_path / "drive").rglob("*.otio")) and not list((tmp_path / "drive").rglob("*.part"))


def test_what_another_clip_needs_goes_along_whole_and_a_broken_proxy_stays_behind(
    project: Path, tmp_path: Path
) -> None:
    document = load_project(project)
    clip, other = named(document, "A001C002"), named(document, "A001C001")
    twin = replace(clip, id="twin", name="Twin")
    broken = document.path(other.proxies[0].file)
    assert broken is not None
    broken.write_bytes(b"no film" * 100)
    document = document.but(clips=(*document.footage.clips, twin))
    document = document.but(timeline=append(document.timeline, twin.piece()))
    done = carry(CarryRequest(document, tmp_path / "drive", True, handles=0), quiet)
    assert set(done.cut) == {clip.id, other.id} and named(done.project, "A001C001").proxies == ()
    for one in done.project.clips:
        for file in (one.original.file, *(proxy.file for proxy in one.proxies)):
            path = done.project.path(file)
            assert path is not None and path.is_file(), (one.name, file)
    whole = done.project.path(named(done.project, "Twin").original.file)
    assert whole is not None and probe(whole).frames == clip.original.info.frames


def test_groups_of_frames_are_cut_where_decoding_can_begin(project: Path, tmp_path: Path) -> None:
    document = load_project(project)
    clip = named(document, "GROUPS")
    document = document.but(timeline=append(document.timeline, clip.piece(Fraction(30, 25), Fraction(5, 25))))
    done = carry(CarryRequest(document, tmp_path / "drive", True, handles=2), quiet)
    assert clip.id in done.cut, done.whole
    there = named(done.project, "GROUPS")
    path, source = done.project.path(there.original.file), document.path(clip.original.file)
    assert path is not None and source is not None
    assert there.original.info.frames == there.proxies[0].info.frames == 16  # 28 to 36, out to the groups' ends
    assert there.original.info.start_timecode == "01:00:00:24" and there.original.info.audio_channels == 1
    assert_same_frames(path, source, 24)


@given(
    st.integers(0, 40), st.integers(1, 30), st.sampled_from(["1", "1/2", "2", "-1", "-3/2"]), st.integers(0, 6),
    st.integers(0, 6),
)  # fmt: skip
def test_what_is_used_is_every_moment_that_shows(
    start: int, length: int, speed: str, before: int, after: int
) -> None:
    """Against asking every frame of the timeline, those of dissolves included."""
    rate, step = Fraction(25), Fraction(speed)
    first = replace(BLOCK, id="a", start=0, length=length, source_start=Fraction(50), speed=step, room=Fraction(100))
    second = replace(BLOCK, id="b", clip="d", start=length, length=20, source_start=Fraction(50), room=Fraction(100),
                     dissolve=Dissolve(before, after))  # fmt: skip
    line = Timeline("T", rate, 320, 180, (Track("picture", "P", (first.at(start), second.at(start + length)), id="p"),
                                          Track("sound", "S", (), id="s")), id="t")  # fmt: skip
    used = used_seconds([line])
    cut = start + length
    shown = range(start, cut + after), range(cut - before, cut + 20)
    for block, frames in zip((first.at(start), second.at(cut)), shown, strict=True):
        low, high = used[block.clip]
        moments = [block.moment(frame, rate) for frame in frames]
        assert low == min(moments) and max(moments) <= high <= max(moments) + abs(block.speed) / rate


def test_nothing_is_cut_of_what_no_block_shows(project: Path) -> None:
    document: Project = load_project(project)
    assert set(used_seconds([document.timeline])) == {block.clip for block in document.timeline.blocks}
