"""The queue: the machine's budget, runs of films and later proxies, and that they go on after a kill."""

from __future__ import annotations

import itertools
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from agile_shadow.core.desk import Desk, FilmRun, film_request, rounds
from agile_shadow.core.desk.queued import QueuedRun
from agile_shadow.core.errors import Cancelled, MediaError, WorkerStalled
from agile_shadow.core.film import FilmPicture, FilmRequest, FilmSettings, plain_film
from agile_shadow.core.jobs import Inline, JobStore, Machine, Piece, WorkerPool
from agile_shadow.core.jobs.line import Line
from agile_shadow.core.jobs.listing import Listing
from agile_shadow.core.jobs.task import Submitted
from agile_shadow.core.media import probe
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import Project, ProjectSession, load_project, save_project
from agile_shadow.core.timeline import append
from agile_shadow.core.upkeep.making import make_request
from tests.footage import ingest, refusal
from tests.until import until

KINDS = st.sampled_from(["copy", "proxy"])
PATHS = st.sampled_from(["A", "B", "C"])
EXAMPLES = itertools.count()


def wait_for(flag: str, report: Any) -> str:
    """A task that ends when a file is there."""
    while not Path(flag).exists():
        report(0.5)
        time.sleep(0.02)
    return flag


def stand_still(_request: None, report: Any) -> None:
    report(0.1)
    time.sleep(60)


# The budget


def test_proofs_give_way_to_making_and_what_is_waited_for_goes_at_once(tmp_path: Path) -> None:
    machine = Machine(cores=1)
    flags = {name: str(tmp_path / name) for name in ("make", "prove", "wanted")}
    try:
        making = machine.hire("make").submit(wait_for, flags["make"])
        proving = machine.shared("prove").submit(wait_for, flags["prove"])
        wanted = machine.shared("wanted").submit(wait_for, flags["wanted"])
        Path(flags["wanted"]).touch()
        Path(flags["prove"]).touch()
        assert wanted.result(60) == flags["wanted"]  # though a heavy one runs on the only processor
        assert machine.busy("make") and not proving.done()
        Path(flags["make"]).touch()
        assert making.result(60) == flags["make"]
        assert proving.result(60) == flags["prove"]
    finally:
        assert machine.close(10)


def test_no_more_heavy_ones_run_than_there_are_processors(tmp_path: Path) -> None:
    machine = Machine(cores=2)
    executors = [machine.hire("make") for _ in range(4)]
    try:
        begun: list[int] = []
        futures = [
            one.submit(wait_for, str(tmp_path / str(n)), lambda done, n=n: begun.append(n))
            for n, one in enumerate(executors)
        ]
        until(lambda: len(set(begun)) == 2)
        (tmp_path / str(begun[0])).touch()
        until(lambda: len(set(begun)) == 3)
        for number in range(4):
            (tmp_path / str(number)).touch()
        assert [future.result(60) for future in futures] == [str(tmp_path / str(n)) for n in range(4)]
    finally:
        assert machine.close(10)


def test_a_film_begins_though_proxies_fill_the_machine(tmp_path: Path) -> None:
    machine = Machine(cores=2)
    try:
        begun: list[int] = []
        makers = machine.hire("make", 2)
        making = [makers.submit(wait_for, str(tmp_path / str(n)), lambda done, n=n: begun.append(n)) for n in range(3)]
        until(lambda: set(begun) == {0, 1})
        (tmp_path / "film").touch()
        film = machine.hire("render").submit(wait_for, str(tmp_path / "film"))
        assert film.result(60) and not making[0].done()
        slow = machine.hire("render").submit(wait_for, str(tmp_path / "slow"), lambda done: begun.append(9))
        until(lambda: 9 in begun)
        (tmp_path / "0").touch()
        assert making[0].result(60)
        (tmp_path / "1").touch()
        assert making[1].result(60)
        until(lambda: 2 in begun)  # it got what the film left
        assert not slow.done()
        for name in ("2", "slow"):
            (tmp_path / name).touch()
        assert making[2].result(60) and slow.result(60)
    finally:
        assert machine.close(10)


