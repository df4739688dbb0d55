"""This machine's end of the work with helpers: which there are, what each sees and does, orders sent and answered.

Imports inside functions: the engine is an extra, and imported when helpers are used.
"""

from __future__ import annotations

import json
import logging
import secrets
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from ..errors import ShadowError, sentence
from ..shelves import Shelf
from ..threads import joined
from .certificates import ASKER
from .confined import confine
from .orders import PROXY, Order
from .presence import HERE, Helper, helper_of
from .scheduler import start_scheduler
from .seeing import question
from .suite import Member, Suite, scheduler_folder
from .table import LONGEST, run_named

log = logging.getLogger(__name__)
_LOOK = 0.5  # seconds between two looks at the helpers
_ASK_AGAIN = 60.0  # seconds after which a shelf that is seen is asked about again
_NOT_SEEN = 20.0  # the same for one that is not
_LAST_WORDS = 2.0  # seconds
_CONNECT = 10.0  # seconds
_SMOOTH = 0.3  # part of a new measurement in the pace


@dataclass
class _Sent:
    """An order that a helper has. ``ended`` hears of its end once: the answer's values, or None and the reason."""

    helper: str
    order: Order
    ended: Callable[[dict[str, Any] | None, str], None]
    told: Callable[[float], None]
    begun: float
    future: Any = None


