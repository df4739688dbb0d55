"""The ledger with 10,000 rows in the real window, and what a fingerprint costs: ``./shadow bench ledger``."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from agile_shadow.core.media import MediaInfo, probe
from agile_shadow.core.media.fingerprint import fingerprint
from agile_shadow.core.pairs import FileRef, Original, Proof, Proxy, Stamp
from agile_shadow.core.presets import Proxies
from agile_shadow.core.project import Clip, Project, ProjectSession, new_project, save_project
from agile_shadow.core.proxies import ProxyRequest, make_proxy
from agile_shadow.desktop.starting import folders_for, make_app
from agile_shadow.desktop.window import MainWindow
from agile_shadow.desktop.work import Work
from agile_shadow.stand_ins import CLIPS
from agile_shadow.stand_ins.card import draw_clip
from footage import demo_card

ROWS = 10_000


def big_project(folder: Path) -> Project:
    """A made-up project of ROWS clips, most with a proxy; no file of it is there."""
    rng = random.Random(7)
    project = new_project("Many")
    footage, shelf = project.footage.with_shelf("Boathouse", "originals", folder / "Boathouse")
    footage, light = footage.with_shelf("Laptop", "proxies", folder / "Laptop")
    clips = []
    for number in range(ROWS):
        frames, size = rng.randint(50, 4000), rng.choice([(3840, 2160), (1920, 1080), (5312, 2988)])
        info = MediaInfo("video", "mov", rng.randint(10**8, 10**10), Fraction(frames, 25), "hevc", *size, *size,
                         Fraction(25), frames, reel=f"A{number // 200:03d}",
                         recorded=f"2026-10-{number % 27 + 1:02d} 09:00:00")  # fmt: skip
        small = replace(info, width=size[0] // 4, height=size[1] // 4, size=10**7, codec="dnxhd")
        state = rng.choice(["proven", "proven", "proven", "doubtful"])
        why = ("its picture is 1 frame late all along",) if state == "doubtful" else ()
        proof = Proof(state, Stamp(1, 1, 1, 1, 0), why, (), 0.99)  # type: ignore[arg-type]
        proxy = Proxy(FileRef(light.id, f"A{number:05d}.mov"), small, 10**7, proof=proof, made=True)
        clips.append(Clip(f"c{number}", f"A{number // 200:03d}C{number:05d}",
                          Original(FileRef(shelf.id, f"A{number:05d}.mov"), info, info.size, 1),
                          (proxy,) if rng.random() < 0.9 else ()))  # fmt: skip
    return project.but(shelves=footage.shelves, clips=tuple(clips))


def measure_ledger(folder: Path) -> Iterator[tuple[str, float, float, str]]:
    """Longest of each kind of answer, in milliseconds, while posters are asked for in the background."""
    make_app(["bench"])
    path = folder / "many.otio"
    save_project(big_project(folder), path)
    work = Work(ProjectSession.open(path))
    window = MainWindow(work, folders_for(path, False), start_sound=False, measure=False)
    window.show()
    window.command("place_3")
    place, bar = window.pairs, window.pairs.table.verticalScrollBar()
    place.refresh()

    def longest(steps: list[Callable[[], object]]) -> float:
        found = 0.0
        for step in steps:
            QApplication.processEvents()
            began = time.perf_counter()
            step()
            place.table.viewport().repaint()
            found = max(found, time.perf_counter() - began)
        return found * 1000

    end = time.monotonic() + 30
    while place.list.warming and time.monotonic() < end:  # a moment after the place was opened
        QApplication.processEvents()
    rng = random.Random(3)
    scrolls = [lambda: bar.setValue(rng.randint(0, bar.maximum())) for _ in range(60)]
    orders = [lambda c=c, o=o: place.table.horizontalHeader().setSortIndicator(c, o)
              for c in range(10) for o in (Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder)]  # fmt: skip
    words = ("a01", "a012", "doubtful", "5312 x", "")
    filters = [lambda w=w: (place.search.setText(w), place.refresh()) for w in words]
    choices = [lambda n=n: place.choice.setCurrentIndex(n) for n in (1, 2, 3, 0)]
    groups = [lambda n=n: place.grouping.setCurrentIndex(n) for n in (2, 3, 1, 0)]
    yield f"ledger of {ROWS} rows: longest answer to a scroll", longest(scrolls), 50, " ms"
    yield f"ledger of {ROWS} rows: longest answer to a sort", longest(orders), 50, " ms"
    yield f"ledger of {ROWS} rows: longest answer to a search", longest(filters), 50, " ms"
    yield f"ledger of {ROWS} rows: longest answer to a choice", longest(choices), 50, " ms"
    yield f"ledger of {ROWS} rows: longest answer to a grouping", longest(groups), 50, " ms"
    window.close()


def measure_fingerprints(folder: Path) -> Iterator[tuple[str, float, float, str]]:
    """Time of a proxy's fingerprint against the time of making the proxy, for each clip of the demo card."""
    card = demo_card()
    for plan in CLIPS:
        source = card / plan.path
        if not source.exists():
            draw_clip((plan, card), lambda done: None)
        target = folder / f"{source.stem}.mov"
        began = time.perf_counter()
        made = make_proxy(ProxyRequest(source, target, Proxies(scale=Fraction(1, 4), codec="dnxhr-lb")), lambda d: None)
        making = time.perf_counter() - began
        began = time.perf_counter()
        fingerprint(target, probe(target) if made is None else made.info)
        part = (time.perf_counter() - began) / making * 100
        yield f"fingerprint of {source.stem}'s proxy, of the time of making it", part, 5, " %"