def test_searching_stands_still_while_something_plays(tmp_path: Path) -> None:
    machine = Machine(cores=2)
    try:
        machine.playing(True)
        search = machine.shared("search").submit(wait_for, str(tmp_path / "flag"))
        (tmp_path / "flag").touch()
        wanted = machine.shared("wanted").submit(wait_for, str(tmp_path / "flag"))
        assert wanted.result(60) and not search.done()
        machine.playing(False)
        assert search.result(60)
    finally:
        assert machine.close(10)


def test_one_that_stands_still_leaves_its_room_to_others(tmp_path: Path) -> None:
    machine = Machine(cores=1)
    first, second = machine.hire("make"), machine.hire("make")
    try:
        begun = threading.Event()
        slow = first.submit(wait_for, str(tmp_path / "slow"), lambda done: begun.set())
        assert begun.wait(60)
        other = second.submit(wait_for, str(tmp_path / "other"))
        (tmp_path / "other").touch()
        first.pause("by night only")
        assert other.result(60) == str(tmp_path / "other") and not slow.done()
        first.pause("you play")
        first.resume("by night only")
        (tmp_path / "slow").touch()
        assert not slow.done()  # one of the reasons is left
        first.resume("you play")
        assert slow.result(60)
        assert (first.pauses, second.pauses) == (1, 0)  # type: ignore[attr-defined]
    finally:
        assert machine.close(10)


def test_a_limit_without_progress_is_the_tasks_own(tmp_path: Path) -> None:
    machine = Machine(cores=1)
    try:
        future = machine.shared("wanted").submit(stand_still, None, stalled_after=0.5)
        assert isinstance(future.exception(90), WorkerStalled)
        (tmp_path / "flag").touch()
        assert machine.shared("wanted").submit(wait_for, str(tmp_path / "flag")).result(60)
    finally:
        assert machine.close(10)


@pytest.mark.parametrize("state", ["idle", "running", "waiting", "paused", "paused"])
def test_a_machine_ends_in_every_state_and_refuses_what_comes(tmp_path: Path, state: str) -> None:
    machine = Machine(cores=1)
    executor = machine.hire("make")
    futures = []
    if state != "idle":
        begun = threading.Event()
        futures.append(executor.submit(wait_for, str(tmp_path / "never"), lambda done: begun.set()))
        assert begun.wait(60)
    if state == "waiting":
        futures.append(executor.submit(wait_for, str(tmp_path / "never")))
    if state == "paused":
        executor.hold(futures[0], True)
    if state == "paused":
        executor.pause("asked")
    began = time.monotonic()
    assert machine.close(20) and time.monotonic() - began < 15
    assert all(isinstance(future.exception(1), Cancelled) for future in futures)
    for late in (executor, machine.shared("wanted"), machine.hire("copy")):
        assert isinstance(late.submit(wait_for, str(tmp_path / "never")).exception(5), Cancelled)


class TallyModel(RuleBasedStateMachine):
    """However jobs come, begin, go on, end and are set back: the sums kept beside the list are the list's."""

    def __init__(self) -> None:
        super().__init__()
        self.store = JobStore()
        self.listing = Listing(self.store)
        self.run = self.store.begin("make", Path("p.otio"), {"example": next(EXAMPLES)})
        self.listing.begin(self.run)

    @rule(kind=KINDS, path=PATHS)
    def put(self, kind: str, path: str) -> None:
        self.listing.put(Piece(self.run, kind, path))

    @rule(kind=KINDS, path=PATHS, part=st.sampled_from([0.0, 0.25, 0.5, 1.0]))
    def goes_on(self, kind: str, path: str, part: float) -> None:
        self.listing.change((kind, path), part=part)

    @rule(kind=KINDS, path=PATHS, state=st.sampled_from(["waiting", "running", "done", "failed", "cancelled"]))
    def becomes(self, kind: str, path: str, state: str) -> None:
        self.listing.change((kind, path), state=state)

    @rule()
    def is_taken_over_by_another(self) -> None:
        self.listing.flush()
        self.listing = Listing(self.store)
        self.listing.begin(self.run)

    @invariant()
    def sums_are_right(self) -> None:
        pieces = self.listing.pieces()
        ended = sum(not piece.active for piece in pieces)
        whole = sum(piece.part if piece.active else 1.0 for piece in pieces)
        assert self.listing.tally() == (ended, len(pieces), pytest.approx(whole / max(1, len(pieces))))


