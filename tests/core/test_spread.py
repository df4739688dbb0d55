"""Work given out to this machine and to helpers: whatever happens, every job ends once, and nothing is left behind."""

from __future__ import annotations

import dataclasses
import shutil
import tempfile
import threading
from collections.abc import Callable
from concurrent.futures import Future
from fractions import Fraction
from pathlib import Path
from queue import SimpleQueue
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from agile_shadow.core.below import Anchor
from agile_shadow.core.errors import Cancelled, MediaError
from agile_shadow.core.helpers import choosing
from agile_shadow.core.helpers import spread as spreading
from agile_shadow.core.helpers.kinds import KINDS
from agile_shadow.core.helpers.orders import Order, weight_of
from agile_shadow.core.helpers.presence import Helper
from agile_shadow.core.helpers.spread import Spread
from agile_shadow.core.jobs import Handed, Hands, JobStore, Listing, Piece
from agile_shadow.core.media import MediaInfo
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proof.making import NameRequest, make_proven_proxy
from agile_shadow.core.proxies import ProxyRequest
from agile_shadow.core.shelves import Shelf

INFO = MediaInfo("video", "mov", 1000, Fraction(1), "h264", 64, 36, 64, 36, Fraction(25), 25)


class HandPool:
    """An executor whose tasks end when the test says so."""

    pauses = 0

    def __init__(self) -> None:
        self.tasks: dict[Future[Any], tuple[Any, Callable[[float], None]]] = {}
        self.held: set[Future[Any]] = set()
        self.reasons: set[str] = set()
        self.ending: list[Future[Any]] = []

    @property
    def busy(self) -> bool:
        return bool(self.tasks)

    @property
    def running(self) -> int:
        return len(self.tasks)

    def submit(self, task: Any, request: Any, on_progress: Any = lambda done: None, *_more: Any) -> Future[Any]:
        future: Future[Any] = Future()
        self.tasks[future] = request, on_progress
        on_progress(0.0)
        return future

    def finish(self, future: Future[Any], result: Any = None, error: Exception | None = None) -> None:
        if self.tasks.pop(future, None) is not None:
            future.set_exception(error) if error else future.set_result(result)

    def prefer(self, future: Future[Any], priority: int) -> None: ...

    def hold(self, future: Future[Any], on: bool) -> None:
        (self.held.add if on else self.held.discard)(future)

    def whose(self, future: Future[Any]) -> str:
        return ""

    def cancel(self, future: Future[Any]) -> None:
        """It ends soon: as cancelled, or finished after all."""
        if future in self.tasks:
            self.ending.append(future)

    def cancel_all(self) -> None:
        for future in list(self.tasks):
            self.cancel(future)

    def pause(self, why: str = "") -> None:
        self.reasons.add(why)

    def resume(self, why: str = "") -> None:
        self.reasons.discard(why)

    def look_again(self) -> None: ...

    def end(self) -> None:
        for future in list(self.tasks):
            self.finish(future, error=Cancelled())

    def close(self, limit: float | None = None) -> bool:
        self.end()
        return True


