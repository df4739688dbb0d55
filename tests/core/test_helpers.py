"""Helpers without a network: who may come, what may arrive, which orders are done, what is taken of what was made."""

from __future__ import annotations

import io
import json
import os
import pickle
import shutil
import ssl
import stat
import threading
from concurrent.futures import Future
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from agile_shadow.core.below import Anchor
from agile_shadow.core.errors import MediaError, ProxyError, ShadowError, ShelfError, ShelfGone
from agile_shadow.core.helpers import confined, table
from agile_shadow.core.helpers.certificates import ASKER, Authority, helper_name, helper_of, holder
from agile_shadow.core.helpers.helper import Bench, JoinedPlace
from agile_shadow.core.helpers.joined import keep_joined, kept_joined, write_unit
from agile_shadow.core.helpers.kinds import KINDS, kind_of
from agile_shadow.core.helpers.line import JoinLine
from agile_shadow.core.helpers.orders import Order, answer_of, answered, order_of, work_of
from agile_shadow.core.helpers.proof_orders import proof_answered, proof_order, proof_text, proof_work, take_proof
from agile_shadow.core.helpers.scheduler import Doors
from agile_shadow.core.helpers.seeing import find_shelf, question
from agile_shadow.core.helpers.suite import Suite
from agile_shadow.core.media import probe
from agile_shadow.core.media.info import SEQUENCE
from agile_shadow.core.pairs import Proof, Stamp
from agile_shadow.core.presets import Proxies
from agile_shadow.core.proof.making import make_for_another, make_proven_proxy, name_from_another
from agile_shadow.core.proxies import ProxyRequest, remembered_made
from agile_shadow.core.shelves import Shelf, mark_shelf
from tests.drawn import draw
from tests.footage import refusal
from tests.inline import InlinePool

Shelves = dict[str, tuple[Shelf, Anchor]]


def no_report(done: float) -> None: ...


# Certificates, the line, who may come


def test_a_certificate_is_taken_only_from_its_own_suite(tmp_path: Path) -> None:
    suite, other = Authority.made(), Authority.made()
    own, helper, stranger = suite.issue(ASKER), suite.issue(helper_name("0" * 16)), other.issue(ASKER)
    assert _greeted(own, helper, tmp_path) == (helper_name("0" * 16), ASKER)
    for credentials in (stranger, replace(stranger, authority=suite.certificate)):
        with pytest.raises(ssl.SSLError):
            _greeted(own, credentials, tmp_path)


def _greeted(server: Any, client: Any, folder: Path) -> tuple[str, str]:
    """The names that each end of a TLS connection sees of the other's."""
    ends = []
    for one, side in ((server, ssl.PROTOCOL_TLS_SERVER), (client, ssl.PROTOCOL_TLS_CLIENT)):
        context = ssl.SSLContext(side)
        context.check_hostname, context.verify_mode = False, ssl.CERT_REQUIRED
        context.load_verify_locations(cadata=one.authority)
        path = folder / "pair.pem"
        path.write_text(one.certificate + one.key)
        context.load_cert_chain(path)
        ends.append(context)
    into, out = ssl.MemoryBIO(), ssl.MemoryBIO()
    there = ends[0].wrap_bio(into, out, server_side=True)
    here = ends[1].wrap_bio(out, into)
    for _round in range(4):
        for end in (here, there):
            try:
                end.do_handshake()
            except ssl.SSLWantReadError:
                continue
    return holder(there.getpeercert()), holder(here.getpeercert())


@settings(max_examples=60, deadline=None)
@given(st.text(max_size=200) | st.binary(max_size=200).map(lambda data: "shadow1." + data.hex()))
def test_what_is_no_line_is_refused_with_a_sentence(text: str) -> None:
    assert "not a whole join line" in refusal(lambda: JoinLine.read(text))


