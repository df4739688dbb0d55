"""A plan from 3 to 1,000 machines, reckoned: a queue of proxies, machines that compute, one storage that all read.

The model, event by event: a job is a clip; it reads its original from the storage while it computes, evenly. Alone it
takes ``compute`` seconds on a machine of pace 1. All jobs that run share the storage's bandwidth; one that gets less
than it would read goes as much slower (fluid flow: between two events every job has a steady pace). Machines take the
longest job that waits, the fastest machine first; an idle one begins a job of the slowest again at the end, as the
program does.
"""

from __future__ import annotations

import heapq
import math
import random
from collections.abc import Iterator
from dataclasses import dataclass

_GIGABYTE = 1e9


@dataclass(frozen=True)
class Storage:
    """``bandwidth`` in bytes a second that all readers share."""

    name: str
    bandwidth: float


@dataclass(frozen=True)
class Work:
    """``clips`` jobs: seconds of computing, lognormal around ``compute`` with ``spread``; each reads ``rate`` bytes in
    a second of computing at full pace."""

    clips: int = 6000
    compute: float = 60.0
    spread: float = 0.8
    rate: float = 15e6


STORAGES = (
    Storage("one disk over a gigabit", 0.11 * _GIGABYTE),
    Storage("ten gigabits", 1.1 * _GIGABYTE),
    Storage("a hundred gigabits", 11 * _GIGABYTE),
)
MACHINES = (3, 10, 30, 100, 300, 1000)


@dataclass(order=True)
class _Running:
    """A job on a machine; ``left`` in seconds of computing at pace 1. With all paces cut alike, it ends in the order of
    ``ends``, a clock that goes as fast as the storage lets it."""

    ends: float
    number: int
    pace: float
    seconds: float


def hours(machines: int, storage: Storage, work: Work, seed: int = 0, slots: int = 1) -> tuple[float, float]:
    """(hours until the last proxy is there, part of the time that the storage was what held everybody up)."""
    chance = random.Random(seed)
    jobs = sorted(chance.lognormvariate(math.log(work.compute), work.spread) for _clip in range(work.clips))
    idle = [(-chance.uniform(0.6, 1.4), number) for number in range(machines * slots)]  # the fastest first
    heapq.heapify(idle)
    running: list[_Running] = []
    clock, now, held = 0.0, 0.0, 0.0  # the clock of the work, seconds, seconds at the storage's limit
    number, demand = 0, 0.0
    while jobs or running:
        while jobs and idle:
            pace = -heapq.heappop(idle)[0]
            seconds = jobs.pop()
            heapq.heappush(running, _Running(clock + seconds / pace, number, pace, seconds))
            number, demand = number + 1, demand + work.rate * pace
        slower = min(1.0, storage.bandwidth / demand)
        first = heapq.heappop(running)
        step = (first.ends - clock) / slower
        now, clock, held = now + step, first.ends, held + (step if slower < 1 else 0.0)
        demand -= work.rate * first.pace
        heapq.heappush(idle, (-first.pace, first.number))
        if not jobs:
            _help_the_slowest(running, -idle[0][0], clock)
    return now / 3600, held / now


def _help_the_slowest(running: list[_Running], pace: float, clock: float) -> None:
    """At the end: an idle machine does the job that would be ready last, where it is clearly sooner there."""
    if not running:
        return
    last = max(running)
    whole = last.seconds / pace
    if whole < 0.7 * (last.ends - clock):
        running.remove(last)
        heapq.heapify(running)
        heapq.heappush(running, _Running(clock + whole, last.number, last.pace, last.seconds))


def told_plan() -> Iterator[tuple[str, str, str]]:
    """A line for each number of machines and each storage."""
    work = Work()
    alone = hours(1, STORAGES[-1], work)[0]
    for storage in STORAGES:
        for machines in MACHINES:
            took, held = hours(machines, storage, work)
            name = f"plan: {machines} machines, {storage.name}"
            yield name, f"{took:.2f} h, {alone / took:.0f} times one machine", f"{held:.0%} held up by the storage"