class HandLink:
    """Helpers that make what the test has them make, and are lost when it says so."""

    def __init__(self, slots: dict[str, int], paces: dict[str, float] | None = None) -> None:
        self.slots, self.paces = slots, paces or {}
        self.here = 0.0
        self.known = True
        self.sent: dict[str, tuple[str, Order, Any, Any]] = {}
        self.stood: dict[str, bool] = {}
        self.taken_back: list[str] = []
        self._listeners: list[Callable[[], None]] = []

    def start(self) -> None: ...

    def knows(self, needs: frozenset[str]) -> bool:
        return self.known

    def want(self, shelves: Any) -> None: ...

    def on_change(self, call: Callable[[], None]) -> Callable[[], None]:
        self._listeners.append(call)
        return lambda: self._listeners.remove(call)

    def helpers(self) -> tuple[Helper, ...]:
        return tuple(Helper(name, name, "ready") for name in self.slots)

    def name_of(self, helper: str) -> str:
        return helper.title()

    def pace(self, kind: str, helper: str = "") -> float:
        return self.paces.get(helper) or self.here

    def free(self, needs: frozenset[str], kind: str = "proxy") -> list[Helper]:
        busy = [helper for helper, *_rest in self.sent.values()]
        found = [one for one in self.helpers() if busy.count(one.id) < self.slots[one.id]]
        return sorted(found, key=lambda one: -self.pace(kind, one.id))

    def send(self, helper: str, order: Order, ended: Any, told: Any) -> str:
        assert order.left is not None
        token = f"{len(self.sent)}-{order.left.name}"
        self.sent[token] = helper, order, ended, told
        order.left.write_bytes(b"half")
        return token

    def end(self, token: str, values: dict[str, Any] | None, why: str = "") -> None:
        _helper, order, ended, _told = self.sent.pop(token)
        if values is not None:
            assert order.left is not None
            order.left.write_bytes(b"whole")
        ended(values, why)
        for call in list(self._listeners):
            call()

    def measured_here(self, kind: str, weight: float, seconds: float) -> None:
        self.here = weight

    def take_back(self, token: str) -> None:
        self.taken_back.append(token)
        self.sent.pop(token, None)

    def stand(self, token: str, on: bool) -> None:
        self.stood[token] = on


class Scene:
    """A spread over two helpers and one worker here, on a shelf of its own; ``named`` counts who gave which name."""

    def __init__(
        self, folder: Path, slots: dict[str, int] | None = None, paces: dict[str, float] | None = None
    ) -> None:
        self.root = folder / "shelf"
        self.root.mkdir(parents=True)
        self.local, self.names = HandPool(), HandPool()
        self.link = HandLink({"one": 1, "two": 1} if slots is None else slots, paces)
        shelf = Shelf("s", "Shelf", "proxies", self.root)
        self.spread = Spread(self.local, self.names, 1, self.link, lambda: [shelf])  # type: ignore[arg-type]
        self.futures: list[Future[Any]] = []
        self.ends: dict[Future[Any], int] = {}
        self.parts: dict[int, list[float]] = {}

    def submit(self, frames: int = 25, **more: Any) -> Future[Any]:
        number = len(self.futures)
        original = self.root / f"{number}.mov"
        original.write_bytes(b"original")
        info = dataclasses.replace(INFO, frames=frames)
        target, anchor = self.root / f"{number}_proxy.mov", Anchor.of(self.root)
        request = ProxyRequest(original, target, Proxies(), info, anchor=anchor)
        parts = self.parts.setdefault(number, [])
        future = self.spread.submit(make_proven_proxy, request, parts.append, **more)
        self.futures.append(future)
        self.ends[future] = 0
        future.add_done_callback(lambda done: self.ends.__setitem__(done, self.ends[done] + 1))
        return future

    def made_here(self, future: Future[Any] | None = None) -> None:
        """The worker here finishes what it has."""
        future = future or next(iter(self.local.tasks))
        request, _told = self.local.tasks[future]
        request.target.write_bytes(b"here")
        self.local.finish(future, "here")

    def named_here(self) -> None:
        """What a helper made is named."""
        future, (request, _told) = next(iter(self.names.tasks.items()))
        assert isinstance(request, NameRequest)
        partial = request.making.target.with_name(request.partial)
        assert not request.making.target.exists(), "two name one file"
        partial.rename(request.making.target)
        self.names.finish(future, "helper")

    @property
    def answer(self) -> dict[str, Any]:
        return {"size": 5, "digest": "0" * 32, "took": 1.0}

    def hidden(self) -> list[str]:
        return [one.name for one in self.root.iterdir() if one.name.startswith(".")]