def test_a_line_is_read_back_whole_and_no_part_of_it(own_profile: Path) -> None:
    line = Suite.of_this_user().invite("Shed", ("10.1.1.1", "suite.local"))
    text = str(line)
    assert JoinLine.read(f"  {text[:300]}\n{text[300:]}\n") == line and len(text) < 1200
    for cut in (text[:-5], text[:20], text[:100] + text[101:], text.replace("shadow1", "shadow2")):
        refusal(lambda cut=cut: JoinLine.read(cut))


def test_only_the_user_may_read_what_is_kept_and_a_helper_sent_away_counts_no_more(own_profile: Path) -> None:
    suite = Suite.of_this_user()
    assert not suite.exists and suite.members() == ()
    lines = [suite.invite(name) for name in ("Shed", "", "Attic")]
    assert [one.name for one in suite.members()] == ["Shed", "Helper 2", "Attic"]
    assert stat.S_IMODE(suite.path.stat().st_mode) == 0o600
    doors = Doors(suite)
    names = [helper_name(line.identity) for line in lines]
    assert [doors.refuses(name) for name in (ASKER, *names)] == ["", "", "", ""]
    suite.send_away(lines[1].identity)
    os.utime(suite.path, ns=(1, 1))  # also where the clock of its drive is coarse
    assert doors.refuses(names[1]) == "it was sent away" and doors.refuses(names[2]) == ""
    assert doors.refuses("") and doors.refuses("agile-shadow suite") and helper_of("helper-../../etc") is None
    suite.path.write_text("{")
    assert doors.refuses(names[0]), "a list that cannot be read lets nobody in"
    assert "cannot be read" in refusal(suite.members)


def test_joining_is_kept_for_the_user_alone_and_the_unit_starts_it(own_profile: Path, monkeypatch: Any) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(own_profile / "xdg"))
    assert "has not joined" in refusal(kept_joined)
    line = Suite.of_this_user().invite("Shed", ("10.1.1.1",))
    place = keep_joined(line, {"Boathouse": Path("/mnt/b")}, 3)
    assert kept_joined() == place and place.at_a_time == 3 and JoinedPlace(line).at_a_time >= 1
    assert stat.S_IMODE((own_profile / "config" / "helping.json").stat().st_mode) == 0o600
    refusal(lambda: keep_joined(line, {"Boathouse": Path("mnt")}, 3))
    unit = write_unit()
    assert unit.parent == own_profile / "xdg" / "systemd" / "user"
    assert "-m agile_shadow.cli helpers join\n" in unit.read_text() and "WantedBy=default.target" in unit.read_text()


# What may arrive


class _Evil:
    def __init__(self, call: Any, *arguments: Any) -> None:
        self._made = call, arguments

    def __reduce__(self) -> Any:
        return self._made


@pytest.mark.parametrize(
    "thing",
    [_Evil(os.system, "true"), _Evil(eval, "1"), _Evil(exec, "1"), _Evil(getattr, dict, "get"), _Evil(open, "/x"),
     _Evil(__import__, "os"), _Evil(pickle.loads, b"N."), _Evil(Path, "/"), ShadowError("x"), io.StringIO()],
)  # fmt: skip
def test_no_code_and_no_object_comes_from_the_network(thing: Any) -> None:
    try:
        data = pickle.dumps(thing)
    except TypeError:
        data = pickle.dumps(_Evil(io.StringIO))
    with pytest.raises(pickle.UnpicklingError, match="is not taken from the network"):
        confined.loads(data)


def test_the_programs_one_function_and_plain_values_do(monkeypatch: Any) -> None:
    from dask._task_spec import Task

    task = confined.loads(pickle.dumps(Task("k", table.run_named, "proxy", "t", "{}")))
    table.serve(lambda token, order: json.dumps([token, order]))
    assert json.loads(task()) == ["t", {"name": "proxy"}]
    with pytest.raises(pickle.UnpicklingError):
        confined.loads(pickle.dumps(Task("k", os.getpid)))
    assert confined.loads(pickle.dumps({"a": [1, 2.5, None, (b"x", {3})]})) == {"a": [1, 2.5, None, (b"x", {3})]}


