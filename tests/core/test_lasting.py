"""What outlasts a fault: the state of the machine, saves, closing; threads and workers that cannot end silently."""

from __future__ import annotations

import errno
import json
import logging
import os
import random
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from dataclasses import replace
from pathlib import Path
from typing import Any

import psutil
import pytest
import xxhash
from PIL import Image

from agile_shadow import cli
from agile_shadow.commands import looking, shared
from agile_shadow.core import hashing
from agile_shadow.core.desk import Desk
from agile_shadow.core.errors import Cancelled, ProjectError, ShadowError, StateError, WorkerDied
from agile_shadow.core.files import partial_path, remove_partials_beside
from agile_shadow.core.hashing import hash_file, read_ahead
from agile_shadow.core.ingest import IngestReport, IngestRequest, as_csv, on_mains_power, watched
from agile_shadow.core.ingest import known as known_module
from agile_shadow.core.ingest.inspecting import tidy_posters
from agile_shadow.core.jobs import CopyRecord, JobStore, WorkerPool
from agile_shadow.core.log import cache_folder
from agile_shadow.core.playback import SoundOutput
from agile_shadow.core.presets import Preset, save_preset
from agile_shadow.core.project import Clip, Footage, Project, ProjectSession, load_project
from agile_shadow.core.project import session as session_module
from agile_shadow.core.project.report import Problem, ReportRow
from agile_shadow.core.shelves import Shelf, look_at, mounted_volumes
from agile_shadow.core.state import opened, state_file, what_was_set_aside
from agile_shadow.core.threads import Errands, guarded, joined, told_of_all
from agile_shadow.core.upkeep import missing
from tests.drawn import draw
from tests.footage import here, ingest, preset
from tests.until import until

# The state of this machine


@pytest.mark.parametrize("harm", ["damaged", "a folder", "empty", "other tables", "cut off"])
def test_a_state_that_cannot_be_used_is_set_aside_and_a_new_one_begun(harm: str, tmp_path: Path) -> None:
    JobStore().begin("ingest", tmp_path / "p.otio", {"a": 1})
    path = state_file()
    what_was_set_aside()
    for ending in ("-wal", "-shm"):
        Path(f"{path}{ending}").unlink(missing_ok=True)
    content = path.read_bytes()
    path.unlink()
    if harm == "damaged":
        path.write_bytes(b"no database at all" * 100)
    elif harm == "a folder":
        path.mkdir()
    elif harm == "empty":
        path.write_bytes(b"")
    elif harm == "other tables":
        db = sqlite3.connect(path)
        db.execute("CREATE TABLE jobs (x)")
        db.close()
    else:
        path.write_bytes(content[:100])
    for command in (["jobs", "list"], ["presets", "list"], ["shelves"]):
        status, answer, said = here(*command)
        assert status == 0 and answer and "Traceback" not in said, said
        if command == ["jobs", "list"] and harm != "empty":
            assert "set aside" in said
    assert JobStore().begin("ingest", tmp_path / "p.otio", {"a": 1}) == 1
    aside = [one for one in path.parent.iterdir() if "set aside" in one.name]
    assert bool(aside) == (harm != "empty")


def test_a_full_drive_of_the_state_is_told_in_a_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    JobStore()

    def full(*_arguments: object, **_named: object) -> sqlite3.Connection:
        raise sqlite3.OperationalError("database or disk is full")

    monkeypatch.setattr(sqlite3, "connect", full)
    with pytest.raises(StateError, match="its drive is full"):
        JobStore()
    status, answer, said = here("jobs", "list")
    assert status == 1 and "drive is full" in answer["error"] and "Traceback" not in said


