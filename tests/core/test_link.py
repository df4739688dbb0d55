"""This machine's end of the work with helpers: who counts as there, what becomes of orders. The engine is played."""

from __future__ import annotations

import asyncio
import json
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.helpers import link as linking
from agile_shadow.core.helpers.helper import Helping, JoinedPlace
from agile_shadow.core.helpers.link import Link
from agile_shadow.core.helpers.orders import Order
from agile_shadow.core.helpers.presence import LOST, helper_of
from agile_shadow.core.helpers.seeing import find_shelf
from agile_shadow.core.helpers.suite import Suite
from agile_shadow.core.helpers.version import own_version
from agile_shadow.core.shelves import Shelf, mark_shelf
from tests.until import until


class Engine:
    """A client of the engine with workers that the test names; what is asked of them is answered by ``answers``."""

    def __init__(self) -> None:
        self.workers: dict[str, dict[str, Any]] = {}
        self.answers: Callable[[str, dict[str, Any]], Any] = lambda what, values: {}
        self.said: list[tuple[str, dict[str, Any]]] = []
        self.submitted: list[Any] = []
        self.broken = False
        self.scheduler = SimpleNamespace(identity=None, broadcast=self._broadcast)
        self.loop = SimpleNamespace(
            add_callback=lambda ask: threading.Thread(target=lambda: asyncio.run(ask())).start()
        )

    def there(self, identity: str, heard: float = 0.0, version: str = "", slots: int = 2) -> None:
        told = {"version": version or own_version(), "slots": slots, "cores": 8, "shelves": {}, "doing": [["A", 0.5]]}
        self.workers[f"tls://{identity}"] = {
            "name": identity, "last_seen": time.time() - heard, "metrics": {"shadow": told}
        }  # fmt: skip

    async def _broadcast(self, msg: dict[str, Any], workers: list[str], on_error: str) -> dict[str, Any]:
        self.said.append((msg["what"], msg["values"]))
        return {workers[0]: self.answers(msg["what"], msg["values"])}

    def sync(self, _call: Any, **_more: Any) -> dict[str, Any]:
        if self.broken:
            raise TimeoutError("the scheduler is gone")
        return {"workers": self.workers}

    def submit(self, *arguments: Any, **more: Any) -> Any:
        future = SimpleNamespace(done=None, arguments=arguments, workers=more["workers"])
        future.add_done_callback = lambda call: setattr(future, "done", call)
        self.submitted.append(future)
        return future

    def answer(self, number: int, text: Any) -> None:
        future = self.submitted[number]
        future.result = lambda timeout: text
        future.done(future)

    def cancel(self, futures: list[Any], force: bool) -> None: ...

    def close(self, timeout: float) -> None: ...


@pytest.fixture
def engine() -> Engine:
    return Engine()


@pytest.fixture
def suite(own_profile: Path) -> Suite:
    return Suite.of_this_user()


@pytest.fixture
def link(suite: Suite, engine: Engine, monkeypatch: pytest.MonkeyPatch) -> Iterator[Link]:
    """A link that looks every few milliseconds."""
    made = Link(suite, 0.005)
    monkeypatch.setattr(made, "_connect", lambda: setattr(made, "_client", engine))
    yield made
    assert made.close(10)


def order(needs: frozenset[str] = frozenset()) -> Order:
    return Order("proxy", None, Path("/b/A001.mov"), "{}", needs, 1000.0)


def test_who_is_there_who_is_not_and_who_is_of_another_version(link: Link, suite: Suite, engine: Engine) -> None:
    names = {name: suite.invite(name, ("10.0.0.1",)).identity for name in ("A", "B", "C", "D")}
    engine.there(names["A"])
    engine.there(names["B"], version="0.0.1")
    engine.there(names["C"], heard=LOST + 5)
    engine.there("f" * 16)  # of nobody who was invited
    link.start()
    until(lambda: [one.state for one in link.helpers()] == ["ready", "other version", "away", "away"])
    assert [one.name for one in link.free(frozenset())] == ["A"] and link.slots() == 2
    suite.pause(names["A"], True)
    until(lambda: link.helpers()[0].state == "paused" and not link.free(frozenset()))
    suite.send_away(names["A"])
    until(lambda: [one.name for one in link.helpers()] == ["B", "C", "D"])


@pytest.mark.parametrize("how", ["silent", "gone", "sent away", "scheduler", "another life"])
def test_an_order_of_a_helper_that_is_lost_ends_once_and_without_an_answer(
    link: Link, suite: Suite, engine: Engine, how: str
) -> None:
    identity = suite.invite("A", ("10.0.0.1",)).identity
    engine.there(identity)
    link.start()
    until(lambda: link.free(frozenset()))
    ended: list[Any] = []
    link.send(identity, order(), lambda values, why: ended.append((values, why)), lambda part: None)
    assert len(link.free(frozenset())) == 1 and engine.submitted[0].workers == [f"tls://{identity}"]
    if how == "silent":
        engine.there(identity, heard=LOST + 1)
    elif how == "gone":
        engine.workers = {}
    elif how == "sent away":
        suite.send_away(identity)
    elif how == "scheduler":
        engine.broken = True
    else:  # it was killed and came again so soon that nobody saw it away
        engine.workers = {"tls://again": engine.workers.pop(f"tls://{identity}")}
    until(lambda: ended)
    engine.answer(0, json.dumps({"size": 1}))  # too late
    assert len(ended) == 1 and ended[0][0] is None and ended[0][1]


