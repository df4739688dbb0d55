"""Every setting of a preset, run on real small footage."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from datetime import datetime
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from agile_shadow.core.below import Anchor
from agile_shadow.core.drives import Drives, is_one_folder, on_one_drive
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.ingest import IngestReport, IngestRequest, IngestRun, waits_for
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.media import probe
from agile_shadow.core.presets import When
from agile_shadow.core.presets.library import parse_preset
from agile_shadow.core.project import Project, ProjectSession, load_project
from agile_shadow.core.shelves import would_share_a_drive
from agile_shadow.core.shelves.memory import remember_root
from agile_shadow.stand_ins import CLIPS
from tests.conftest import hashes
from tests.footage import codes, refusal

LIGHT = (2, 3)  # the phone's clip and one of the camcorder's


@pytest.fixture
def light_card(card: Path) -> Path:
    """A card with two clips, a sound recording and two stills."""
    for number, plan in enumerate(CLIPS):
        if number not in LIGHT:
            (card / plan.path).unlink()
    shutil.rmtree(card / "POCKET")
    return card


def run(card: Path, folder: Path, **values: Any) -> tuple[IngestReport, Project]:
    """Run a preset given by its file's values; the report and the project."""
    values = {"name": "Test", **values}
    values.setdefault("proxies", {"codec": "h264", "scale": "1/2"})
    chosen = parse_preset(values)
    session = ProjectSession.open(folder / "p.otio")
    request = IngestRequest(card, folder / "o", folder / "p", chosen, folder / "second")
    try:
        report = IngestRun(request, session, JobStore()).run()
    finally:
        session.close()
    return report, load_project(folder / "p.otio")


def below(folder: Path) -> list[str]:
    return sorted(hashes(folder)) if folder.exists() else []


def test_only_what_the_preset_takes(light_card: Path, tmp_path: Path) -> None:
    report, project = run(light_card, tmp_path / "f", takes={"sound": False, "stills": False, "leave_out": ["*_2026*"]})
    assert [clip.name for clip in project.clips] == ["00004"]
    reasons = {problem.path: problem.reason for problem in report.passed_over}
    assert reasons["RECORDER/TAKE_014.WAV"] == "the preset does not include sound"
    assert reasons[CLIPS[2].path] == "the preset leaves out *_2026*"
    report, _project = run(light_card, tmp_path / "long", takes={"longer_than": 0.9, "stills": False})
    assert report.found == 3
    report, project = run(light_card, tmp_path / "longer", takes={"longer_than": 5})
    assert "not longer than 5 s" in {problem.reason for problem in report.passed_over}
    assert {clip.original.info.kind for clip in project.clips} == {"sound", "still"}


def test_folders_and_names_by_pattern_and_sidecars_stay_with_their_clip(light_card: Path, tmp_path: Path) -> None:
    before = hashes(light_card)
    originals = {
        "folders": "pattern", "folder_pattern": "{date}/{camera}", "name_pattern": "{project}_{counter:3}_{name}",
    }  # fmt: skip
    report, project = run(light_card, tmp_path / "f", originals=originals)
    day = datetime.fromtimestamp((light_card / CLIPS[3].path).stat().st_mtime).strftime("%Y-%m-%d")
    files = below(tmp_path / "f" / "o")
    clip = next(path for path in files if path.endswith("_00004.MTS"))
    assert clip.startswith(f"{day}/CAMCORDER/p_00") and clip.replace(".MTS", ".IDX") in files
    assert clip.replace("/o/", "/p/").replace(".MTS", ".mov") in below(tmp_path / "f" / "p")
    assert report.paired == 2 and hashes(light_card) == before
    assert run(light_card, tmp_path / "f", originals=originals)[0].copied == report.copied
    assert below(tmp_path / "f" / "o") == files
    assert len(project.clips) == len(load_project(tmp_path / "f" / "p.otio").clips)


