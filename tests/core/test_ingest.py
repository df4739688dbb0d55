"""One preset, one run: what must hold, through the command line as a script would use it."""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.files import is_partial
from agile_shadow.core.ingest import IngestRequest, read_source
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.presets import save_preset
from agile_shadow.core.project import load_project
from agile_shadow.stand_ins import CLIPS
from agile_shadow.stand_ins.card import CUT_OFF, EMPTY, NOTE
from tests.conftest import hashes
from tests.footage import codes, ingest, preset, refusal

EVERYDAY = "Everyday, quarter size"


def command(*arguments: object) -> list[str]:
    return [sys.executable, "-m", "agile_shadow.cli", *map(str, arguments)]


def cli(*arguments: object) -> tuple[int, dict[str, Any], str]:
    done = subprocess.run(command(*arguments, "--json"), capture_output=True, text=True, timeout=120)
    answer = json.loads(done.stdout) if done.stdout else {}
    answer.pop("took", None)  # the only part of a report that differs from run to run
    return done.returncode, answer, done.stderr


def ingest_arguments(card: Path, folder: Path) -> list[object]:
    folder.mkdir(exist_ok=True)
    chosen = save_preset(preset(), folder / "preset.json")
    return ["ingest", card, "--preset", chosen, "--project", folder / "p.otio", "--originals", folder / "o",
            "--proxies", folder / "p"]  # fmt: skip


def test_the_demo_card_is_taken_in_whole(card: Path, tmp_path: Path) -> None:
    before = hashes(card)
    status, report, _said = cli(*ingest_arguments(card, tmp_path))
    assert (report["found"], report["copied"], report["proved"]) == (12, 12, 12)
    assert report["proxies"] == report["paired"] == len(CLIPS) == 8
    assert [problem["path"] for problem in report["passed_over"]] == [NOTE]
    assert sorted(problem["path"] for problem in report["failed"]) == [EMPTY, CUT_OFF]
    assert status == 1  # something needs a person
    assert hashes(card) == before
    on_shelf = hashes(tmp_path / "o")
    assert on_shelf == {path: value for path, value in before.items() if path not in (NOTE, EMPTY)}
    again, second, _said = cli(*ingest_arguments(card, tmp_path))
    assert (again, second) == (status, report)
    assert hashes(tmp_path / "o") == on_shelf
    listed = cli("clips", "--project", tmp_path / "p.otio")[1]["clips"]
    by_name = {clip["name"]: clip for clip in listed}
    assert len(listed) == 11
    for plan in CLIPS:
        clip = by_name[Path(plan.path).stem]
        (proxy,) = clip["proxies"]
        assert proxy["frames"] == clip["original"]["frames"] and proxy["state"] == "paired"
        assert codes(Path(proxy["path"]), 10) == codes(Path(clip["original"]["path"]), 10)


