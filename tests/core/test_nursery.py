"""Where workers come from: each is as if begun afresh, none outlives the program, and whoever ends the nursery ends no
work that comes later."""

from __future__ import annotations

import importlib.util
import os
import random
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import psutil
import pytest

from agile_shadow.commands.table import COMMANDS, WORK
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.jobs import WorkerPool
from agile_shadow.core.jobs.nursery import NURSERY, Grown
from tests.until import until

Report = Callable[[float], None]


def surroundings(name: str, _report: Report) -> tuple[str, str, str, float, str]:
    """What a worker sees of its surroundings, and what it takes for random."""
    return (
        os.environ.get(name, ""), os.getcwd(), os.environ.get("AGILE_SHADOW_HOME", ""), random.random(),
        Path(tempfile.mktemp()).name,
    )  # fmt: skip


def answer_of_a_command(status: int, _report: Report) -> int:
    """What a worker hears of a process of its own."""
    return subprocess.run([sys.executable, "-c", f"raise SystemExit({status})"], check=False).returncode


def grown(module: str = __name__) -> tuple[Grown, Connection[Any, Any]]:
    """A worker with our end of its pipe."""
    mine, theirs = Pipe()
    with theirs:
        return NURSERY.worker(theirs, module), mine


def ask(pipe: Connection[Any, Any], request: Any = "") -> Any:
    pipe.send((surroundings, request))
    kind, value = pipe.recv()
    while kind in ("begun", "progress"):
        kind, value = pipe.recv()
    return value


def test_a_worker_sees_the_program_as_it_is_now_and_has_its_own_chance(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, pipe = grown()  # the nursery is there from now on
    before = ask(pipe, "A_WORD")
    monkeypatch.setenv("A_WORD", "said since")
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(tmp_path / "profile"))
    monkeypatch.chdir(tmp_path)
    second, other = grown()
    after = ask(other, "A_WORD")
    assert before[0] == "" and after[:3] == ("said since", str(tmp_path), str(tmp_path / "profile"))
    assert before[3] != after[3] and before[4] != after[4]  # no two workers draw the same numbers or names
    for one in (first, second):
        one.end()
        assert not one.alive and not psutil.pid_exists(one.pid)
        one.send(signal.SIGSTOP)  # reaches nobody, whoever has the number now


def test_a_worker_is_begun_though_the_programs_folder_is_gone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "gone").mkdir()
    monkeypatch.chdir(tmp_path / "gone")
    (tmp_path / "gone").rmdir()
    with WorkerPool(1) as pool:
        assert pool.submit(answer_of_a_command, 5).result(60) == 5


def test_the_end_of_its_pipe_ends_a_worker_whoever_was_begun_after_it() -> None:
    first, pipe = grown()
    second, other = grown()
    pipe.close()
    until(lambda: not first.alive)
    assert second.alive and ask(other)
    other.close()
    until(lambda: not second.alive)


def test_many_threads_get_a_worker_each() -> None:
    with ThreadPoolExecutor(8) as threads:
        workers = list(threads.map(lambda _n: grown(), range(8)))
    assert len({worker.pid for worker, _pipe in workers}) == 8
    assert len({ask(pipe)[3] for _worker, pipe in workers}) == 8
    for worker, _pipe in workers:
        worker.end()


def test_a_nursery_that_was_ended_is_begun_anew_and_its_workers_go_on() -> None:
    worker, pipe = grown()
    assert ask(pipe) and NURSERY._process is not None
    assert psutil.Process(worker.pid).ppid() == os.getpid()  # a child of the program, which it ends with
    NURSERY._process.kill()
    NURSERY._process.wait()
    assert ask(pipe) and worker.alive
    worker.end()
    with WorkerPool(1) as pool:
        assert pool.submit(answer_of_a_command, 7).result(60) == 7  # and it hears of its own processes


def test_what_cannot_be_loaded_is_the_tasks_failure_alone() -> None:
    worker, pipe = grown("no.such.module")
    assert ask(pipe)
    worker.end()
    with WorkerPool(1) as pool:
        with pytest.raises((ShadowError, AttributeError, TypeError)):
            pool.submit(len, 3).result(60)  # a task of no module of ours that fails
        assert pool.submit(answer_of_a_command, 3).result(60) == 3


_PROGRAM = """
import sys, time
from agile_shadow.core.jobs import WorkerPool
from agile_shadow.core.jobs.nursery import NURSERY
from tests.core.test_lasting import slow
from tests.until import until
pool = WorkerPool(2)
for _ in range(2):
    pool.submit(slow, 60.0)
while len(pool.process_ids) < 2:
    time.sleep(0.01)
print(NURSERY._process.pid, *pool.process_ids, flush=True)
{then}
"""


@pytest.mark.parametrize("ends", ["killed", "by itself", "by an exception"])
def test_nobody_outlives_the_program(ends: str) -> None:
    then = {"killed": "time.sleep(60)", "by itself": "", "by an exception": "raise ValueError"}[ends]
    program = subprocess.Popen(
        [sys.executable, "-c", _PROGRAM.format(then=then)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    assert program.stdout is not None
    numbers = [int(word) for word in program.stdout.readline().split()]
    assert len(numbers) == 3
    if ends == "killed":
        program.kill()
    until(lambda: not any(_runs(number) for number in numbers))
    program.wait(30)
    program.stdout.close()


def _runs(number: int) -> bool:
    try:
        return psutil.Process(number).status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


def loaded(module: str, _report: Report) -> bool:
    """Whether a worker has a module before it asked for it."""
    return module in sys.modules


def test_what_is_prepared_is_there_in_the_next_worker_and_nothing_waits_for_it() -> None:
    NURSERY.close()
    worker, pipe = grown()
    pipe.send((loaded, "agile_shadow.core.ingest.settling"))
    assert (pipe.recv()[0], pipe.recv()) == ("begun", ("done", False))
    worker.end()
    NURSERY.prepare("no.such.module")
    NURSERY.prepare("agile_shadow.core.ingest.settling")
    worker, pipe = grown()
    pipe.send((loaded, "agile_shadow.core.ingest.settling"))
    assert (pipe.recv()[0], pipe.recv()) == ("begun", ("done", True))
    worker.end()


def test_what_is_loaded_for_workers_of_a_command_exists() -> None:
    assert set(WORK) <= set(COMMANDS)
    assert all(importlib.util.find_spec(module) is not None for module in WORK.values())
