"""Helpers: their pace against local workers, a long queue, what disturbs them, and a plan for many machines.

``./shadow bench helpers [N]``: each disturbance N times at random moments (default 20).
"""

from __future__ import annotations

import gc
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import psutil

from agile_shadow.core.below import Anchor
from agile_shadow.core.helpers.link import Link
from agile_shadow.core.helpers.scheduler import running
from agile_shadow.core.helpers.spread import Spread
from agile_shadow.core.helpers.suite import Suite
from agile_shadow.core.jobs import Executor, WorkerPool
from agile_shadow.core.media import probe
from agile_shadow.core.pairs import FileRef, Original
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.project import Clip, ProjectSession, new_project, save_project
from agile_shadow.core.proof.making import make_proven_proxy
from agile_shadow.core.proxies import ProxyRequest
from agile_shadow.core.shelves import Shelf, mark_shelf
from agile_shadow.core.upkeep.making import MakeRequest
from agile_shadow.desktop.starting import folders_for, make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from agile_shadow.stand_ins import draw_card
from hosts import DISTURBANCES, play, why_not
from many_machines import told_plan

Line = tuple[str, float, float, str]
_EACH = 20


def measure_helpers(folder: Path, numbers: list[int]) -> Iterator[Line]:
    """All of it; with 0 nothing is disturbed, and one round of the paces is enough."""
    times = numbers[0] if numbers else _EACH
    yield from _paces(folder, 3 if times else 1)
    yield from _long_queue(folder)
    yield from _in_the_window(folder, 25 if times else 12)
    if times:
        yield from _disturbed(folder, times)
    for line in told_plan():
        print(*line, sep="; ", flush=True)


class _Suite:
    """Two helpers of one processor each on this machine, with profiles of their own, and shelves they see."""

    def __init__(self, folder: Path, helpers: int) -> None:
        self.home = tempfile.mkdtemp(prefix="suite-", dir=folder)
        self._before = os.environ.get("AGILE_SHADOW_HOME", "")
        os.environ["AGILE_SHADOW_HOME"] = self.home
        self.shelves = tuple(
            mark_shelf(Shelf(name, name, role, Path(self.home) / "shelves" / name))
            for name, role in (("Boathouse", "originals"), ("Laptop", "proxies"))
        )
        suite = Suite.of_this_user()
        lines = [suite.invite(f"Helper {number}", ("127.0.0.1",)) for number in range(helpers)]
        self.link = Link(suite)
        self.link.want(self.shelves)
        self.link.start()
        self.processes = [self._join(number, str(line)) for number, line in enumerate(lines)]
        needs = frozenset(shelf.id for shelf in self.shelves)
        while len(self.link.free(needs)) < helpers:
            time.sleep(0.1)

    def _join(self, number: int, line: str) -> subprocess.Popen[bytes]:
        environment = {**os.environ, "AGILE_SHADOW_HOME": f"{self.home}/helper{number}"}
        command = ["taskset", "-c", str(number % (os.cpu_count() or 1)), sys.executable, "-m", "agile_shadow.cli",
                   "helpers", "join", line, "--at-a-time", "1"]  # fmt: skip
        return subprocess.Popen(
            command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
        )

    def spread(self, local: Executor, size: int) -> Spread:
        return Spread(local, WorkerPool(1, 600.0), size, self.link, lambda: self.shelves)

    def close(self) -> None:
        for one in self.processes:
            os.killpg(one.pid, signal.SIGKILL)
            one.wait()
        self.link.close(10)
        scheduler = running()
        if scheduler:
            os.kill(scheduler, signal.SIGKILL)
        os.environ["AGILE_SHADOW_HOME"] = self._before
        shutil.rmtree(self.home, ignore_errors=True)


def _requests(shelves: tuple[Shelf, ...], card: Path, tag: str) -> list[ProxyRequest]:
    """Proxies of every clip on the originals' shelf, twice, under names of their own."""
    originals, proxies = (shelf.root for shelf in shelves)
    if not any(originals.glob("*/")):
        shutil.copytree(card, originals, dirs_exist_ok=True)
    anchor, found = Anchor.of(proxies), []
    for path in sorted(originals.rglob("*")):
        if path.suffix.lower() in (".mov", ".mts") and path.stat().st_size:
            info, settings = probe(path), Proxies(scale=Fraction(1, 2))
            targets = [proxies / tag / f"{path.stem}_{turn}.mov" for turn in range(2)]
            found += [ProxyRequest(path, one, settings, info, anchor=anchor, sign=False) for one in targets]
    return found


def _seconds(executor: Executor, requests: list[ProxyRequest]) -> float:
    begun = time.perf_counter()
    for future in [executor.submit(make_proven_proxy, request) for request in requests]:
        future.result(600)
    return time.perf_counter() - begun


def _paces(folder: Path, rounds: int) -> Iterator[Line]:
    card = folder / "half"
    draw_card(card, shrink=2, seconds=Fraction(4))
    suite = _Suite(folder, 2)
    local = WorkerPool(2)
    try:
        for round_ in range(rounds):
            spread = suite.spread(WorkerPool(1), 0)
            there = _seconds(spread, _requests(suite.shelves, card, f"there{round_}"))
            spread.close(10)
            here = _seconds(local, _requests(suite.shelves, card, f"here{round_}"))
            yield "two helpers of one processor each, pace against two local workers", -here / there, -0.9, ""
    finally:
        local.close(10)
        suite.close()


