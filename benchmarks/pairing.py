"""Pairing and proof on drawn sets, and how fast both are: ``./shadow bench pairing [SEED ...]`` and ``proof [N]``."""

from __future__ import annotations

import random
import tempfile
import time
import tracemalloc
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

from agile_shadow.core.ingest import IngestRequest, IngestRun
from agile_shadow.core.jobs import JobStore, WorkerPool
from agile_shadow.core.matching.assignment import Matching
from agile_shadow.core.matching.evidence import Traits
from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.pairs.half import Half
from agile_shadow.core.presets import Originals, Preset
from agile_shadow.core.project import ProjectSession
from agile_shadow.core.proof.prover import ProveRequest, prove
from agile_shadow.core.time import timecode_at
from agile_shadow.core.upkeep.search import Search
from agile_shadow.stand_ins.elsewhere import (
    Derived,
    DrawnClip,
    Elsewhere,
    plan,
    write_all,
    write_original,
    write_proxy,
)


def pairing(seeds: list[int], clips: int = 200, root: Path | None = None) -> None:
    """Draw sets, pair them, and hold what was found against the truth."""
    for seed in seeds:
        with tempfile.TemporaryDirectory(prefix="pairing-") as folder:
            _one_set(seed, clips, root or Path(folder))


def _one_set(seed: int, clips: int, root: Path) -> None:
    drawn = plan(seed, clips)
    originals, proxies = root / "originals", root / "proxies"
    if not originals.exists():
        write_all(drawn, originals, proxies)
    session = ProjectSession.open(root / "film.otio")
    try:
        if not session.project.clips:
            preset = Preset(name="Where they lie", originals=Originals(do="leave"), proxies=None)
            IngestRun(IngestRequest(originals, root, None, preset), session, JobStore()).run()
        began = time.perf_counter()
        with WorkerPool(2) as pool:
            offers = Search(session.project, [proxies], pool).run()
        took = time.perf_counter() - began
        _judged(seed, drawn, session, proxies, offers, took)
    finally:
        session.close()


def _judged(seed: int, drawn: Elsewhere, session: ProjectSession, proxies: Path, offers: Any, took: float) -> None:
    truth = {proxies / one.name: one for one in drawn.proxies}
    counts: Counter[str] = Counter()
    for offer in offers.pairs:
        clip = session.project.clip(offer.clip)
        assert clip is not None
        one = truth[offer.path]
        right = one.of is not None and clip.original.file.path.endswith(drawn.originals[one.of].name)
        exact = right and offer.offset == one.trim
        what = "right" if exact else "right with a wrong offset" if right else "wrong"
        counts[f"{offer.verdict}, {what}"] += 1
        if not exact:
            say = "; ".join(f"{f.kind} {f.weight:+.1f}" for f in offer.findings)
            print(f"    {offer.verdict}, {what}: {one.name} of {one.of} trim {one.trim} offset {offer.offset}"
                  f" hard {one.hard}: {say}; {offer.says}")  # fmt: skip
    true = sum(1 for one in drawn.proxies if one.of is not None)
    strangers = sum(1 for one in drawn.proxies if one.of is None)
    left = {Path(one.path) for one in offers.left}
    alone = sum(1 for path, one in truth.items() if one.of is None and path in left)
    lost = [one.name for path, one in truth.items() if one.of is not None and path in left]
    found = counts["certain, right"] + counts["likely, right"]
    print(f"  seed {seed}: {true} true pairs, {strangers} strangers, {took:.0f} s; "
          + ", ".join(f"{text} {count}" for text, count in sorted(counts.items())))  # fmt: skip
    print(f"    found {found / true:.1%} (wanted 97), strangers left alone {alone} of {strangers}, lost {lost}")


def by_data(count: int = 5000) -> None:
    """Pairing by names, timecode and lengths alone: seconds and memory."""
    rng = random.Random(5)
    originals, files = [], []
    for number in range(count):
        frames, start = rng.randint(50, 3000), rng.randint(0, 2_000_000)
        info = MediaInfo("video", "mov", 10**9, Fraction(frames, 25), "hevc", 3840, 2160, 3840, 2160, Fraction(25),
                         frames, start_timecode=timecode_at(start, Fraction(25)))  # fmt: skip
        originals.append(Traits.of(f"A{number // 100:03d}/A{number // 100:03d}C{number % 100:03d}.mov", info))
        small = replace(info, width=960, height=540, display_width=960, display_height=540, size=10**7)
        files.append(Traits.of(f"prx/A{number // 100:03d}C{number % 100:03d}_prx.mov", small))
    rng.shuffle(files)
    tracemalloc.start()
    began = time.perf_counter()
    matching = Matching(originals, files)
    matches = matching.decide(matching.candidates().values())
    took = time.perf_counter() - began
    _now, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    right = sum(originals[m.original].start == files[m.file].start for m in matches.pairs)
    certain = sum(m.verdict == "certain" for m in matches.pairs)
    print(f"  {count} with {count} by data: {took:.1f} s while memory is counted (wanted 10), {most / 1e6:.0f} MB "
          f"(wanted 500), {certain} certain, {right} right")  # fmt: skip


_FAULTS = ("right", "right", "right", "shift", "drop", "take", "sound")


def proof(count: int = 100) -> None:
    """So many of each fault, and three times as many right ones."""
    with tempfile.TemporaryDirectory(prefix="proof-") as folder, ProcessPoolExecutor(2) as pool:
        found = list(pool.map(partial(_one_proof, root=Path(folder)), range(count * len(_FAULTS)), chunksize=8))
    table: dict[str, Counter[str]] = {}
    for kind, state in found:
        table.setdefault(kind, Counter())[state] += 1
    for kind, states in table.items():
        print(f"  {kind}: " + ", ".join(f"{state} {number}" for state, number in sorted(states.items())))


def _one_proof(number: int, root: Path) -> tuple[str, str]:
    rng = random.Random(number * 31 + 7)
    kind = _FAULTS[number % len(_FAULTS)]
    still = kind == "right" and number % 5 == 0
    motion: Any = "still" if still else rng.choice(["objects", "objects", "pan", "handheld"])
    clip = DrawnClip("a.mov", rng.randrange(1 << 30), rng.randrange(1 << 30), rng.randint(70, 140),
                 rng.choice([Fraction(25), Fraction(50), Fraction(24000, 1001)]), motion, start=90_000)  # fmt: skip
    made = Derived(
        "p.mov", 0, hard=rng.random() < 0.3, graded=rng.choice([None, None, 0, 1, 2, 3]), burnt=rng.random() < 0.4,
        packed_sound=rng.random() < 0.5, timecode=rng.random() < 0.5,
        trim=rng.randint(1, 30) if rng.random() < 0.3 else 0,
    )  # fmt: skip
    if kind == "shift":
        made = replace(made, shift=rng.choice([1, -1]))
    elif kind == "drop":
        made = replace(made, dropped=(clip.frames + made.trim) // 2 + rng.randint(-8, 8))
    elif kind == "take":
        made = replace(made, stranger=replace(clip, take=clip.take + 1))
    elif kind == "sound":
        made = replace(made, exchanged=True)
    folder = root / str(number)
    halves = [Half(path, probe(path)) for path in (write_original(clip, folder), write_proxy(made, [clip], folder))]
    result = prove(ProveRequest(halves[0], halves[1], made.trim), lambda done: None)
    return ("right, nearly still" if still else kind) + (", packed hard" if made.hard else ""), result.state