def test_the_longest_goes_first_to_the_fastest_and_the_priority_before_that(tmp_path: Path) -> None:
    scene = Scene(tmp_path, paces={"one": 1.0, "two": 50.0})
    scene.link.here = 10.0
    scene.spread.pause("asked")
    for frames, priority in ((10, 0), (500, 0), (100, 0), (20, 7)):
        scene.submit(frames, priority=priority)
    scene.spread.resume("asked")
    order = {helper: one.request.info.frames for helper, one, *_rest in scene.link.sent.values()}
    (here,) = (request.info.frames for request, _told in scene.local.tasks.values())
    assert (order["two"], here, order["one"]) == (20, 500, 100)


def test_what_a_helper_made_is_named_here_and_its_progress_told(tmp_path: Path) -> None:
    scene = Scene(tmp_path)
    scene.submit()
    future = scene.submit()
    (token,) = scene.link.sent
    scene.link.sent[token][3](0.5)
    assert not (scene.root / "1_proxy.mov").exists()
    scene.link.end(token, scene.answer)
    assert not future.done(), "it is not looked at yet"
    scene.named_here()
    assert future.result(0) == "helper" and scene.parts[1][0] == 0.0 and 0.4 < scene.parts[1][-1] < 0.5
    assert scene.hidden() == []


def test_whose_a_job_is_can_be_asked(tmp_path: Path) -> None:
    scene = Scene(tmp_path, {"one": 1}, {"one": 9.0})
    scene.link.here = 1.0
    there, here, waits = scene.submit(), scene.submit(), scene.submit()
    assert [scene.spread.whose(one) for one in (there, here, waits)] == ["One", "", ""]
    assert scene.spread.whose(Future()) == ""


def test_the_line_of_a_job_says_which_helper_has_it_until_none_has(tmp_path: Path) -> None:
    scene, store = Scene(tmp_path, {"one": 1}, {"one": 9.0}), JobStore()
    listing = Listing(store)
    run = store.begin("make", tmp_path / "p.otio", {})
    listing.begin(run)
    listing.put(Piece(run, "proxy", "A"))
    hands = Hands(listing, store, lambda job, part: None)
    request = ProxyRequest(
        _file(scene.root / "A.mov"), scene.root / "A_p.mov", Proxies(), INFO, anchor=Anchor.of(scene.root)
    )
    hands.hand_over(Handed(scene.spread, make_proven_proxy, request, "proxy", "A", lambda result: None))
    token, (_helper, _order, _ended, told) = next(iter(scene.link.sent.items()))
    told(0.5)
    piece = listing.piece("proxy", "A")
    assert piece is not None and piece.note == "on helper One" and piece.part > 0.4
    scene.link.slots.clear()
    scene.link.end(token, None, "killed")
    _request, told = next(iter(scene.local.tasks.values()))
    told(0.1)
    piece = listing.piece("proxy", "A")
    assert piece is not None and piece.note == ""


def _file(path: Path) -> Path:
    path.write_bytes(b"original")
    return path


@pytest.fixture
def away(monkeypatch: pytest.MonkeyPatch) -> None:
    """Jobs of the kind that is better done elsewhere."""
    monkeypatch.setattr(spreading, "kind_of", lambda task: dataclasses.replace(KINDS["proxy"], away=True))


def test_a_job_that_is_better_done_elsewhere_goes_to_any_helper_and_else_is_done_here(
    tmp_path: Path, away: None
) -> None:
    scene = Scene(tmp_path, {"slow": 1}, {"slow": 1.0})
    scene.link.here = 100.0
    scene.submit()
    assert [helper for helper, *_rest in scene.link.sent.values()] == ["slow"] and not scene.local.tasks
    scene.submit()  # the only helper is busy
    assert len(scene.local.tasks) == 1