def test_flattened_folders_number_what_clashes_or_tell(light_card: Path, tmp_path: Path) -> None:
    twin = light_card / "OTHER" / "00004.MTS"
    twin.parent.mkdir()
    shutil.copy(light_card / CLIPS[4 - 1].path, twin)
    with twin.open("ab") as handle:
        handle.write(bytes(188))
    values: dict[str, Any] = {"folders": "flatten"}
    report, _project = run(light_card, tmp_path / "number", originals=values, proxies=None)
    assert {"00004.MTS", "00004_2.MTS"} <= set(below(tmp_path / "number" / "o")) and not report.failed
    report, _project = run(light_card, tmp_path / "tell", originals={**values, "on_clash": "tell"}, proxies=None)
    (problem,) = [problem for problem in report.failed if "00004" in problem.path]
    assert "another file of that name" in problem.reason
    assert "00004_2.MTS" not in below(tmp_path / "tell" / "o")


def test_second_copies_and_a_manifest_that_the_standards_own_tool_accepts(light_card: Path, tmp_path: Path) -> None:
    proxies = {"codec": "h264", "scale": "1/2", "second_copy": True}
    originals = {"second_copy": True, "manifest": True, "checksum": "md5"}
    report, _project = run(light_card, tmp_path / "f", originals=originals, proxies=proxies)
    first, second = (hashes(tmp_path / "f" / name) for name in ("o", "second"))
    media = {path: value for path, value in first.items() if not path.startswith("ascmhl/")}
    assert media == {path: second[path] for path in media}
    made = hashes(tmp_path / "f" / "p")
    assert {f"Proxies/{path}": value for path, value in made.items()}.items() <= second.items()
    assert report.second_copies == report.copied + len(made) == 7
    for name in ("o", "second"):
        assert verified(tmp_path / "f" / name)
    assert run(light_card, tmp_path / "f", originals=originals, proxies=proxies)[0].copied == report.copied
    assert hashes(tmp_path / "f" / "o") == first  # nothing new, so no new generation
    clip = tmp_path / "f" / "o" / CLIPS[3].path
    clip.write_bytes(clip.read_bytes()[:-1] + b"x")
    assert not verified(tmp_path / "f" / "o")


def verified(folder: Path) -> bool:
    """By the reference tool of ASC MHL."""
    tool = Path(sys.executable).with_name("ascmhl-debug")
    return subprocess.run([tool, "verify", folder], capture_output=True, timeout=60).returncode == 0


def test_sizes_only_are_said_to_be_no_proof(light_card: Path, tmp_path: Path) -> None:
    report, _project = run(light_card, tmp_path / "f", originals={"checksum": "size"}, proxies=None)
    assert (report.copied, report.proved) == (5, 0)
    assert hashes(light_card).items() >= hashes(tmp_path / "f" / "o").items()
    changed = tmp_path / "g" / "o" / CLIPS[3].path
    changed.parent.mkdir(parents=True)
    changed.write_bytes(bytes((light_card / CLIPS[3].path).stat().st_size))
    run(light_card, tmp_path / "g", originals={"checksum": "size"}, proxies=None)
    assert (changed.with_name("00004_2.MTS")).read_bytes() == (light_card / CLIPS[3].path).read_bytes()
    assert changed.read_bytes() == bytes(changed.stat().st_size)


def test_what_the_project_has_is_known_by_content(light_card: Path, tmp_path: Path) -> None:
    run(light_card, tmp_path / "f")
    other = tmp_path / "Other card"
    (other / "DEEP").mkdir(parents=True)
    shutil.copy(light_card / CLIPS[3].path, other / "DEEP" / "RENAMED.MTS")
    before = below(tmp_path / "f" / "o")
    report, project = run(other, tmp_path / "f")
    assert (report.found, report.here_already, report.paired) == (1, 1, 1)
    assert below(tmp_path / "f" / "o") == before and len(project.clips) == 5
    report, project = run(other, tmp_path / "f", takes={"skip_known": False})
    assert report.here_already == 0 and "DEEP/RENAMED.MTS" in below(tmp_path / "f" / "o")


def frames(folder: Path, count: int, ending: str = "png", shade: int = 0) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(count):
        picture = np.full((180, 320, 3), (shade + 8 * number) % 250, np.uint8)
        av.VideoFrame.from_ndarray(picture, format="rgb24").to_image().save(folder / f"SHOT_{number + 86:04d}.{ending}")