TestTally = TallyModel.TestCase
TestTally.settings = settings(max_examples=60, stateful_step_count=30, deadline=None)


class QueueModel(RuleBasedStateMachine):
    """Any order of submit, prefer, hold, pause, cancel and close: every task ends once, in the order that was asked."""

    def __init__(self) -> None:
        super().__init__()
        self.queue = Inline()
        self.ran: list[int] = []
        self.futures: dict[int, Any] = {}
        self.waiting: dict[int, tuple[int, bool]] = {}  # number: priority, held
        self.reasons: set[str] = set()
        self.closed = False

    def _drain(self) -> list[int]:
        order = []
        while not self.reasons and (ready := [n for n, (_p, held) in self.waiting.items() if not held]):
            best = max(ready, key=lambda n: (self.waiting[n][0], -n))
            del self.waiting[best]
            order.append(best)
        return order

    @rule(priority=st.integers(-2, 2), held=st.booleans())
    def submit(self, priority: int, held: bool) -> None:
        number = len(self.futures)
        expected = list(self.ran)
        if not self.closed:
            self.waiting[number] = (priority, held)
            expected += self._drain()
        self.futures[number] = self.queue.submit(self._run, number, priority=priority, held=held)
        assert self.ran == expected

    def _run(self, number: int, report: Any) -> int:
        self.ran.append(number)
        report(1.0)
        return number

    @precondition(lambda self: self.waiting)
    @rule(data=st.data(), priority=st.integers(-5, 5))
    def prefer(self, data: Any, priority: int) -> None:
        number = data.draw(st.sampled_from(sorted(self.waiting)))
        self.waiting[number] = (priority, self.waiting[number][1])
        self.queue.prefer(self.futures[number], priority)

    @precondition(lambda self: self.waiting)
    @rule(data=st.data(), on=st.booleans())
    def hold(self, data: Any, on: bool) -> None:
        number = data.draw(st.sampled_from(sorted(self.waiting)))
        self.waiting[number] = (self.waiting[number][0], on)
        expected = self.ran + self._drain()
        self.queue.hold(self.futures[number], on)
        assert self.ran == expected

    @rule(why=st.sampled_from("ab"), on=st.booleans())
    def pause(self, why: str, on: bool) -> None:
        (self.reasons.add if on else self.reasons.discard)(why)
        expected = self.ran + self._drain()
        (self.queue.pause if on else self.queue.resume)(why)
        assert self.ran == expected

    @precondition(lambda self: self.waiting)
    @rule(data=st.data())
    def cancel(self, data: Any) -> None:
        number = data.draw(st.sampled_from(sorted(self.waiting)))
        del self.waiting[number]
        self.queue.cancel(self.futures[number])

    @rule()
    def close(self) -> None:
        self.queue.close()
        self.closed = True
        self.waiting.clear()

    @invariant()
    def each_ended_once(self) -> None:
        assert len(set(self.ran)) == len(self.ran) and self.queue.busy == bool(self.waiting)
        for number, future in self.futures.items():
            if number in self.waiting:
                assert not future.done()
            elif number in self.ran:
                assert future.result(0) == number
            else:
                assert isinstance(future.exception(0), Cancelled)


TestQueueModel = QueueModel.TestCase
TestQueueModel.settings = settings(max_examples=60, stateful_step_count=30, deadline=None)


