"""Pairs proved in the background: as many at once as the executor says, each kept with its own pair."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import pytest

from agile_shadow.core.errors import Cancelled
from agile_shadow.core.pairs import Proof
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.upkeep.proving import Prover


class Several:
    """An executor for ``at_once`` tasks, which end backwards, once so many were handed over."""

    def __init__(self, at_once: int, ends: bool = True) -> None:
        self.at_once, self._ends = at_once, ends
        self.handed = threading.Semaphore(0)
        self._open: list[tuple[Future[Any], Any]] = []
        self.most = 0

    def submit(self, _task: Any, request: Any, *_rest: Any) -> Future[Any]:
        future: Future[Any] = Future()
        self._open.append((future, request))
        self.most = max(self.most, len(self._open))
        self.handed.release()
        if self._ends and (len(self._open) >= self.at_once or self.at_once == 1):
            self.end(lambda one: Proof("proven", stamp_of(one), likeness=0.9))
        return future

    def end(self, answer: Callable[[Any], Proof]) -> None:
        while self._open:
            future, request = self._open.pop()
            if not future.done():
                future.set_result(answer(request))

    def cancel(self, future: Future[Any]) -> None:
        if not future.done():
            future.set_exception(Cancelled())


def stamp_of(request: Any) -> Any:
    from agile_shadow.core.proof.prover import stamp_of

    return stamp_of(request)


@pytest.fixture
def session(filmed: Path, tmp_path: Path) -> Any:
    """A project with eight pairs and more that are not proved."""
    project = tmp_path / "film.otio"
    shutil.copy2(filmed, project)
    session = ProjectSession.open(project)
    yield session
    session.close()


@pytest.mark.parametrize("at_once", [1, 2, 4])
def test_as_many_are_handed_over_at_once_as_the_executor_says(session: ProjectSession, at_once: int) -> None:
    executor, ended = Several(at_once), threading.Event()
    prover = Prover(session, executor)  # type: ignore[arg-type]
    prover.changed.connect(lambda: ended.set() if not prover.total else None)
    prover.look([clip.id for clip in session.project.clips if clip.proxies][:8])
    assert ended.wait(30)
    assert prover.close(10) and executor.most == at_once
    proxies = [clip.proxies[0] for clip in session.project.clips if clip.proxies][:8]
    assert len(proxies) == 8 and not prover.problems
    for one in proxies:
        assert one.proof is not None and one.proof.stamp.proxy_size == one.size, "the proof is that of its own file"


def test_closing_takes_back_all_that_were_handed_over(session: ProjectSession) -> None:
    executor = Several(3, ends=False)
    prover = Prover(session, executor)  # type: ignore[arg-type]
    prover.look([clip.id for clip in session.project.clips])
    for _one in range(3):
        assert executor.handed.acquire(timeout=20)
    assert prover.close(10)
    assert all(isinstance(future.exception(0), Cancelled) for future, _request in executor._open)
