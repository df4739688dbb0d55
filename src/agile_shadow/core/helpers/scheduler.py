"""The scheduler's process on the machine that asks: it listens for helpers with certificates, and for nobody else.

Imports inside functions: the engine is an extra, and imported when helpers are used.
"""

from __future__ import annotations

import asyncio
import fcntl
import logging
import os
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from types import SimpleNamespace
from typing import IO, Any

from ..errors import ShadowError
from ..log import set_up_logging
from .certificates import ASKER, helper_of
from .confined import confine
from .suite import Suite, scheduler_folder

log = logging.getLogger("agile_shadow.helpers.scheduler")
_LOOK = 1.0  # seconds between two looks at who was sent away
_CONNECT = 10.0  # seconds
_ALONE = 3  # looks without any helper that was invited, after which it ends
NICENESS = 5  # of this process, and of a helper's: whoever works at the machine goes first


class Doors:
    """Who may come in, as the suite's file has it now."""

    def __init__(self, suite: Suite) -> None:
        self._suite = suite
        self._known: tuple[int, frozenset[str]] = (0, frozenset())

    def refuses(self, name: str) -> str:
        """Why the holder of a certificate is not spoken with; "" where it is."""
        if name == ASKER:
            return ""
        identity = helper_of(name)
        if identity is None:
            return "no certificate of the suite"
        return "" if identity in self.members() else "it was sent away"

    def members(self) -> frozenset[str]:
        """Identities of the helpers that may come; nobody where that cannot be read."""
        try:
            changed = self._suite.path.stat().st_mtime_ns
            if changed != self._known[0]:
                self._known = changed, frozenset(one.id for one in self._suite.members())
        except (OSError, ShadowError):
            log.warning("the list of helpers cannot be read: nobody is let in", exc_info=True)
            self._known = 0, frozenset()
        return self._known[1]


def no_pages(node: Any, *_arguments: Any, **_named: Any) -> None:
    """The engine's web pages: none, nothing listens for them."""
    node.http_application = SimpleNamespace(applications=[])
    node.http_server = SimpleNamespace(stop=lambda: None)


async def _serve(suite: Suite) -> None:
    doors = Doors(suite)
    security = confine(suite.credentials(), scheduler_folder() / "scheduler", doors.refuses, strict=True)
    from distributed import Scheduler
    from distributed.spans import SpansSchedulerExtension

    class Confined(Scheduler):  # type: ignore[misc]
        start_http_server = no_pages

    async with Confined(
        host="0.0.0.0", port=suite.port(), protocol="tls", security=security, dashboard=False,
        extensions={"spans": SpansSchedulerExtension},  # the only one that every worker speaks to
    ) as scheduler:
        log.info("listening at port %d", suite.port())
        alone = 0
        while alone < _ALONE and scheduler.status.name == "running":
            await asyncio.sleep(_LOOK)
            members = doors.members()
            alone = 0 if members else alone + 1
            for address, worker in list(scheduler.workers.items()):
                if worker.name not in members:
                    await scheduler.remove_worker(address, stimulus_id="sent away", close=True)


def main() -> None:
    """One for a user; another that is started ends at once."""
    set_up_logging()
    os.nice(NICENESS)
    suite = Suite.of_this_user()
    folder = scheduler_folder()
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    with (folder / "scheduler.lock").open("a") as lock:
        if not _locked(lock):
            return
        pid = folder / "scheduler.pid"
        pid.write_text(f"{os.getpid()}\n")
        try:
            asyncio.run(_serve(suite))
        except KeyboardInterrupt:
            pass
        except Exception:
            log.exception("the scheduler ended")
            sys.exit(1)
        finally:
            with suppress(OSError):
                pid.unlink()


def _locked(lock: IO[str]) -> bool:
    """Whether the lock was had; somebody who only looks whether one runs holds it for a moment."""
    for _try in range(20):
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
        except OSError:
            time.sleep(0.05)
    return False


def running() -> int | None:
    """The process number of this user's scheduler; None where none runs."""
    folder = scheduler_folder()
    try:
        with (folder / "scheduler.lock").open("a") as lock:
            fcntl.flock(lock, fcntl.LOCK_SH | fcntl.LOCK_NB)
            return None
    except FileNotFoundError:
        return None
    except OSError:
        with suppress(OSError, ValueError):
            return int((folder / "scheduler.pid").read_text())
        return 0


def command() -> list[str]:
    """How its process is started."""
    return [sys.executable, "-m", "agile_shadow.core.helpers.scheduler"]


def log_path() -> Path:
    """Where what its libraries print goes."""
    return scheduler_folder() / "scheduler.log"


def start_scheduler(patience: float = _CONNECT) -> None:
    """Have this user's scheduler run, apart from this process. Raises ShadowError when it does not come up."""
    if running() is not None:
        return
    scheduler_folder().mkdir(parents=True, exist_ok=True, mode=0o700)
    with log_path().open("w") as out:
        process = subprocess.Popen(
            command(), stdin=subprocess.DEVNULL, stdout=out, stderr=subprocess.STDOUT, start_new_session=True
        )
    end = time.monotonic() + patience
    while time.monotonic() < end and process.poll() is None:
        if running():
            return
        time.sleep(0.05)
    raise ShadowError("the scheduler did not start", log_path(), "See that file.")


if __name__ == "__main__":
    main()