def _long_queue(folder: Path) -> Iterator[Line]:
    """5,000 jobs: how long handing them over takes, what a thread that ticks every millisecond notices, memory."""
    suite = _Suite(folder, 1)
    local = WorkerPool(1)
    original = suite.shelves[0].root / "A.mov"
    draw_card(folder / "tiny", shrink=8, seconds=Fraction(1))
    shutil.copy2(next((folder / "tiny").rglob("*.MTS")), original)
    info, anchor = probe(original), Anchor.of(suite.shelves[1].root)
    settings = Proxies(codec="mjpeg", scale=Fraction(1, 2))
    spread, stopped, gaps = suite.spread(local, 1), threading.Event(), []

    def tick() -> None:
        last = time.perf_counter()
        while not stopped.is_set():
            time.sleep(0.001)
            now = time.perf_counter()
            gaps.append(now - last)
            last = now

    ticking = threading.Thread(target=tick)
    gc.disable()  # as in the window, which collects by itself in small steps
    try:
        ticking.start()
        begun = time.perf_counter()
        for number in range(5000):
            target = suite.shelves[1].root / f"{number}.mov"
            spread.submit(make_proven_proxy, ProxyRequest(original, target, settings, info, anchor=anchor))
        took = time.perf_counter() - begun
        time.sleep(5)
        scheduler = running()
        memory = psutil.Process(scheduler).memory_info().rss / 1e6 if scheduler else 0.0
        yield "5,000 jobs handed over", took, 5, " s"
        yield "longest that a ticking thread of that process stood", max(gaps) * 1000, 50, " ms"
        yield "memory of the scheduler", memory, 300, " MB"
    finally:
        gc.enable()
        stopped.set()
        ticking.join()
        spread.close(20)
        suite.close()


def _in_the_window(folder: Path, seconds: float) -> Iterator[Line]:
    """5,000 proxies asked for in the real window: the longest that its thread stood, with a helper and without."""
    app = make_app(["bench"])
    for with_helper in (False, True):
        suite = _Suite(folder, int(with_helper))
        path, clips = _many_clips(folder, suite)
        window = MainWindow(
            Work(ProjectSession.open(path)), folders_for(path, False), start_sound=False, measure=False
        )
        window.show()
        gaps, last = [], time.perf_counter()
        settle = time.monotonic() + 5
        preset = Preset(name="Small", proxies=Proxies(codec="mjpeg", scale=Fraction(1, 2)))
        asked = False
        while (now := time.monotonic()) < settle + seconds:
            app.processEvents()
            if now > settle and not asked:
                asked = True
                window.work.asked.make(MakeRequest(clips, preset, suite.shelves[1].root))
                gaps = []
            gaps.append(time.perf_counter() - last)
            last = time.perf_counter()
        done = sum(1 for _one in suite.shelves[1].root.glob("*.mov"))
        window.closing.asks = False
        window.close()
        suite.close()
        name = f"{'one helper' if with_helper else 'no helper'}, {done} proxies made in {seconds:.0f} s of 5,000"
        yield f"window, {name}: longest that its thread stood", max(gaps) * 1000, 50, " ms"
        yield "the same, 99th percentile", sorted(gaps)[int(len(gaps) * 0.99)] * 1000, 10, " ms"


def _many_clips(folder: Path, suite: _Suite) -> tuple[Path, tuple[str, ...]]:
    """A project of 5,000 clips, all of them links to one small recording."""
    project = new_project("Many")
    footage = project.footage
    for shelf in suite.shelves:
        footage, _shelf = footage.with_shelf(shelf.name, shelf.role, shelf.root)
    ids = {one.root: one.id for one in footage.shelves}
    suite.shelves = tuple(mark_shelf(replace(one, id=ids[one.root])) for one in suite.shelves)
    original = suite.shelves[0].root / "A0000.mov"
    shutil.copy2(next((folder / "tiny").rglob("*.MTS")), original)
    info, clips = probe(original), []
    for number in range(5000):
        place = suite.shelves[0].root / f"A{number:04d}.mov"
        if number:
            os.link(original, place)
        state = Original(FileRef(suite.shelves[0].id, place.name), info, info.size, original.stat().st_mtime_ns)
        clips.append(Clip(f"c{number}", place.stem, state, ()))
    path = Path(suite.home) / "many.otio"
    save_project(project.but(shelves=footage.shelves, clips=tuple(clips)), path)
    return path, tuple(one.id for one in clips)


def _disturbed(folder: Path, times: int) -> Iterator[Line]:
    why = why_not()
    if why:
        print(f"disturbances: {why}", flush=True)
        return
    card = folder / "hosts card"
    draw_card(card, shrink=2, seconds=Fraction(4))
    for kind in DISTURBANCES:
        good = in_time = helped = 0
        for number in range(1, (times if kind != "nothing" else min(times, 3)) + 1):
            found = play(kind, folder / "hosts", card, number)
            well = not found["differ"] and found["same_report"] and not found["left"]
            good, in_time, helped = good + well, in_time + found["in_time"], helped + found["helped"]
            if not well:
                print(found, flush=True)
        what = f"{number} times {kind} ({in_time} while it went on; {helped} proxies by helpers)"
        yield f"{what}: not the same files and report as without helpers", number - good, 0, ""