class Link:
    """Any thread may call any method. It connects on a thread of its own as long as helpers are invited, and starts the
    scheduler where none runs. ``problem``: why it does not work, "" where it does.

    Large: one lock for all that is known of helpers, so that it is one thing.
    """

    def __init__(self, suite: Suite | None = None, look: float = _LOOK) -> None:
        self._suite = suite or Suite.of_this_user()
        self._every = look
        self._lock = threading.RLock()
        self._members: tuple[Member, ...] = ()
        self._seen: dict[str, Helper] = {}
        self._address: dict[str, str] = {}
        self._asked: dict[tuple[str, str], tuple[float, bool]] = {}  # helper, shelf: when, and whether it is seen
        self._wanted: dict[str, Shelf] = {}
        self._asking: set[tuple[str, str]] = set()
        self._sent: dict[str, _Sent] = {}
        self._pace: dict[tuple[str, str], float] = {}
        self._client: Any = None
        self._loop: Any = None  # of the engine, on a thread of its own
        self._saying = 0  # words to helpers that were not answered yet
        self._listeners: list[Callable[[], None]] = []
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None
        self.problem = ""

    # What others ask

    def start(self) -> None:
        """Begin to look for helpers, where any is invited; it may be called again at any time."""
        with self._lock:
            if self._thread is None and self._suite.exists and not self._stopped.is_set():
                self._thread = threading.Thread(target=self._run, name="helpers", daemon=True)
                self._thread.start()

    def helpers(self) -> tuple[Helper, ...]:
        """All that are invited, in that order. Raises ShadowError."""
        members = self._suite.members()
        with self._lock:
            return tuple(self._as_member(one) for one in members)

    def _as_member(self, member: Member) -> Helper:
        seen = self._seen.get(member.id)
        if seen is None:
            return Helper(member.id, member.name)
        state = seen.state if seen.state != "ready" or not member.paused else "paused"
        return replace(seen, name=member.name, state=state, pace=self._pace.get((member.id, PROXY), 0.0))

    def on_change(self, call: Callable[[], None]) -> Callable[[], None]:
        """Have ``call`` called when there may be room at a helper, on a thread of the link; returns how to end that."""
        with self._lock:
            self._listeners.append(call)

        def end() -> None:
            with self._lock, suppress(ValueError):
                self._listeners.remove(call)

        return end

    def want(self, shelves: Sequence[Shelf]) -> None:
        """These shelves are needed: helpers are asked whether they see them."""
        with self._lock:
            for shelf in shelves:
                if self._wanted.get(shelf.id) != shelf:
                    self._wanted[shelf.id] = shelf
                    self._asked = {key: one for key, one in self._asked.items() if key[1] != shelf.id}

    def free(self, needs: frozenset[str], kind: str = PROXY) -> list[Helper]:
        """Helpers that see these shelves and have room for one more job of a kind, the fastest first."""
        with self._lock:
            return sorted(
                (one for one in self._ready() if self._sees(one.id, needs) and self._room(one) > 0),
                key=lambda one: -self.pace(kind, one.id),
            )

    def knows(self, needs: frozenset[str]) -> bool:
        """Whether any helper is ready, and it is known of each whether it sees these shelves."""
        with self._lock:
            ready = self._ready()
            return bool(ready) and all((one.id, shelf) in self._asked for one in ready for shelf in needs)

    def name_of(self, helper: str) -> str:
        """What a helper is called."""
        return next((one.name for one in self._members if one.id == helper), "a helper")

    def slots(self) -> int:
        """How many jobs all helpers that are ready do at a time."""
        with self._lock:
            return sum(one.slots for one in self._ready())

    def _ready(self) -> list[Helper]:
        return [one for one in (self._as_member(member) for member in self._members) if one.state == "ready"]

    def _sees(self, helper: str, needs: frozenset[str]) -> bool:
        return all(self._asked.get((helper, shelf), (0.0, False))[1] for shelf in needs)

    def _room(self, helper: Helper) -> int:
        return helper.slots - sum(1 for one in self._sent.values() if one.helper == helper.id)

    # Orders

    def send(
        self, helper: str, order: Order, ended: Callable[[dict[str, Any] | None, str], None],
        told: Callable[[float], None],
    ) -> str:
        """Send an order; ``ended`` hears its answer, or why there is none, on a thread of the link. Its token."""
        token = secrets.token_hex(8)
        sent = _Sent(helper, order, ended, told, time.monotonic())
        with self._lock:
            client, address = self._client, self._address.get(helper)
            self._sent[token] = sent
        try:
            if client is None or address is None:
                raise ConnectionError("it is away")
            future = client.submit(
                run_named, order.kind, token, order.text, key=f"shadow-{token}", pure=False, workers=[address],
                allow_other_workers=False, resources={"slot": 1}, retries=0,
            )  # fmt: skip
            sent.future = future
            future.add_done_callback(lambda done: self._came(token, done))
        except Exception as error:
            self._end(token, None, str(error))
        return token

    def _came(self, token: str, future: Any) -> None:
        try:
            text = future.result(timeout=30)
            if not isinstance(text, str) or len(text) > LONGEST:
                raise ValueError("an answer that cannot be read")
            values = json.loads(text)
        except BaseException as error:  # the engine's own errors are of many kinds
            self._end(token, None, f"{type(error).__name__}: {error}"[:300])
            return
        if not isinstance(values, dict) or "failed" in values:
            self._end(token, None, str(values.get("failed") if isinstance(values, dict) else "no answer")[:500])
        else:
            self._end(token, values, "")

    def _end(self, token: str, values: dict[str, Any] | None, why: str) -> None:
        with self._lock:
            sent = self._sent.pop(token, None)
            if sent is None:
                return
            if values is not None:
                self._measure((sent.helper, sent.order.kind), sent.order.weight, time.monotonic() - sent.begun)
        if why:
            log.warning("helper %s, %s of %s: %s", sent.helper, sent.order.kind, sent.order.about, why)
        else:
            log.info("helper %s made %s of %s", sent.helper, sent.order.kind, sent.order.about.name)
        sent.ended(values, why)
        self._changed()

    def measured_here(self, kind: str, weight: float, seconds: float) -> None:
        """A job of that kind was done on this machine."""
        with self._lock:
            self._measure((HERE, kind), weight, seconds)

    def _measure(self, key: tuple[str, str], weight: float, seconds: float) -> None:
        pace, before = weight / max(0.001, seconds), self._pace.get(key)
        self._pace[key] = pace if before is None else before + _SMOOTH * (pace - before)

    def pace(self, kind: str, helper: str = HERE) -> float:
        """Pixels of originals per second in one job of a kind; of a helper that did none yet as here, 0 where that is
        not known either."""
        return self._pace.get((helper, kind)) or self._pace.get((HERE, kind), 0.0)

    def take_back(self, token: str) -> None:
        """The answer to an order is not wanted any more; ``ended`` is not called."""
        with self._lock:
            sent = self._sent.pop(token, None)
        if sent is not None:
            self._say(sent.helper, "cancel", {"token": token}, lambda answer: None)
            self._forget(sent)

    def stand(self, token: str, on: bool) -> None:
        """Have an order stand still where it is, or go on."""
        with self._lock:
            sent = self._sent.get(token)
        if sent is not None:
            self._say(sent.helper, "stand", {"token": token, "on": on}, lambda answer: None)

    def _forget(self, sent: _Sent) -> None:
        """Have the engine forget it too; nobody waits for that."""
        client = self._client
        if client is None or sent.future is None:
            return

        def forget() -> None:
            try:
                client.cancel([sent.future], force=True)
            except Exception:  # the engine may be gone: then it has forgotten all the same
                log.info("an order is not forgotten", exc_info=True)

        threading.Thread(target=forget, name="helper's job forgotten", daemon=True).start()

    def _say(self, helper: str, what: str, values: dict[str, Any], then: Callable[[Any], None]) -> None:
        """Say something to a helper without waiting; ``then`` hears its answer, None where there is none."""
        with self._lock:
            client, address = self._client, self._address.get(helper)
        if client is None or address is None:
            then(None)
            return

        with self._lock:
            self._saying += 1

        async def ask() -> None:
            answer = None
            try:
                message = {"op": "shadow", "what": what, "values": values}
                answers = await client.scheduler.broadcast(msg=message, workers=[address], on_error="return")
                answer = answers.get(address)
            except Exception as error:
                log.info("helper %s, %s: %s", helper, what, error)
            finally:
                with self._lock:
                    self._saying -= 1
            threading.Thread(target=then, args=(answer,), name="helper's answer", daemon=True).start()

        client.loop.add_callback(ask)

    # The thread of the link

    def _run(self) -> None:
        while not self._stopped.is_set():
            try:
                if self._client is None:
                    self._connect()
                self._look()
                self.problem = ""
            except ShadowError as error:
                self.problem = sentence(error)
                log.warning("helpers: %s", error)
                self._drop()
            except Exception as error:
                self.problem = f"The scheduler does not answer ({type(error).__name__})."
                log.info("helpers", exc_info=True)
                self._drop()
            self._stopped.wait(self._every)
        end = time.monotonic() + _LAST_WORDS
        while self._saying and time.monotonic() < end:  # what was taken back is told to those that do it
            time.sleep(0.02)
        self._drop()
        if self._loop is not None:
            self._loop.stop()

    def _connect(self) -> None:
        if not self._suite.members():
            return
        security = confine(self._suite.credentials(), scheduler_folder() / "client", _only_the_asker, strict=False)
        from distributed import Client
        from distributed.utils import LoopRunner

        start_scheduler()
        if self._loop is None:  # one for all tries: the engine leaves its thread behind where it cannot connect
            self._loop = LoopRunner()
            self._loop.start()
        client = Client(
            f"tls://127.0.0.1:{self._suite.port()}", security=security, set_as_default=False, timeout=_CONNECT,
            heartbeat_interval="2s", name="agile-shadow", loop=self._loop.loop,
        )  # fmt: skip
        client.subscribe_topic("shadow", self._told)
        with self._lock:
            self._client = client

    def _told(self, event: Any) -> None:
        """Progress of a job, from a helper."""
        try:
            _when, message = event
            token, part = str(message["token"]), float(message["part"])
        except (TypeError, ValueError, KeyError):
            return
        with self._lock:
            sent = self._sent.get(token)
        if sent is not None and 0 <= part <= 1:
            sent.told(part)

    def _look(self) -> None:
        client = self._client
        if client is None:
            return
        told = client.sync(client.scheduler.identity, n_workers=-1, callback_timeout=_CONNECT)
        now, invited = time.time(), self._suite.members()
        seen: dict[str, Helper] = {}
        address: dict[str, str] = {}
        for where, values in told.get("workers", {}).items():
            helper = helper_of(values, now)
            if helper is not None:
                seen[helper.id], address[helper.id] = helper, where
        with self._lock:
            gone = {one for one, before in self._address.items() if address.get(one) != before}
            self._members, self._seen, self._address = invited, seen, address
            silent = {one.id for one in seen.values() if one.state == "away"} | gone
            self._asked = {key: one for key, one in self._asked.items() if key[0] not in silent}
            members = {one.id for one in invited}
            lost = [token for token, one in self._sent.items()
                    if one.helper in silent or one.helper not in seen or one.helper not in members]  # fmt: skip
        for token in lost:
            self._lose(token)
        self._ask_for_shelves()
        self._changed()

    def _lose(self, token: str) -> None:
        with self._lock:
            sent = self._sent.get(token)
        if sent is not None:
            self._say(sent.helper, "cancel", {"token": token}, lambda answer: None)  # should it hear that
            self._end(token, None, "it is not heard any more")
            self._forget(sent)

    def _ask_for_shelves(self) -> None:
        now = time.monotonic()
        for helper in self._ready():
            for shelf in tuple(self._wanted.values()):
                key = helper.id, shelf.id
                when, sees = self._asked.get(key, (0.0, False))
                due = not when or now - when > (_ASK_AGAIN if sees else _NOT_SEEN)
                if due and key not in self._asking:
                    self._asking.add(key)
                    threading.Thread(target=self._ask, args=(key, shelf), name="helper's shelf", daemon=True).start()

    def _ask(self, key: tuple[str, str], shelf: Shelf) -> None:
        """Whether a helper sees a shelf: it reads there what this machine knows."""
        sees, done = False, threading.Event()
        answers: list[Any] = []

        def came(answer: Any) -> None:
            answers.append(answer)
            done.set()

        try:
            with question(shelf) as (asked, right):
                self._say(key[0], "shelf", asked.model_dump(), came)
                done.wait(40.0)
            sees = bool(answers) and isinstance(answers[0], dict) and answers[0].get("answer") == right
            if answers and isinstance(answers[0], dict) and not sees:
                log.info("helper %s, %s: %s", key[0], shelf.name, answers[0].get("why") or "another drive is there")
        except (OSError, ShadowError) as error:
            log.info("%s cannot be asked about: %s", shelf.name, error)
        with self._lock:
            self._asking.discard(key)
            self._asked[key] = time.monotonic(), sees
        self._changed()

    def _changed(self) -> None:
        for call in tuple(self._listeners):
            try:
                call()
            except Exception:
                log.exception("telling of helpers")

    def _drop(self) -> None:
        with self._lock:
            client, self._client = self._client, None
            self._seen, self._address, self._asked = {}, {}, {}
            lost = list(self._sent)
        for token in lost:
            self._end(token, None, "the scheduler is gone")
        if client is not None:
            try:
                client.close(timeout=3)
            except Exception:  # the scheduler may be gone
                log.info("the connection does not end", exc_info=True)

    def end(self) -> None:
        """End it soon, without waiting."""
        self._stopped.set()

    def close(self, limit: float | None = None) -> bool:
        """End it; whether it had ended within ``limit`` seconds."""
        self.end()
        return joined(self._thread, limit)


def _only_the_asker(name: str) -> str:
    return "" if name == ASKER else "it is not this user's scheduler"