class LineModel(RuleBasedStateMachine):
    """Whatever is asked of a pool's line: what it gives out is what a look at every entry finds."""

    def __init__(self) -> None:
        super().__init__()
        self.line = Line(2, lambda: True, lambda: None)
        self.waiting: list[Submitted] = []
        self.running: list[Submitted] = []
        self.numbers = itertools.count()
        self.paused = False

    def _any(self, data: Any, held: bool | None = None) -> Submitted | None:
        known = [one for one in (*self.waiting, *self.running) if held is None or one.held == held]
        return data.draw(st.sampled_from(known)) if known else None

    @rule(priority=st.integers(-2, 2), held=st.booleans(), cancelled=st.booleans())
    def comes(self, priority: int, held: bool, cancelled: bool) -> None:
        entry = Submitted(stand_still, None, print, priority, next(self.numbers), held)
        if cancelled:  # in the moment between being known and being lined up
            self.line.drop([entry])
        assert self.line.put(entry)
        self.waiting.append(entry)

    @rule(data=st.data(), priority=st.integers(-3, 3))
    def is_preferred(self, data: Any, priority: int) -> None:
        if entry := self._any(data):
            self.line.prefer(entry, priority)

    @rule(data=st.data(), on=st.booleans())
    def is_held(self, data: Any, on: bool) -> None:
        if entry := self._any(data, held=not on):
            self.line.hold(entry, on)

    @rule(data=st.data())
    def is_cancelled(self, data: Any) -> None:
        if entry := self._any(data):
            self.line.drop([entry])

    @rule(on=st.booleans())
    def stands_still(self, on: bool) -> None:
        self.paused = on
        self.line.pause(on)

    @precondition(lambda self: self.running)
    @rule(data=st.data())
    def ends(self, data: Any) -> None:
        entry = data.draw(st.sampled_from(self.running))
        self.running.remove(entry)
        self.line.done(entry)

    @rule()
    def takes(self) -> None:
        dropped = [one for one in self.waiting if one.cancelled]
        ready = [one for one in self.waiting if not one.held]
        if not dropped and (self.paused or sum(not one.held for one in self.running) >= 2 or not ready):
            assert self.line._next() is None  # ``get`` would wait
            return
        given = self.line.get()
        assert given is not None and (
            given in dropped if dropped else given is max(ready, key=lambda one: (one.priority, -one.number))
        )
        self.waiting.remove(given)
        self.running.append(given)


TestLineModel = LineModel.TestCase
TestLineModel.settings = settings(max_examples=150, stateful_step_count=40, deadline=None)


# Runs


class Numbers(QueuedRun):
    """A run of jobs that double numbers; what is odd fails, unless it was mended."""

    kind = "make"
    mended = False
    taken: list[int]

    def pieces(self) -> list[Piece]:
        return [Piece(0, "proxy", str(number)) for number in self.values["numbers"]]

    def work(self, piece: Piece) -> Any:
        return None if piece.path == "0" else (self.double, int(piece.path))

    def double(self, number: int, report: Any) -> int:
        if number % 2 and not self.mended:
            raise MediaError("is odd", Path(str(number)), "Make it even.")
        return number * 2

    def take(self, piece: Piece, result: Any) -> str:
        self.taken = [*getattr(self, "taken", []), result]
        return str(result)

    title = "Numbers"  # type: ignore[assignment]


@pytest.fixture
def session(tmp_path: Path) -> Iterator[ProjectSession]:
    one = ProjectSession.open(tmp_path / "film.otio")
    yield one
    one.end()


def inline() -> Machine:
    return Machine(2, lambda size, stalled_after, room, changed: Inline())


def test_one_job_that_fails_is_not_the_others(session: ProjectSession) -> None:
    store = JobStore()
    run = Numbers({"numbers": [0, 2, 3, 4]}, session, store, inline())
    run.run()
    assert run.taken == [4, 8] and [text for text in run.problems if "is odd" in text]
    states = {piece.path: piece.state for piece in store.pieces()}
    assert states == {"0": "done", "2": "done", "3": "failed", "4": "done"}
    assert store.job(run.job or 0)[0] == "failed" and store.open_jobs(session.path) == []


