"""Reports as pages, tables and values; manifests verified both ways; watched folders; the queue on the command line."""

import csv
import io
import json
import os
import subprocess
import sys
from dataclasses import replace
from fractions import Fraction
from html.parser import HTMLParser
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from agile_shadow.core.ingest import (
    IngestReport,
    IngestRequest,
    Problem,
    ReportRow,
    Watch,
    as_csv,
    as_html,
    verify_folder,
    watch_folder,
    watched_folders,
)
from agile_shadow.core.jobs import Awake, JobStore
from agile_shadow.core.presets import Originals, Preset, Proxies, save_preset
from agile_shadow.core.project import ProjectLock, load_project
from agile_shadow.core.project.lock import WINDOW
from tests.conftest import hashes
from tests.drawn import draw
from tests.footage import here, ingest, refusal

CHOSEN = Preset(name="T", originals=Originals(manifest=True), proxies=Proxies(codec="h264", scale=Fraction(1, 2)))
TEXT = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=12)


class _Text(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.text: list[str] = []
        self.pictures = 0

    def handle_data(self, data: str) -> None:
        self.text.append(data)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.pictures += tag == "img"


def read_page(text: str) -> _Text:
    parser = _Text()
    parser.feed(text)
    return parser


@given(st.lists(st.tuples(TEXT, TEXT, st.integers(0, 10**13)), max_size=4), TEXT)
def test_whatever_names_say_pages_and_tables_hold_them(rows: list[tuple[str, str, int]], reason: str) -> None:
    listed = tuple(
        ReportRow(f"p{n}/{path}", name, "video", size, "paired") for n, (path, name, size) in enumerate(rows)
    )
    report = IngestReport(found=len(rows), rows=listed, failed=(Problem("<b>&.mov", reason, "retry"),))
    assert IngestReport.from_json(json.loads(json.dumps(report.to_json()))) == report
    page = read_page(as_html(report, "<title>"))
    assert all(row.path in page.text for row in listed) and "<b>&.mov" in page.text
    table = list(csv.reader(io.StringIO(as_csv(report), newline="")))
    assert [line[0] for line in table[1:]] == [row.path for row in listed] + ["<b>&.mov"]
    assert not any(cell[:1] in ("=", "+", "@") for line in table for cell in line)


def test_the_report_of_an_ingest_as_page_and_table(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "x.mov", 10, timecode="02:00:00:00")
    (tmp_path / "Card" / "bad.mov").write_bytes(b"no film" * 50)
    project = tmp_path / "film" / "p.otio"
    preset_file = save_preset(CHOSEN, tmp_path / "preset.json")
    status, report, _said = here(
        "ingest", tmp_path / "Card", "--project", project, "--preset", preset_file, "--originals", tmp_path / "o",
        "--proxies", tmp_path / "p", "--report", tmp_path / "report.html",
    )  # fmt: skip
    assert status == 1 and (report["found"], report["paired"], report["wanted"]) == (2, 1, 1)
    page = read_page((tmp_path / "report.html").read_text())
    text = " ".join(page.text)
    assert page.pictures == 1 and "1 of 2 clips complete; 1 needs attention" in text and "Open its folder" in text
    assert report["rows"][1]["checksum"] in text and "02:00:00:00" in text
    assert here("report", "--project", project, "--out", tmp_path / "r.csv")[1]["rows"] == report["rows"]
    assert [row["path"] for row in csv.DictReader((tmp_path / "r.csv").open(newline=""))] == ["bad.mov", "x.mov"]
    assert here("report", "--project", project, "--number", 9)[0] == 1


def tool(*arguments: object) -> None:
    command = [Path(sys.executable).with_name("ascmhl"), *map(str, arguments)]
    subprocess.run(command, check=True, capture_output=True, timeout=60)


def test_manifests_are_verified_both_ways(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "a" / "x.mov", 10)
    ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", CHOSEN)
    ours = tmp_path / "film" / "Boathouse"
    status, answer, _said = here("verify", ours)
    assert (status, answer["equal"], answer["all_well"]) == (0, 1, True)
    reference = [Path(sys.executable).with_name("ascmhl-debug"), "verify", str(ours)]
    assert subprocess.run(reference, capture_output=True, timeout=60).returncode == 0
    theirs = tmp_path / "theirs"
    for name in ("x.bin", "sub/y.bin", "sub/z.bin"):
        (theirs / name).parent.mkdir(parents=True, exist_ok=True)
        (theirs / name).write_bytes(os.urandom(1000))
    for kind in ("md5", "c4", "xxh64"):
        tool("create", theirs, "-h", kind)
    assert verify_folder(theirs).equal == 3 and verify_folder(theirs).all_well
    (theirs / "x.bin").write_bytes(os.urandom(1000))
    (theirs / "sub" / "y.bin").unlink()
    (theirs / "new.bin").write_bytes(b"1")
    found = verify_folder(theirs)
    assert (found.differ, found.missing, found.unlisted) == (["x.bin"], ["sub/y.bin"], ["new.bin"])
    assert here("verify", theirs)[0] == 1 and "no manifest" in refusal(lambda: verify_folder(tmp_path / "Card"))


def test_a_file_counts_only_when_it_has_stopped_growing(tmp_path: Path) -> None:
    times = [0.0]
    folder = tmp_path / "in"
    folder.mkdir()
    watch = Watch(IngestRequest(folder, tmp_path / "o", tmp_path / "p", CHOSEN), quiet=5.0)
    (folder / "x.mov").write_bytes(b"1")
    for times[0] in (0.0, 3.0):
        assert watch.look(lambda: times[0]) is None and watch.growing == 1
    (folder / "x.mov").write_bytes(b"12")  # it grew
    for times[0] in (4.0, 8.0):
        assert watch.look(lambda: times[0]) is None
    times[0] = 9.5
    request = watch.look(lambda: times[0])
    assert request is not None and request.only == ("x.mov",)
    assert watch.look(lambda: times[0]) is None  # it is given once
    watch.forget(request)
    assert watch.look(lambda: times[0]) == request  # unless its run did not come to its end
    folder.rename(tmp_path / "away")
    assert watch.look(lambda: times[0]) is None and "not a folder" in watch.problem


def test_a_watched_folder_is_taken_in_with_its_preset(tmp_path: Path) -> None:
    draw(tmp_path / "in" / "x.mov", 10)
    project, chosen = tmp_path / "film" / "p.otio", save_preset(CHOSEN, tmp_path / "preset.json")
    arguments = ("watch", tmp_path / "in", "--project", project, "--preset", chosen, "--originals", tmp_path / "o",
                 "--proxies", tmp_path / "p", "--once", "--quiet", "0.2")  # fmt: skip
    status, answer, _said = here(*arguments)
    assert status == 0 and [report["paired"] for report in answer["reports"]] == [1]
    draw(tmp_path / "in" / "y.mov", 12)
    again = here(*arguments)[1]
    assert [report["found"] for report in again["reports"]] == [1]
    assert sorted(clip.name for clip in load_project(project).clips) == ["x", "y"]
    assert [request.source for request in watched_folders(project)] == [tmp_path / "in"]
    assert here("watch", tmp_path / "in", "--project", project, "--forget")[1]["watched"] == []
    bad = IngestRequest(tmp_path / "in", tmp_path / "in" / "o", tmp_path / "p", CHOSEN)
    assert "is on the source" in refusal(lambda: watch_folder(project, bad))


def test_jobs_are_listed_taken_back_and_tried_again(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "x.mov", 10)
    draw(tmp_path / "Card" / "y.mov", 14)
    project, chosen = tmp_path / "film" / "p.otio", save_preset(CHOSEN, tmp_path / "preset.json")
    (tmp_path / "p").mkdir()
    (tmp_path / "p" / "x.mov").mkdir()  # no proxy can be made under that name
    (tmp_path / "p" / "x.mov" / "x").write_bytes(b"1")
    arguments = ("ingest", tmp_path / "Card", "--project", project, "--preset", chosen, "--originals", tmp_path / "o",
                 "--proxies", tmp_path / "p")  # fmt: skip
    here(*arguments)
    jobs = {(job["kind"], job["path"]): job for job in here("jobs", "list", "--project", project)[1]["jobs"]}
    assert len(jobs) == 4 and all(job["state"] == "done" for job in jobs.values())
    assert jobs["proxy", "y.mov"]["settings"].startswith("a half") or "half" in jobs["proxy", "y.mov"]["settings"]
    assert here("jobs", "cancel", jobs["copy", "x.mov"]["id"])[0] == 1  # it has ended
    assert here("jobs", "retry", 99_999)[0] == 1
    store = JobStore()
    piece = next(piece for piece in store.pieces(project=project) if piece.key == ("proxy", "y.mov"))
    store.write_pieces([replace(piece, state="failed")])
    assert here("jobs", "retry", "--all")[1]["asked"] == [piece.id]
    assert [job.id for job in store.open_jobs(project)] == [piece.run]
    assert here("jobs", "run", "--project", project)[1]["ended"][0].startswith("2 found")
    assert store.open_jobs(project) == []


def test_a_command_hands_over_to_the_program_that_has_the_project(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "x.mov", 10)
    project = tmp_path / "film" / "p.otio"
    chosen = save_preset(CHOSEN, tmp_path / "preset.json")
    holder = ProjectLock(project)
    assert holder.take(WINDOW) and not ProjectLock(project).take(WINDOW)
    command = [sys.executable, "-m", "agile_shadow.cli", "ingest", tmp_path / "Card", "--project", project, "--preset",
               chosen, "--originals", tmp_path / "o", "--proxies", tmp_path / "p", "--json"]  # fmt: skip
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert process.stderr is not None and "open in another program" in process.stderr.readline()
    holder.release()  # it ends without having done it: the command does it itself
    answer = json.loads(process.communicate(timeout=60)[0])
    assert (answer["found"], answer["paired"]) == (1, 1)
    assert hashes(tmp_path / "o").keys() >= {"x.mov"} and JobStore().open_jobs(project) == []


def test_the_machine_is_kept_awake_where_the_system_can(tmp_path: Path) -> None:
    tool_file = tmp_path / "systemd-inhibit"
    tool_file.write_text("#!/bin/sh\nfor last; do :; done\nexec $last\n")
    tool_file.chmod(0o755)
    awake = Awake(lambda name: str(tool_file))
    awake.keep(True)
    assert awake.holds
    awake.keep(False)
    assert not awake.holds
    nothing = Awake(lambda name: None)
    nothing.keep(True)
    assert not nothing.holds


@pytest.mark.parametrize("ending", [".txt", ""])
def test_a_report_is_a_page_or_a_table(tmp_path: Path, ending: str) -> None:
    draw(tmp_path / "Card" / "x.mov", 5)
    ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", CHOSEN)
    status, _answer, said = here("report", "--project", tmp_path / "film" / "p.otio", "--out", tmp_path / f"r{ending}")
    assert status == 1 and ".html" in said and not (tmp_path / f"r{ending}").exists()


@pytest.mark.parametrize(("count", "words"), [(0, "nothing needs attention"), (1, "1 needs attention"),
                                              (2, "2 need attention"), (1200, "1,200 need attention")])  # fmt: skip
def test_one_needs_and_several_need(count: int, words: str) -> None:
    report = IngestReport(found=5, failed=tuple(Problem(f"{number}.mov", "cut off") for number in range(count)))
    assert report.headline().endswith(f"; {words}")
