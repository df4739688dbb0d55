"""Shelves read against their records: what is damaged is told, and put in place again from what is whole."""

from __future__ import annotations

import os
import random
import shutil
import time
from pathlib import Path

import pytest

from agile_shadow.core.below import Anchor
from agile_shadow.core.desk import Desk, KeepRun
from agile_shadow.core.errors import Cancelled, CopyError, ShadowError
from agile_shadow.core.hashing import hash_file
from agile_shadow.core.ingest.copying import Proved
from agile_shadow.core.ingest.manifest import write_manifest
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.project import Project, ProjectSession, load_project, save_project
from agile_shadow.core.readings import readings_below
from agile_shadow.core.shelves import Shelf
from agile_shadow.core.storage.behind import behind, bring_up
from agile_shadow.core.storage.keeping import KeepResult, Lost, keep_request, keep_shelf
from agile_shadow.core.storage.kept import KeepPlan, is_due, last_kept, note_kept, plan_of, set_plan
from agile_shadow.core.storage.mending import PutBackRequest, find_whole, put_back
from tests.core.test_storage import ask, kept_of, one_byte, quiet, some_file
from tests.footage import here, ingest
from tests.until import until


def shelf_of(project: Project, name: str) -> Shelf:
    return next(one for one in project.shelves if one.name == name)


def kept(place: Path, name: str, begun: float | None = None) -> KeepResult:
    project = load_project(place / "film.otio")
    return keep_shelf(keep_request(project, shelf_of(project, name), time.time() if begun is None else begun), quiet)


def test_an_undisturbed_shelf_is_whole_by_every_kind_of_record(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("Boathouse", "Attic", "Laptop"):
        found = kept(place, name)
        files = [path for path in (place / name).rglob("*") if path.is_file() and not path.name.startswith(".")]
        assert found.all_well and found.equal == len(files) and not found.added, (name, found.said())
        assert found.size == sum(path.stat().st_size for path in files)
        assert KeepResult.from_json(found.to_json()) == found
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(place / "another machine"))
    by_project = kept(place, "Boathouse")
    assert by_project.all_well and by_project.equal == len(load_project(place / "film.otio").clips)
    assert by_project.added  # sidecars: no machine's memory, no manifest
    files = [path for path in (place / "Attic").rglob("*") if path.is_file() and not path.name.startswith(".")]
    proved = [Proved(path, path, hash_file(path, "xxh64")) for path in files]
    assert not kept(place, "Attic").all_well  # nothing is recorded of it there
    write_manifest(Anchor.of(place / "Attic"), proved, "xxh64")
    assert kept(place, "Attic").all_well and kept(place, "Attic").equal == len(files)


@pytest.mark.parametrize("seed", range(6))
def test_what_is_lost_is_told_and_put_back_from_what_is_whole(place: Path, seed: int) -> None:
    rng = random.Random(seed)
    project = load_project(place / "film.otio")
    name, other = rng.sample(["Boathouse", "Attic"], 2)
    home = shelf_of(project, name)
    files = {path: path.read_bytes() for path in (place / name).rglob("*") if path.is_file()}
    hurt = some_file(place / name, rng)
    one_byte(hurt, rng)
    damaged_bytes = hurt.read_bytes()
    gone = rng.choice([path for path in files if path != hurt and not path.name.startswith(".")])
    gone.unlink()
    (place / name / "letter.txt").write_bytes(b"added")
    found = kept(place, name)
    states = {one.path: one.state for one in found.lost}
    below = {path: path.relative_to(home.root).as_posix() for path in files}
    assert states == {below[hurt]: "damaged", below[gone]: "missing"}
    assert found.added == ("letter.txt",) and not found.all_well
    for lost in found.lost:
        whole = find_whole(project, lost, home)
        assert whole is not None and whole.shelf == other
        aside = put_back(PutBackRequest(home.root, lost, whole.path), quiet)
        assert (aside is not None) == (lost.state == "damaged")
        assert aside is None or (aside.parent == hurt.parent and aside.read_bytes() == damaged_bytes)
    assert all(path.read_bytes() == data for path, data in files.items())
    assert not kept(place, name).lost


def test_what_is_whole_nowhere_is_not_put_back(place: Path) -> None:
    project = load_project(place / "film.otio")
    rng = random.Random(1)
    home = shelf_of(project, "Boathouse")
    hurt = some_file(place / "Boathouse", rng)
    below = hurt.relative_to(home.root)
    one_byte(hurt, rng)
    one_byte(place / "Attic" / below, rng)
    (lost,) = kept(place, "Boathouse").lost
    assert find_whole(project, lost, home) is None
    before = hurt.read_bytes()
    with pytest.raises(CopyError, match="recorded bytes"):
        put_back(PutBackRequest(home.root, lost, place / "Attic" / below), quiet)
    assert hurt.read_bytes() == before and len(list(hurt.parent.glob(f"{hurt.stem}*{hurt.suffix}"))) == 1