def test_what_goes_wrong_in_a_helper_is_an_answer() -> None:
    table.serve(lambda token, order: json.dumps(1 / 0))
    assert "ZeroDivisionError" in json.loads(table.run_named("proxy", "t", "{}"))["failed"]
    assert "failed" in json.loads(table.run_named("proxy", "t", "no JSON"))
    assert "too long" in json.loads(table.run_named("proxy", "t", " " * (table.LONGEST + 1)))["failed"]


def test_a_helper_may_only_say_what_a_worker_says_and_in_its_own_name() -> None:
    mine = "a" * 16
    for good in ({"op": "heartbeat_worker", "address": "tls://10.0.0.2:41"}, {"op": "register-worker", "name": mine},
                 "OK", {"status": "OK"}, {"op": "task-finished", "key": "k"}):  # fmt: skip
        assert confined._out_of_place(good, mine, "10.0.0.2") == ""
    for bad in ({"op": "update-graph"}, {"op": "run_function"}, {"op": "identity"}, {"op": "broadcast"}, {"op": None},
                {"op": "register-client"}, {"op": "register-worker", "name": "b" * 16}, {"op": "gather"},
                {"op": "unregister", "address": "tls://10.0.0.3:41"},
                {"op": "heartbeat_worker", "address": 5}):  # fmt: skip
        assert confined._out_of_place(bad, mine, "10.0.0.2"), bad


def test_without_the_engine_one_sentence_says_what_is_missing(monkeypatch: Any) -> None:
    import sys

    from tests.footage import here

    monkeypatch.setitem(sys.modules, "distributed", None)
    code, _answer, said = here("helpers", "invite", "Shed")
    assert code != 0 and "pip install agile-shadow[machines]" in said and said.count("\n") <= 2
    assert not Suite.of_this_user().exists


# Orders


@pytest.fixture
def shelves(tmp_path: Path) -> tuple[Shelf, Shelf]:
    """Originals with one clip, and proxies, both marked."""
    made = [mark_shelf(Shelf(name, name, role, tmp_path / name)) for name, role in
            (("Boathouse", "originals"), ("Laptop", "proxies"))]  # fmt: skip
    draw(made[0].root / "day" / "A001.mov", 12, timecode="01:00:00:00")
    return made[0], made[1]


def asked(shelves: tuple[Shelf, Shelf], **more: Any) -> ProxyRequest:
    original = shelves[0].root / "day" / "A001.mov"
    values = {"target": shelves[1].root / "day" / "A001.mov", "info": probe(original), **more}
    return ProxyRequest(original, settings=Proxies(codec="mjpeg"), anchor=Anchor.of(shelves[1].root), **values)


def sent(order: Order | None) -> dict[str, Any]:
    assert order is not None
    values: dict[str, Any] = json.loads(order.text)
    return values


def left_of(order: Order | None) -> Path:
    assert order is not None and order.left is not None
    return order.left


def seen(shelves: tuple[Shelf, Shelf]) -> Shelves:
    return {shelf.id: (shelf, Anchor.of(shelf.root)) for shelf in shelves}


def test_an_order_means_the_same_where_the_shelves_lie_elsewhere(shelves: tuple[Shelf, Shelf], tmp_path: Path) -> None:
    order = order_of(asked(shelves, values={"reel": "A"}), shelves)
    assert order is not None and order.needs == {"Boathouse", "Laptop"} and str(tmp_path) not in order.text
    (tmp_path / "mnt").mkdir()
    there = tuple(replace(shelf, root=shelf.root.rename(tmp_path / "mnt" / shelf.name)) for shelf in shelves)
    work = work_of(sent(order), seen(there))  # type: ignore[arg-type]
    work.check()
    making = work.request.making
    assert making.original == there[0].root / "day" / "A001.mov" and making.target == there[1].root / "day" / "A001.mov"
    assert making.info == order.request.info and making.settings == order.request.settings
    assert making.values == {"reel": "A"} and work.request.partial == left_of(order).name
    making.original.touch()
    with pytest.raises(MediaError, match="another file"):
        work.check()