def test_answers_are_read_and_measured_and_nonsense_is_none(link: Link, suite: Suite, engine: Engine) -> None:
    identity = suite.invite("A", ("10.0.0.1",)).identity
    engine.there(identity, slots=9)
    link.start()
    until(lambda: link.free(frozenset()))
    ended: list[Any] = []
    for text in ('{"size": 7}', '{"failed": "is damaged"}', "no JSON", "[1]", 5, "x" * 40_000_000):
        link.send(identity, order(), lambda values, why: ended.append((values, why)), lambda part: None)
        engine.answer(len(ended), text)
    assert ended[0] == ({"size": 7}, "") and ended[1] == (None, "is damaged")
    assert all(values is None and why for values, why in ended[1:]) and len(ended) == 6
    assert link.pace("proxy", identity) > 0 and link.pace("proof", identity) == 0
    link.measured_here("proof", 100.0, 2.0)
    assert link.pace("proof", identity) == 50.0, "one that did none of a kind yet is taken for as fast as this machine"


def test_progress_is_told_and_what_is_taken_back_is_said_to_the_helper(
    link: Link, suite: Suite, engine: Engine
) -> None:
    identity = suite.invite("A", ("10.0.0.1",)).identity
    engine.there(identity)
    link.start()
    until(lambda: link.free(frozenset()))
    parts: list[float] = []
    token = link.send(identity, order(), lambda values, why: parts.append(-1), parts.append)
    for event in ((0, {"token": token, "part": 0.25}), (0, {"token": "other", "part": 0.5}), (0, {"part": 1}), 5,
                  (0, {"token": token, "part": 7}), (0, {"token": token, "part": "x"})):  # fmt: skip
        link._told(event)
    assert parts == [0.25]
    link.stand(token, True)
    link.take_back(token)
    until(lambda: len(engine.said) == 2)
    assert sorted(what for what, _values in engine.said) == ["cancel", "stand"]
    engine.answer(0, '{"size": 7}')
    assert parts == [0.25], "nobody hears of what was taken back"


@pytest.mark.parametrize("drive", ["the same", "another", "none"])
def test_a_helper_gets_jobs_only_for_shelves_on_which_it_read_what_was_just_written(
    link: Link, suite: Suite, engine: Engine, tmp_path: Path, drive: str
) -> None:
    shelf = mark_shelf(Shelf("s", "Boathouse", "originals", tmp_path / "Boathouse"))

    def asked(what: str, values: dict[str, Any]) -> Any:
        if drive == "none":
            return {"why": "is not seen here"}
        found, _anchor, answer = find_shelf(values, {})
        return {"root": str(found.root), "answer": answer if drive == "the same" else "0" * 32}

    engine.answers = asked
    identity = suite.invite("A", ("10.0.0.1",)).identity
    engine.there(identity)
    link.want([shelf])
    link.start()
    until(lambda: (identity, "s") in link._asked)
    assert bool(link.free(frozenset("s"))) == (drive == "the same") and link.free(frozenset())
    assert [one.name for one in shelf.root.iterdir()] == [".agile-shadow-shelf.json"]


_NAMES = st.sampled_from(["name", "metrics", "shadow", "last_seen", "slots", "cores", "shelves", "doing", "version"])
_PLAIN = st.none() | st.booleans() | st.floats() | st.text(max_size=5)
_ANYTHING = st.recursive(
    _PLAIN, lambda inner: st.dictionaries(_NAMES, inner, max_size=6) | st.lists(inner, max_size=3), max_leaves=12
)


@settings(max_examples=80, deadline=None)
@given(_ANYTHING)
def test_what_a_helper_tells_of_itself_is_read_or_passed_over(values: Any) -> None:
    if isinstance(values, dict):
        found = helper_of(values, 0.0)
        assert found is None or (0 <= found.slots <= 256 and found.state in ("away", "ready", "other version"))


def test_nothing_is_started_where_nobody_was_invited(own_profile: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(linking, "start_scheduler", lambda: pytest.fail("nobody is to listen"))
    link = Link()
    link.start()
    assert link.helpers() == () and link._thread is None and link.close(1)


def test_a_helper_that_nobody_answers_says_so_once_and_ends_when_it_is_told_to(suite: Suite) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))  # nobody listens there
        line = suite.invite("A", ("127.0.0.1",), taken.getsockname()[1])
        said: list[str] = []
        helping = Helping(JoinedPlace(line, slots=1), said.append)
        thread = threading.Thread(target=helping.run, name="a helper", daemon=True)
        thread.start()
        until(lambda: said)
        helping.stop()
        thread.join(30)
    assert not thread.is_alive() and len(said) == 1
    assert said[0].startswith(f"No answer from 127.0.0.1, port {line.port}.")