def test_putting_back_that_fails_leaves_everything_as_it_was(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    project, rng = load_project(place / "film.otio"), random.Random(2)
    home = shelf_of(project, "Boathouse")
    hurt = some_file(place / "Boathouse", rng)
    one_byte(hurt, rng)
    before = hurt.read_bytes()
    (lost,) = kept(place, "Boathouse").lost
    whole = find_whole(project, lost, home)
    assert whole is not None

    def full(*_arguments: object) -> None:
        raise CopyError("no room", hurt, "")

    monkeypatch.setattr("agile_shadow.core.storage.mending.copy_file", full)
    with pytest.raises(CopyError, match="no room"):
        put_back(PutBackRequest(home.root, lost, whole.path), quiet)
    assert (hurt.read_bytes() == before and sorted(hurt.parent.iterdir()) == sorted(
        (kept_of(place) / hurt.relative_to(place)).parent.iterdir(), key=lambda one: one.name
    )) or {one.name for one in hurt.parent.iterdir()} == {
        one.name for one in (kept_of(place) / hurt.relative_to(place)).parent.iterdir()
    }  # fmt: skip


def test_a_reading_goes_on_where_it_was(place: Path) -> None:
    project = load_project(place / "film.otio")
    request = keep_request(project, shelf_of(project, "Boathouse"), time.time())

    steps: list[float] = []

    def until_late(done: float) -> None:
        steps.append(done)
        if len(steps) == 4:
            raise Cancelled

    with pytest.raises(Cancelled):
        keep_shelf(request, until_late)
    read = [one for one in readings_below(request.root).values() if one.read >= request.begun]
    assert read
    found = keep_shelf(request, quiet)
    assert found.before == len(read) and found.all_well
    assert kept(place, "Boathouse").before == 0  # another run reads everything
    hurt = Path(read[0].path)
    one_byte(hurt, random.Random(3))
    os.utime(hurt)  # it is not what was read
    assert keep_shelf(request, quiet).lost


def test_hostile_histories_and_shelves_that_go(place: Path) -> None:
    project = load_project(place / "film.otio")
    request = keep_request(project, shelf_of(project, "Boathouse"), time.time())
    (place / "Boathouse" / "ascmhl").symlink_to(place / "Attic")
    with pytest.raises(ShadowError):
        keep_shelf(request, quiet)
    (place / "Boathouse" / "ascmhl").unlink()
    moved = []

    def pull(done: float) -> None:
        if not moved:
            moved.append((place / "Boathouse").rename(place / "pulled"))

    with pytest.raises(ShadowError, match="not there"):
        keep_shelf(request, pull)


def test_second_copies_that_are_behind_are_brought_up_to_date(place: Path) -> None:
    project = load_project(place / "film.otio")
    attic = shelf_of(project, "Attic")
    assert behind(project, attic) == []
    kept_files = sorted(path.relative_to(place / "Attic") for path in (place / "Attic").rglob("*")
                        if path.is_file() and not path.name.startswith("."))  # fmt: skip
    shutil.rmtree(place / "Attic" / kept_files[0].parts[0])
    missing = behind(project, attic)
    assert {one.target.relative_to(place / "Attic") for one in missing} == {
        path for path in kept_files if path.parts[0] == kept_files[0].parts[0]
    }
    assert not ask(place)[1].may_be_wiped
    for one in missing:
        bring_up(one, quiet)
        assert one.target.read_bytes() == one.source.read_bytes()
    assert behind(project, attic) == [] and ask(place)[1].may_be_wiped


def test_a_shelf_for_second_copies_that_came_later_gets_all_of_the_card(card: Path, tmp_path: Path) -> None:
    (card / "CLIPS").mkdir()
    (card / "CLIPS" / "BROKEN.MOV").write_bytes(b"no film, and copied all the same" * 100)
    ingest(card, tmp_path / "film.otio")
    project = load_project(tmp_path / "film.otio")
    footage, attic = project.footage.with_shelf("Attic", "second copies", tmp_path / "Attic")
    project = Project(footage, project.cut)
    (tmp_path / "Attic").mkdir()
    save_project(project, tmp_path / "film.otio")
    for one in behind(project, attic):
        bring_up(one, quiet)
    assert behind(project, attic) == []
    code, said, _text = here("card", "ask", card, "--project", tmp_path / "film.otio", "--passed-over-may-go")
    assert code == 0 and len(said["shelves"]) == 2, said["answer"]
    assert any(file["path"] == "CLIPS/BROKEN.MOV" and not file["needless"] for file in said["files"])


def test_shelves_are_read_in_the_queue_and_when_their_time_has_come(place: Path) -> None:
    session = ProjectSession.open(place / "film.otio")
    desk = Desk(session, JobStore())
    attic = shelf_of(session.project, "Attic")
    try:
        run = desk.keep(attic)
        with pytest.raises(ShadowError, match="already"):
            desk.keep(attic)
        until(lambda: not desk.runs, 60)
        assert run.result is not None and run.result.all_well and not run.problems
        last = last_kept(attic.root)
        assert last == run.result
        (piece,) = JobStore().pieces(run=run.job)
        assert piece.state == "done" and "as recorded" in piece.note
        set_plan(attic.root, 2, night=False)
        desk.minding.keep_what_is_due()
        assert not desk.runs
        note_kept(KeepResult(**{**vars(last), "ended": time.time() - 15 * 86_400}))
        set_plan(attic.root, 2, night=False)
        assert plan_of(attic.root).weeks == 2 and not is_due(plan_of(attic.root), last_kept(attic.root), time.time())
        desk.second_copies(attic)
        until(lambda: not desk.runs, 60)
        told: list[str] = []
        desk.ended.connect(lambda end: told.append(end.problem))
        one_byte(some_file(place / "Attic", random.Random(5)), random.Random(5))
        desk.keep(attic)
        until(lambda: bool(told), 60)
        assert told[0].startswith("Attic: ") and "1 damaged" in told[0]
    finally:
        assert desk.close(20)
        session.close()


def test_when_a_shelf_is_due() -> None:
    noon = time.mktime((2026, 6, 1, 12, 0, 0, 0, 0, -1))
    week = 7 * 86_400.0
    last = KeepResult("s", "/x", 0, noon - 3 * week, 1, 1, 0, ())
    assert is_due(KeepPlan(3, False), last, noon) and not is_due(KeepPlan(4, False), last, noon)
    assert not is_due(KeepPlan(3, True), last, noon) and is_due(KeepPlan(3, True), last, noon + 11 * 3600)
    assert not is_due(KeepPlan(0, False), last, noon) and not is_due(KeepPlan(2, False, noon - week), None, noon)


def test_a_reading_that_was_closed_goes_on_at_the_next_start(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session = ProjectSession.open(place / "film.otio")
    attic = shelf_of(session.project, "Attic")
    with monkeypatch.context() as held:
        held.setattr(KeepRun, "waits", property(lambda run: "for the test"))
        desk = Desk(session, JobStore())
        run = desk.keep(attic)
        until(lambda: run.job is not None, 20)
        assert desk.close(20)
    assert run.result is None and len(JobStore().open_jobs(session.path)) == 1
    desk = Desk(session, JobStore())
    try:
        assert desk.go_on() == []
        (again,) = desk.runs
        assert isinstance(again, KeepRun) and again.begun == run.begun
        until(lambda: not desk.runs, 60)
        assert again.result is not None and again.result.all_well and last_kept(attic.root) == again.result
    finally:
        assert desk.close(20)
        session.close()


def test_the_command_line_reads_and_mends(place: Path) -> None:
    code, said, _text = here("keep", "attic", "--project", place / "film.otio")
    assert code == 0 and said["all_well"] and said["equal"] > 3
    hurt = some_file(place / "Attic", random.Random(4))
    data = hurt.read_bytes()
    hurt.write_bytes(b"x" + data[1:])
    code, said, _text = here("keep", "Attic", "--project", place / "film.otio", "--put-back")
    assert code == 1 and [one["state"] for one in said["lost"]] == ["damaged"]
    assert all("restored from" in text for text in said["put_back"].values()) and hurt.read_bytes() == data
    code, said, _text = here("keep", "Attic", "--project", place / "film.otio")
    assert code == 0 and said["added"][0].count("(damaged ") == 1
    code, said, _text = here("keep", "Attic", "--project", place / "film.otio", "--every", "4")
    assert code == 0 and plan_of(place / "Attic").weeks == 4
    code, said, _text = here("keep", "Nowhere", "--project", place / "film.otio")
    assert code == 1 and "It has:" in said["error"]


def test_a_lost_file_is_a_value() -> None:
    lost = Lost("a.mov", "damaged", "md5", "00", "why")
    result = KeepResult("s", "/x", 1.0, 2.0, 0, 0, 0, (lost,), ("b",), 2)
    assert result.said() == "0 files as recorded, 1 damaged, 3 without a record"
    assert KeepResult.from_json(result.to_json()) == result