def test_what_can_only_be_made_here_is_no_order(shelves: tuple[Shelf, Shelf], tmp_path: Path) -> None:
    request = asked(shelves)
    assert order_of(replace(request, original=draw(tmp_path / "card" / "B.mov", 3)), shelves) is None
    assert order_of(replace(request, part=(0, 5)), shelves) is None
    assert order_of(replace(request, anchor=None), shelves) is None
    assert order_of(replace(request, info=None), shelves) is None
    assert request.info is not None
    assert order_of(replace(request, info=replace(request.info, container=SEQUENCE)), shelves) is None


@pytest.mark.parametrize(
    ("where", "what"),
    [(("target", "path"), "../out.mov"), (("target", "path"), "/etc/out.mov"), (("original", "path"), "../../etc/x"),
     (("original", "path"), ""), (("partial",), "plain.mov"), (("partial",), ".x/../../y.part"),
     (("partial",), ".x.mov"),
     (("settings", "codec"), "rm -rf"), (("info", "frames"), -4), (("size",), "many"), (("target", "shelf"), "other"),
     (("values",), {"a": 5})],
)  # fmt: skip
def test_a_hostile_order_is_refused(shelves: tuple[Shelf, Shelf], where: tuple[str, ...], what: Any) -> None:
    values = sent(order_of(asked(shelves), shelves))
    inner = values
    for name in where[:-1]:
        inner = inner[name]
    inner[where[-1]] = what
    bench = Bench(1)
    bench._shelves = seen(shelves)
    bench._pool = InlinePool()  # type: ignore[assignment]
    before = sorted(shelves[1].root.rglob("*"))
    assert "failed" in json.loads(bench.run("t", {"name": "proxy", **values}))
    assert sorted(shelves[1].root.rglob("*")) == before and bench.state()["doing"] == []
    refusal(lambda: work_of(values, seen(shelves)).check())


def test_a_link_out_of_the_shelf_is_not_followed_and_a_shelf_that_was_changed_not_entered(
    shelves: tuple[Shelf, Shelf], tmp_path: Path
) -> None:
    values = sent(order_of(asked(shelves), shelves))
    known = seen(shelves)
    shutil.copytree(shelves[1].root, tmp_path / "other")
    shelves[1].root.rename(tmp_path / "away")
    (tmp_path / "other").rename(shelves[1].root)  # another drive, with the same mark, is mounted there now
    with pytest.raises(ShelfGone):
        work_of(values, known)
    secret = draw(tmp_path / "secret.mov", 3)
    (shelves[0].root / "day" / "A001.mov").unlink()
    (shelves[0].root / "day" / "A001.mov").symlink_to(secret)
    with pytest.raises(ShelfError, match="through a link"):
        work_of(values, seen(shelves))


def test_another_function_is_none_of_a_helpers(shelves: tuple[Shelf, Shelf]) -> None:
    answer = json.loads(Bench(1).run("t", {**sent(order_of(asked(shelves), shelves)), "name": "wipe"}))
    assert "nothing that a helper does" in answer["failed"]
    assert "why" in Bench(1).asked("format", {}) and Bench(1).asked("cancel", {"token": "none"}) == {}


# What was made, looked at and named


def made_there(shelves: tuple[Shelf, Shelf]) -> tuple[Order, dict[str, Any]]:
    """A proxy as a helper leaves it, and its answer."""
    order = order_of(asked(shelves), shelves)
    work = work_of(sent(order), seen(shelves))
    result = make_for_another(work.request, no_report)
    assert order is not None and result.path == left_of(order)
    return order, json.loads(answer_of(result, 0.5))