def test_killed_at_random_moments_it_goes_on_to_the_same_report(card: Path, tmp_path: Path) -> None:
    for plan in CLIPS[3:]:
        (card / plan.path).unlink()
    expected = cli(*ingest_arguments(card, tmp_path / "calm"))[1]
    whole = hashes(tmp_path / "calm" / "o")
    before = hashes(card)
    moments = random.Random(7)
    arguments = ingest_arguments(card, tmp_path / "killed")
    for _ in range(10):
        process = subprocess.Popen(command(*arguments, "--json"), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            process.wait(timeout=0.5 + 2.2 * moments.random())
        except subprocess.TimeoutExpired:
            os.kill(process.pid, signal.SIGKILL)
            process.wait()
        _nothing_half_made(tmp_path / "killed", whole, tmp_path / "calm")
        if moments.random() < 0.4:  # begin again from nothing now and then, or the late moments are never met
            for name in ("o", "p"):  # not the shelves themselves: those are never made a second time
                for path in (tmp_path / "killed" / name).glob("*"):
                    shutil.rmtree(path) if path.is_dir() else path.unlink()
    report = cli(*arguments)[1]
    assert report == json.loads(json.dumps(expected).replace("/calm/", "/killed/"))
    assert hashes(tmp_path / "killed" / "o") == whole
    assert hashes(card) == before
    assert [p for p in (tmp_path / "killed").rglob("*") if is_partial(p.name)] == []
    assert JobStore().open_jobs(tmp_path / "killed" / "p.otio") == []


def _nothing_half_made(folder: Path, whole: dict[str, str], calm: Path) -> None:
    for path, value in hashes(folder / "o").items():
        assert is_partial(Path(path).name) or whole[path] == value
    for proxy in (folder / "p").rglob("*.mov"):
        assert codes(proxy, 5) == codes(calm / "p" / proxy.relative_to(folder / "p"), 5)
    if (folder / "p.otio").exists():
        load_project(folder / "p.otio")


def test_originals_can_stay_where_they_are(card: Path, tmp_path: Path) -> None:
    before = hashes(card)
    report = ingest(card, tmp_path / "stay" / "p.otio", preset(do="leave"))
    assert (report.copied, report.proved, report.paired) == (0, 0, 8)  # nothing was copied, so nothing is proved
    assert hashes(card) == before
    project = load_project(tmp_path / "stay" / "p.otio")
    assert {project.path(clip.original.file) for clip in project.clips} <= set(card.rglob("*"))


def test_two_clips_of_one_name_keep_two_proxies(card: Path, tmp_path: Path) -> None:
    folder = (card / CLIPS[0].path).parent
    shutil.copy(card / CLIPS[1].path, folder / "PCK_0007.MOV")
    project_file = tmp_path / "two" / "p.otio"
    assert ingest(card, project_file).paired == 9
    project = load_project(project_file)
    for clip in project.clips:
        for proxy in clip.proxies:
            original, made = project.path(clip.original.file), project.path(proxy.file)
            assert original and made and codes(original, 12) == codes(made, 12)


def test_another_preset_makes_another_proxy_and_keeps_the_first(card: Path, tmp_path: Path) -> None:
    for plan in CLIPS[1:]:
        (card / plan.path).unlink()
    project_file = tmp_path / "p.otio"
    ingest(card, project_file)
    ingest(card, project_file, preset("mjpeg"))
    clip = next(clip for clip in load_project(project_file).clips if clip.proxies)
    assert [proxy.info.codec for proxy in clip.proxies] == ["h264", "mjpeg"]


def test_unsafe_places_are_refused_before_anything_is_written(card: Path, tmp_path: Path) -> None:
    for originals, proxies, do in (
        (card / "in", tmp_path / "p", "copy"), (tmp_path / "o", card / "p", "copy"),
        (tmp_path / "o", tmp_path / "o", "copy"),
    ):  # fmt: skip
        with pytest.raises(ShadowError):
            IngestRequest(card, originals, proxies, preset(do=do)).refuse_if_unsafe(tmp_path)
    status, answer, said = cli("ingest", tmp_path / "gone", "--preset", EVERYDAY, "--project", tmp_path / "p.otio",
                               "--originals", tmp_path / "o", "--proxies", tmp_path / "p")  # fmt: skip
    assert (status, answer["error"]) == (1, said.strip()) and "not a folder" in said and said.count("\n") == 1
    assert not (tmp_path / "p.otio").exists()


def test_no_room_is_known_before_the_start(card: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("agile_shadow.core.ingest.shelving.free_room", lambda folder: 1000)
    assert "are needed" in refusal(lambda: ingest(card, tmp_path / "full" / "p.otio"))
    assert not any((tmp_path / "full" / "Boathouse").rglob("*.*"))


def test_a_source_is_read_through_any_nesting(tmp_path: Path) -> None:
    deep = tmp_path / "a" / "b" / "c" / "d"
    deep.mkdir(parents=True)
    (deep / "x.mov").write_bytes(b"1")
    (deep / "x.xml").write_bytes(b"1")
    (deep / "notes.txt").write_bytes(b"1")
    (deep / "loop.GIF").write_bytes(b"1")
    (deep / "link.mov").symlink_to(deep / "x.mov")
    listing = read_source(tmp_path)
    assert [(file.path, file.sidecars) for file in listing.files] == [("a/b/c/d/x.mov", ("a/b/c/d/x.xml",))]
    reasons = {problem.path.rpartition("/")[2]: problem.reason for problem in listing.passed_over}
    assert sorted(reasons) == ["link.mov", "loop.GIF", "notes.txt"] and "moving picture" in reasons["loop.GIF"]


def test_a_folder_that_cannot_be_read_needs_a_person_and_the_rest_goes_on(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("closed", "open"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "x.mov").write_bytes(b"1")
    real = os.scandir

    def refuse(path: Path) -> object:
        if Path(path).name == "closed":
            raise PermissionError(13, "Permission denied", str(path))
        return real(path)

    monkeypatch.setattr(os, "scandir", refuse)
    listing = read_source(tmp_path)
    assert [file.path for file in listing.files] == ["open/x.mov"]
    (problem,) = listing.unreadable
    assert problem.path == "closed" and "no permission to read" in problem.reason