def test_a_numbered_sequence_is_one_clip_with_its_proxy(tmp_path: Path) -> None:
    card = tmp_path / "Card"
    frames(card / "RENDER", 12)
    before = hashes(card)
    report, project = run(card, tmp_path / "f", takes={"sequence_rate": "24000/1001"})
    (clip,) = project.clips
    assert (report.found, report.copied, report.paired) == (1, 1, 1) and not report.failed
    assert clip.name == "SHOT" and clip.original.info.frames == 12
    assert clip.original.info.frame_rate == clip.proxies[0].info.frame_rate == Fraction(24000, 1001)
    assert clip.proxies[0].info.frames == 12
    assert hashes(tmp_path / "f" / "o") == before
    assert run(card, tmp_path / "f", takes={"sequence_rate": "24000/1001"})[0] == report
    frames(card / "RENDER", 12, shade=100)  # another sequence of the same names
    report, project = run(card, tmp_path / "f", takes={"sequence_rate": "24000/1001"})
    assert len(project.clips) == 2 and not report.failed
    assert before.items() <= hashes(tmp_path / "f" / "o").items()
    (card / "RENDER" / "SHOT_0090.png").unlink()
    report, _project = run(card, tmp_path / "gap")
    assert "frame 90 of the sequence is missing" in report.failed[0].reason
    assert run(card, tmp_path / "none", takes={"sequences": False})[0].found == 0


def test_proxies_only_where_they_are_needed(light_card: Path, tmp_path: Path) -> None:
    wanted = {"codec": "h264", "scale": "1/2", "make": "where-needed", "headroom_below": None, "larger_than": 300}
    report, project = run(light_card, tmp_path / "lines", proxies=wanted)
    assert (report.paired, report.no_proxy_needed) == (0, 2)  # both are 270 lines
    report, project = run(light_card, tmp_path / "more", proxies={**wanted, "larger_than": 200})
    assert (report.paired, report.no_proxy_needed) == (2, 0)
    report, project = run(
        light_card, tmp_path / "room", proxies={**wanted, "headroom_below": 0.001, "larger_than": None}
    )
    assert (report.paired, report.no_proxy_needed) == (0, 2)
    report, project = run(light_card, tmp_path / "none", proxies={**wanted, "headroom_below": 100, "larger_than": None})
    assert report.paired + report.no_proxy_needed == 2 and not report.failed
    assert len(project.clips) == 5


def test_proxies_go_where_the_preset_says(light_card: Path, tmp_path: Path) -> None:
    base = {"codec": "h264", "scale": "1/2"}
    report, project = run(light_card, tmp_path / "a", proxies={**base, "place": "beside", "folder": "Light/{reel}"})
    assert "CAMCORDER/VIDEO/STREAM/Light/no reel/00004.mov" in below(tmp_path / "a" / "o") and report.paired == 2
    report, project = run(
        light_card,
        tmp_path / "b",
        proxies={**base, "place": "project", "folder": "Proxies", "name_pattern": "{name}_lo"},
    )
    assert "CAMCORDER/VIDEO/STREAM/00004_lo.mov" in below(tmp_path / "b" / "Proxies") and report.paired == 2
    for clip in project.clips:
        for proxy in clip.proxies:
            path, original = project.path(proxy.file), project.path(clip.original.file)
            assert path and original and codes(path, 9) == codes(original, 9)
    report, _project = run(light_card, tmp_path / "c", originals={"do": "leave"}, proxies={**base, "place": "project"})
    assert report.paired == 2 and not (tmp_path / "c" / "o").exists()