def test_what_another_machine_made_is_bit_for_bit_what_is_made_here(shelves: tuple[Shelf, Shelf]) -> None:
    order, values = made_there(shelves)
    target = order.request.target
    assert not target.exists() and [one.name for one in target.parent.iterdir()] == [left_of(order).name]
    result = name_from_another(answered(order, values), no_report)
    assert result.path == target and [one.name for one in target.parent.iterdir()] == ["A001.mov"]
    assert result.made is not None and remembered_made(target) == result.made, "it may be tidied as one made here"
    here = make_proven_proxy(replace(order.request, target=target.with_name("here.mov")), no_report)
    assert here.path.read_bytes() == target.read_bytes()
    assert (result.info, result.original) == (here.info, here.original)


@pytest.mark.parametrize("what", ["a byte", "cut", "gone", "another file", "a link"])
def test_what_is_not_what_was_written_gets_no_name(shelves: tuple[Shelf, Shelf], tmp_path: Path, what: str) -> None:
    order, values = made_there(shelves)
    partial = left_of(order)
    data = partial.read_bytes()
    if what == "a byte":
        partial.write_bytes(data[:-1] + bytes([data[-1] ^ 1]))
    elif what == "cut":
        partial.write_bytes(data[:-100])
    elif what == "another file":
        partial.write_bytes((shelves[0].root / "day" / "A001.mov").read_bytes())
    else:
        partial.unlink()
    if what == "a link":
        (tmp_path / "data").write_bytes(data)
        partial.symlink_to(tmp_path / "data")
    with pytest.raises(ProxyError):
        name_from_another(answered(order, values), no_report)
    assert list(order.request.target.parent.iterdir()) == []


def test_a_proxy_with_other_settings_or_of_another_clip_gets_no_name(shelves: tuple[Shelf, Shelf]) -> None:
    order, values = made_there(shelves)
    smaller = replace(order.request, settings=Proxies(codec="mjpeg", scale=Fraction(1, 8)))
    with pytest.raises(ProxyError, match="other settings"):
        name_from_another(answered(replace(order, request=smaller), values), no_report)
    order, values = made_there(shelves)
    other = draw(shelves[0].root / "day" / "B.mov", 9)
    of_another = replace(order.request, original=other, info=probe(other))
    with pytest.raises(ProxyError, match="frames where its original has 9"):
        name_from_another(answered(replace(order, request=of_another), values), no_report)


def test_a_name_that_was_taken_meanwhile_is_left_alone(shelves: tuple[Shelf, Shelf]) -> None:
    order, values = made_there(shelves)
    order.request.target.write_text("somebody's own")
    result = name_from_another(answered(order, values), no_report)
    assert order.request.target.read_text() == "somebody's own" and result.path.name == "A001_2.mov"
    again, values = made_there(shelves)
    there = replace(again.request, target=result.path)
    same = name_from_another(answered(replace(again, request=there), values), no_report)
    assert same.path == result.path and same.made is None, "one of that kind lies there: it is taken, not made twice"
    assert sorted(one.name for one in result.path.parent.iterdir()) == ["A001.mov", "A001_2.mov"]


def test_a_proof_from_elsewhere_counts_only_for_these_very_files(shelves: tuple[Shelf, Shelf]) -> None:
    for shift in (0, 1):
        order, values = made_there(shelves)
        partial, original = left_of(order).stat(), order.request.original.stat()
        stamp = Stamp(original.st_size, original.st_mtime_ns, partial.st_size, partial.st_mtime_ns + shift, 0)
        values["proof"] = Proof("proven", stamp, likeness=0.99).__dict__ | {"stamp": stamp.__dict__}
        result = name_from_another(answered(order, values), no_report)
        assert (getattr(result, "proof", None) is not None) == (shift == 0)
        result.path.unlink()


def test_what_fails_at_a_helper_leaves_nothing(shelves: tuple[Shelf, Shelf]) -> None:
    order = order_of(asked(shelves), shelves)
    work = work_of(sent(order), seen(shelves))

    def stop(done: float) -> None:
        raise InterruptedError

    original = shelves[0].root / "day" / "A001.mov"
    original.write_bytes(original.read_bytes()[:400])
    with pytest.raises(ShadowError):
        make_for_another(work.request, no_report)
    assert list((shelves[1].root / "day").iterdir()) == []


