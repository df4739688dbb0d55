import os
import signal
import threading
from pathlib import Path
from typing import Any

import psutil
import pytest

from agile_shadow.core.errors import Cancelled, CopyError, WorkerDied
from agile_shadow.core.jobs import JobStore, Report, WorkerPool


def double(request: int, report: Report) -> int:
    report(0.5)
    return request * 2


def fail(request: str, report: Report) -> Any:
    raise CopyError(request, "/card/x.mov", "Retry.")


def die(request: Any, report: Report) -> Any:
    os.kill(os.getpid(), signal.SIGKILL)


def until_cancelled(request: str, report: Report) -> Any:
    Path(request).write_text("running")
    while True:
        report(0.1)
        threading.Event().wait(0.01)


def test_a_worker_that_dies_takes_only_its_task() -> None:
    with WorkerPool(1) as pool:
        futures = [pool.submit(task, 4) for task in (double, die, double)]
        assert futures[0].result(30) == 8
        with pytest.raises(WorkerDied):
            futures[1].result(30)
        assert futures[2].result(30) == 8


def test_errors_come_out_whole_and_progress_comes_through() -> None:
    seen: list[float] = []
    with WorkerPool(2) as pool:
        with pytest.raises(CopyError, match=r"/card/x.mov: broke. Retry."):
            pool.submit(fail, "broke").result(30)
        assert pool.submit(double, 1, seen.append).result(30) == 2
    assert seen == [0.0, 0.5]


def test_a_cancelled_task_ends_and_its_worker_serves_on(tmp_path: Path) -> None:
    with WorkerPool(1) as pool:
        running = pool.submit(until_cancelled, str(tmp_path / "flag"), lambda done: pool.cancel(running))
        with pytest.raises(Cancelled):
            running.result(30)
        assert pool.submit(double, 3).result(30) == 6


def test_a_paused_worker_stands_still_and_is_ended_all_the_same(tmp_path: Path) -> None:
    pool = WorkerPool(1)
    began = threading.Event()
    running = pool.submit(until_cancelled, str(tmp_path / "flag"), lambda done: began.set())
    assert began.wait(30)
    (number,) = pool.process_ids
    pool.pause()
    _until_state(number, psutil.STATUS_STOPPED)
    pool.resume()
    began.clear()
    assert began.wait(30)
    pool.pause()
    pool.close()
    with pytest.raises(Cancelled):
        running.result(0)
    assert not psutil.pid_exists(number)


def _until_state(number: int, wanted: str) -> None:
    while psutil.Process(number).status() != wanted:
        threading.Event().wait(0.01)


def test_open_jobs_are_remembered_until_they_end(tmp_path: Path) -> None:
    project = tmp_path / "p.otio"
    number = JobStore().begin("ingest", project, {"source": "/card"})
    assert JobStore().begin("ingest", project, {"source": "/card"}) == number
    assert [job.request for job in JobStore().open_jobs(project)] == [{"source": "/card"}]
    JobStore().end(number, "done", {})
    assert JobStore().open_jobs(project) == []