@pytest.mark.parametrize(
    "values",
    [
        {"originals": {"do": "leave"}, "proxies": {"place": "beside"}},
        {"proxies": {"place": "beside", "folder": ""}},
        {"originals": {"shelf": "Boathouse"}, "proxies": {"shelf": "Boathouse"}},
        {"originals": {"do": "leave", "manifest": True}},
        {"originals": {"checksum": "size", "manifest": True}},
        {"originals": {"name_pattern": "{date}"}},
        {"originals": {"name_pattern": "../{name}"}},
        {"originals": {"folder_pattern": "a/../b"}},
        {"originals": {"name_pattern": "{colour}_{name}"}},
        {"proxies": {"scale": "1/4", "height": 540}},
        {"proxies": {"codec": "dnxhr-lb", "megabits": 5}},
        {"proxies": {"make": "where-needed", "headroom_below": None}},
        {"proxies": {"marks": [{"kind": "picture"}]}},
        {"proxies": {"lut": {"name": "x.cube", "data": "bm90IGEgY3ViZQ=="}}},
        {"when": {"from_time": "25:00"}},
    ],
)
def test_what_cannot_be_meant_is_refused_when_the_preset_is_edited(values: dict[str, Any]) -> None:
    assert "field" in refusal(lambda: parse_preset({"name": "x", **values}))


def test_second_copies_without_a_place_or_onto_the_first_are_refused(light_card: Path, tmp_path: Path) -> None:
    chosen = parse_preset({"name": "x", "originals": {"second_copy": True}})
    (tmp_path / "way").symlink_to(tmp_path)
    again = tmp_path / "new" / ".." / "o"
    for second in (None, tmp_path / "o", again, tmp_path / "way" / "o", tmp_path / "way" / "p", light_card / "second"):
        with pytest.raises(ShadowError):
            IngestRequest(light_card, tmp_path / "o", tmp_path / "p", chosen, second).refuse_if_unsafe(tmp_path)
    IngestRequest(light_card, tmp_path / "o", tmp_path / "p", chosen, tmp_path / "way" / "s").refuse_if_unsafe(tmp_path)


def test_a_folder_that_is_mounted_at_two_places_is_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("raid", "raid again", "other"):
        (tmp_path / name).mkdir()
    devices = {"raid": (7, 1), "raid again": (7, 1), "other": (8, 1)}
    monkeypatch.setattr(Drives, "identity", lambda _self, folder: devices[folder.name])
    raid, again, other = (tmp_path / name / "Film" for name in devices)
    assert is_one_folder(raid, again) and on_one_drive(raid, again)
    assert not is_one_folder(raid, again / "Day 1") and on_one_drive(raid, again / "Day 1")
    assert not is_one_folder(raid, other) and not on_one_drive(raid, other)
    devices.clear()  # the drive does not say

    def unknown(_self: Drives, folder: Path) -> tuple[int, int]:
        raise OSError(5, "Input/output error", str(folder))

    monkeypatch.setattr(Drives, "identity", unknown)
    assert not is_one_folder(raid, again) and not on_one_drive(raid, again)