def test_a_state_others_write_to_is_told_as_that_and_never_called_damaged(tmp_path: Path) -> None:
    store = JobStore()
    other = sqlite3.connect(state_file(), isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    busy = pytest.raises(StateError, match=r"written by another program.*Try again")
    with busy, opened(state_file(), "", patience=0.05) as db:
        db.execute("DELETE FROM jobs")
    assert store.open_jobs(tmp_path) == []  # reading does not wait
    other.execute("ROLLBACK")
    other.close()
    assert store.begin("ingest", tmp_path, {}) == 1
    assert not [one for one in state_file().parent.iterdir() if "set aside" in one.name]


def test_changes_of_the_state_are_never_the_last_to_close_it(tmp_path: Path) -> None:
    log = Path(f"{state_file()}-wal")
    for number in range(3):
        JobStore().begin("ingest", tmp_path, {"number": number})
        assert log.exists()  # gone where the last one closes, which locks all others out while the drive is slow
    state_file().unlink()
    assert JobStore().open_jobs(tmp_path) == []


def test_a_queue_that_cannot_be_written_does_not_end_an_ingest(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    draw(tmp_path / "Card" / "x.mov", 5)

    def fail(self: JobStore, pieces: object) -> None:
        raise StateError("is full", state_file(), "Free some room.")

    monkeypatch.setattr(JobStore, "write_pieces", fail)
    report = ingest(tmp_path / "Card", tmp_path / "film" / "p.otio")
    assert report.proved == 1 and report.as_many_as_shot


# Saves


def test_what_a_killed_save_leaves_is_removed_at_the_next_opening(tmp_path: Path) -> None:
    path = tmp_path / "film.otio"
    ProjectSession.open(path).close()
    dead = subprocess.Popen(["true"])
    dead.wait()
    left = partial_path(path)
    left = left.with_name(left.name.replace(f"-{os.getpid()}-", f"-{dead.pid}-"))
    left.write_bytes(b"half")
    living = partial_path(path)
    living.write_bytes(b"another save is under way")
    ProjectSession.open(path).close()
    assert not left.exists() and living.exists()
    assert remove_partials_beside(path) == 0


def test_the_autosave_goes_on_after_any_exception_and_tells_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(session_module, "_QUIET", 0.02)
    monkeypatch.setattr(session_module, "_LOOK", 0.1)
    session = ProjectSession.open(tmp_path / "film.otio")
    real, raised = session_module.save_project, list[int]()

    def fail(*arguments: Any) -> None:
        raised.append(1)
        if len(raised) < 4:
            raise RuntimeError("planted")
        real(*arguments)

    monkeypatch.setattr(session_module, "save_project", fail)
    told: list[str] = []
    session.saved_state_changed.connect(lambda: told.append(session.save_problem))
    session.edit("name", lambda project: project.but(name="new"))
    until(lambda: session.is_saved)  # tried again by itself
    assert any("planted" in text for text in told) and session.save_problem == ""
    assert load_project(session.path).name == "new" and session._saver.is_alive()
    session.close()


def test_saving_elsewhere_goes_on_there(tmp_path: Path) -> None:
    session = ProjectSession.open(tmp_path / "film.otio")
    session.edit("name", lambda project: project.but(name="new"))
    with pytest.raises(ProjectError):
        session.save_as(tmp_path / "film.otio" / "below a file.otio")
    session.save_as(tmp_path / "other" / "film.otio")
    assert session.path == tmp_path / "other" / "film.otio" and load_project(session.path).name == "new"
    session.edit("name", lambda project: project.but(name="newer"))
    session.close()
    assert load_project(tmp_path / "other" / "film.otio").name == "newer"


def test_own_saves_are_never_taken_for_anothers(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(session_module, "_LOOK", 0.001)
    monkeypatch.setattr(session_module, "_QUIET", 0.001)
    session = ProjectSession.open(tmp_path / "film.otio")
    said: list[int] = []
    session.changed_elsewhere.connect(lambda: said.append(1))
    for number in range(150):
        session.edit("name", lambda project, number=number: project.but(name=str(number)))
        session.save()
    session.close()
    assert said == [] and load_project(session.path).name == "149"


def test_one_shelf_is_moved_at_a_time(tmp_path: Path) -> None:
    footage = Footage("p", (Shelf("1", "One", "originals", tmp_path / "one"),))
    moved = replace(footage.shelves[0], root=tmp_path / "elsewhere")
    meanwhile, made = footage.with_shelf("Two", "proxies", tmp_path / "two")  # an ingest made it meanwhile
    after = meanwhile.with_shelf_moved(moved)
    assert after.shelf("1").root == tmp_path / "elsewhere" and after.shelf(made.id) == made  # type: ignore[union-attr]
    assert footage.with_shelf_moved(replace(moved, id="gone")) is footage


# Pools and threads


def slow(request: float, report: Callable[[float], None]) -> str:
    end = time.monotonic() + request
    while time.monotonic() < end:
        time.sleep(0.01)
        report(0.1)
    return "done"


def odd_answer(request: object, report: object) -> object:
    return threading.Lock() if request == "result" else _raise(request)


def _raise(request: object) -> None:
    if request == "error":
        raise OddError(1, 2)
    if request == "exit":
        raise SystemExit(3)
    raise ValueError(str(request))


class OddError(Exception):
    """One that pickles and cannot be unpickled."""

    def __init__(self, one: int, two: int) -> None:
        super().__init__("odd")


@pytest.mark.parametrize("request_", ["result", "error", "exit", "plain"])
def test_whatever_a_worker_does_is_answered_and_the_next_task_is_done(request_: str) -> None:
    with WorkerPool(1) as pool:
        error = pool.submit(odd_answer, request_).exception(timeout=60)
        assert isinstance(error, ShadowError | ValueError | WorkerDied)
        assert pool.submit(slow, 0.0).result(timeout=60) == "done"


def test_a_closing_pool_refuses_and_never_leaves_anybody_waiting() -> None:
    pool = WorkerPool(1)
    first = pool.submit(slow, 30.0)
    pool.pause()
    waiting = pool.submit(slow, 30.0)
    pool.end()
    pool.pause()  # somebody who does not know
    late = pool.submit(slow, 0.0)
    for future in (first, waiting, late):
        with pytest.raises((Cancelled, WorkerDied)):
            future.result(timeout=30)
    assert pool.close(30)


@pytest.mark.plants_errors
def test_a_listener_that_raises_and_a_worker_that_ends_between_look_and_kill_end_nothing() -> None:
    def listen(_done: float) -> None:
        raise RuntimeError("planted")

    with WorkerPool(1) as pool:
        future: Future[Any] = pool.submit(slow, 0.5, listen)
        until(lambda: bool(pool.process_ids))
        keeper = pool._keepers[0]
        process = keeper.process
        assert process is not None
        assert future.result(timeout=60) == "done"
    process.send(signal.SIGSTOP)  # its thread took the process away meanwhile
    keeper.stand_still(False)
    assert not process.alive and keeper.process is None


@pytest.mark.plants_errors
def test_every_thread_that_ends_by_an_exception_is_told(caplog: pytest.LogCaptureFixture) -> None:
    told: list[str] = []
    before = threading.excepthook
    told_of_all(told.append)
    try:
        thread = threading.Thread(target=lambda: 1 / 0, name="planted")
        thread.start()
        thread.join()
    finally:
        threading.excepthook = before
    assert len(told) == 1 and "planted" in told[0] and "ZeroDivisionError" in told[0]
    assert any(record.levelno == logging.ERROR for record in caplog.records)
    said: list[str] = []
    assert guarded(lambda: 1 / 0, said.append)() is None and len(said) == 1


@pytest.mark.plants_errors
def test_errands_go_on_after_one_that_fails() -> None:
    errands, done = Errands("errands"), list[int]()
    errands.submit(lambda: 1 / 0)
    errands.submit(done.append, 2)
    until(lambda: done == [2])
    assert errands.close(5)
    errands.submit(done.append, 3)
    assert done == [2]


@pytest.mark.parametrize("size", [4, hashing._CHUNK + 1], ids=["at once", "by a thread"])
def test_any_exception_while_reading_reaches_who_waits(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, size: int
) -> None:
    path = tmp_path / "x"
    path.write_bytes(bytes(size))

    def fail(*_arguments: object) -> int:
        raise ValueError("planted")

    monkeypatch.setattr(os, "preadv", fail)
    with path.open("rb") as handle, pytest.raises(ValueError, match="planted"):
        list(read_ahead(handle.fileno(), path))


@pytest.mark.parametrize("more", [0, 1, hashing._CHUNK])
@pytest.mark.parametrize("size", [0, 1, hashing._LEAST, hashing._CHUNK - 1, hashing._CHUNK, hashing._CHUNK + 1])
def test_a_file_that_grows_while_it_is_read_is_read_in_order(tmp_path: Path, size: int, more: int) -> None:
    path, whole = tmp_path / "x", random.Random(size).randbytes(size + more)
    path.write_bytes(whole[:size])
    read = bytearray()
    with path.open("rb") as handle:
        for number, chunk in enumerate(read_ahead(handle.fileno(), path)):
            read += chunk
            if not number:
                with path.open("ab") as grows:
                    grows.write(whole[size:])
    assert len(read) >= size and whole.startswith(bytes(read))
    assert hash_file(path, "xxh128") == xxhash.xxh3_128(path.read_bytes()).hexdigest()


def test_the_sound_thread_tells_whatever_ends_it() -> None:
    def broken() -> Any:
        raise ValueError("planted")

    output = SoundOutput()
    output.start(broken, 0)
    until(lambda: output.failed)
    assert "planted" in str(output.problem) and output.close(5)


def test_the_desk_goes_on_minding_and_tells(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    session = ProjectSession.open(tmp_path / "film.otio")
    desk = Desk(session, JobStore(), quiet=0.1)
    calls: list[int] = []

    def fail() -> list[str]:
        calls.append(1)
        raise RuntimeError("planted")

    monkeypatch.setattr(desk, "go_on", fail)
    told: list[str] = []
    desk.minding.begin(told.append)
    until(lambda: len(calls) >= 3)
    assert len(told) == 1 and "planted" in told[0]
    assert desk.close(10)
    with pytest.raises(ShadowError, match="being closed"):
        desk.start(IngestRequest(tmp_path, tmp_path / "o", tmp_path / "p", Preset(name="T", proxies=None)))
    session.close()


def test_a_search_hears_that_it_should_stop(tmp_path: Path) -> None:
    for number in range(5):
        (tmp_path / "there" / str(number)).mkdir(parents=True)
        draw(tmp_path / "there" / str(number) / "x.mov", 3)
    stopped: list[int] = []

    def stop() -> bool:
        stopped.append(1)
        return len(stopped) > 3

    with WorkerPool(1) as pool, pytest.raises(Cancelled):
        missing.find_again([], [tmp_path / "there"], pool, stopped=stop)
    assert len(stopped) == 4


# What the system does not say


def test_a_system_that_does_not_say_is_no_error(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    def fail(*_arguments: object, **_named: object) -> Any:
        raise FileNotFoundError(errno.ENOENT, "No such file", "/sys/class/power_supply")

    monkeypatch.setattr(psutil, "sensors_battery", fail)
    monkeypatch.setattr(psutil, "disk_partitions", fail)
    assert on_mains_power() and mounted_volumes() == []
    draw(tmp_path / "Card" / "x.mov", 5)
    assert ingest(tmp_path / "Card", tmp_path / "film" / "p.otio").as_many_as_shot
    project = load_project(tmp_path / "film" / "p.otio")
    assert all(look_at(shelf).present for shelf in project.shelves)


# Many


def test_hundreds_of_known_files_of_one_size(monkeypatch: pytest.MonkeyPatch) -> None:
    from tests.core.test_truth import report_of, sound, world

    made_for: list[str] = []
    real = known_module.candidate_of

    def counted(clip: Clip, project: Project, source: Path) -> Any:
        made_for.append(clip.id)
        return real(clip, project, source)

    monkeypatch.setattr(known_module, "candidate_of", counted)
    with world() as made:
        for number in range(260):
            sound(made.card / f"{number:03d}.wav", number, 50)
        assert report_of(made.run(second=False)).proved == 260
        other = made.folder / "Other"
        os.rename(made.card, other)
        again = report_of(made.run(second=False, card=other))
        assert (again.proved, again.here_already, again.failed) == (260, 260, ())
    # each clip is looked at a few times, not once for each file that is as large
    assert len(made_for) <= 4 * 260


def test_the_files_of_a_sequence_are_remembered_in_one_change_on_disk(monkeypatch: pytest.MonkeyPatch) -> None:
    from tests.core.test_truth import report_of, world

    changes: list[int] = []
    remember = JobStore.remember_copies

    def counted(store: JobStore, records: Iterable[CopyRecord]) -> None:
        kept = list(records)
        changes.append(len(kept))
        remember(store, kept)

    monkeypatch.setattr(JobStore, "remember_copies", counted)
    with world() as made:
        made.card.mkdir(exist_ok=True)
        for number in range(40):
            Image.new("RGB", (64, 36), (number, 0, 0)).save(made.card / f"S_{number:04d}.png")
        report = report_of(made.run(second=False))
    assert (report.proved, changes) == (1, [40])


def test_posters_that_are_kept_are_few(monkeypatch: pytest.MonkeyPatch) -> None:
    from agile_shadow.core.ingest import inspecting

    monkeypatch.setattr(inspecting, "_MOST", 3)
    folder = cache_folder() / "posters"
    folder.mkdir(parents=True)
    for number in range(6):
        (folder / f"{number}.jpg").write_bytes(b"x")
        os.utime(folder / f"{number}.jpg", (number, number))
    tidy_posters()
    assert sorted(path.name for path in folder.iterdir()) == ["3.jpg", "4.jpg", "5.jpg"]


# Answers


def test_a_table_has_a_row_for_everything_the_headline_counts(card: Path, tmp_path: Path) -> None:
    report = IngestReport(
        found=1, rows=(ReportRow("a.mov", "a", "video", 5, "paired"),),
        failed=(Problem("empty.mov", "is empty", "read"), Problem("/shelf", "no manifest was written")),
    )  # fmt: skip
    lines = as_csv(report).splitlines()
    assert [line.split(",")[0] for line in lines[1:]] == ["a.mov", "empty.mov", "/shelf"]
    assert report.one_number() == "1 of 2 clips complete; 2 need attention"


def test_one_report_goes_to_every_file_that_is_named(tmp_path: Path) -> None:
    draw(tmp_path / "Card" / "x.mov", 5)
    draw(tmp_path / "Card B" / "y.mov", 5, 40)
    chosen = save_preset(preset(), tmp_path / "preset.json")
    base = ["--project", tmp_path / "p.otio", "--preset", chosen, "--originals", tmp_path / "o", "--proxies",
            tmp_path / "p"]  # fmt: skip
    pages = [tmp_path / "a.html", tmp_path / "b.csv"]
    status, _answer, _said = here("ingest", tmp_path / "Card", *base, "--report", pages[0], "--report", pages[1])
    assert status == 0 and all(page.is_file() for page in pages)
    both = [tmp_path / "Card", tmp_path / "Card B"]
    status, answer, _said = here("ingest", *both, *base, "--report", tmp_path / "c.html")
    assert status == 1 and "2 reports" in answer["error"] and not (tmp_path / "c.html").exists()
    status, answer, _said = here("ingest", tmp_path / "Card", *base, "--report", tmp_path / "c.txt")
    assert status == 1 and "neither .html nor .csv" in answer["error"]
    (tmp_path / "dir.csv").mkdir()
    status, answer, _said = here("ingest", tmp_path / "Card", *base, "--report", tmp_path / "dir.csv")
    assert status == 1 and answer["proved"] == 1 and answer["error"]  # the ingest is told all the same


@pytest.mark.parametrize(
    "arguments", [["clips"], ["nothing"], ["jobs", "hold", "x"], ["ingest", "/x"], ["probe"]]
)
def test_a_call_with_wrong_words_is_one_object_too(arguments: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    assert cli.run([*arguments, "--json"]) != 0
    captured = capsys.readouterr()
    assert json.loads(captured.out)["error"] and "Traceback" not in captured.err


@pytest.mark.plants_errors
def test_no_exception_leaves_a_command_as_a_traceback(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    def fail(*_arguments: object, **_named: object) -> Any:
        raise ZeroDivisionError("planted")

    monkeypatch.setattr(looking, "load_project", fail)
    assert cli.run(["clips", "--project", "x.otio", "--json"]) == 1
    captured = capsys.readouterr()
    assert "planted" in json.loads(captured.out)["error"] and "Traceback" not in captured.err
    monkeypatch.setattr(looking, "Question", fail)
    assert cli.run(["probe", str(tmp_path / "a"), "--json"]) == 1
    assert "planted" in json.loads(capsys.readouterr().out)["failed"][0]["reason"]
    with pytest.raises(shared.typer.Exit), shared.told(found=3):
        raise KeyboardInterrupt


def test_a_thread_whose_start_was_interrupted_holds_nothing_up() -> None:
    go_on = threading.Event()
    thread = threading.Thread(target=go_on.wait)
    assert joined(thread) and joined(None) and joined(threading.current_thread())
    threading.Timer(0.1, thread.start).start()
    threading.Timer(0.3, go_on.set).start()
    assert joined(thread) and thread.ident is not None
    go_on.clear()
    other = threading.Thread(target=go_on.wait)
    other.start()
    assert not joined(other, 0.01)
    go_on.set()
    assert joined(other)


def test_a_watch_that_is_ended_by_a_signal_answers(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    command = [
        sys.executable, "-m", "agile_shadow.cli", "watch", tmp_path / "in", "--project", tmp_path / "p.otio", "--json",
        "--preset", "Everyday, quarter size", "--originals", tmp_path / "o", "--proxies", tmp_path / "p",
    ]  # fmt: skip
    process = subprocess.Popen(list(map(str, command)), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    until((tmp_path / "p.otio").exists, 60)
    process.send_signal(signal.SIGTERM)
    out, said = process.communicate(timeout=60)
    answer = json.loads(out)
    assert answer["error"] and process.returncode == 130 and "Traceback" not in said


# Watching


def test_a_finished_clip_is_taken_while_its_neighbours_grow(tmp_path: Path) -> None:
    times = [0.0]
    folder = tmp_path / "in"
    folder.mkdir()
    request = IngestRequest(folder, tmp_path / "o", tmp_path / "p", Preset(name="T", proxies=None))
    watch = watched.Watch(request, quiet=5.0, limits=(1000,))
    (folder / "C0001.mov").write_bytes(b"1" * 500)
    (folder / "C0007.mov").write_bytes(b"1" * 990)  # it ran into the camera's limit
    for name in ("C0002.mov", "C0008.mov", "other.mov"):
        (folder / name).write_bytes(b"1")
    watch.look(lambda: times[0])
    for name in ("C0002.mov", "C0008.mov", "other.mov"):
        (folder / name).write_bytes(b"12")
    times[0] = 6.0
    found = watch.look(lambda: times[0])
    assert found is not None and found.only == ("C0001.mov",)  # C0007 may go on in C0008, which grows
    times[0] = 12.0
    found = watch.look(lambda: times[0])
    assert found is not None and set(found.only) == {"C0002.mov", "C0007.mov", "C0008.mov", "other.mov"}
