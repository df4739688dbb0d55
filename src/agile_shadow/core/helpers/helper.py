"""A helper's process: it works for the machine that invited it, until it is ended.

Imports inside functions: the engine is an extra, and imported when helpers are used.
"""

from __future__ import annotations

import asyncio
import json
import logging
import os
import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..below import Anchor
from ..errors import Cancelled, ShadowError, sentence
from ..jobs import WorkerPool
from ..log import state_folder
from ..shelves import Shelf
from .certificates import ASKER
from .confined import confine, import_engine
from .kinds import KINDS
from .line import JoinLine
from .scheduler import no_pages
from .seeing import find_shelf
from .table import serve
from .version import own_version

log = logging.getLogger("agile_shadow.helpers.helper")
_AGAIN = (1.0, 2.0, 5.0, 10.0)  # seconds between tries to connect
_REMEMBERED = 1000  # temporary files
_KNOCK = 5.0  # seconds for a connection
_TELLS_AT = 1  # tries to connect, all in vain, after which that is told once
_TELL = 0.5  # seconds between two reports of progress
_LOOKING = 30.0  # seconds for finding a shelf
_SILENT = 15.0  # seconds without an answer of the scheduler, after which its work is given up
Tell = Callable[[str], None]


@dataclass
class _Job:
    future: Future[Any]
    title: str
    part: float = 0.0
    told: float = 0.0


@dataclass
class Bench:
    """The work of a helper: jobs in worker processes, shelves that were found. Any thread may call any method."""

    slots: int
    by_hand: Mapping[str, Path] = field(default_factory=dict)
    tell: Callable[[str, float], None] = lambda token, part: None

    def __post_init__(self) -> None:
        self._pool = WorkerPool(self.slots, 600.0)
        self._shelves: dict[str, tuple[Shelf, Anchor]] = {}
        self._jobs: dict[str, _Job] = {}
        self._refused: set[str] = set()  # taken back before they began
        self._made: deque[Path] = deque(maxlen=_REMEMBERED)  # temporary files that whoever asked may have named by now
        self._round = 0  # raised when whoever asked is not heard any more
        self._lock = threading.Lock()

    def run(self, token: str, order: dict[str, Any]) -> str:
        """Do an order; its answer as JSON. Called on a thread of the engine."""
        begun, round_ = time.monotonic(), self._round
        try:
            kind = KINDS.get(str(order.get("name")))
            if kind is None:
                raise ShadowError("is nothing that a helper does", str(order.get("name"))[:40], "")
            work = kind.work(order, self._shelves)
            work.check()
            with self._lock:
                if token in self._refused or self._round != round_:
                    raise Cancelled
                job = _Job(self._pool.submit(work.task, work.request, lambda part: self._told(token, part)),
                           work.title)  # fmt: skip
                self._jobs[token] = job
            result = job.future.result()
            left = getattr(result, "path", None)
            if left is not None:
                self._made.append(left)
            work.check()  # it may have been changed while it was read
            if self._round != round_ or token in self._refused:  # nobody hears the answer
                if left is not None:
                    left.unlink(missing_ok=True)
                raise Cancelled
            return kind.answer(result, time.monotonic() - begun)
        except Cancelled:
            return json.dumps({"failed": "taken back", "cancelled": True})
        except Exception as error:
            log.warning("a job failed", exc_info=True)
            return json.dumps({"failed": sentence(error)})
        finally:
            with self._lock:
                self._jobs.pop(token, None)
                self._refused.discard(token)

    def _told(self, token: str, part: float) -> None:
        job, now = self._jobs.get(token), time.monotonic()
        if job is not None and now - job.told >= _TELL:
            job.part, job.told = part, now
            self.tell(token, part)

    def state(self) -> dict[str, Any]:
        """What the list of helpers shows of this one."""
        jobs = list(self._jobs.values())
        shelves = {identity: str(shelf.root) for identity, (shelf, anchor) in tuple(self._shelves.items())
                   if anchor.holds()}  # fmt: skip
        return {"version": own_version(), "slots": self.slots, "cores": os.cpu_count() or 1, "shelves": shelves,
                "doing": [[job.title, round(job.part, 3)] for job in jobs]}  # fmt: skip

    def asked(self, what: str, values: dict[str, Any]) -> dict[str, Any]:
        """A word of the one that asks: find a shelf, take a job back, have jobs stand still or go on."""
        try:
            if what == "shelf":
                return self._find(values)
            if what == "cancel":
                self._cancel(str(values.get("token")))
            elif what == "stand":
                job = self._jobs.get(str(values.get("token")))
                if job is not None:
                    self._pool.hold(job.future, values.get("on") is True)
            else:
                return {"why": "is nothing that a helper does"}
            return {}
        except Exception as error:
            log.info("%s: %s", what, error)
            return {"why": sentence(error)[:500]}

    def _find(self, values: dict[str, Any]) -> dict[str, Any]:
        shelf, anchor, answer = find_shelf(values, self.by_hand)
        self._shelves = {**self._shelves, shelf.id: (shelf, anchor)}
        return {"root": str(shelf.root), "answer": answer}

    def _cancel(self, token: str) -> None:
        with self._lock:
            job = self._jobs.get(token)
            self._refused.add(token)  # also where it ends at this very moment
            if job is None:
                return
        self._pool.hold(job.future, False)
        self._pool.cancel(job.future)

    def give_up(self) -> None:
        """Give up all work, for whoever asked for it is not heard any more, and remove what was made and not named: an
        answer may have been lost on its way."""
        with self._lock:
            self._round += 1
        self._pool.cancel_all()
        while self._made:
            with suppress(OSError):
                self._made.popleft().unlink(missing_ok=True)

    def close(self) -> None:
        """End all worker processes."""
        self._pool.close(10.0)