def test_of_a_drive_that_is_away_nothing_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Its folder stands there empty, on the drive of the machine."""
    first, second = tmp_path / "first", tmp_path / "usb" / "second"
    for folder in (first, second):
        folder.mkdir(parents=True)
    assert would_share_a_drive(first, second)
    told = Drives.identity
    with monkeypatch.context() as plugged:

        def another(self: Drives, at: Path) -> tuple[int, int]:
            device, inode = told(self, at)
            return device + ("usb" in at.parts), inode

        plugged.setattr(Drives, "identity", another)
        remember_root(Anchor.of(second))
        assert not would_share_a_drive(first, second)
    assert not would_share_a_drive(first, second) and not would_share_a_drive(second, first)
    shutil.rmtree(second)
    assert not would_share_a_drive(first, second)
    assert would_share_a_drive(first, tmp_path / "new")


@pytest.mark.parametrize("apart", [False, True])
def test_the_report_says_that_second_copies_lie_on_the_same_drive(
    light_card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, apart: bool
) -> None:
    if apart:
        told = Drives.identity
        monkeypatch.setattr(
            Drives, "identity",
            lambda self, at: (told(self, at)[0] + ("second" in at.parts), told(self, at)[1]),
        )  # fmt: skip
    report, project = run(light_card, tmp_path / "f", originals={"second_copy": True}, proxies=None)
    assert report.one_drive is not apart and ("second copies on the same drive" in report.headline()) is not apart
    assert [one.get("one_drive") for one in project.reports] == [not apart]
    assert report.second_copies == report.copied
    leave = {"codec": "h264", "scale": "1/2", "second_copy": True}
    made = run(light_card, tmp_path / "h", originals={"do": "leave"}, proxies=leave, takes={"sound": False})[0]
    assert made.second_copies == made.paired and made.one_drive is not apart  # proxies and theirs
    alone = run(light_card, tmp_path / "g", proxies=None)[0]
    assert not alone.one_drive and "same drive" not in alone.headline()


@pytest.mark.parametrize(
    ("start", "mains", "hour", "plugged", "waits"),
    [
        ("at-once", False, 12, False, ""),
        ("at-once", True, 12, False, "for mains power"),
        ("at-once", True, 12, True, ""),
        ("at-night", False, 21, True, "until 22:30"),
        ("at-night", False, 23, True, ""),
        ("at-night", False, 3, True, ""),
        ("at-night", True, 3, False, "for mains power"),
        ("at-night", False, 9, True, "until 22:30"),
    ],
)
def test_proxies_wait_for_their_time(start: Any, mains: bool, hour: int, plugged: bool, waits: str) -> None:
    when = When(start=start, from_time="22:30", only_on_mains=mains)
    assert waits_for(when, datetime(2026, 11, 24, hour, 40), plugged) == waits


def test_by_day_originals_are_copied_and_proxies_wait(
    light_card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    noon = datetime(2026, 11, 24, 12, 0)
    monkeypatch.setattr("agile_shadow.core.ingest.run.waits_for", lambda when, now, mains: waits_for(when, noon, mains))
    chosen = parse_preset(
        {"name": "x", "proxies": {"codec": "h264", "scale": "1/2"}, "when": {"start": "at-night", "at_a_time": 2}}
    )
    session = ProjectSession.open(tmp_path / "p.otio")
    ingest = IngestRun(IngestRequest(light_card, tmp_path / "o", tmp_path / "p", chosen), session, JobStore())
    seen: list[str] = []

    def watch(clip: object) -> None:
        if len(session.project.clips) == 5:  # all originals are here; nothing can be made before this
            seen.append(ingest.progress().waits)
            assert not list((tmp_path / "p").rglob("*.mov"))
            ingest.make_now()

    ingest._way._on_clip = watch
    report = ingest.run()
    session.close()
    assert seen == ["until 22:00"] and report.paired == 2


def test_proxies_give_way_while_the_window_plays(light_card: Path, tmp_path: Path) -> None:
    for give_way in (True, False):
        folder = tmp_path / str(give_way)
        chosen = parse_preset(
            {"name": "x", "proxies": {"codec": "h264", "scale": "1/2"}, "when": {"give_way": give_way}}
        )
        session = ProjectSession.open(folder / "p.otio")
        ingest = IngestRun(IngestRequest(light_card, folder / "o", folder / "p", chosen), session, JobStore())
        ingest.give_way(True)
        seen: list[str] = []

        def watch(
            clip: object, session: ProjectSession = session, ingest: IngestRun = ingest, seen: list[str] = seen
        ) -> None:
            if len(session.project.clips) == 5:
                seen.append(ingest.progress().waits)
                ingest.give_way(False)

        ingest._way._on_clip = watch
        assert ingest.run().paired == 2
        session.close()
        assert seen == (["during playback"] if give_way else [""])


def test_the_time_and_camera_a_file_names_fill_the_tokens(light_card: Path, tmp_path: Path) -> None:
    card = tmp_path / "Fourth card"
    card.mkdir()
    named = card / "X.MOV"
    with av.open(str(light_card / CLIPS[2].path)) as source, av.open(str(named), "w") as target:
        target.metadata["creation_time"] = "2026-10-12T09:31:42Z"
        stream = target.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    os.utime(named, (0, 0))
    assert probe(named).recorded == "2026-10-12 09:31:42"
    originals = {"name_pattern": "{date}_{time}_{card}_{name}", "folders": "flatten"}
    run(card, tmp_path / "f", originals=originals, proxies=None)
    assert below(tmp_path / "f" / "o") == ["2026-10-12_093142_Fourth card_X.MOV"]