def test_what_failed_is_tried_again_alone(session: ProjectSession) -> None:
    store = JobStore()
    values = {"numbers": [2, 3]}
    Numbers(values, session, store, inline()).run()
    (failed,) = [piece for piece in store.pieces() if piece.state == "failed"]
    store.ask(failed.id, "retry")
    assert store.reopen(failed.run) is not None
    again = Numbers(values, session, store, inline())
    again.mended = True
    again.run()
    assert again.taken == [6] and {piece.state for piece in store.pieces()} == {"done"}


class Long(Numbers):
    """A run that prepares one job at a stretch, and is asked something while it prepares the first."""

    def __init__(self, session: ProjectSession, asked: Callable[[Long], None]) -> None:
        super().__init__({"numbers": [2, 4, 6, 8, 10]}, session, JobStore(), inline())
        self.asked = asked
        self.prepared: list[int] = []
        self.known: list[int] = []  # results taken in before each was prepared

    def work(self, piece: Piece) -> Any:
        self.prepared.append(int(piece.path))
        self.known.append(len(getattr(self, "taken", [])))
        if len(self.prepared) == 1:
            assert self.making and self.progress()[:2] == (0, 5)  # all are listed before one is prepared
            self.asked(self)
        return super().work(piece)

    def states(self) -> dict[str, str]:
        return {piece.path: piece.state for piece in self.board.pieces()}