def test_it_waits_a_moment_for_helpers_that_are_only_just_looked_for(
    tmp_path: Path, away: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    scene = Scene(tmp_path, {})
    scene.link.known = False
    scene.submit()
    scene.spread.look_again()
    assert not scene.local.tasks
    scene.link.slots["late"], scene.link.known = 1, True
    scene.spread.look_again()
    assert len(scene.link.sent) == 1 and not scene.local.tasks
    scene.link.known = False
    scene.submit()
    assert not scene.local.tasks
    monkeypatch.setattr(choosing, "_PATIENT", 0.0)
    scene.spread.look_again()
    assert len(scene.local.tasks) == 1


@pytest.mark.parametrize("how", ["lost", "nonsense", "refused here"])
def test_what_a_helper_does_not_bring_is_made_here(tmp_path: Path, how: str) -> None:
    scene = Scene(tmp_path, {"one": 1})
    scene.submit()
    future = scene.submit()
    (token,) = scene.link.sent
    if how == "lost":
        scene.link.end(token, None, "it is not heard any more")
    else:
        scene.link.end(token, scene.answer if how == "refused here" else {"size": -1})
    if how == "refused here":
        (naming,) = scene.names.tasks
        scene.names.finish(naming, error=MediaError("is not what was written", tmp_path, ""))
    assert scene.hidden() == [] and not future.done()
    scene.made_here()
    scene.made_here()
    assert future.result(0) == "here"


def test_an_error_here_is_the_users_and_ends_the_try_elsewhere(tmp_path: Path) -> None:
    scene = Scene(tmp_path, {"one": 1}, {"one": 1.0})
    scene.link.here = 1e9
    scene.spread.pause("asked")
    future = scene.submit()
    scene.spread._local = HandPool()  # nobody here takes it
    scene.spread._local.submit(None, None)  # type: ignore[arg-type]
    scene.spread._size = 0
    scene.spread.resume("asked")
    assert len(scene.link.sent) == 1
    scene.spread._size = 1
    scene.spread.look_again()
    (local, _rest), *_none = [item for item in scene.spread._local.tasks.items() if item[1][0] is not None]  # type: ignore[attr-defined]
    scene.spread._local.finish(local, error=MediaError("is damaged", tmp_path, ""))  # type: ignore[attr-defined]
    with pytest.raises(MediaError):
        future.result(0)
    assert scene.link.sent == {} and len(scene.link.taken_back) == 1 and scene.hidden() == []


def test_at_the_end_a_fast_machine_begins_what_a_slow_one_has_and_the_first_wins(tmp_path: Path) -> None:
    scene = Scene(tmp_path, {"slow": 1}, {"slow": 1.0})
    scene.link.here = 1.0
    scene.submit(1000)
    future = scene.submit(900)  # the slow one has it
    assert [helper for helper, *_rest in scene.link.sent.values()] == ["slow"]
    scene.made_here()  # a thousand frames at once: this machine is fast, and idle now
    assert len(scene.local.tasks) == 1 and len(scene.link.sent) == 1
    scene.made_here()
    assert future.result(0) == "here" and scene.link.sent == {} and scene.hidden() == []


@pytest.mark.parametrize("finished", [True, False])
def test_what_a_helper_made_is_named_only_when_nobody_here_is_at_it_any_more(tmp_path: Path, finished: bool) -> None:
    scene = Scene(tmp_path, {"slow": 1}, {"slow": 1.0})
    scene.link.here = 1.0
    scene.submit(1000)
    future = scene.submit(900)
    scene.made_here()  # it is idle, and begins the other too
    (here,) = scene.local.tasks
    scene.link.end(next(iter(scene.link.sent)), scene.answer)
    assert scene.local.ending == [here] and not scene.names.tasks, "it may finish yet"
    if finished:
        scene.made_here(here)
    else:
        scene.local.finish(here, error=Cancelled())
        scene.named_here()
    assert future.result(0) == ("here" if finished else "helper") and scene.hidden() == []


def test_standing_still_means_the_same_everywhere(tmp_path: Path) -> None:
    scene = Scene(tmp_path, {"one": 1})
    scene.submit()
    held = scene.submit()
    (token,) = scene.link.sent
    scene.spread.hold(held, True)
    assert scene.link.stood[token] is True
    scene.spread.hold(held, False)
    scene.spread.pause("asked")
    third = scene.submit()
    assert scene.link.stood[token] is True and scene.local.reasons == {"asked"}
    scene.link.end(token, scene.answer)
    scene.named_here()  # what was done already is taken
    assert held.done() and not third.done() and scene.link.sent == {}
    scene.spread.resume("asked")
    assert len(scene.link.sent) == 1


class Anything(RuleBasedStateMachine):
    """Jobs, helpers that bring, fail and vanish, and a user who takes back, holds and closes, in any order."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        self.scene = Scene(self.folder)

    @rule(frames=st.integers(1, 2000), priority=st.integers(-1, 1), held=st.booleans())
    def submit(self, frames: int, priority: int, held: bool) -> None:
        self.scene.submit(frames, priority=priority, held=held)

    @rule(well=st.booleans())
    def here(self, well: bool) -> None:
        if not self.scene.local.tasks:
            return
        if well:
            self.scene.made_here()
        else:
            self.scene.local.finish(next(iter(self.scene.local.tasks)), error=MediaError("is damaged", None, ""))

    @rule(well=st.booleans())
    def what_was_taken_back_here_ends(self, well: bool) -> None:
        pool = self.scene.local
        if pool.ending and (future := pool.ending.pop(0)) in pool.tasks:
            self.scene.made_here(future) if well else pool.finish(future, error=Cancelled())

    @rule(how=st.sampled_from(["well", "lost", "nonsense", "half way"]), data=st.data())
    def helper(self, how: str, data: st.DataObject) -> None:
        if not self.scene.link.sent:
            return
        token = data.draw(st.sampled_from(sorted(self.scene.link.sent)))
        if how == "half way":
            self.scene.link.sent[token][3](0.5)
        else:
            answer = {"well": self.scene.answer, "nonsense": {"digest": "no"}}.get(how)
            self.scene.link.end(token, answer, "" if answer else "lost")

    @rule(well=st.booleans())
    def name(self, well: bool) -> None:
        if not self.scene.names.tasks:
            return
        if well:
            self.scene.named_here()
        else:
            self.scene.names.finish(next(iter(self.scene.names.tasks)), error=MediaError("is another", None, ""))

    @rule(data=st.data(), what=st.sampled_from(["cancel", "hold", "go on"]))
    def ask(self, data: st.DataObject, what: str) -> None:
        if self.scene.futures:
            future = data.draw(st.sampled_from(self.scene.futures))
            self.scene.spread.cancel(future) if what == "cancel" else self.scene.spread.hold(future, what == "hold")

    @rule(on=st.booleans())
    def stand(self, on: bool) -> None:
        (self.scene.spread.pause if on else self.scene.spread.resume)("asked")

    @invariant()
    def every_job_ends_at_most_once_and_no_more_run_than_there_is_room_for(self) -> None:
        scene = self.scene
        assert all(count <= 1 for count in scene.ends.values())
        busy = [helper for helper, *_rest in scene.link.sent.values()]
        assert all(busy.count(name) <= 1 for name in set(busy))
        waiting = {one[1].left.name for one in scene.link.sent.values() if one[1].left}
        waiting |= {request.partial for request, _told in scene.names.tasks.values()}
        answered = {
            entry.answer[0].left.name
            for entry in scene.spread._entries.values()
            if entry.answer and entry.answer[0].left
        }
        assert set(scene.hidden()) <= waiting | answered

    def teardown(self) -> None:
        self.scene.spread.close(0)
        assert all(future.done() for future in self.scene.futures) and not self.scene.spread.busy
        assert self.scene.hidden() == []
        shutil.rmtree(self.folder)


Anything.TestCase.settings = settings(
    max_examples=40, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
)
TestAnything = Anything.TestCase


def test_what_is_not_a_proxy_stays_here(tmp_path: Path) -> None:
    scene = Scene(tmp_path)
    future = scene.spread.submit(weight_of, INFO)
    assert scene.link.sent == {} and len(scene.local.tasks) == 1
    scene.local.finish(next(iter(scene.local.tasks)), 3)
    assert future.result(0) == 3


def test_what_only_this_machine_can_do_goes_before_what_others_can(tmp_path: Path) -> None:
    scene = Scene(tmp_path, {})
    scene.spread.pause("asked")
    scene.submit(1000)
    measured = scene.spread.submit(weight_of, INFO)
    scene.spread.resume("asked")
    (here,) = scene.local.tasks.values()
    assert here[0] is INFO and not measured.done()
    scene.spread.close(0)


def test_five_thousand_jobs_wait_without_being_looked_through_each_time(tmp_path: Path) -> None:
    scene = Scene(tmp_path)
    looked = []
    kind = spreading.kind_of(make_proven_proxy)
    assert kind is not None
    counting = dataclasses.replace(kind, order=lambda *arguments: looked.append(1) or kind.order(*arguments))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(spreading, "kind_of", lambda _task: counting)
        for _number in range(500):
            scene.submit()
    assert len(looked) < 20, "of those that wait none is opened before its turn"
    scene.spread.close(0)


def test_with_many_threads_every_job_is_done_once_and_by_one(tmp_path: Path) -> None:
    """Helpers answer, and are looked at and named, on threads of their own, as they do."""
    scene = Scene(tmp_path, {f"helper {number}": 2 for number in range(4)})
    queue: SimpleQueue[Callable[[], None] | None] = SimpleQueue()
    sent: list[str] = []

    def send(helper: str, order: Order, ended: Any, told: Any) -> str:
        token = HandLink.send(scene.link, helper, order, ended, told)
        sent.append(order.about.name)
        queue.put(lambda: scene.link.end(token, scene.answer) if token in scene.link.sent else None)
        return token

    class Naming(HandPool):
        def submit(self, task: Any, request: Any, *rest: Any) -> Future[Any]:
            future = super().submit(task, request)
            queue.put(lambda: self.finish(future, request.making.target.name))
            return future

    def work() -> None:
        while (job := queue.get()) is not None:
            job()

    scene.link.send = send  # type: ignore[method-assign]
    scene.spread._names, scene.spread._size = Naming(), 0
    threads = [threading.Thread(target=work, name="a helper") for _number in range(6)]
    for one in threads:
        one.start()
    try:
        futures = [scene.submit(10 + number % 7) for number in range(300)]
        assert [future.result(60) for future in futures] == [f"{number}_proxy.mov" for number in range(300)]
    finally:
        for _one in threads:
            queue.put(None)
        for one in threads:
            one.join(10)
    assert sorted(sent) == sorted(f"{number}.mov" for number in range(300)), "each was sent once"
    assert scene.spread._entries == {} and all(count == 1 for count in scene.ends.values())
    scene.spread.close(0)


def test_where_no_helper_sees_the_shelf_those_that_wait_are_not_all_opened_each_time(tmp_path: Path) -> None:
    scene = Scene(tmp_path)
    scene.link.free = lambda needs, kind="proxy": [] if needs else list(scene.link.helpers())  # type: ignore[method-assign]
    for _number in range(200):
        scene.submit()
    looked = []
    kind = spreading.kind_of(make_proven_proxy)
    assert kind is not None
    for entry in scene.spread._entries.values():
        entry.kind = dataclasses.replace(kind, order=lambda *arguments: looked.append(1) or kind.order(*arguments))
    scene.spread.look_again()
    assert 0 < len(looked) <= 60
    scene.made_here()
    assert len(scene.local.tasks) == 1, "this machine goes on"
    scene.spread.close(0)


def test_one_that_is_put_first_goes_before_those_that_came_before_it(tmp_path: Path) -> None:
    scene = Scene(tmp_path, slots={})
    for _number in range(4):
        scene.submit()
    scene.spread.prefer(scene.futures[3], 5)
    scene.spread.prefer(scene.futures[0], -1)  # it is being made already
    order = []
    while scene.local.tasks:
        ((request, _told),) = scene.local.tasks.values()
        order.append(request.original.stem)
        scene.made_here()
    assert order == ["0", "3", "1", "2"] and all(future.result(5) for future in scene.futures)
    scene.spread.prefer(scene.futures[2], 9)  # it has ended, and does not come back
    assert scene.spread._row.first(9) == [] and not scene.spread.busy