def test_a_job_taken_back_before_it_began_is_not_begun(shelves: tuple[Shelf, Shelf]) -> None:
    bench = Bench(1)
    bench._shelves = seen(shelves)
    bench._pool = InlinePool()  # type: ignore[assignment]
    bench.asked("cancel", {"token": "t"})
    order = order_of(asked(shelves), shelves)
    answer = json.loads(bench.run("t", {"name": "proxy", **sent(order)}))
    assert answer["cancelled"] and not (shelves[1].root / "day").exists()
    assert "size" in json.loads(bench.run("t", {"name": "proxy", **sent(order)})), "the next one of that token is"


# Which shelf it is


def test_a_shelf_is_found_by_its_mark_and_by_what_is_read_there(shelves: tuple[Shelf, Shelf], tmp_path: Path) -> None:
    with question(shelves[1]) as (asked_of, right):
        found, _anchor, answer = find_shelf(asked_of.model_dump(), {})
        assert found.root == shelves[1].root and answer == right
        elsewhere = tmp_path / "mnt" / "elsewhere"
        shutil.copytree(shelves[1].root, elsewhere)  # the same mark, and the file of the question as well
        (elsewhere / asked_of.path).write_bytes(b"of another drive")
        assert find_shelf(asked_of.model_dump(), {"Laptop": elsewhere})[2] != right
        (elsewhere / asked_of.path).unlink()
        refusal(lambda: find_shelf(asked_of.model_dump(), {"Laptop": elsewhere}))
    assert [one.name for one in shelves[1].root.iterdir()] == [".agile-shadow-shelf.json"], "it leaves nothing"


def test_a_folder_without_the_mark_is_a_shelf_only_where_it_was_named_by_hand(tmp_path: Path) -> None:
    plain = Shelf("plain", "Archive", "originals", tmp_path / "Archive")
    draw(plain.root / "A.mov", 3)
    with question(plain) as (asked_of, right):
        refusal(lambda: find_shelf(asked_of.model_dump(), {}))
        assert find_shelf(asked_of.model_dump(), {"Archive": plain.root})[2] == right
        assert find_shelf(asked_of.model_dump(), {"plain": plain.root})[0].root == plain.root
    assert [one.name for one in plain.root.iterdir()] == ["A.mov"], "nothing was written to originals that stay"
    (tmp_path / "empty").mkdir()
    with pytest.raises(ShadowError), question(Shelf("e", "E", "originals", tmp_path / "empty")):
        pass


@pytest.mark.parametrize("path", ["../secret", "/etc/passwd", "", "a/../../secret"])
def test_a_question_cannot_reach_out_of_a_shelf(shelves: tuple[Shelf, Shelf], tmp_path: Path, path: str) -> None:
    (tmp_path / "secret").write_text("secret")
    with question(shelves[1]) as (asked_of, _right):
        values = asked_of.model_dump() | {"path": path, "start": 0, "length": 6}
    refusal(lambda: find_shelf(values, {"Laptop": shelves[1].root}))
    refusal(lambda: find_shelf(values | {"length": 10**9}, {}))


def test_many_threads_invite_without_losing_one(own_profile: Path) -> None:
    suite = Suite.of_this_user()
    threads = [threading.Thread(target=suite.invite, args=(f"h{number}",)) for number in range(8)]
    for one in threads:
        one.start()
    for one in threads:
        one.join(30)
    assert len({one.id for one in suite.members()}) == 8