@pytest.fixture
def one_at_a_stretch(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(rounds, "_SPELL", 0.0)


def test_what_comes_back_is_taken_while_others_are_still_prepared(
    session: ProjectSession, one_at_a_stretch: None
) -> None:
    run = Long(session, lambda run: None)
    run.run()
    assert run.prepared == [2, 4, 6, 8, 10] and run.known == [0, 1, 2, 3, 4]


def test_of_thousands_being_prepared_one_is_cancelled_and_one_goes_first(
    session: ProjectSession, one_at_a_stretch: None
) -> None:
    def asked(run: Long) -> None:
        run.ask("proxy", "6", "cancel")
        run.ask("proxy", "10", "first")

    run = Long(session, asked)
    run.run()
    assert run.prepared == [2, 10, 4, 8] and run.states()["6"] == "cancelled"
    assert sorted(run.taken) == [4, 8, 16, 20] and not run.problems


@pytest.mark.parametrize(("for_good", "state"), [(True, "cancelled"), (False, "waiting")])
def test_stopping_is_heard_while_thousands_are_still_prepared(
    session: ProjectSession, one_at_a_stretch: None, for_good: bool, state: str
) -> None:
    run = Long(session, lambda run: run.stop(for_good))
    run.run()
    assert run.prepared == [2] and {run.states()[path] for path in ("4", "6", "8", "10")} == {state}
    assert bool(JobStore().open_jobs(session.path)) is not for_good  # else it goes on at the next start


def test_a_film_whose_timeline_is_gone_says_so_and_nothing_of_being_taken_back(made: Path, tmp_path: Path) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session, store = ProjectSession.open(tmp_path / "film.otio"), JobStore()
    values = film_request(plain_film(session.project, tmp_path / "film.mp4"))
    Path(values["project"]).unlink()
    store.begin(FilmRun.kind, session.path, values)
    desk, ended = Desk(session, store), []
    desk.ended.connect(ended.append)
    try:
        desk.go_on()
        until(lambda: ended)
        (film,) = [one.run for one in ended]
        assert film.problems and "not there" in film.problems[0] and film.problems[0] == ended[0].problem
        assert store.open_jobs(session.path) == []
    finally:
        assert desk.close(20)
        session.close()


def test_a_film_that_was_taken_back_can_be_tried_again(made: Path, tmp_path: Path) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session = ProjectSession.open(tmp_path / "film.otio")
    desk = Desk(session, JobStore())
    try:
        run = desk.film(plain_film(session.project, tmp_path / "film.mp4"))
        run.stop(for_good=True)
        until(lambda: not desk.runs)
        (piece,) = run.board.pieces()
        assert piece.state == "cancelled" and run.problems == [] and run.job is not None
        desk.try_again(run.job, [piece.key])
        until(lambda: not desk.runs, 120)
        assert probe(run.out).frames and not Path(run.values["project"]).exists()
    finally:
        assert desk.close(20)
        session.close()


def test_films_are_made_one_after_the_other_in_the_order_asked_for(
    made: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked, turn = threading.Event(), Desk._turn_of_film  # the first may be made before the others were asked for

    def turn_once_asked(desk: Desk, run: FilmRun) -> str:
        return turn(desk, run) or ("" if asked.is_set() or run.out.stem == "a" else "until all was asked for")

    monkeypatch.setattr(Desk, "_turn_of_film", turn_once_asked)
    project = cut_of(made, tmp_path / "film.otio", Fraction(2, 5))
    session = ProjectSession.open(tmp_path / "film.otio")
    desk = Desk(session, JobStore())
    small = FilmSettings(name="Small", picture=FilmPicture(width=320, height=180))
    try:
        runs = [desk.film(FilmRequest(project, tmp_path / f"{name}.mp4", small)) for name in "abcd"]
        until(lambda: runs[0].piece is not None and runs[0].piece.begun, 60)
        until(lambda: all(run.piece is not None for run in runs), 20)
        runs[3].ask("film", "d.mp4", "first")
        runs[1].ask("film", "b.mp4", "hold")
        asked.set()
        until(lambda: runs[2].result is not None and runs[3].result is not None, 120)
        assert runs[1].result is None and runs[1].making
        runs[1].ask("film", "b.mp4", "go on")
        until(lambda: not desk.runs, 120)
        pieces = [run.piece for run in runs]
        begun = {piece.path[-5]: piece.begun for piece in pieces if piece is not None}
        assert sorted(begun, key=lambda name: begun[name]) == ["a", "d", "c", "b"]
        assert [run.frames for run in runs] == [project.timeline.length] * 4
    finally:
        assert desk.close(20)
        session.close()


def test_nobody_waits_while_the_timeline_of_a_film_is_written(
    made: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session = ProjectSession.open(tmp_path / "film.otio")
    desk, seen = Desk(session, JobStore()), []

    def written(request: FilmRequest) -> Any:
        other = threading.Thread(target=lambda: seen.append(desk.runs))  # as the window asks for them all the time
        other.start()
        other.join(5)
        return film_request(request)

    monkeypatch.setattr("agile_shadow.core.desk.desk.film_request", written)
    try:
        desk.film(plain_film(session.project, tmp_path / "film.mp4")).stop(for_good=True)
        assert seen == [[]]
        until(lambda: not desk.runs)
    finally:
        assert desk.close(20)
        session.close()


def test_an_ended_run_is_opened_again_for_what_failed(made: Path, tmp_path: Path) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session, store = ProjectSession.open(tmp_path / "film.otio"), JobStore()
    desk = Desk(session, store)
    try:
        (tmp_path / "out").write_bytes(b"in the way")  # a file where the folder should be
        run = desk.film(plain_film(session.project, tmp_path / "out" / "film.mp4"))
        until(lambda: not desk.runs, 120)
        (failed,) = run.board.pieces()
        assert failed.state == "failed" and str(tmp_path / "out") in failed.note and run.job is not None
        (tmp_path / "out").unlink()
        desk.try_again(run.job, [failed.key])
        until(lambda: not desk.runs, 120)
        assert probe(run.out).frames and {piece.state for piece in store.pieces()} == {"done"}
    finally:
        assert desk.close(20)
        session.close()


def test_a_try_that_is_asked_for_while_the_run_is_just_ending_is_heard(
    made: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    (tmp_path / "out").write_text("a file where a folder should be")
    session = ProjectSession.open(tmp_path / "film.otio")
    desk = Desk(session, JobStore())
    over, goes_on, dismiss = threading.Event(), threading.Event(), desk.machine.dismiss

    def slowly(executor: Any) -> None:
        over.set()
        assert goes_on.wait(60)
        dismiss(executor)

    monkeypatch.setattr(desk.machine, "dismiss", slowly)
    try:
        run = desk.film(plain_film(session.project, tmp_path / "out" / "film.mp4"))
        assert over.wait(60)
        (piece,) = run.board.pieces()
        assert piece.state == "failed" and run in desk.runs
        (tmp_path / "out").unlink()
        run.ask(*piece.key, "retry")  # it listens no more
        goes_on.set()
        until(run.out.exists, 60)
        until(lambda: not desk.runs)
    finally:
        goes_on.set()
        assert desk.close(20)
        session.close()


def test_what_is_taken_back_or_stopped_is_kept_as_that(session: ProjectSession) -> None:
    store, machine = JobStore(), inline()
    run = Numbers({"numbers": [2, 4]}, session, store, machine)
    run._executor.pause("the test")
    thread = threading.Thread(target=run.run)
    thread.start()
    until(lambda: len(run.board.pieces()) == 2 and run.making)
    run.ask("proxy", "2", "cancel")
    until(lambda: run.board.piece("proxy", "2").state == "cancelled")  # type: ignore[union-attr]
    run.stop(for_good=False)
    thread.join(20)
    assert not thread.is_alive()
    assert {piece.path: piece.state for piece in store.pieces()} == {"2": "cancelled", "4": "waiting"}
    assert len(store.open_jobs(session.path)) == 1
    again = Numbers({"numbers": [2, 4]}, session, store, inline())
    again.run()
    assert again.taken == [8]


# Films and later proxies


@pytest.fixture(scope="module")
def made(drawn_card: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A project with clips and a timeline, ingested once; tests take copies of its file."""
    folder = tmp_path_factory.mktemp("queue")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        ingest(drawn_card, folder / "p.otio", Preset(name="Plain", proxies=None))
    return folder / "p.otio"


def cut_of(made: Path, path: Path, seconds: Fraction, count: int = 3) -> Project:
    """A project of its own whose timeline holds some of the first so many clips with a picture."""
    project = load_project(made)
    clips = [clip for clip in project.clips if clip.original.info.kind == "video"][:count]
    project = project.with_timeline_settings_of(clips[0])
    line = project.timeline
    for clip in clips:
        line = append(line, clip.piece(Fraction(0), min(seconds, clip.length)))
    project = project.but(timeline=line)
    save_project(project, path)
    return project


def test_a_film_is_of_the_timeline_as_it_was_asked_for(made: Path, tmp_path: Path) -> None:
    project = cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session = ProjectSession.open(tmp_path / "film.otio")
    desk = Desk(session, JobStore())
    try:
        run = desk.film(plain_film(session.project, tmp_path / "out" / "film.mp4"))
        assert "being made" in refusal(lambda: desk.film(plain_film(session.project, tmp_path / "out" / "film.mp4")))
        session.edit("Empty", lambda now: now.but(timeline=type(now.timeline)()))
        until(lambda: not desk.runs, 120)
        assert run.problems == [] and run.result is not None
        assert probe(run.out).frames == project.timeline.length
        assert not Path(run.values["project"]).exists()
    finally:
        assert desk.close(20)
        session.close()


def test_later_proxies_are_made_in_order_and_only_where_they_are_needed(made: Path, tmp_path: Path) -> None:
    project = cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session = ProjectSession.open(tmp_path / "film.otio")
    clips = tuple(clip.id for clip in project.clips)
    preset = Preset(name="Half", proxies=Proxies(codec="h264", scale=Fraction(1, 2), place="project", folder="made"))
    desk = Desk(session, JobStore())
    try:
        run = desk.make(make_request(session.project, tmp_path, clips, preset))
        until(lambda: not desk.runs, 120)
        assert run.problems == []
        wanted = [clip for clip in session.project.clips if clip.original.info.kind == "video"]
        assert all(any(proxy.made for proxy in clip.proxies) for clip in wanted)
        begun = [piece.begun for piece in run.board.pieces()]
        assert begun == sorted(begun) and len(begun) == len(wanted)
    finally:
        assert desk.close(20)
        session.close()


_WINDOW = """
import sys, time
from pathlib import Path
from agile_shadow.core.desk import Desk
from agile_shadow.core.film import plain_film
from agile_shadow.core.jobs import JobStore
from agile_shadow.core.upkeep.making import MakeRequest, make_request
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import ProjectLock, ProjectSession
path, out, kind = Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3]
lock = ProjectLock(path)
lock.take("a window")
session = ProjectSession.open(path)
desk = Desk(session, JobStore())
if kind == "film":
    run = desk.film(plain_film(session.project, out))
else:
    preset = Preset(name="Half", proxies=Proxies(codec="h264", scale="1/2", place="project", folder="made"))
    run = desk.make(make_request(session.project, path.parent, tuple(c.id for c in session.project.clips), preset))
while not any(piece.part > 0 or piece.state == "done" for piece in run.board.pieces()):
    time.sleep(0.005)
run.board.flush()
print("begun", flush=True)
time.sleep(600)
"""


@pytest.mark.parametrize("kind", ["film", "proxies"])
@pytest.mark.parametrize("how", ["without a window", "at the next start"])
def test_it_goes_on_after_a_kill(made: Path, tmp_path: Path, kind: str, how: str) -> None:
    project = cut_of(made, tmp_path / "film.otio", Fraction(2))
    path, out = tmp_path / "film.otio", tmp_path / "film.mp4"
    killed = subprocess.Popen([sys.executable, "-c", _WINDOW, str(path), str(out), kind], stdout=subprocess.PIPE)
    assert killed.stdout is not None and killed.stdout.readline() == b"begun\n"
    os.kill(killed.pid, signal.SIGKILL)
    killed.wait()
    killed.stdout.close()
    assert len(JobStore().open_jobs(path)) == 1 and not out.exists()
    if how == "without a window":
        command = [sys.executable, "-m", "agile_shadow.cli", "jobs", "run", "--project", str(path)]
        assert subprocess.run(command, capture_output=True, timeout=200).returncode == 0
    else:
        session = ProjectSession.open(path)
        desk = Desk(session, JobStore())
        assert desk.go_on() == [] and len(desk.runs) == 1
        until(lambda: not desk.runs, 200)
        assert desk.close(20)
        session.close()
    assert JobStore().open_jobs(path) == [] and {piece.state for piece in JobStore().pieces()} == {"done"}
    if kind == "film":
        assert probe(out).frames == project.timeline.length
        assert sorted(one.name for one in tmp_path.iterdir() if "part" in one.name) == []
    else:
        clips = [clip for clip in load_project(path).clips if clip.original.info.kind == "video"]
        assert all(len([proxy for proxy in clip.proxies if proxy.made]) == 1 for clip in clips)


def test_nothing_begins_after_the_end_and_what_is_open_stays_open(made: Path, tmp_path: Path) -> None:
    cut_of(made, tmp_path / "film.otio", Fraction(1, 5))
    session, store = ProjectSession.open(tmp_path / "film.otio"), JobStore()
    values = film_request(plain_film(session.project, tmp_path / "film.mp4"))
    store.begin(FilmRun.kind, session.path, values)
    desk = Desk(session, store)
    desk.end()
    assert desk.go_on() == [] and desk.runs == []
    assert "being closed" in refusal(lambda: desk.film(plain_film(session.project, tmp_path / "other.mp4")))
    assert len(store.open_jobs(session.path)) == 1  # it is not marked as failed
    assert desk.close(10)
    session.close()


def test_an_old_request_that_cannot_be_read_ends_with_a_sentence(session: ProjectSession) -> None:
    store = JobStore()
    store.begin("export", session.path, {"nothing": 1})
    store.begin("make", session.path, {"clips": ["a"], "preset": {"name": 5}, "root": None})
    desk = Desk(session, store)
    told = desk.go_on()
    assert len(told) == 2 and all("cannot continue" in text for text in told)
    assert store.open_jobs(session.path) == [] and desk.close(10)


def test_a_closed_pool_ends_what_it_is_given(tmp_path: Path) -> None:
    pool = WorkerPool(1)
    pool.end()
    assert isinstance(pool.submit(wait_for, str(tmp_path / "never")).exception(5), Cancelled)
    assert pool.close(10) and not pool.busy