@dataclass(frozen=True)
class JoinedPlace:
    """What a helper was told when it joined: the line, folders of shelves by hand, how many jobs at a time."""

    line: JoinLine
    by_hand: Mapping[str, Path] = field(default_factory=dict)
    slots: int = 0

    @property
    def at_a_time(self) -> int:
        """One job keeps two processors busy, about."""
        return self.slots or max(1, (os.cpu_count() or 1) // 2)


class Helping:
    """Connects, works, and connects again, until :meth:`stop`. :meth:`run` takes the calling thread."""

    def __init__(self, place: JoinedPlace, say: Tell = lambda text: None) -> None:
        import_engine()
        self._place = place
        self._say = say
        self._stopped: asyncio.Event | None = None
        self._loop: asyncio.AbstractEventLoop | None = None

    def run(self) -> None:
        """Until it is stopped. Raises ShadowError where the engine is missing."""
        asyncio.run(self._run())

    def stop(self) -> None:
        """From any thread."""
        if self._loop is not None and self._stopped is not None:
            self._loop.call_soon_threadsafe(self._stopped.set)

    async def _run(self) -> None:
        self._loop, self._stopped = asyncio.get_running_loop(), asyncio.Event()
        line = self._place.line
        security = confine(line.credentials, _folder(line), _only_the_asker, strict=False)
        bench = Bench(self._place.at_a_time, self._place.by_hand)
        serve(bench.run)
        tries = 0
        try:
            while not self._stopped.is_set():
                for address in line.addresses:
                    if await self._work(security, bench, f"tls://{address}:{line.port}"):
                        tries = 0
                if tries == _TELLS_AT:
                    where = " or ".join(line.addresses)
                    self._say(f"No answer from {where}, port {line.port}. It may be off or not reachable, or have sent "
                              "this helper away. Trying on.")  # fmt: skip
                pause = _AGAIN[min(tries, len(_AGAIN) - 1)]
                tries += 1
                try:
                    await asyncio.wait_for(self._stopped.wait(), pause)
                except TimeoutError:
                    continue
        finally:
            bench.give_up()
            await asyncio.to_thread(bench.close)

    async def _work(self, security: Any, bench: Bench, address: str) -> bool:
        """Work for as long as the connection holds; whether there was one."""
        assert self._stopped is not None
        if self._stopped.is_set() or not await _listens(address):
            return False
        worker = None
        try:
            worker = _worker(address, security, bench, self._place)
            await asyncio.wait_for(worker.start(), 20.0)
        except Exception as error:  # nobody listens there, or this drive is full: another try may do better
            log.info("%s: %s", address, error)
            if worker is not None:
                await _closed(worker)
            return False
        self._say(f"Helping {address.removeprefix('tls://')}.")
        stopped, finished = (asyncio.create_task(one) for one in (self._stopped.wait(), worker.finished()))
        silence = asyncio.create_task(_silence(worker))
        await asyncio.wait((stopped, finished, silence), return_when=asyncio.FIRST_COMPLETED)
        await asyncio.to_thread(bench.give_up)
        for task in (stopped, finished, silence):
            task.cancel()
        await _closed(worker)
        if not self._stopped.is_set():
            self._say("The connection was lost; trying again.")
        return True


async def _listens(address: str) -> bool:
    """Whether anybody does: the engine would try for long, and with much ado."""
    host, _colon, port = address.removeprefix("tls://").rpartition(":")
    try:
        _reader, writer = await asyncio.wait_for(asyncio.open_connection(host, int(port)), _KNOCK)
    except (OSError, TimeoutError):
        return False
    writer.close()
    return True


async def _silence(worker: Any) -> None:
    """Ends when the scheduler has not answered a heartbeat for long: the network is gone without a word."""
    while time.monotonic() - worker.answered < _SILENT:
        await asyncio.sleep(1.0)


async def _closed(worker: Any) -> None:
    try:
        await asyncio.wait_for(worker.close(timeout=2, nanny=False, reason="ends"), 8.0)
    except Exception:
        log.info("closing", exc_info=True)


def _worker(address: str, security: Any, bench: Bench, place: JoinedPlace) -> Any:
    from distributed import Worker

    class Confined(Worker):  # type: ignore[misc]
        start_http_server = no_pages
        answered = time.monotonic()

        def _update_latency(self, latency: float) -> None:
            """The scheduler has answered a heartbeat."""
            self.answered = time.monotonic()
            super()._update_latency(latency)

    def tell(token: str, part: float) -> None:
        worker.loop.add_callback(worker.log_event, "shadow", {"token": token, "part": part})

    async def asked(what: str, values: dict[str, Any]) -> dict[str, Any]:
        return await asyncio.wait_for(asyncio.to_thread(bench.asked, what, values), _LOOKING)

    bench.tell = tell
    worker = Confined(
        address, name=place.line.identity, nthreads=bench.slots, security=security, dashboard=False,
        local_directory=str(_folder(place.line)), memory_limit=0, metrics={"shadow": lambda _worker: bench.state()},
        resources={"slot": bench.slots},
    )  # fmt: skip
    worker.handlers["shadow"] = asked
    for name in ("upload_file", "run", "run_coroutine", "plugin-add", "actor_execute", "actor_attribute"):
        worker.handlers.pop(name, None)
    return worker


def _only_the_asker(name: str) -> str:
    return "" if name == ASKER else "it is not the machine that asks"


def _folder(line: JoinLine) -> Path:
    return state_folder() / "helping" / line.identity