def test_what_was_made_for_somebody_who_is_gone_is_removed_unless_it_has_its_name(shelves: tuple[Shelf, Shelf]) -> None:
    bench = Bench(1)
    bench._shelves = seen(shelves)
    bench._pool = InlinePool()  # type: ignore[assignment]
    orders = [order_of(replace(asked(shelves), target=shelves[1].root / f"{number}.mov"), shelves) for number in (1, 2)]
    for number, order in enumerate(orders):
        assert "size" in json.loads(bench.run(f"t{number}", {"name": "proxy", **sent(order)}))
    assert orders[0] is not None
    left_of(orders[0]).rename(shelves[1].root / "1.mov")  # named before the connection was lost
    bench.give_up()
    assert sorted(one.name for one in shelves[1].root.iterdir()) == [".agile-shadow-shelf.json", "1.mov"]


@pytest.mark.parametrize("how", ["give up", "cancel"])
def test_what_ends_while_it_is_taken_back_leaves_nothing(shelves: tuple[Shelf, Shelf], how: str) -> None:
    bench = Bench(1)
    bench._shelves = seen(shelves)

    class Ending(Future[Any]):
        def result(self, timeout: float | None = None) -> Any:
            made = super().result(30)
            bench.give_up() if how == "give up" else bench.asked("cancel", {"token": "t"})
            return made

    class Late(InlinePool):
        def submit(self, task: Any, request: Any, *rest: Any, **more: Any) -> Any:
            future = Ending()
            super().submit(task, request).add_done_callback(lambda done: future.set_result(done.result()))
            return future

    bench._pool = Late()  # type: ignore[assignment]
    answer = json.loads(bench.run("t", {"name": "proxy", **sent(order_of(asked(shelves), shelves))}))
    assert answer["cancelled"] and list((shelves[1].root / "day").iterdir()) == [] and not bench._refused


# Proofs


@pytest.fixture
def pair(shelves: tuple[Shelf, Shelf]) -> Any:
    """What is asked for the proof of a pair."""
    from agile_shadow.core.pairs.half import Half
    from agile_shadow.core.proof.prover import ProveRequest

    made = make_proven_proxy(asked(shelves), no_report)
    original = Half(shelves[0].root / "day" / "A001.mov", made.original)
    return ProveRequest(original, Half(made.path, made.info), made=True)


def test_a_proof_made_elsewhere_is_the_one_made_here(shelves: tuple[Shelf, Shelf], pair: Any) -> None:
    from agile_shadow.core.proof.prover import prove

    kind = kind_of(prove)
    assert kind is not None and kind is KINDS["proof"]
    order = kind.order(pair, shelves)
    assert order is not None and order.left is None and order.needs == {"Boathouse", "Laptop"}
    bench = Bench(1)
    bench._shelves = seen(shelves)
    bench._pool = InlinePool()  # type: ignore[assignment]
    values = json.loads(bench.run("t", {"name": "proof", **json.loads(order.text)}))
    task, request = kind.taken(order, values)
    assert task(request, no_report) == prove(pair, no_report)


@pytest.mark.parametrize("what", ["touched", "accepted", "nonsense", "other offset"])
def test_a_proof_about_other_files_is_not_taken(shelves: tuple[Shelf, Shelf], pair: Any, what: str) -> None:
    order = proof_order(pair, shelves)
    work = proof_work(json.loads(order.text) if order else {}, seen(shelves))
    values = json.loads(proof_text(work.task(work.request, no_report), 1.0))
    if what == "touched":
        pair.proxy.path.touch()
        with pytest.raises(MediaError, match="another file"):
            work.check()
    elif what == "accepted":
        values["proof"]["accepted"] = True
    elif what == "other offset":
        values["proof"]["stamp"]["offset"] = 3
    else:
        values["proof"]["state"] = "surely"
    assert order is not None
    assert "elsewhere" in refusal(lambda: take_proof(proof_answered(order, values), no_report)) or what == "nonsense"


def test_only_pairs_of_files_on_shelves_are_proved_elsewhere(shelves: tuple[Shelf, Shelf], pair: Any) -> None:
    assert proof_order(pair, shelves[:1]) is None
    still = replace(pair.original, info=replace(pair.original.info, kind="still"))
    assert proof_order(replace(pair, original=still), shelves) is None
    assert kind_of(probe) is None and kind_of(make_for_another) is None
